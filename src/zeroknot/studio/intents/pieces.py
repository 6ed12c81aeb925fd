"""A stretch of the song that was printed, laid as the pieces it was printed from: at today's tempo
and in today's key, from the recordings, no stretch of a stretch. What was copied is laid alike."""

import math
from collections.abc import Mapping
from typing import Any, Literal

from pydantic import Field

from zeroknot.core.digest import canonical
from zeroknot.core.errors import EditError
from zeroknot.core.loop import Loop
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import SHORTEST_BEATS, AddClips, RemoveClips
from zeroknot.document.edits.phrase import SetPhrase
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import FARTHEST_BEAT, Clip, Phrase, Project, Track
from zeroknot.document.stored import strand_told
from zeroknot.document.strand import YARNS
from zeroknot.studio.hand import new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.known import Known
from zeroknot.studio.parts import Part, Parts, parts_value

MOST_PIECES = 8192
_SLACK = 1e-6


class PlacePieces(Intent):
    """Lay the pieces of a printed stretch on their tracks, or on new ones of their names.

    loop  its hash
    """

    kind: Literal["place_pieces"] = "place_pieces"
    loop: str = Field(max_length=64)
    beat: float = Field(ge=0, le=FARTHEST_BEAT)

    def resolve(self, project: Project, known: Known) -> Resolved:
        loop = known.loops.get(self.loop)
        parts = _parts(loop, known)
        length = parts.beats
        edits = _laid(project, parts, [self.beat], (self.beat, self.beat + length))
        return Resolved(Together(edits=tuple(edits), what=f"lay the pieces of {loop.name[:50]}"))


class OpenClip(Intent):
    """A clip of a printed stretch gives way to the pieces it was printed from."""

    kind: Literal["open_clip"] = "open_clip"
    clip: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        clip = project.clip(self.clip)
        strand = project.strand(clip.strand)
        loop = known.loops.get(strand.loop)
        parts = _parts(loop, known)
        length = parts.beats
        if abs(strand.round_beats - length) > _SLACK or strand.cut is not None:
            raise EditError(
                f"{strand.name} was changed since it was printed; lay its pieces from the shelf"
            )
        end = project.clip_end(clip)
        origin, first = clip.beat - clip.slip, math.floor(clip.slip / length + _SLACK)
        passes = range(first, math.ceil((end - origin) / length - _SLACK))
        begins = [origin + k * length for k in passes]
        without = RemoveClips(clips=(clip.id,))
        edits = _laid(without.apply(project), parts, begins, (clip.beat, end))
        what = f"open {strand.name[:60]}"
        return Resolved(Together(edits=(without, *edits), what=what))


def _parts(loop: Loop, known: Known) -> Parts:
    """Raises EditError where it is no such print, or a recording of it is not here."""
    told = loop.recipe.made_by.get("parts") if loop.recipe else None
    if not isinstance(told, Mapping):
        raise EditError(f"{loop.name} is no stretch of a song that was printed here")
    return _all_here(parts_value(told), known)


def _all_here(parts: Parts, known: Known) -> Parts:
    missing = {sha for s in parts.strands for sha in s.sources if not known.loops.has(sha)}
    if missing:
        raise EditError(f"{len(missing)} recordings that it was made from are not here any more")
    return parts


def laid_pieces(
    project: Project, told: Mapping[str, Any], known: Known, beat: float, track: str | None
) -> list[SingleEdit]:
    """What was copied, laid from a beat on; strands that the project has as they were are shared.

    told   as `song_range.parts_told` wrote them
    track  for those of the first track, the others go on those below it
    """
    parts = _all_here(parts_value(told), known)
    rows = list(dict.fromkeys(part.track for part in parts.clips))
    onto: dict[str, str] = {}
    if track is not None:
        ids = [t.id for t in project.tracks]
        first = ids.index(project.track(track).id)
        onto = dict(zip(rows, ids[first:], strict=False))
    return _laid(project, parts, [beat], (beat, FARTHEST_BEAT), onto)


def _laid(
    project: Project,
    parts: Parts,
    begins: list[float],
    frame: tuple[float, float],
    onto: Mapping[str, str] | None = None,
) -> list[SingleEdit]:
    """Strands, tracks and clips of the parts, from each of some beats on, inside a frame.

    onto  tracks for those they were on; those that have none get a new one, and strands that the
          project has are not taken once more. None: all are new, and on tracks that are free there
    """
    strands = [
        strand.changed(id=new_id(), yarn=(len(project.strands) + i) % YARNS)
        for i, strand in enumerate(parts.strands)
    ]
    edits: list[SingleEdit] = []
    there = {canonical(strand_told(strand)): strand for strand in project.strands}
    for i, strand in enumerate(strands):
        shared = there.get(canonical(strand_told(strand))) if onto is not None else None
        if shared:
            strands[i] = shared
        else:
            edits.append(AddStrand(strand=strand))
    tracks = dict(onto or {})
    for part in parts.clips:
        if part.track in tracks:
            continue
        free = onto is None and _is_free(project, part.track, frame)
        tracks[part.track] = part.track if free else new_id()
        if not free:
            edits.append(AddTrack(track=Track(id=tracks[part.track], name=part.track_name)))
    clips: list[Clip] = []
    phrases: dict[tuple[float, str], list[str]] = {}
    for begin in begins:
        for part in parts.clips:
            strand = strands[part.strand]
            inside = _inside(part, begin, strand.round_beats, frame)
            if inside is None:
                continue
            clips.append(inside.changed(strand=strand.id, track=tracks[part.track]))
            if part.phrase:
                phrases.setdefault((begin, part.phrase), []).append(inside.id)
    if not clips:
        raise EditError("none of its pieces lies there")
    if len(clips) > MOST_PIECES:
        raise EditError(f"that would be {len(clips)} pieces")
    edits.append(AddClips(clips=tuple(clips)))
    for (_, name), members in phrases.items():
        edits.append(SetPhrase(phrase=Phrase(id=new_id(), name=name), clips=tuple(members)))
    return edits


def _is_free(project: Project, track: str, frame: tuple[float, float]) -> bool:
    if all(t.id != track for t in project.tracks):
        return False
    start, end = frame
    return all(
        project.clip_end(c) <= start + _SLACK or c.beat >= end - _SLACK
        for c in project.clips_on(track)
    )


def _inside(
    part: Part, begin: float, round_beats: float, frame: tuple[float, float]
) -> Clip | None:
    """A piece where it lies, as far as it is inside the frame."""
    clip, beat = part.clip, begin + part.clip.beat
    length = clip.length if clip.length is not None else clip.passes * round_beats
    start, end = max(beat, frame[0]), min(beat + length, frame[1])
    if end - start < SHORTEST_BEATS:
        return None
    cut = {}
    if start > beat + _SLACK or end < beat + length - _SLACK:
        cut = {"length": end - start, "slip": clip.slip + start - beat}
    return clip.changed(id=new_id(), beat=start, **cut)
