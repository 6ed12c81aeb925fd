"""A project's tempo and metres as a MIDI file, and the other way round.

Source: Standard MIDI Files 1.0: a tempo event holds microseconds a quarter note and stands until
the next one, so a ramp is written as small steps; a time signature's denominator is a power of two.

Conventions
-----------
- Every step of a ramp lasts as long as the ramp does over it, so that nothing adds up.
- Read back, a run of steps that one ramp explains within a fraction of a millisecond is that ramp.
"""

import io
from dataclasses import dataclass, replace
from typing import BinaryIO

import mido
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import FormatError, TimeError
from zeroknot.core.formats.midi import LONGEST_WAIT
from zeroknot.core.timeline.metre_map import (
    DENOMINATORS,
    MOST_PULSES,
    Metre,
    MetreChange,
    MetreMap,
)
from zeroknot.core.timeline.tempo_map import (
    FASTEST_BPM,
    SHARPEST_BEND,
    SLOWEST_BPM,
    TempoMap,
    TempoPoint,
)

Floats = NDArray[np.float64]

TICKS = 960  # a quarter note
RAMP_STEP = 1 / 8  # beats
LARGEST_BYTES = 4 * 1024 * 1024
SHORTEST_RUN = 8  # steps, under which they stay steps
LONGEST_STEP = 1.0  # beats
SAME_SECONDS = 0.00006  # how nearly a ramp must explain its steps, all along
SAME_BPM = 5e-6  # of a tempo: what whole microseconds leave open
FITTED_AT = 24  # edges that a ramp is fitted to; it is held against all


@dataclass(frozen=True)
class TimeOfFile:
    """points  of a tempo map
    metres  from bar to bar
    notes   what had to be read in a way of its own, in sentences
    """

    points: tuple[TempoPoint, ...]
    metres: tuple[MetreChange, ...]
    notes: tuple[str, ...]


def write_time(tempo_map: TempoMap, metre_map: MetreMap, end_beat: float) -> bytes:
    """A MIDI file of format 1 whose only track holds the tempo and the metres up to a beat."""
    events: list[tuple[int, mido.MetaMessage]] = []
    for change in metre_map.changes:
        at = round(metre_map.beat_of_bar(change.bar) * TICKS)
        metre = change.metre
        events.append(
            (at, mido.MetaMessage("time_signature", numerator=metre.numerator,
                                  denominator=metre.denominator))
        )  # fmt: skip
    for tick, microseconds in _tempo_events(tempo_map):
        events.append((tick, mido.MetaMessage("set_tempo", tempo=microseconds)))
    track = mido.MidiTrack()
    now = 0
    for tick, event in sorted(events, key=lambda e: e[0]):
        track.append(event.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(0, round(end_beat * TICKS) - now)))
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _tempo_events(tempo_map: TempoMap) -> list[tuple[int, int]]:
    """(tick, microseconds a quarter note); what is owed by rounding is made good by the next."""
    edges: list[float] = [0.0]
    points = tempo_map.points
    for a, b in zip(points, [*points[1:], None], strict=True):
        if a.beat > 0:
            edges.append(a.beat)
        if b is not None and a.shape == "ramp" and a.bpm != b.bpm:
            start = max(0.0, a.beat)
            steps = max(1, round((b.beat - start) / RAMP_STEP))
            edges += np.linspace(start, b.beat, steps, endpoint=False)[1:].tolist()
    ticks = sorted({round(e * TICKS) for e in edges})
    events = []
    owed = 0.0
    for i, tick in enumerate(ticks):
        beat = tick / TICKS
        if i + 1 < len(ticks):
            quarters = (ticks[i + 1] - tick) / TICKS
            seconds = tempo_map.second_of_beat(ticks[i + 1] / TICKS)
            wanted = (seconds - tempo_map.second_of_beat(beat)) * 1e6 + owed
            microseconds = round(wanted / quarters)
            owed = wanted - microseconds * quarters
        else:
            microseconds = round(60e6 / tempo_map.bpm_at(beat))
        events.append((tick, microseconds))
    return events


