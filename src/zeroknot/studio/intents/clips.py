"""Clips cut, joined, slipped in their frame; bars of the song put in and taken out."""

import itertools
import math
from collections.abc import Callable, Iterable, Sequence
from typing import Literal, TypeVar

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.shape import Curve
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import MOST_CLIPS, SHORTEST_BEATS, ChangeClip, ReplaceClips
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.document.project import (
    FADE_MS,
    FARTHEST_BEAT,
    LONGEST_FADE_MS,
    Clip,
    Project,
)
from zeroknot.document.strand import LONGEST_NAME, LOUDEST_DB, QUIETEST_DB, YARNS
from zeroknot.studio.beside import is_continued
from zeroknot.studio.hand import new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.known import Known

MOST_CHOSEN, MOST_PIECES = 4096, 8192
MOST_BARS = 512
_SLACK = 1e-6
V = TypeVar("V")

Clips = Field(min_length=1, max_length=MOST_CHOSEN)


class SplitClips(Intent):
    """Cut clips in two or more; what is heard stays the same.

    beats  of the song at which they are cut
    every  beats: at each of so many from the song's bar lines on
    slices at the slices of what they play
    """

    kind: Literal["split_clips"] = "split_clips"
    clips: tuple[str, ...] = Clips
    beats: tuple[float, ...] = Field((), max_length=4096)
    every: float | None = Field(None, ge=1 / 16, le=4096)
    slices: bool = False

    def resolve(self, project: Project, known: Known) -> Resolved:
        def cuts(clip: Clip, end: float) -> Iterable[float]:
            asked = list(self.beats)
            if self.every:
                asked += _grid(project, clip.beat, end, self.every)
            if self.slices:
                asked += _slices(project, clip, end)
            # A fade cannot be cut in two and sound the same.
            first, last = _steady(project, clip, end)
            yield from (beat for beat in asked if first <= beat <= last)

        return _cut(project, self.clips, cuts)


class KeepBeats(Intent):
    """Only some beats of each bar are left of clips.

    beats  of a bar, 1 the first
    """

    kind: Literal["keep_beats"] = "keep_beats"
    clips: tuple[str, ...] = Clips
    beats: tuple[int, ...] = Field(min_length=1, max_length=32)

    def resolve(self, project: Project, known: Known) -> Resolved:
        kept: list[Clip] = []
        for id_ in self.clips:
            clip = project.clip(id_)
            pieces: list[Clip] = []
            end = project.clip_end(clip)
            for piece in pieces_of(project, clip, _grid(project, clip.beat, end, None)):
                metres = project.metre_map
                bar = metres.bar_of_beat(piece.beat + _SLACK)
                metre = metres.metre_at(bar)
                pulse = (piece.beat - metres.beat_of_bar(bar) + _SLACK) / metre.beats_per_pulse
                if math.floor(pulse) + 1 not in self.beats:
                    continue
                last = pieces[-1] if pieces else None
                if last and abs(project.clip_end(last) - piece.beat) < _SLACK:
                    pieces[-1] = last.changed(length=project.clip_end(piece) - last.beat)
                else:
                    pieces.append(piece)
            kept += pieces
        if not kept:
            raise EditError("nothing would be left of it: it covers none of those beats")
        named = " and ".join(str(b) for b in sorted(set(self.beats)))
        what = f"keep beat{'s' * (len(set(self.beats)) > 1)} {named}"
        return Resolved(replacing(self.clips, kept, what))


class JoinClips(Intent):
    """Clips that go on from one another become one again."""

    kind: Literal["join_clips"] = "join_clips"
    clips: tuple[str, ...] = Field(min_length=2, max_length=MOST_CHOSEN)

    def resolve(self, project: Project, known: Known) -> Resolved:
        rows: dict[str, list[Clip]] = {}
        for id_ in self.clips:
            rows.setdefault(project.clip(id_).track, []).append(project.clip(id_))
        gone: list[str] = []
        made: list[Clip] = []
        for row in rows.values():
            run: list[Clip] = []
            for clip in [*sorted(row, key=lambda c: c.beat), None]:
                if clip and (not run or is_continued(project, run[-1], clip)):
                    run.append(clip)
                    continue
                if len(run) > 1:
                    gone += [c.id for c in run]
                    length = project.clip_end(run[-1]) - run[0].beat
                    made.append(
                        run[0].changed(
                            id=new_id(), length=length, fade_out_ms=run[-1].fade_out_ms,
                        )
                    )  # fmt: skip
                run = [clip] if clip else []
        if not made:
            raise EditError(
                "these do not go on from one another; print the stretch to make one of them"
            )
        return Resolved(replacing(gone, made, "join clips"))


