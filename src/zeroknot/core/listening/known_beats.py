"""Where are the beats of a loop whose one, end and number of pulses are known?

Nobody has to be asked for its tempo: a loop that is steady stays as it is, and one that was played
is off by what its attacks say.

Method: each beat lies where an even tempo has it, or one that changes evenly over the pass where
that explains the attacks better, and off that by a path that goes where attacks are and pays for
each change (dynamic programming: Ellis, "Beat tracking by dynamic programming", JNMR 36, 2007). The
one and the end are where they are said to be. In a long performance the path may wander farther, by
more than a beat, where it then lies on far more of what is struck; and where that is so of beats
that nobody counted beforehand, it is the number of pulses that is wrong.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.beats import bend_of, followed, on_attacks, share_on

Floats = NDArray[np.float64]

TICK = 0.0025  # seconds
WIDTH = 0.012  # seconds of an attack that a beat may lie on, standard deviation
BENT_MORE, BENT_TIMES = 1.0, 1.1  # how much more a tempo that changes has to explain
EDGE = 0.03  # seconds before an edge that belong to what begins there
EARLY = 0.01  # seconds before the file's start at which a beat still is
LONG, MORE = 24, 1.1  # pulses of a long one; times as much that wandering has to be worth
PARTS, CLEARLY = (4, 3), 0.05  # of a beat that hits lie on; what share more of them makes it clear


class Path(NamedTuple):
    """stiff    what a change by a whole pulse from beat to beat costs, an attack being worth 1
    pulses, seconds  that a beat may be off, whichever is less
    tick     seconds between two places it may take
    """

    stiff: float
    pulses: float
    seconds: float
    tick: float


STEADY = Path(1500.0, 0.2, 0.15, TICK)
WANDERING = Path(200.0, 1.2, 1.5, 2 * TICK)


def beats_between(attacks: Attacks, start: float, end: float, pulses: int, until: float) -> Floats:
    """Seconds of all beats of a recording, those before its one and behind its end among them.

    start, end  seconds of the one and of the end, so many pulses apart
    until       second up to which beats are wanted
    returns     float64 [n], rising; none where nothing was heard
    """
    if not attacks.seconds.size:
        return np.zeros(0)
    period = (end - start) / pulses
    # Beside the pass there are as many as something is struck for.
    earliest, latest = float(attacks.seconds.min()) - EARLY, float(attacks.seconds.max()) + EARLY
    first = -max(0, int((start - max(earliest, -EARLY)) / period))
    last = pulses + max(0, int((min(latest, until) - end) / period))
    numbers = np.arange(first, last + 1, dtype=np.float64)
    even = start + numbers * period

    def explains_more(some: Floats, others: Floats) -> bool:
        """Offbeats count, too: who never plays on the beat is as steady as who does."""
        explained, before = (max(share_on(b, attacks, n) for n in PARTS) for b in (some, others))
        return explained > before + CLEARLY

    curve = _worth(attacks, even[-1] + WANDERING.seconds)
    worth, beats = _along(STEADY, curve, even, numbers, pulses)
    bend = bend_of(attacks, start, end - start, pulses)
    if bend:
        share = np.clip(numbers / pulses, 0.0, 1.0)
        bent = even + (end - start) * bend * share * (1.0 - share)
        more, other = _along(STEADY, curve, bent, numbers, pulses)
        if more > BENT_TIMES * worth + BENT_MORE and explains_more(other, beats):
            beats = other
    # Beside the pass nobody knows where beats are; what is played there goes on as it does.
    beside = (numbers < 0) | (numbers > pulses)
    if pulses <= LONG and not beside.any():
        return beats
    _, wandering = _along(WANDERING, curve, even, numbers, pulses)
    moved = on_attacks(wandering, attacks.seconds)
    wandering = moved if moved.size == wandering.size else wandering
    if pulses > LONG:
        counted = followed(attacks, period, until)
        anew, wanders, steady = (_struck(curve, b, start, end) for b in (counted, wandering, beats))
        is_wandering = wanders > MORE * steady and explains_more(wandering, beats)
        best, worth = (wandering, wanders) if is_wandering else (beats, steady)
        if anew > MORE * worth and explains_more(counted, best):
            return counted
        beside |= is_wandering
    return np.where(beside, wandering, beats)


def _struck(curve: Floats, beats: Floats, start: float, end: float) -> float:
    """What beats of a pass are worth on the whole."""
    inside = beats[(beats > start - EDGE) & (beats < end - EDGE)]
    if inside.size < 3:
        return 0.0
    at = np.clip(np.round(inside / TICK).astype(int), 0, curve.size - 1)
    return float(curve[at].mean())


def _worth(attacks: Attacks, until: float) -> Floats:
    """What a beat is worth at each tick: float64 [ticks]."""
    reach = round(4.0 * WIDTH / TICK)
    beside = np.arange(-reach, reach + 1)
    bell = np.exp(-0.5 * (beside * TICK / WIDTH) ** 2)
    curve = np.zeros(int(until / TICK) + reach + 2)
    at = np.round(attacks.seconds / TICK).astype(int)[:, None] + beside
    inside = (at >= 0) & (at < curve.size)
    np.maximum.at(curve, at[inside], (np.sqrt(attacks.strengths)[:, None] * bell)[inside])
    return curve


def _along(
    path: Path, curve: Floats, expected: Floats, numbers: Floats, pulses: int
) -> tuple[float, Floats]:
    """What the best path of beats near where they are expected is worth, and the beats."""
    period = (expected[-1] - expected[0]) / (numbers[-1] - numbers[0])
    reach = int(min(path.pulses * period, path.seconds) / path.tick)
    offs = np.arange(-reach, reach + 1) * path.tick
    at = np.round((expected[:, None] + offs) / TICK).astype(int)
    worth = np.where((at >= 0) & (at < curve.size), curve[np.clip(at, 0, curve.size - 1)], 0.0)
    is_known = (numbers == 0) | (numbers == pulses)
    worth[np.ix_(is_known, offs != 0.0)] = -np.inf
    price = path.stiff * ((offs[:, None] - offs) / period) ** 2
    back = np.zeros(worth.shape, np.int64)
    best = worth[0]
    for i in range(1, numbers.size):
        reached = best - price
        back[i] = reached.argmax(axis=1)
        best = worth[i] + reached.max(axis=1)
    place = int(best.argmax())
    total = float(best[place])
    beats = expected.copy()
    for i in range(numbers.size - 1, -1, -1):
        beats[i] += offs[place]
        place = int(back[i, place])
    return total, beats
