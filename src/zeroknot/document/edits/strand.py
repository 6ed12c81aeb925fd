"""Edits of strands."""

from typing import Literal

from zeroknot.core.errors import EditError
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import settled
from zeroknot.document.project import Project, replaced, without
from zeroknot.document.strand import Strand


class AddStrand(Edit):
    kind: Literal["add_strand"] = "add_strand"
    strand: Strand

    def apply(self, project: Project) -> Project:
        if any(s.id == self.strand.id for s in project.strands):
            raise EditError(f"there is a strand {self.strand.id!r} already")
        _ = self.strand.warp  # knots that cross are refused here
        return project.changed(strands=(*project.strands, self.strand))

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand.id})

    def label(self) -> str:
        return f"take {self.strand.name}"


class ChangeStrand(Edit):
    """A strand as it is from now on; `what` says which side of it changed."""

    kind: Literal["change_strand"] = "change_strand"
    strand: Strand
    what: str

    def apply(self, project: Project) -> Project:
        before = project.strand(self.strand.id)
        # A print is made again, or laid as it was printed: two ways of one loop.
        if before.loop != self.strand.loop and before.shelved != self.strand.shelved:
            raise EditError("a strand stays with its loop; take the other loop in hand instead")
        _ = self.strand.warp
        changed = project.changed(strands=replaced(project.strands, self.strand))
        # Whole clips follow the strand's length; what would then overlap is trimmed.
        lengths = [(s.round_beats, s.follows, s.base.body_seconds) for s in (before, self.strand)]
        return settled(changed, newest=()) if lengths[0] != lengths[1] else changed

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand.id})

    def label(self) -> str:
        return self.what


class RemoveStrand(Edit):
    """The strand, its clips, and its places on the coil."""

    kind: Literal["remove_strand"] = "remove_strand"
    strand: str

    def apply(self, project: Project) -> Project:
        project.strand(self.strand)
        clips = tuple(c for c in project.clips if c.strand != self.strand)
        coil = tuple(slot for slot in project.coil if slot.strand != self.strand)
        strands = without(project.strands, [self.strand])
        return project.changed(strands=strands, clips=clips, coil=coil)

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        return "remove strand"
