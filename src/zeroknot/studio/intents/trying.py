"""Another loop in a clip's place, treated as the one that was there."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.document.edits.strand import AddStrand, RemoveStrand
from zeroknot.document.project import Project
from zeroknot.document.relay import laid_over
from zeroknot.document.strand import YARNS
from zeroknot.studio.hand import ITSELF, in_hand, new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.key import natural
from zeroknot.studio.known import Known
from zeroknot.studio.placement import Placement


class TryUnder(Intent):
    """A loop of the shelf takes a clip's place: the frame stays, and so does what was done to the
    one before: its groove, slices, order, pitch and method.

    loop  its hash
    """

    kind: Literal["try_under"] = "try_under"
    clip: str
    loop: str = Field(max_length=64)

    def measure(self, project: Project, known: Known) -> None:
        natural(project, in_hand(project, known.loops, ITSELF + self.loop), known)

    def resolve(self, project: Project, known: Known) -> Resolved:
        clip = project.clip(self.clip)
        before = project.strand(clip.strand)
        hand = in_hand(project, known.loops, ITSELF + self.loop)
        fresh = natural(project, hand, known)
        strand = laid_over(before, fresh, hand.loop.hearing.attack_seconds())
        strand = strand.changed(id=new_id(), yarn=len(project.strands) % YARNS)
        if why := Placement.of(project, strand, known.loops.get(strand.loop)).why_silent:
            raise EditError(f"{hand.loop.name}: {why}")
        frame = ChangeClip(
            clip=clip.id, strand=strand.id, length=project.clip_length(clip),
            slip=clip.slip % strand.round_beats,
        )  # fmt: skip
        edits: list[SingleEdit] = [AddStrand(strand=strand), frame]
        # What was tried before and plays nowhere else leaves nothing behind.
        elsewhere = [c for c in project.clips if c.strand == before.id and c.id != clip.id]
        if not elsewhere and all(slot.strand != before.id for slot in project.coil):
            edits.append(RemoveStrand(strand=before.id))
        return Resolved(Together(edits=tuple(edits), what=f"try {hand.loop.name[:60]}"))