def read_time(file: BinaryIO) -> TimeOfFile:
    """Tempo and metres of any MIDI file. Raises FormatError with a sentence that says why not."""
    data = file.read(LARGEST_BYTES + 1)
    if len(data) > LARGEST_BYTES:
        raise FormatError("the MIDI file has over 4 MB; a tempo map is a small file")
    if not data.startswith(b"MThd"):
        raise FormatError("this is not a MIDI file; a tempo map comes as one (.mid)")
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
    except Exception as error:  # mido has no bounds on what it raises for bytes that are none
        raise FormatError("the MIDI file cannot be read: it is damaged or cut off") from error
    if midi.ticks_per_beat <= 0:
        raise FormatError("the MIDI file counts frames a second instead of beats; it has no tempo")
    tempos: dict[float, int] = {}
    signatures: dict[float, Metre] = {}
    for track in midi.tracks:
        tick = 0
        for event in track:
            if event.time > LONGEST_WAIT:
                raise FormatError("the MIDI file cannot be read: it is damaged or cut off")
            tick += event.time
            beat = tick / midi.ticks_per_beat
            if event.type == "set_tempo":
                tempos[beat] = event.tempo
            elif event.type == "time_signature" and _is_known(event):
                signatures[beat] = Metre(event.numerator, event.denominator)
    if not tempos and not signatures:
        raise FormatError("the MIDI file holds neither a tempo nor a metre")
    tempos.setdefault(0.0, 500_000)
    notes: list[str] = []
    try:
        points = _points(sorted(tempos.items()))
        metres = _metres(sorted(signatures.items()), notes)
    except TimeError as error:
        raise FormatError(f"the file's tempo cannot be taken: {error}") from error
    return TimeOfFile(points, metres, tuple(notes))


def _is_known(event: mido.MetaMessage) -> bool:
    return event.denominator in DENOMINATORS and 1 <= event.numerator <= MOST_PULSES


def _points(events: list[tuple[float, int]]) -> tuple[TempoPoint, ...]:
    beats = np.asarray([beat for beat, _ in events])
    bpm = np.asarray([60e6 / max(1, microseconds) for _, microseconds in events])
    points: list[TempoPoint] = []
    patience, ends = _Patience(), _run_ends(beats, bpm)
    i = 0
    while i < beats.size:
        found = _ramp_from(beats, bpm, ends, i, patience)
        if found:
            first, after, i = found
            points += [first, after]
            continue
        points.append(TempoPoint(float(beats[i]), float(bpm[i])))
        i += 1
    kept: list[TempoPoint] = []
    for point in points:
        is_step = bool(kept) and kept[-1].shape == "step" and point.shape == "step"
        if is_step and abs(point.bpm - kept[-1].bpm) < 1e-9:
            continue
        if kept and point.beat <= kept[-1].beat:
            end = kept.pop()
            if kept and abs(point.bpm / end.bpm - 1.0) > SAME_BPM:
                kept += _ended_before(kept.pop(), end)
        kept.append(point)
    return tuple(kept)


def _ended_before(start: TempoPoint, end: TempoPoint) -> tuple[TempoPoint, TempoPoint]:
    """The same ramp, ended a tick earlier: where it ends another tempo begins at once."""
    beat = end.beat - 1 / TICKS
    bpm = TempoMap((start, end)).bpm_at(beat)
    bend = start.bend * (beat - start.beat) / (end.beat - start.beat)
    return replace(start, bend=bend), TempoPoint(beat, bpm)


def _run_ends(beats: Floats, bpm: Floats) -> list[int]:
    """For every step the last of those at equal distances that all rise, or all fall, with it."""
    gaps, rises = np.diff(beats).tolist(), np.sign(np.diff(bpm)).tolist()
    ends = list(range(beats.size))
    for j in range(beats.size - 3, -1, -1):
        if abs(gaps[j + 1] - gaps[j]) <= 1e-6 and gaps[j] <= LONGEST_STEP and rises[j]:
            ends[j] = ends[j + 1] if rises[j + 1] == rises[j] else j + 1
    return ends


