"""What is an edit? A self-contained value that makes the next project from this one."""

from abc import abstractmethod

from zeroknot.document.project import Project
from zeroknot.document.value import Value


class Edit(Value):
    """Everything needed is in the edit: ids, values, no clock, no chance, no files."""

    @abstractmethod
    def apply(self, project: Project) -> Project:
        """The next project. Raises EditError or NotFoundError where it does not fit."""

    @abstractmethod
    def touches(self) -> frozenset[str]:
        """Ids (or names of single values) whose later change makes this edit stale."""

    @abstractmethod
    def label(self) -> str:
        """What was done, in a few words, for undo and for whoever it collides with."""


CLEARED: dict[str, object] = {"name": "", "yarn": -1, "gives_way_to": ""}


def told(edit: Edit, whom: str) -> dict[str, object]:
    """What an edit says of one part: fields that are not None, and not who is meant.

    Of what may be none by itself `CLEARED` is that.
    """
    fields = edit.model_dump(exclude={"kind", whom}, exclude_none=True)
    return {
        name: None if CLEARED.get(name, edit) == value else value for name, value in fields.items()
    }
