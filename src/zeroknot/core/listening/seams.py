"""Where in a long take is a loop, and how does its seam sound?

Conventions
-----------
- Colours are the coarse table of `picture`: float32 [frames, bands], log energy, a fixed step.
- Grades are 0…1, 1 the best; they rank loops of one take, and are not probabilities.
- A loop overhangs by what lies past the moment where its beginning would come again.

Method: a loop holds where what follows its end sounds like its start (the seam), where it comes
again right after itself, and where its beats are even. The end is put where the hits of the start
come again (cross-correlation of attacks), so that copies neither pile up nor limp.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import Attacks

LENGTHS = (1, 2, 4, 8)  # bars
SEAM_SECONDS = 0.4  # on each side that is compared
FARTHEST_OVERHANG = 0.08  # seconds by which an end may be off its beginning
NEAR_BEATS = 0.5  # within which most of what tells an overhang lies
SAME_HIT = 0.012  # seconds within which two hits are the same place
LEAST_AGREEING = 2  # hits that have to lie alike past the end
EVEN_TEMPO = 0.02  # deviation of beats, of their mean, that is uneven
MOST_FOUND = 12
MOST_SHARED = 0.5  # of two loops of one length that are both proposed
CROSSING_SECONDS = 0.006  # how far an edge goes to a zero crossing
WEIGHTS = {"again": 0.3, "seam": 0.4, "even": 0.2, "begins": 0.1}

Table = NDArray[np.float32]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class FoundLoop:
    """start_s, end_s  of the recording
    bars
    bar      in which the take's bars begin with it, from 1
    seam     how alike what follows its end is to its start
    again    how alike the same length after it is
    even     how even its beats are
    begins   how much something new begins with it
    tempo_bpm  pulses a minute
    """

    start_s: float
    end_s: float
    bars: int
    bar: int
    seam: float
    again: float
    even: float
    begins: float
    tempo_bpm: float

    @property
    def grade(self) -> float:
        """0 to 1: how well it repeats, all told."""
        return float(sum(weight * getattr(self, name) for name, weight in WEIGHTS.items()))


@dataclass(frozen=True, eq=False)
class TakePicture:
    """colours  float32 [frames, bands] of `step` seconds each"""

    colours: Table
    step: float

    def part(self, start: float, end: float) -> Table:
        """Rows between two seconds, normalised over the take; none outside it."""
        a, b = (round(s / self.step) for s in (start, end))
        return self._normal[max(0, a) : max(0, b)]

    @cached_property
    def _normal(self) -> Table:
        mean, spread = self.colours.mean(axis=0), self.colours.std(axis=0)
        return np.asarray((self.colours - mean) / (spread + 1e-3), dtype=np.float32)


def alike(a: Table, b: Table) -> float:
    """How alike two stretches sound, 0…1; 0 where either is missing.

    a, b  float32 [frames, bands], as `TakePicture.part` gives them
    """
    rows = min(len(a), len(b))
    if rows < 2 or abs(len(a) - len(b)) > 0.2 * max(len(a), len(b)) + 2:
        return 0.0
    return float(np.exp(-np.abs(a[:rows] - b[:rows]).mean()))


def seam_of(picture: TakePicture, start: float, end: float) -> float:
    """How the seam sounds: what would follow the end is like the start, and the run-up alike."""
    reach = min(SEAM_SECONDS, 0.5 * (end - start))
    after = alike(picture.part(end, end + reach), picture.part(start, start + reach))
    before = alike(picture.part(end - reach, end), picture.part(start - reach, start))
    # The end of a take has nothing after it, its start nothing before.
    known = [value for value in (after, before) if value > 0]
    return float(np.mean(known)) if known else 0.0


def overhang_of(attacks: Attacks, start: float, end: float, beat: float) -> float | None:
    """Seconds by which a range overhangs its own beginning; None where no hits tell.

    The hits of the first two beats are laid over those past the end: the shift that most of them
    agree on is the overhang, negative where the range is too short. Of those whose match would lie
    before the last hit of all at least half have to agree, and two of them: one hit that lies near
    the end by itself is no beginning.
    """
    first = _between(attacks, start - SAME_HIT, start + 2 * beat)
    later = _between(attacks, end - FARTHEST_OVERHANG, end + 2 * beat + FARTHEST_OVERHANG)
    if not first[0].size or not later[0].size:
        return None
    shifts = (later[0] - end)[None, :] - (first[0] - start)[:, None]
    # The nearer to the edge, the more it counts: a performance drifts away from it.
    near_edge = np.exp(-np.abs(first[0] - start) / (NEAR_BEATS * beat))
    weights = near_edge[:, None] * np.sqrt(first[1][:, None] * later[1][None, :])
    near = np.abs(shifts) < FARTHEST_OVERHANG
    if not near.any():
        return None
    candidates = shifts[near]
    votes = [
        float((weights * np.exp(-0.5 * ((shifts - c) / (SAME_HIT / 3)) ** 2)).sum())
        for c in candidates
    ]
    best = candidates[int(np.argmax(votes))]
    close = near & (np.abs(shifts - best) < SAME_HIT)
    expected = first[0] - start + end + best
    could = int((expected <= attacks.seconds[-1] + SAME_HIT).sum())
    agree = int(close.any(axis=0).sum())
    if agree < LEAST_AGREEING or agree < could / 2:
        return None
    return -float(np.average(shifts[close], weights=weights[close]))


def _between(attacks: Attacks, start: float, end: float) -> tuple[Floats, Floats]:
    inside = (attacks.seconds >= start) & (attacks.seconds < end)
    return attacks.seconds[inside], attacks.strengths[inside]


def loops_in(
    picture: TakePicture, attacks: Attacks, pulses: Floats, first_bar: int, per_bar: int,
    lengths: Sequence[int] = LENGTHS,
) -> tuple[FoundLoop, ...]:  # fmt: skip
    """Loops that a take holds, best first.

    pulses     float64 [n], seconds, one after another
    first_bar  index of the first pulse that begins a bar
    per_bar    pulses a bar
    """
    lines = np.arange(first_bar, pulses.size, per_bar)
    found: list[FoundLoop] = []
    for bars in lengths:
        for i in range(lines.size - bars):
            start, end = float(pulses[lines[i]]), float(pulses[lines[i + bars]])
            inside = np.diff(pulses[lines[i] : lines[i + bars] + 1])
            beat = float(inside.mean())
            off = overhang_of(attacks, start, end, beat)
            even = float(np.exp(-((inside.std() / beat / EVEN_TEMPO) ** 2)))
            end -= off or 0.0
            length = end - start
            again = max(
                alike(picture.part(start, end), picture.part(end, end + length)),
                alike(picture.part(start, end), picture.part(start - length, start)),
            )
            tempo = bars * per_bar * 60.0 / length
            seam = seam_of(picture, start, end)
            bar = length / bars
            begins = 1 - alike(picture.part(start - bar, start), picture.part(start, start + bar))
            found.append(FoundLoop(start, end, bars, i + 1, seam, again, even, begins, tempo))
    found.sort(key=lambda loop: -loop.grade)
    return tuple(_apart(found))


def _apart(found: list[FoundLoop]) -> list[FoundLoop]:
    """The best of those that are much the same: every length has its turn."""
    kept: list[FoundLoop] = []
    most = -(-MOST_FOUND // len(LENGTHS))
    for loop in found:
        same = [k for k in kept if k.bars == loop.bars]
        shared = max((_shared(k, loop) for k in same), default=0.0)
        if len(same) < most and shared <= MOST_SHARED:
            kept.append(loop)
    return kept


def _shared(a: FoundLoop, b: FoundLoop) -> float:
    common = min(a.end_s, b.end_s) - max(a.start_s, b.start_s)
    return max(0.0, common) / min(a.end_s - a.start_s, b.end_s - b.start_s)


def at_zero_crossing(sound: Audio, second: float) -> float:
    """The nearest moment at which the sound rises through zero; the second itself if none is near.

    Of a stereo sound the sum counts.
    """
    reach = round(CROSSING_SECONDS * sound.rate)
    at = round(second * sound.rate)
    first = max(0, at - reach)
    part = sound.samples[:, first : at + reach + 1].sum(axis=0)
    rising = np.flatnonzero((part[:-1] < 0.0) & (part[1:] >= 0.0)) + 1
    if not rising.size:
        rising = np.flatnonzero(part == 0.0)
    if not rising.size:
        return second
    return float(first + rising[np.argmin(np.abs(first + rising - at))]) / sound.rate
