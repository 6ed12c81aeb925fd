"""Clips grouped to a phrase; a stretch of the song made one, in place; clips pasted."""

import math
from typing import Any, Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.recipe.run import run_of
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.warp.knot import Knot
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import AddClips
from zeroknot.document.edits.phrase import SetPhrase
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.track import MOST_TRACKS, AddTrack
from zeroknot.document.project import FARTHEST_BEAT, Clip, Phrase, Project, Track
from zeroknot.document.strand import LONGEST_NAME, YARNS, Strand
from zeroknot.studio.hand import ITSELF, in_hand, new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.clips import Clips, pieces_of, replacing
from zeroknot.studio.intents.pieces import laid_pieces
from zeroknot.studio.known import Known

_SLACK = 1e-6


class GroupClips(Intent):
    """name  of the phrase; by itself "Phrase 3"."""

    kind: Literal["group_clips"] = "group_clips"
    clips: tuple[str, ...] = Clips
    name: str = Field("", max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        taken = {p.name for p in project.phrases}
        numbers = range(1, len(taken) + 2)
        name = self.name or next(f"Phrase {n}" for n in numbers if f"Phrase {n}" not in taken)
        phrase = Phrase(id=new_id(), name=name, yarn=len(project.phrases) % YARNS)
        return Resolved(SetPhrase(phrase=phrase, clips=self.clips))


class MakeOne(Intent):
    """What was printed of a stretch takes the place of what it was printed from.

    loop        the print's hash
    start, end  beats of the song
    tracks      on which it was, all that sound where None; printed before its strip it stays on
                the one, printed through strips it gets a track of its own
    """

    kind: Literal["make_one"] = "make_one"
    loop: str = Field(max_length=64)
    start: float = Field(ge=0, le=FARTHEST_BEAT)
    end: float = Field(ge=0, le=FARTHEST_BEAT)
    tracks: tuple[str, ...] | None = Field(None, max_length=MOST_TRACKS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        loop = known.loops.get(self.loop)
        solo = any(t.solo for t in project.tracks)
        heard = {
            t.id for t in project.tracks
            if not t.muted and (t.solo or not solo)
            and (self.tracks is None or t.id in self.tracks)
        }  # fmt: skip
        gone: list[str] = []
        left: list[Clip] = []
        for clip in project.clips:
            if clip.track not in heard or clip.muted:
                continue
            pieces = pieces_of(project, clip, (self.start, self.end))
            outside = [
                p for p in pieces
                if not self.start - _SLACK <= p.beat < self.end - _SLACK
            ]  # fmt: skip
            if outside != [clip]:
                gone.append(clip.id)
                left += outside
        if not gone:
            raise EditError("nothing that it was printed from is there any more")
        strand = self._strand(project, known)
        edits: list[SingleEdit] = [
            replacing(gone, left, "make one"), AddStrand(strand=strand),
        ]  # fmt: skip
        plan = run_of(loop.recipe.made_by["run"]).plan if loop.recipe else None
        one = self.tracks is not None and len(self.tracks) == 1 and not isinstance(plan, DeskPlan)
        track = project.track(self.tracks[0]).id if self.tracks and one else new_id()
        if not one:
            name = loop.name[:LONGEST_NAME]
            edits.append(AddTrack(track=Track(id=track, name=name, level_db=0.0)))
        clip = Clip(
            id=new_id(), strand=strand.id, track=track, beat=self.start, fade_in_ms=0.0,
            fade_out_ms=0.0,
        )  # fmt: skip
        edits.append(AddClips(clips=(clip,)))
        return Resolved(Together(edits=tuple(edits), what=f"make one of {loop.name[:60]}"))

    def _strand(self, project: Project, known: Known) -> Strand:
        """The print as it was printed, on its beats, over ramps of the tempo, too."""
        strand = in_hand(project, known.loops, ITSELF + self.loop).strand
        reading = strand.reading
        if reading is None:
            raise EditError(f"nobody knows where {strand.name} begins; state it first")
        second_of = project.tempo_map.second_of_beat
        length = self.end - self.start
        seconds = second_of(self.end) - second_of(self.start)
        beats = [0.0, length]
        if not project.tempo_map.is_steady_between(self.start, self.end):
            beats[1:1] = [float(b) for b in range(1, math.ceil(length))]
        scale = (reading.end_s - reading.downbeat_s) / seconds
        knots = tuple(
            Knot(
                reading.downbeat_s + (second_of(self.start + b) - second_of(self.start)) * scale, b
            )
            for b in beats
        )
        yarn = len(project.strands) % YARNS
        return strand.changed(id=new_id(), yarn=yarn, knots=knots, lead=True, in_key=None)


class PasteClips(Intent):
    """Clips that were copied here or in another project, laid from a beat on.

    parts  as `studio.song_range.parts_of` told them
    track  for those of the first track, the others go below; None: tracks of the same name, or
           new ones
    """

    kind: Literal["paste_clips"] = "paste_clips"
    parts: dict[str, Any]
    beat: float = Field(ge=0, le=FARTHEST_BEAT)
    track: str | None = None

    def resolve(self, project: Project, known: Known) -> Resolved:
        edits = laid_pieces(project, self.parts, known, self.beat, self.track)
        count = sum(len(e.clips) for e in edits if isinstance(e, AddClips))
        what = "paste clip" if count == 1 else f"paste {count} clips"
        return Resolved(Together(edits=tuple(edits), what=what))
