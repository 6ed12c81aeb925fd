"""Edits of clips. Bodies on one track do not overlap: what lies under a newer clip is trimmed."""

import itertools
from collections.abc import Collection, Sequence
from typing import Literal

from pydantic import Field

from zeroknot.core.digest import digest_of
from zeroknot.core.errors import EditError
from zeroknot.core.mixing.shape import Curve
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.base import Edit, told
from zeroknot.document.project import (
    LONGEST_FADE_MS,
    MOST_GAIN_POINTS,
    Clip,
    Project,
    replaced,
    without,
)
from zeroknot.document.strand import LONGEST_NAME, LOUDEST_DB, QUIETEST_DB, YARNS
from zeroknot.document.value import Value

SHORTEST_BEATS = 1 / 64
OTHERS = {
    "name": "name clip", "yarn": "colour clip", "cross_ms": "crossfade", "reverse": "reverse clip",
    "cross_curve": "crossfade's curve", "fade_in_curve": "fade's curve",
    "fade_out_curve": "fade's curve", "gain_line": "clip's gain line",
}  # fmt: skip
MOST_CLIPS = 32_768  # in one edit


class AddClips(Edit):
    kind: Literal["add_clips"] = "add_clips"
    clips: tuple[Clip, ...] = Field(min_length=1, max_length=MOST_CLIPS)

    def apply(self, project: Project) -> Project:
        return with_clips(project, self.clips)

    def touches(self) -> frozenset[str]:
        return frozenset(
            {c.id for c in self.clips}
            | {c.track for c in self.clips}
            | {c.strand for c in self.clips}
        )

    def label(self) -> str:
        return "place clip" if len(self.clips) == 1 else f"place {len(self.clips)} clips"


class Move(Value):
    """Where a clip goes."""

    clip: str
    beat: float = Field(ge=0, le=100_000)
    track: str


class MoveClips(Edit):
    kind: Literal["move_clips"] = "move_clips"
    moves: tuple[Move, ...] = Field(min_length=1, max_length=4096)

    def apply(self, project: Project) -> Project:
        moved = {}
        for move in self.moves:
            project.track(move.track)
            clip = project.clip(move.clip)
            moved[clip.id] = clip.changed(beat=move.beat, track=move.track)
        clips = tuple(moved.get(c.id, c) for c in project.clips)
        return settled(project.changed(clips=clips), newest=[m.clip for m in self.moves])

    def touches(self) -> frozenset[str]:
        return frozenset({m.clip for m in self.moves} | {m.track for m in self.moves})

    def label(self) -> str:
        return "move clip" if len(self.moves) == 1 else f"move {len(self.moves)} clips"


class ChangeClip(Edit):
    """What is None stays. A length makes the clip trimmed, passes make it whole.

    slip    beats of its content that lie before the frame
    strand  plays another strand's content in the same frame
    name, yarn  "" and -1 are those of its strand again
    """

    kind: Literal["change_clip"] = "change_clip"
    clip: str
    beat: float | None = Field(None, ge=0, le=100_000)
    slip: float | None = Field(None, ge=0, le=100_000)
    strand: str | None = None
    passes: int | None = Field(None, ge=1, le=4096)
    length: float | None = Field(None, gt=0, le=100_000)
    gain_db: float | None = Field(None, ge=QUIETEST_DB, le=LOUDEST_DB)
    fade_in_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    fade_out_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    muted: bool | None = None
    shift: float | None = Field(None, ge=-STEEPEST_SHIFT, le=STEEPEST_SHIFT)
    name: str | None = Field(None, max_length=LONGEST_NAME)
    yarn: int | None = Field(None, ge=-1, lt=YARNS)
    fade_in_curve: Curve | None = None
    fade_out_curve: Curve | None = None
    cross_ms: float | None = Field(None, ge=0, le=LONGEST_FADE_MS)
    cross_curve: Curve | None = None
    gain_line: tuple[LinePoint, ...] | None = Field(None, max_length=MOST_GAIN_POINTS)
    reverse: bool | None = None

    def apply(self, project: Project) -> Project:
        fields = told(self, "clip")
        if "passes" in fields:
            fields |= {"length": None, "slip": 0.0}
        if self.strand is not None:
            project.strand(self.strand)
        changed = project.clip(self.clip).changed(**fields)
        project = project.changed(clips=replaced(project.clips, changed))
        return settled(project, newest=[self.clip])

    def touches(self) -> frozenset[str]:
        return frozenset({self.clip} | ({self.strand} if self.strand else set()))

    def label(self) -> str:
        if self.strand is not None:
            return "make separate"
        if self.passes is not None:
            return f"repeat {self.passes} ×"
        if self.length is not None:
            return "trim clip"
        if self.shift is not None:
            return f"shift clip {self.shift:+g} st"
        if self.fade_in_ms is not None or self.fade_out_ms is not None:
            return "fade clip"
        for field, label in OTHERS.items():
            if getattr(self, field) is not None:
                return label
        return "clip level" if self.gain_db is not None else "mute clip"


