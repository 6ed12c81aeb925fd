"""Clips and tracks."""

from collections.abc import Iterable, Sequence
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import AddClips, ChangeClip
from zeroknot.document.edits.phrase import SetPhrase
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import Clip, Project, Track
from zeroknot.document.strand import LONGEST_NAME, YARNS
from zeroknot.studio.audition import Audition, auditioned
from zeroknot.studio.hand import in_hand, new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.key import natural
from zeroknot.studio.known import Known

SAME_BEATS = 1e-6


class Place(Intent):
    """Put what is in hand on a track at a beat; without a track on a new one.

    lay, bars  on what it is laid, as it was heard (`audition`)
    """

    kind: Literal["place"] = "place"
    hand: str
    beat: float = Field(ge=0, le=100_000)
    track: str | None = None
    passes: int = Field(1, ge=1, le=4096)
    lay: float = 1.0
    bars: float | None = None

    def measure(self, project: Project, known: Known) -> None:
        natural(project, in_hand(project, known.loops, self.hand), known)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        heard = auditioned(project, hand, Audition(lay=self.lay, bars=self.bars))
        strand = heard.strand
        if hand.is_new:
            strand = natural(project, heard, known)
        elif strand is not hand.strand:
            # What plays already stays as it is: this is another strand of the loop.
            strand = strand.changed(id=new_id(), yarn=len(project.strands) % YARNS)
        is_there = any(s.id == strand.id for s in project.strands)
        edits: list[SingleEdit] = [] if is_there else [AddStrand(strand=strand)]
        track = self.track
        if track is None:
            track = new_id()
            name = hand.strand.name[:LONGEST_NAME]
            edits.append(AddTrack(track=Track(id=track, name=name)))
        clip = Clip(id=new_id(), strand=strand.id, track=track, beat=self.beat, passes=self.passes)
        edits.append(AddClips(clips=(clip,)))
        return Resolved(Together(edits=tuple(edits), what=f"place {hand.strand.name}"))


class NewTrack(Intent):
    kind: Literal["new_track"] = "new_track"
    name: str = Field("New track", min_length=1, max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        return Resolved(AddTrack(track=Track(id=new_id(), name=self.name)))


class SeparateClip(Intent):
    """A clip gets a strand of its own: what is changed of it changes no other clip."""

    kind: Literal["separate_clip"] = "separate_clip"
    clip: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        clip = project.clip(self.clip)
        shared = project.strand(clip.strand)
        if sum(c.strand == shared.id for c in project.clips) < 2:
            raise EditError(f"no other clip plays {shared.name}: it is separate already")
        name = f"{shared.name[: LONGEST_NAME - 9]} separate"
        strand = shared.changed(id=new_id(), name=name, yarn=len(project.strands) % YARNS)
        edits: tuple[SingleEdit, ...] = (
            AddStrand(strand=strand), ChangeClip(clip=clip.id, strand=strand.id),
        )  # fmt: skip
        return Resolved(Together(edits=edits, what=f"make {shared.name} separate"))


class CopyClips(Intent):
    """Copies end to end: right after the clips themselves, or from a beat on."""

    kind: Literal["copy_clips"] = "copy_clips"
    clips: tuple[str, ...] = Field(min_length=1, max_length=4096)
    beat: float | None = Field(None, ge=0, le=100_000)
    track: str | None = None

    def resolve(self, project: Project, known: Known) -> Resolved:
        clips = [project.clip(id_) for id_ in self.clips]
        first = min(c.beat for c in clips)
        end = max(project.clip_end(c) for c in clips)
        by = (end if self.beat is None else self.beat) - first
        added, *phrases = copies_of(project, clips, (by,), self.track)
        if not phrases:
            return Resolved(added)
        return Resolved(Together(edits=(added, *phrases), what=added.label()))


def copies_of(
    project: Project, clips: Sequence[Clip], offsets: Iterable[float], track: str | None = None
) -> tuple[SingleEdit, ...]:
    """Copies of clips so many beats later each; what is a phrase is one of its own in each."""
    copies: list[Clip] = []
    phrases: list[SingleEdit] = []
    named = {p.id: p for p in project.phrases}
    for by in offsets:
        made = [c.changed(id=new_id(), beat=c.beat + by, track=track or c.track) for c in clips]
        copies += made
        for id_ in dict.fromkeys(c.phrase for c in made if c.phrase in named):
            phrase = named[str(id_)].changed(id=new_id())
            members = tuple(c.id for c in made if c.phrase == id_)
            phrases.append(SetPhrase(phrase=phrase, clips=members))
    return AddClips(clips=tuple(copies)), *phrases
