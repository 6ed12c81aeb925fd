"""What does the song's key do to what is in hand, and what does that clash with?"""

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.harmony.clash import HEARD, Clash, Partials, clash, pair_text
from zeroknot.core.harmony.fit import (
    NEAR,
    SAID,
    SHIFTS,
    leeway_between,
    shares_inside,
    shift_by,
    shift_into,
)
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.harmony.profile import Profile
from zeroknot.core.loop import Loop
from zeroknot.core.units import gain_of_db
from zeroknot.document.key import InKey
from zeroknot.document.project import Clip, Project
from zeroknot.document.strand import Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import Hand, has_notes
from zeroknot.studio.in_key import key_shift
from zeroknot.studio.intents.key import correction_of
from zeroknot.studio.measured import Measured
from zeroknot.studio.placement import Placement

MOMENTS_A_BAR = 16
MOST_BARS = 256
MOST_PARTIAL_BYTES = 64 * 1024 * 1024
LEAST_SHARE = 0.01  # of the energy: a note with less is not named


@dataclass(frozen=True)
class OtherReading:
    """A key that the loop may have instead, and the shift that would then be right."""

    key: str
    confidence: float
    shift: int | None


@dataclass(frozen=True)
class SeenKey:
    """profile   energy of the pitch classes as recorded, in all 1
    key       the song's where the hand lies; None where it has none
    own       the loop's
    asked     semitones that the key asks; 0 where it does not follow
    shifted   semitones in all, its own and its tuning among them
    shares    for each of −6…+5: how much of the energy is then inside the key
    rule      what the strand follows the key by, or would; None where it has no notes
    proposed  by the rule; None where the song has no key
    by_key    what it would be by its own key alone; None where it has none
    leeway    of the energy, that another shift has to have more inside to be proposed
    anew      what it would be by what its loop is known to be now, where that is another shift
    others    what a reading with doubt would mean
    cents     that were heard off A = 440; None where nobody can tell
    correction  cents that would bring it to the song's concert pitch
    spool_cents  by which its speed detunes it; 0 where pitch does not follow speed
    mending   own shift that would take that back
    outside   names of notes that then lie outside the key, the loudest first
    """

    profile: Profile
    key: Key | None
    own: Key | None
    asked: int
    shifted: float
    shares: dict[int, float]
    rule: InKey | None
    proposed: int | None
    by_key: int | None
    leeway: float
    anew: OtherReading | None
    others: tuple[OtherReading, ...]
    cents: float | None
    correction: float | None
    spool_cents: float
    mending: float
    outside: tuple[str, ...]


def seen_key(project: Project, hand: Hand, beat: float = 0.0) -> SeenKey:
    """The notes in hand against the key at a beat of the project."""
    strand, loop = hand.strand, hand.loop
    key, profile = project.key_map.key_at(beat), hand.tones
    own = Key.parse(loop.key) if loop.key else None
    fresh = hand.in_key_anew
    rule = strand.in_key or fresh
    prefers = rule.prefers if rule else "tonic"
    placed = Placement.of(project, strand, loop, beat)
    others = []
    heard = loop.hearing.key
    for name, sure in (
        (heard.key, heard.confidence),
        (heard.runner_up, heard.runner_up_confidence),
    ):
        if name and name != loop.key:
            said = Key.parse(name)
            other = shift_into(profile, key, said, prefers, SAID) if key else None
            others.append(OtherReading(name, sure, other))
    speed = _speed_semitones(placed)
    return SeenKey(
        profile=profile,
        key=key,
        own=own,
        asked=key_shift(project, strand, beat),
        shifted=placed.semitones,
        shares=shares_inside(profile, key) if key else dict.fromkeys(SHIFTS, 0.0),
        rule=rule,
        proposed=_proposed(rule, key),
        by_key=shift_by(rule.own, key, prefers) if rule and rule.own and key else None,
        leeway=leeway_between(rule.own, key, prefers, rule.leeway) if rule and key else NEAR,
        anew=_anew(strand, fresh, key),
        others=tuple(others),
        cents=heard.cents,
        correction=correction_of(project, loop),
        spool_cents=100.0 * speed,
        mending=round(-speed, 2),
        outside=_outside(profile, key, placed),
    )


def _proposed(rule: InKey | None, key: Key | None) -> int | None:
    if rule is None or key is None:
        return None
    return shift_into(rule.profile, key, rule.own, rule.prefers, rule.leeway)


