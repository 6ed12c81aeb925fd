"""A stretch of the song that was printed, laid as the pieces it was printed from: at today's tempo
and in today's key, from the recordings, no stretch of a stretch."""

import math
from collections.abc import Mapping
from typing import Any, Literal

from pydantic import Field, ValidationError

from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.loop import Loop
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import SHORTEST_BEATS, AddClips, RemoveClips
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import FARTHEST_BEAT, Clip, Project, Track
from zeroknot.document.stored import strand_value
from zeroknot.document.strand import LONGEST_NAME, YARNS, Strand
from zeroknot.studio.hand import new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.known import Known

MOST_PIECES = 8192
OTHER_VERSION = "what it was printed from was written by another version"
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
        length = float(parts["beats"])
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
        length = float(parts["beats"])
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


def _parts(loop: Loop, known: Known) -> Mapping[str, Any]:
    """Raises EditError where it is no such print, or a recording of it is not here."""
    parts = loop.recipe.made_by.get("parts") if loop.recipe else None
    if not isinstance(parts, Mapping):
        raise EditError(f"{loop.name} is no stretch of a song that was printed here")
    try:
        missing = [s["loop"] for s in parts["strands"] if not known.loops.has(str(s["loop"]))]
        _ = float(parts["beats"])
    except (KeyError, TypeError, ValueError) as error:
        raise EditError(OTHER_VERSION) from error
    if missing:
        raise EditError(f"{len(missing)} recordings that it was printed from are not here any more")
    return parts


def _laid(
    project: Project, parts: Mapping[str, Any], begins: list[float], frame: tuple[float, float]
) -> list[SingleEdit]:
    """Strands, tracks and clips of the parts, from each of some beats on, inside a frame."""
    try:
        strands = [
            strand_value(told).changed(id=new_id(), yarn=(len(project.strands) + i) % YARNS)
            for i, told in enumerate(parts["strands"])
        ]
        pieces = [dict(told) for told in parts["clips"]]
    except (ValidationError, ZeroKnotError, KeyError, TypeError) as error:
        raise EditError(OTHER_VERSION) from error
    tracks: dict[str, str] = {}
    edits: list[SingleEdit] = [AddStrand(strand=strand) for strand in strands]
    for told in pieces:
        if told["track"] in tracks:
            continue
        free = _is_free(project, told["track"], frame)
        tracks[told["track"]] = told["track"] if free else new_id()
        if not free:
            name = str(told["track_name"])[:LONGEST_NAME] or "Track"
            edits.append(AddTrack(track=Track(id=tracks[told["track"]], name=name)))
    clips = [
        inside
        for begin in begins
        for told in pieces
        if (inside := _inside(told, begin, strands, tracks, frame)) is not None
    ]
    if not clips:
        raise EditError("none of its pieces lies there")
    if len(clips) > MOST_PIECES:
        raise EditError(f"that would be {len(clips)} pieces")
    return [*edits, AddClips(clips=tuple(clips))]


def _is_free(project: Project, track: str, frame: tuple[float, float]) -> bool:
    if all(t.id != track for t in project.tracks):
        return False
    start, end = frame
    return all(
        project.clip_end(c) <= start + _SLACK or c.beat >= end - _SLACK
        for c in project.clips_on(track)
    )


def _inside(
    told: Mapping[str, Any], begin: float, strands: list[Strand], tracks: Mapping[str, str],
    frame: tuple[float, float],
) -> Clip | None:  # fmt: skip
    """A piece where it lies, as far as it is inside the frame."""
    strand = strands[told["strand"]]
    own = {k: v for k, v in told.items() if k not in ("track_name", "strand", "track", "beat")}
    beat = begin + told["beat"]
    length = own["length"] if own["length"] is not None else own["passes"] * strand.round_beats
    start, end = max(beat, frame[0]), min(beat + length, frame[1])
    if end - start < SHORTEST_BEATS:
        return None
    if start > beat + _SLACK or end < beat + length - _SLACK:
        own |= {"length": end - start, "slip": own["slip"] + start - beat}
    track = tracks[told["track"]]
    return Clip(id=new_id(), strand=strand.id, track=track, beat=start, **own)
