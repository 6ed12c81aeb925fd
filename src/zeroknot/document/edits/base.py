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