def _anew(strand: Strand, fresh: InKey | None, key: Key | None) -> OtherReading | None:
    """What the strand would be shifted by now, where that is not what it is."""
    if strand.in_key is None or strand.in_key.along or fresh is None:
        return None
    shift = _proposed(fresh, key)
    if shift == _proposed(strand.in_key, key):
        return None
    return OtherReading(fresh.key or "", 1.0, shift)


def _outside(profile: Profile, key: Key | None, placed: Placement) -> tuple[str, ...]:
    if key is None:
        return ()
    by_note = placed.by_note or (0,) * 12
    shift = round(placed.semitones)
    found = [
        (share, NAMES[(note + shift + by_note[note]) % 12])
        for note, share in enumerate(profile)
        if share >= LEAST_SHARE and not key.weights[(note + shift + by_note[note]) % 12]
    ]
    return tuple(name for _, name in sorted(found, reverse=True))


def _speed_semitones(placed: Placement) -> float:
    """By how much a method whose pitch follows speed shifts it; 0 for others."""
    if placed.choice.method != "spool":
        return 0.0
    return -12.0 * math.log2(placed.case.ratio)


@dataclass(frozen=True)
class ClashRow:
    """Against one strand, bar by bar from the first; None where one of the two rests."""

    strand: str
    name: str
    bars: tuple[Clash | None, ...]


@dataclass(frozen=True)
class SeenClash:
    """first_bar, count  of the song
    left_out  bars after those, which were not looked at
    rows      by the strands of the song
    sentence  what is said of the whole
    """

    first_bar: int
    count: int
    left_out: int
    rows: tuple[ClashRow, ...]
    sentence: str


Sounding = tuple[NDArray[np.float32], NDArray[np.float32]] | None  # notes, amplitudes


@dataclass(frozen=True, eq=False)
class _Laid:
    """Bar by bar from the first: what is in hand, and every strand that plays beside it."""

    first_bar: int
    left_out: int
    mine: list[Sounding]
    others: list[tuple[Strand, list[Sounding]]]


class Clashes:
    """What sounds in loops, and how roughly strands go together."""

    def __init__(self, store_folder: Path, loops: LoopStore, executors: Executors):
        self._loops = loops
        self._partials: Measured[Partials] = Measured(
            store_folder, executors, "partials_in", MOST_PARTIAL_BYTES,
            lambda p: 1000 + p.notes.nbytes + p.amplitudes.nbytes,
        )  # fmt: skip

    def of(self, project: Project, hand: Hand) -> SeenClash:
        """What is in hand against every strand that plays where it does.

        Where it lies on no track yet, it is taken to play on and on from bar 1.
        """
        laid = self._laid(project, hand)
        rows = [
            ClashRow(
                strand.id,
                strand.name,
                tuple(
                    clash(a, b) if a is not None and b is not None else None
                    for a, b in zip(laid.mine, theirs, strict=True)
                ),
            )
            for strand, theirs in laid.others
        ]
        rows = [row for row in rows if any(row.bars)]
        sentence = _sentence(rows, laid.first_bar)
        return SeenClash(laid.first_bar, len(laid.mine), laid.left_out, tuple(rows), sentence)

    def by_shift(self, project: Project, hand: Hand) -> dict[int, float]:
        """For each shift on top of what it has, its clash with all that plays, on the whole."""
        laid = self._laid(project, hand)
        pairs = [
            (a, b) for _, theirs in laid.others for a, b in zip(laid.mine, theirs, strict=True)
            if a is not None and b is not None
        ]  # fmt: skip
        if not pairs:
            return dict.fromkeys(SHIFTS, 0.0)
        notes, amplitudes, others, loud = (
            np.concatenate([pair[i][j] for pair in pairs]) for i in (0, 1) for j in (0, 1)
        )
        return {
            n: clash(((notes + n).astype(np.float32), amplitudes), (others, loud)).value
            for n in SHIFTS
        }

    def _laid(self, project: Project, hand: Hand) -> _Laid:
        metre = project.metre_map
        own = _playing(project, hand.strand)
        if not own:
            length = max(project.end_beat, hand.strand.span)
            own = [Clip(id="hand", strand=hand.strand.id, track="", beat=0.0, length=length)]
        first = min(metre.bar_of_beat(c.beat) for c in own)
        last = max(metre.bar_of_beat(self._end(project, hand, c) - 1e-6) for c in own)
        count = min(MOST_BARS, last - first + 1)
        bars = [_moments(project, first + i) for i in range(count)]
        mine = [self._sounding(project, hand.strand, hand.loop, own, beats) for beats in bars]
        others = []
        for strand in project.strands:
            loop = self._loops.get(strand.loop)
            clips = _playing(project, strand)
            if strand.id != hand.strand.id and clips and has_notes(strand, loop):
                theirs = [self._sounding(project, strand, loop, clips, beats) for beats in bars]
                others.append((strand, theirs))
        return _Laid(first, last - first + 1 - count, mine, others)

    def _end(self, project: Project, hand: Hand, clip: Clip) -> float:
        return clip.beat + project.length_of(clip, hand.strand)

    def _sounding(
        self, project: Project, strand: Strand, loop: Loop, clips: list[Clip],
        beats: NDArray[np.float64],
    ) -> Sounding:  # fmt: skip
        """Notes and amplitudes of a strand at beats of the song; None where it rests in all."""
        if not has_notes(strand, loop):
            return None
        seconds = np.full(beats.size, -1.0)
        moved = np.zeros(beats.size)
        gains = np.zeros(beats.size)
        levels = {track.id: track.level_db for track in project.tracks}
        for clip in clips:
            inside = (beats >= clip.beat) & (beats < clip.beat + project.length_of(clip, strand))
            if not inside.any():
                continue
            origin = clip.beat - clip.slip
            into = beats[inside] - origin
            span = _pass_beats(project, strand, clip)
            within = (into % span) * strand.span / span
            warp = strand.warp
            seconds[inside] = [warp.second_of_beat(float(b)) for b in within]
            own = strand.shift + strand.cents / 100.0 + clip.shift
            moved[inside] = [own + key_shift(project, strand, float(b)) for b in beats[inside]]
            gains[inside] = gain_of_db(strand.gain_db + clip.gain_db + levels.get(clip.track, 0.0))
        if not gains.any():
            return None
        notes, amplitudes = self._partials.of(loop).at(seconds)
        shifted = (notes + moved[:, None]).astype(np.float32)
        return shifted, (amplitudes * gains[:, None]).astype(np.float32)