class _Patience:
    """How many more ramps are tried in one file; what is left then stays steps, as it was written.

    A fit that fails takes several times as long as one that does not.
    """

    def __init__(self) -> None:
        self._left = 600

    @property
    def lasts(self) -> bool:
        return self._left > 0

    def spend(self, has_found: bool) -> None:
        self._left -= 1 if has_found else 6


def _ramp_from(
    beats: Floats, bpm: Floats, ends: list[int], i: int, patience: _Patience
) -> tuple[TempoPoint, TempoPoint, int] | None:
    """A ramp that the steps from `i` on are, the point it ends on, and the step after it."""
    # The last step of a run has no successor at its distance: it lasts as long as the others.
    longest = ends[i] - i + 1
    low, high, best = SHORTEST_RUN, longest, None
    count = SHORTEST_RUN  # where that is no ramp, no longer one is
    while low <= high and patience.lasts:
        found = _fitted(beats[i], beats[i + 1] - beats[i], bpm[i : i + count])
        patience.spend(bool(found))
        if found:
            best, low = (*found, i + count), count + 1
        elif count == SHORTEST_RUN:
            return None
        else:
            high = count - 1
        count = high if best and count == SHORTEST_RUN else (low + high) // 2
    return best


def _fitted(start: float, step: float, bpm: Floats) -> tuple[TempoPoint, TempoPoint] | None:
    """The ramp that equal steps of these tempos stand for; None where no one ramp does."""
    edges = start + step * np.arange(bpm.size + 1)
    seconds = np.concatenate([[0.0], np.cumsum(step * 60.0 / bpm)])

    def off(values: Floats, at: NDArray[np.int64]) -> Floats:
        first, last, bend = values
        law = TempoMap((
            TempoPoint(float(edges[0]), first, "ramp", bend), TempoPoint(float(edges[-1]), last)
        ))  # fmt: skip
        origin = law.second_of_beat(float(edges[0]))
        found = [law.second_of_beat(float(e)) - origin for e in edges[at]]
        return np.asarray(found - seconds[at], dtype=np.float64)

    every = np.arange(edges.size)
    some = np.unique(np.linspace(1, edges.size - 1, FITTED_AT).astype(int))
    guess = [bpm[0] - (bpm[1] - bpm[0]) / 2, bpm[-1] + (bpm[-1] - bpm[-2]) / 2, 0.0]
    low, high = (
        [SLOWEST_BPM, SLOWEST_BPM, -SHARPEST_BEND],
        [FASTEST_BPM, FASTEST_BPM, SHARPEST_BEND],
    )
    from scipy import optimize  # a fifth of a second of every start, for files with many tempos

    best = optimize.least_squares(
        off, np.clip(guess, low, high), bounds=(low, high), args=(some,), max_nfev=40
    )
    # As it was most likely written: in hundredths, without a bend that nobody hears.
    first, last, bend = best.x
    tidy = np.asarray([round(first, 2), round(last, 2), 0.0 if abs(bend) < 0.02 else bend])
    for values in (tidy, best.x):
        if np.abs(off(values, every)).max() <= SAME_SECONDS:
            first, last, bend = (float(v) for v in values)
            begin = TempoPoint(float(edges[0]), first, "ramp", bend)
            return begin, TempoPoint(float(edges[-1]), last)
    return None


def _metres(events: list[tuple[float, Metre]], notes: list[str]) -> tuple[MetreChange, ...]:
    changes = [MetreChange(1, Metre())]
    for beat, metre in events:
        so_far = MetreMap(tuple(changes))
        bar = so_far.bar_of_beat(beat)
        if abs(so_far.beat_of_bar(bar) - beat) > 1e-6:
            bar += 1
            notes.append(f"{metre} stands inside a bar there; here it begins with bar {bar}")
        if bar == changes[-1].bar:
            changes.pop()
        if not changes or changes[-1].metre != metre:
            changes.append(MetreChange(max(1, bar), metre))
    return tuple(changes)
