"""The edit of a project's coil."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.coil import MOST_SLOTS, Slot
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Project


class SetCoil(Edit):
    """The loops that are on keys from now on, in their order; `what` says what was done to them."""

    kind: Literal["set_coil"] = "set_coil"
    slots: tuple[Slot, ...] = Field(max_length=MOST_SLOTS)
    what: str

    def apply(self, project: Project) -> Project:
        for slot in self.slots:
            project.strand(slot.strand)
        if len({slot.id for slot in self.slots}) != len(self.slots):
            raise EditError("two loops of the coil are called the same")
        keys = [slot.key for slot in self.slots if slot.key]
        if len(set(keys)) != len(keys):
            raise EditError("each key plays one loop of the coil")
        return project.changed(coil=self.slots)

    def touches(self) -> frozenset[str]:
        return frozenset(slot.id for slot in self.slots) | {"coil"}

    def label(self) -> str:
        return self.what