def _playing(project: Project, strand: Strand) -> list[Clip]:
    """Its clips that are heard."""
    silent = {track.id for track in project.tracks if track.muted}
    return [
        clip for clip in project.clips
        if clip.strand == strand.id and not clip.muted and clip.track not in silent
    ]  # fmt: skip


def _pass_beats(project: Project, strand: Strand, clip: Clip) -> float:
    if strand.follows:
        return strand.span
    one = clip.changed(passes=1, length=None)
    return project.length_of(one, strand)


def _moments(project: Project, bar: int) -> NDArray[np.float64]:
    """Beats of a bar at which it is looked at."""
    start, end = project.metre_map.beat_of_bar(bar), project.metre_map.beat_of_bar(bar + 1)
    return start + (np.arange(MOMENTS_A_BAR) + 0.5) * (end - start) / MOMENTS_A_BAR


def _sentence(rows: list[ClashRow], first: int) -> str:
    """With what it clashes, and where."""
    said = []
    for row in sorted(rows, key=lambda r: -max(c.value for c in r.bars if c)):
        loud = [(i, c) for i, c in enumerate(row.bars) if c and c.value >= HEARD]
        if not loud:
            continue
        _, worst = max(loud, key=lambda one: one[1].value)
        where = _bars_text([first + i for i, _ in loud])
        pair = f": {pair_text(worst.worst)}" if worst.worst else ""
        said.append(f"{row.name} in {where}{pair}")
    return f"clashes with {'; '.join(said[:3])}" if said else ""


def _bars_text(bars: list[int]) -> str:
    """ "bar 3", "bars 3 and 4", "bars 3–6 and 9" """
    runs: list[list[int]] = []
    for bar in bars:
        if runs and runs[-1][-1] == bar - 1:
            runs[-1].append(bar)
        else:
            runs.append([bar])
    parts: list[str] = []
    for run in runs:
        if len(run) <= 2:
            parts += [str(bar) for bar in run]
        else:
            parts.append(f"{run[0]}–{run[-1]}")
    text = ", ".join(parts[:-1]) + f" and {parts[-1]}" if len(parts) > 1 else parts[0]
    return f"{'bar' if len(bars) == 1 else 'bars'} {text}"