class ReplaceClips(Edit):
    """Some clips make room for others in one step.

    what  was done, in a few words
    """

    kind: Literal["replace_clips"] = "replace_clips"
    gone: tuple[str, ...] = Field((), max_length=MOST_CLIPS)
    clips: tuple[Clip, ...] = Field((), max_length=MOST_CLIPS)
    what: str = Field(max_length=80)

    def apply(self, project: Project) -> Project:
        for id_ in self.gone:
            project.clip(id_)
        return with_clips(project.changed(clips=without(project.clips, self.gone)), self.clips)

    def touches(self) -> frozenset[str]:
        known = {c.id for c in self.clips} | {c.track for c in self.clips}
        return frozenset(known | {c.strand for c in self.clips} | set(self.gone))

    def label(self) -> str:
        return self.what


class RemoveClips(Edit):
    kind: Literal["remove_clips"] = "remove_clips"
    clips: tuple[str, ...] = Field(min_length=1, max_length=4096)

    def apply(self, project: Project) -> Project:
        for id_ in self.clips:
            project.clip(id_)
        return project.changed(clips=without(project.clips, self.clips))

    def touches(self) -> frozenset[str]:
        return frozenset(self.clips)

    def label(self) -> str:
        return "remove clip" if len(self.clips) == 1 else f"remove {len(self.clips)} clips"


def with_clips(project: Project, clips: Sequence[Clip]) -> Project:
    """The project with clips more, what lies under them trimmed away."""
    known = {c.id for c in project.clips}
    for clip in clips:
        if clip.id in known:
            raise EditError(f"there is a clip {clip.id!r} already")
        known.add(clip.id)
        project.track(clip.track)
        project.strand(clip.strand)
    added = project.changed(clips=(*project.clips, *clips))
    return settled(added, newest=[c.id for c in clips]) if clips else added


def settled(project: Project, newest: Collection[str]) -> Project:
    """The project with overlaps on each track trimmed away.

    newest  ids of clips that keep their place, the later ones over the earlier; a later clip wins
            over an earlier one otherwise
    """
    clips = {c.id: c for c in project.clips}
    rows: dict[str, list[str]] = {}
    for clip in project.clips:
        rows.setdefault(clip.track, []).append(clip.id)
    touched = {clips[new].track for new in newest} or set(rows)
    newer = set(newest)
    for new in dict.fromkeys(newest):
        newer.discard(new)
        top = clips[new]
        row = rows[top.track]
        for below in [id_ for id_ in row if id_ in clips and id_ != new and id_ not in newer]:
            left = _left_of(clips[below], top, project, clips)
            if not left:
                del clips[below]
            clips |= {clip.id: clip for clip in left}
            row += [clip.id for clip in left if clip.id != below]
    for track in touched:
        known = [clips[id_] for id_ in rows[track] if id_ in clips]
        for clip, following in itertools.pairwise(sorted(known, key=lambda c: c.beat)):
            if project.clip_end(clip) > following.beat + 1e-9:
                if following.beat - clip.beat < SHORTEST_BEATS:
                    del clips[clip.id]
                else:
                    clips[clip.id] = _trimmed(clip, clip.beat, following.beat)
    return project.changed(clips=tuple(clips.values()))


def _left_of(clip: Clip, top: Clip, project: Project, known: Collection[str]) -> list[Clip]:
    """What of a clip is left before and behind one that lies over it."""
    start, end = top.beat, project.clip_end(top)
    left, right = clip.beat, project.clip_end(clip)
    if right <= start or left >= end:
        return [clip]
    found = []
    if left < start - SHORTEST_BEATS:
        found.append(_trimmed(clip, left, start))
    if right > end + SHORTEST_BEATS:
        rest = _trimmed(clip, end, right)
        found.append(rest.changed(id=_fresh_id(clip.id, end, known)) if found else rest)
    return found


def _trimmed(clip: Clip, start: float, end: float) -> Clip:
    return clip.changed(beat=start, length=end - start, slip=clip.slip + start - clip.beat)


def _fresh_id(of: str, start: float, known: Collection[str]) -> str:
    """For what is cut off a clip: the same whenever the edit is applied, and nobody else's."""
    for n in itertools.count():
        fresh = digest_of({"of": of, "from": start, **({"n": n} if n else {})})[:12]
        if fresh not in known:
            return fresh
    raise AssertionError("numbers do not end")
