"""Edits of what was grown."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.base import Edit
from zeroknot.document.offshoot import MOST_OFFSHOOTS, Offshoot
from zeroknot.document.project import Project, replaced, without


class AddOffshoots(Edit):
    kind: Literal["add_offshoots"] = "add_offshoots"
    offshoots: tuple[Offshoot, ...] = Field(min_length=1, max_length=MOST_OFFSHOOTS)
    what: str

    def apply(self, project: Project) -> Project:
        every = (*project.offshoots, *self.offshoots)
        if len({o.id for o in every}) != len(every):
            raise EditError("two offshoots are called the same")
        if len(every) > MOST_OFFSHOOTS:
            raise EditError(
                f"a project holds {MOST_OFFSHOOTS} offshoots: drop some before growing more"
            )
        for offshoot in self.offshoots:
            _ = offshoot.strand.warp, offshoot.strand.played
        return project.changed(offshoots=every)

    def touches(self) -> frozenset[str]:
        return frozenset(o.id for o in self.offshoots)

    def label(self) -> str:
        return self.what


class ChangeOffshoot(Edit):
    kind: Literal["change_offshoot"] = "change_offshoot"
    offshoot: Offshoot
    what: str

    def apply(self, project: Project) -> Project:
        project.offshoot(self.offshoot.id)
        return project.changed(offshoots=replaced(project.offshoots, self.offshoot))

    def touches(self) -> frozenset[str]:
        return frozenset({self.offshoot.id})

    def label(self) -> str:
        return self.what


class DropOffshoots(Edit):
    """They go; what grew from them stays, as grown from what they grew from."""

    kind: Literal["drop_offshoots"] = "drop_offshoots"
    offshoots: tuple[str, ...] = Field(min_length=1)
    what: str

    def apply(self, project: Project) -> Project:
        gone = {id_: project.offshoot(id_) for id_ in self.offshoots}

        def stays(parents: tuple[str, ...]) -> tuple[str, ...]:
            found: dict[str, None] = {}
            for parent in parents:
                above = stays(gone[parent].parents) if parent in gone else (parent,)
                found.update(dict.fromkeys(above))
            return tuple(found)

        left = without(project.offshoots, gone)
        moved = (
            o.changed(parents=stays(o.parents)) if gone.keys() & set(o.parents) else o for o in left
        )
        return project.changed(offshoots=tuple(moved))

    def touches(self) -> frozenset[str]:
        return frozenset(self.offshoots)

    def label(self) -> str:
        return self.what
