"""What is told of a project's states, and of where it is among them."""

from dataclasses import dataclass

from zeroknot.core.loop import Statement


@dataclass(frozen=True)
class ProjectEntry:
    """A line in the list of projects."""

    id: str
    name: str
    opened_at: str
    removed: bool


@dataclass(frozen=True)
class Revision:
    """One state: the edit that made it, and its label; what a person calls it."""

    number: int
    parent: int | None
    label: str
    edit: str | None
    statement: Statement | None
    name: str | None
    made_at: str


@dataclass(frozen=True)
class Standing:
    """Where a project is.

    head   number of its revision
    moves  how often the head has moved
    undo   label of what undo would take back; None at the start
    redo   of what redo would bring back
    """

    head: int
    moves: int
    undo: str | None
    redo: str | None


@dataclass(frozen=True)
class Kept:
    """How a state is kept: a whole tree, and the differences that lead from it, the first first."""

    tree: str
    changes: tuple[str, ...]


@dataclass(frozen=True)
class Version:
    """A state that can be gone back to.

    edits  done on it since it parted from what is now; where it did not part, those since it
    """

    number: int
    name: str | None
    label: str
    made_at: str
    edits: int


@dataclass(frozen=True)
class Moved:
    """What of the shelf went along with undo or redo.

    loop            whose reading that concerned
    left_as_stated  the loop's name, where something else was stated since, which stays
    """

    loop: str | None = None
    left_as_stated: str | None = None