class SlipClips(Intent):
    """What clips play moves in their frame, which stays; it comes round at its ends.

    by  beats; later where above 0
    """

    kind: Literal["slip_clips"] = "slip_clips"
    clips: tuple[str, ...] = Clips
    by: float = Field(ge=-FARTHEST_BEAT, le=FARTHEST_BEAT)

    def resolve(self, project: Project, known: Known) -> Resolved:
        slipped = []
        for id_ in self.clips:
            clip = project.clip(id_)
            one = clip.changed(passes=1, length=None, slip=0.0)
            span = project.clip_length(one)
            slip = (clip.slip - self.by) % span
            slip = 0.0 if span - slip < _SLACK else slip
            slipped.append(clip.changed(slip=slip, length=project.clip_length(clip)))
        return Resolved(replacing(self.clips, slipped, f"slip {self.by:+g} beats"))


class ChangeClips(Intent):
    """The same of many clips at once; what is None stays."""

    kind: Literal["change_clips"] = "change_clips"
    clips: tuple[str, ...] = Clips
    gain_db: float | None = Field(None, ge=QUIETEST_DB, le=LOUDEST_DB)
    shift: float | None = Field(None, ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)
    muted: bool | None = None
    fade_in_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    fade_out_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    fade_in_curve: Curve | None = None
    fade_out_curve: Curve | None = None
    cross_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    cross_curve: Curve | None = None
    name: str | None = Field(None, max_length=LONGEST_NAME)
    yarn: int | None = Field(None, ge=-1, lt=YARNS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        said = self.model_dump(exclude={"kind", "clips"}, exclude_none=True)
        edits = tuple(ChangeClip(clip=id_, **said) for id_ in dict.fromkeys(self.clips))
        if not said:
            raise EditError("nothing is to be changed")
        if len(edits) == 1:
            return Resolved(edits[0])
        return Resolved(Together(edits=edits, what=f"{edits[0].label()}: {len(edits)} clips"))


class ReverseClips(Intent):
    """What clips play runs backwards in their frames; those that do already run forwards again."""

    kind: Literal["reverse_clips"] = "reverse_clips"
    clips: tuple[str, ...] = Clips

    def resolve(self, project: Project, known: Known) -> Resolved:
        turned = []
        for id_ in self.clips:
            clip = project.clip(id_)
            length = project.clip_length(clip)
            span = project.clip_length(clip.changed(passes=1, length=None, slip=0.0))
            # What is heard last comes first: the frame shows the same stretch of it.
            slip = -(clip.slip + length) % span
            slip = 0.0 if span - slip < _SLACK else slip
            frame = {} if clip.is_whole else {"slip": slip}
            origin = clip.slip, clip.slip + length, slip
            line = tuple(_turned(clip.gain_line, *origin))
            turned.append(clip.changed(reverse=not clip.reverse, gain_line=line, **frame))
        what = "reverse clip" if len(turned) == 1 else f"reverse {len(turned)} clips"
        return Resolved(replacing(self.clips, turned, what))


def _turned(
    points: tuple[LinePoint, ...], start: float, end: float, slip: float
) -> Iterable[LinePoint]:
    """A line that runs backwards between two of its beats, from another slip on."""
    inside = [p for p in points if start - _SLACK <= p.beat <= end + _SLACK]
    for i in range(len(inside) - 1, -1, -1):
        before = inside[i - 1] if i else None
        bend = -before.bend if before else 0.0
        shape = before.shape if before else "line"
        yield inside[i].changed(beat=max(0.0, slip + end - inside[i].beat), shape=shape, bend=bend)


class SwapMutes(Intent):
    """What is muted sounds, and the other way round.

    clips  that are meant; all tracks where none is
    """

    kind: Literal["swap_mutes"] = "swap_mutes"
    clips: tuple[str, ...] = Field((), max_length=MOST_CHOSEN)

    def resolve(self, project: Project, known: Known) -> Resolved:
        edits: tuple[SingleEdit, ...] = tuple(
            ChangeClip(clip=id_, muted=not project.clip(id_).muted)
            for id_ in dict.fromkeys(self.clips)
        )
        if not self.clips:
            edits = tuple(ChangeTrack(track=t.id, muted=not t.muted) for t in project.tracks)
        if not edits:
            raise EditError("there is nothing to mute yet")
        return Resolved(Together(edits=edits, what="swap what is muted"))


def _cut(
    project: Project, ids: Sequence[str], cuts: Callable[[Clip, float], Iterable[float]]
) -> Resolved:
    made: list[Clip] = []
    gone: list[str] = []
    for id_ in ids:
        clip = project.clip(id_)
        pieces = pieces_of(project, clip, cuts(clip, project.clip_end(clip)))
        if len(pieces) > 1:
            gone.append(id_)
            made += pieces
    if not made:
        raise EditError("there is no place inside it to cut it at, its fades aside")
    count = f" into {len(made)}" if len(ids) == 1 else ""
    return Resolved(replacing(gone, made, f"split clip{count}"))


def replacing(gone: Sequence[str], clips: Sequence[Clip], what: str) -> ReplaceClips:
    if len(clips) > MOST_PIECES + len(gone):
        raise EditError(f"that would be {len(clips)} pieces; choose fewer clips at once")
    if len(clips) > MOST_CLIPS or len(gone) > MOST_CLIPS:
        raise EditError(f"more than {MOST_CLIPS} clips cannot be changed at once")
    return ReplaceClips(gone=tuple(gone), clips=tuple(clips), what=what)


def pieces_of(project: Project, clip: Clip, cuts: Iterable[float]) -> list[Clip]:
    """A clip in parts; the first keeps its id, and it is itself where it is not cut."""
    end = project.clip_end(clip)
    inside = sorted({c for c in cuts if clip.beat + SHORTEST_BEATS < c < end - SHORTEST_BEATS})
    places = [clip.beat]
    for cut in [*inside, end]:
        if cut - places[-1] >= SHORTEST_BEATS - _SLACK:
            places.append(cut)
    places[-1] = end
    last = len(places) - 2
    if last == 0:
        return [clip]
    return [
        clip.changed(
            id=clip.id if i == 0 else new_id(), beat=a, length=b - a,
            slip=clip.slip + a - clip.beat,
            fade_in_ms=clip.fade_in_ms if i == 0 else FADE_MS,
            fade_out_ms=clip.fade_out_ms if i == last else FADE_MS,
        )
        for i, (a, b) in enumerate(itertools.pairwise(places))
    ]  # fmt: skip


def _steady(project: Project, clip: Clip, end: float) -> tuple[float, float]:
    """Beats between which it neither comes nor goes, but for what keeps an edge from clicking."""
    tempo = project.tempo_map
    first, last = clip.beat, end
    if clip.fade_in_ms > FADE_MS:
        first = tempo.beat_of_second(tempo.second_of_beat(first) + clip.fade_in_ms / 1000)
    if clip.fade_out_ms > FADE_MS:
        last = tempo.beat_of_second(tempo.second_of_beat(last) - clip.fade_out_ms / 1000)
    return first, last


def _grid(project: Project, start: float, end: float, every: float | None) -> Iterable[float]:
    """Places from bar line to bar line: each so many beats, each pulse where that is not said."""
    metres = project.metre_map
    bar = metres.bar_of_beat(start + _SLACK)
    while (line := metres.beat_of_bar(bar)) < end:
        step = every or metres.metre_at(bar).beats_per_pulse
        following = metres.beat_of_bar(bar + 1)
        count = max(1, math.ceil((following - line) / step - _SLACK))
        yield from (line + i * step for i in range(count))
        bar += max(1, math.ceil(step / (following - line) - _SLACK))


def _slices(project: Project, clip: Clip, end: float) -> Iterable[float]:
    """Where the slices, or tiles, of what it plays begin."""
    strand = project.strand(clip.strand)
    order = strand.played
    if order is not None:
        places = [tile.beat for tile in order.tiles]
    elif strand.cut is not None:
        warp = strand.warp
        places = [warp.beat_of_second(second) for second in strand.cut.starts]
    else:
        raise EditError(f"{strand.name} is not cut into slices; cut it in Slices first")
    span, origin = strand.round_beats, clip.beat - clip.slip
    passes = range(math.floor(clip.slip / span), math.ceil((end - origin) / span))
    for k in passes:
        yield from (origin + k * span + place for place in places)
