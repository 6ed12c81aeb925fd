"""Edits of the project itself: its name and its master level."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Project
from zeroknot.document.strand import LONGEST_NAME, LOUDEST_DB, QUIETEST_DB


class RenameProject(Edit):
    kind: Literal["rename_project"] = "rename_project"
    name: str = Field(max_length=LONGEST_NAME)

    def apply(self, project: Project) -> Project:
        if not self.name.strip():
            raise EditError("a project needs a name")
        return project.changed(name=self.name.strip())

    def touches(self) -> frozenset[str]:
        return frozenset({"project.name"})

    def label(self) -> str:
        return "rename project"


class SetMaster(Edit):
    kind: Literal["set_master"] = "set_master"
    level_db: float = Field(ge=QUIETEST_DB, le=LOUDEST_DB)

    def apply(self, project: Project) -> Project:
        return project.changed(master_db=self.level_db)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.master_db"})

    def label(self) -> str:
        return f"master level {self.level_db:+.1f} dB"
