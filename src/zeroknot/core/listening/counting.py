"""What follows from what a person says of a loop: taps along, a count, a tempo, a metre?

Conventions
-----------
- Taps are seconds of the recording, in the order in which they were made; one may be left out.
- A proposal says in words what it would make, and holds what is to be corrected.
"""

from collections.abc import Sequence
from dataclasses import asdict, dataclass

import numpy as np

from zeroknot.core.errors import EditError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.corrected import Correction, corrected
from zeroknot.core.listening.reading import Reading
from zeroknot.core.listening.seams import overhang_of

FEWEST_TAPS = 4
FASTEST_BPM, SLOWEST_BPM = 400.0, 20.0
FASTEST_COUNTED, SLOWEST_COUNTED = 250.0, 30.0  # what somebody may count along with
SAME_TEMPO = 0.03  # tapped this near, a whole number of bars is meant
NEARLY_WHOLE = 0.004  # of a tempo that was most likely meant to be a whole number
LEAST_OVERHANG = 0.0015  # seconds that copies begin to pile up by
METRES = (2, 3, 4, 5, 7)
MOST_RECOUNTED = 64  # bars: a long take is not counted otherwise by a guess
NO_TEMPO = "the taps make no tempo; tap evenly along with it"


@dataclass(frozen=True)
class Proposal:
    words: str
    correction: Correction

    @property
    def given(self) -> dict[str, object]:
        """What is corrected, without what is not."""
        return {name: value for name, value in asdict(self.correction).items() if value is not None}


def tapped_bpm(taps: Sequence[float]) -> float:
    """Pulses a minute that somebody tapped. Raises EditError where they make no tempo."""
    if len(taps) < FEWEST_TAPS:
        raise EditError(f"tap at least {FEWEST_TAPS} times along with it")
    gaps = np.diff(np.asarray(taps, np.float64))
    gaps = gaps[gaps > 0]  # where it began again the taps have no distance
    if gaps.size < FEWEST_TAPS - 2:
        raise EditError(NO_TEMPO)
    usual = float(np.median(gaps))
    # A tap left out makes a gap of two: both count for what they are.
    counts = np.maximum(1, np.round(gaps / usual))
    kept = np.abs(gaps / counts / usual - 1) < 0.35
    if not kept.any():
        raise EditError(NO_TEMPO)
    period = float(gaps[kept].sum() / counts[kept].sum())
    bpm = 60.0 / period
    if not _is_tempo(bpm):
        raise EditError(f"{bpm:.0f} taps a minute are no tempo; tap once a beat")
    return bpm


def from_taps(taps: Sequence[float], reading: Reading) -> tuple[Proposal, ...]:
    """What the taps say that a loop is, likeliest first."""
    bpm = tapped_bpm(taps)
    body = reading.end_s - reading.downbeat_s
    found = []
    room = body * bpm / 60.0 / reading.beats_per_bar
    bars = max(1, round(room))
    exact = bars * reading.beats_per_bar * 60.0 / body
    if abs(exact / bpm - 1) < SAME_TEMPO:
        found.append(Proposal(_is(bars, reading.beats_per_bar, exact), Correction(bars=bars)))
    if abs(exact / bpm - 1) > NEARLY_WHOLE:
        end = reading.downbeat_s + bars * reading.beats_per_bar * 60.0 / bpm
        words = f"{_is(bars, reading.beats_per_bar, bpm)}: it ends {_moved(end - reading.end_s)}"
        found.append(Proposal(words, Correction(bars=bars, end_s=end)))
    for times in (2, 0.5):
        other = max(1, round(room * times))
        tempo = other * reading.beats_per_bar * 60.0 / body
        if other != bars and abs(tempo / (bpm * times) - 1) < SAME_TEMPO:
            words = f"{_is(other, reading.beats_per_bar, tempo)}, {_counted(times)}"
            found.append(Proposal(words, Correction(bars=other)))
    return tuple(found)


def follows(reading: Reading, attacks: Attacks) -> tuple[Proposal, ...]:
    """What else a loop may be if it is what is said of it."""
    body = reading.end_s - reading.downbeat_s
    found: list[Proposal] = []
    beat = 60.0 / reading.tempo_bpm
    over = overhang_of(attacks, reading.downbeat_s, reading.end_s, beat)
    if over is not None and abs(over) > LEAST_OVERHANG:
        end = reading.end_s - over
        words = f"end {_moved(-over)}: there it begins again"
        found.append(Proposal(words, Correction(end_s=end)))
    whole = round(reading.tempo_bpm)
    if 1e-4 < abs(whole / reading.tempo_bpm - 1) < NEARLY_WHOLE:
        end = reading.downbeat_s + reading.pulses * 60.0 / whole
        words = f"exactly {whole} BPM: it ends {_moved(end - reading.end_s)}"
        found.append(Proposal(words, Correction(bars=reading.bars, end_s=end)))
    for times in (0.5, 2):
        bars = reading.bars * times
        if bars == int(bars) and 1 <= bars <= MOST_RECOUNTED:
            tempo = bars * reading.beats_per_bar * 60.0 / body
            words = f"{_is(int(bars), reading.beats_per_bar, tempo)}, {_counted(times)}"
            if is_counted(tempo):
                found.append(Proposal(words, Correction(bars=int(bars))))
    for per_bar in METRES:
        if per_bar != reading.beats_per_bar and reading.pulses % per_bar == 0:
            bars = reading.pulses // per_bar
            if 1 < bars <= MOST_RECOUNTED and is_counted(reading.tempo_bpm):
                words = _is(bars, per_bar, reading.tempo_bpm)
                found.append(Proposal(words, Correction(bars=bars, beats_per_bar=per_bar)))
    return tuple(p for p in found if _is_possible(reading, p.correction))


def _is_tempo(bpm: float) -> bool:
    return SLOWEST_BPM <= bpm <= FASTEST_BPM


def is_counted(bpm: float) -> bool:
    """Would somebody count along with such pulses?"""
    return SLOWEST_COUNTED <= bpm <= FASTEST_COUNTED


def _is_possible(reading: Reading, correction: Correction) -> bool:
    try:
        corrected(reading, correction)
    except EditError:
        return False
    return True


def _is(bars: int, per_bar: int, tempo: float) -> str:
    of = "" if per_bar == 4 else f" of {per_bar}"
    number = f"{tempo:.2f}".rstrip("0").rstrip(".")
    return f"{bars} bar{'s' * (bars != 1)}{of} at {number}"


def _counted(times: float) -> str:
    return "counted twice as fast" if times > 1 else "counted half as fast"


def _moved(seconds: float) -> str:
    size = abs(seconds)
    much = f"{1000 * size:.1f} ms" if size < 0.2 else f"{size:.2f} s"
    return f"{much} {'later' if seconds > 0 else 'earlier'}"
