"""Which states has a project had, and in which is it now?

Conventions
-----------
- Revisions are numbered from 1 within a project and never change; the head is one of them.
- Undo and redo move the head. An edit after an undo begins a new branch; the old one is kept.
- Trees and differences are text here (the document's JSON); this module does not look inside.
- A revision keeps what is other than in its parent; every 64th, and the first of a newer schema,
  keeps the whole tree.
- What an edit states of a loop is stated, taken back and stated again with its revision, unless
  something else was stated since: undo takes back only what it stated itself.
"""

from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine, func, text
from sqlmodel import Session, col, select

from zeroknot.core.errors import NotFoundError
from zeroknot.core.loop import Statement
from zeroknot.store.asked import answer_to, keep_answer
from zeroknot.store.codec import (
    packed,
    reading_text,
    statement_text,
    statement_value,
    unpacked,
)
from zeroknot.store.database import writing
from zeroknot.store.facts import derive
from zeroknot.store.revision import Kept, Moved, ProjectEntry, Revision, Standing, Version
from zeroknot.store.tables import LoopRow, ProjectRow, RevisionRow

TREE_EVERY = 64
MOST_LEFT = 100  # branches without a name that are told, the newest
LINE = """
WITH RECURSIVE line (number, parent, tree, change) AS (
    SELECT number, parent, tree, change FROM revision
    WHERE project = :project AND number = :number
    UNION ALL
    SELECT r.number, r.parent, r.tree, r.change FROM revision AS r
    JOIN line ON r.number = line.parent
    WHERE r.project = :project AND line.tree IS NULL
)
SELECT tree, change FROM line
"""

STANDING = """
SELECT project.head, project.moves, head.parent, head.label, (
    SELECT label FROM revision AS child
    WHERE child.project = project.id AND child.parent = project.head
    ORDER BY child.number DESC LIMIT 1
)
FROM project JOIN revision AS head ON head.project = project.id AND head.number = project.head
WHERE project.id = :project
"""

ALL = "SELECT number, parent, name, label, made_at FROM revision WHERE project = :project"


class RevisionStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def create(
        self, project: str, name: str, tree: str, written_in: int, label: str = "new project"
    ) -> None:
        with Session(self._writing) as session, session.begin():
            session.add(ProjectRow(id=project, name=name, head=1, opened_at=_now()))
            session.flush()
            session.add(
                RevisionRow(
                    project=project,
                    number=1,
                    label=label,
                    tree=packed(tree),
                    written_in=written_in,
                    made_at=_now(),
                )
            )

    def projects(self, removed: bool = False) -> list[ProjectEntry]:
        """Projects, last opened first."""
        gone = col(ProjectRow.removed_at).is_not(None)
        query = select(ProjectRow).where(gone if removed else ~gone)
        query = query.order_by(col(ProjectRow.opened_at).desc())
        with Session(self._engine) as session:
            return [
                ProjectEntry(row.id, row.name, row.opened_at, row.removed_at is not None)
                for row in session.exec(query)
            ]

    def mark_opened(self, project: str) -> None:
        with Session(self._writing) as session, session.begin():
            self._project(session, project).opened_at = _now()

    def set_removed(self, project: str, removed: bool) -> None:
        with Session(self._writing) as session, session.begin():
            self._project(session, project).removed_at = _now() if removed else None

    def head(self, project: str) -> Revision:
        with Session(self._engine) as session:
            return self._revision(session, project, self._project(session, project).head)

    def standing(self, project: str) -> Standing:
        """In one question: whatever is asked of a project asks this first."""
        with self._engine.connect() as asking:
            row = asking.execute(text(STANDING), {"project": project}).one_or_none()
        if row is None:
            raise _no_project()
        head, moves, parent, label, after = row
        return Standing(head, moves, label if parent is not None else None, after)

    def revision(self, project: str, number: int) -> Revision:
        with Session(self._engine) as session:
            return self._revision(session, project, number)

    def edits_since(self, project: str, number: int) -> list[Revision]:
        """Revisions between the common ancestor of `number` and the head, and the head.

        What undo took back counts, too: those revisions' edits are no longer in the head.
        """
        with Session(self._engine) as session:
            head = self._project(session, project).head
            ours = self._ancestry(session, project, head)
            theirs = self._ancestry(session, project, number)
            apart = set(ours) ^ set(theirs)
            return [self._revision(session, project, n) for n in sorted(apart)]

    def kept(self, project: str, number: int) -> Kept:
        """What a revision's tree is made from."""
        with Session(self._engine) as session:
            changes: list[str] = []
            for row in session.execute(text(LINE), {"project": project, "number": number}):
                if row.tree is not None:
                    return Kept(unpacked(row.tree), tuple(reversed(changes)))
                changes.append(unpacked(row.change))
        raise NotFoundError(f"this project has no revision {number}")

    def advance(
        self,
        project: str,
        expected_head: int,
        name: str,
        change: str,
        whole: Callable[[], str],
        label: str,
        *,
        written_in: int,
        edit: str | None = None,
        statement: Statement | None = None,
        asked: str | None = None,
    ) -> int | None:
        """Add a revision after the head; None where the head is no longer the expected one.

        change      what is other than in the head
        whole       makes the whole tree where that is to be kept
        written_in  number of the schema of both
        asked       the id under which a page asked for it
        """
        with Session(self._writing) as session, session.begin():
            row = self._project(session, project)
            if row.head != expected_head:
                return None
            query = select(func.max(RevisionRow.number)).where(RevisionRow.project == project)
            number = (session.exec(query).one() or 0) + 1
            parent = self._row(session, project, expected_head)
            is_whole = parent.since_tree + 1 >= TREE_EVERY or parent.written_in != written_in
            session.add(
                RevisionRow(
                    project=project,
                    number=number,
                    parent=expected_head,
                    edit=edit,
                    label=label,
                    tree=packed(whole()) if is_whole else None,
                    change=None if is_whole else packed(change),
                    since_tree=0 if is_whole else parent.since_tree + 1,
                    written_in=written_in,
                    statement=statement_text(statement),
                    made_at=_now(),
                )
            )
            row.head, row.name, row.moves = number, name, row.moves + 1
            if statement:
                _state(session, statement)
            keep_answer(session, asked, number)
            return number

    def set_name(self, project: str, number: int, name: str | None) -> None:
        """What a person calls a version from now on; None where nobody does."""
        with Session(self._writing) as session, session.begin():
            self._row(session, project, number).name = name

    def versions(self, project: str) -> list[Version]:
        """States with a name, and the ends of branches that undo left, newest first."""
        with Session(self._engine) as session:
            head = self._project(session, project).head
            found_rows = session.execute(text(ALL), {"project": project})
            rows: dict[int, Any] = {row.number: row for row in found_rows}
        parents = {number: row.parent for number, row in rows.items()}
        has_children = set(parents.values())
        ours = {number: steps for steps, number in enumerate(_line(parents, head))}
        found, left = [], 0
        for number, row in sorted(rows.items(), reverse=True):
            is_left = number not in has_children and number not in ours and left < MOST_LEFT
            if row.name is not None or is_left:
                left += row.name is None
                steps, meets = _apart(parents, number, ours)
                found.append(
                    Version(number, row.name, row.label, row.made_at, steps or ours[meets])
                )
        return found

    def is_done(self, asked: str | None) -> bool:
        """Was what a page asked for under that id done already?"""
        with Session(self._engine) as session:
            return answer_to(session, asked) is not None

    def rename(self, project: str, name: str) -> None:
        """Keep the list's name in step with the document's."""
        with Session(self._writing) as session, session.begin():
            self._project(session, project).name = name

    def before(self, project: str) -> Revision | None:
        """What undo would go back to; None at the start."""
        with Session(self._engine) as session:
            head = self._revision(session, project, self._project(session, project).head)
            if head.parent is None:
                return None
            return self._revision(session, project, head.parent)

    def undo(self, project: str, asked: str | None = None) -> Moved | None:
        """Move the head to its parent; None at the start."""
        with Session(self._writing) as session, session.begin():
            row = self._project(session, project)
            head = self._revision(session, project, row.head)
            if head.parent is None:
                return None
            keep_answer(session, asked, head.parent)
            self._move(row, head.parent)
            return _moved(session, head.statement.taken_back() if head.statement else None)

    def redo(self, project: str, asked: str | None = None) -> Moved | None:
        """Move the head to its newest child; None where there is none."""
        with Session(self._writing) as session, session.begin():
            row = self._project(session, project)
            child = self._newest_child(session, project, row.head)
            if child is None:
                return None
            keep_answer(session, asked, child)
            self._move(row, child)
            return _moved(session, self._revision(session, project, child).statement)

    @staticmethod
    def _move(row: ProjectRow, number: int) -> None:
        row.head, row.moves = number, row.moves + 1

    def _newest_child(self, session: Session, project: str, number: int) -> int | None:
        query = select(func.max(RevisionRow.number)).where(
            RevisionRow.project == project, RevisionRow.parent == number
        )
        return session.exec(query).one()

    @staticmethod
    def _ancestry(session: Session, project: str, number: int) -> list[int]:
        query = select(RevisionRow.number, RevisionRow.parent).where(RevisionRow.project == project)
        return list(_line(dict(session.exec(query).all()), number))

    @staticmethod
    def _project(session: Session, project: str) -> ProjectRow:
        row = session.get(ProjectRow, project)
        if row is None:
            raise _no_project()
        return row

    @staticmethod
    def _row(session: Session, project: str, number: int) -> RevisionRow:
        row = session.get(RevisionRow, (project, number))
        if row is None:
            raise NotFoundError(f"this project has no revision {number}")
        return row

    def _revision(self, session: Session, project: str, number: int) -> Revision:
        row = self._row(session, project, number)
        return Revision(
            row.number,
            row.parent,
            row.label,
            row.edit,
            statement_value(row.statement),
            row.name,
            row.made_at,
        )


def _line(parents: Mapping[int, int | None], number: int | None) -> Iterator[int]:
    """A revision and all that led to it."""
    while number is not None and number in parents:
        yield number
        number = parents[number]


def _apart(
    parents: Mapping[int, int | None], number: int, ours: Mapping[int, int]
) -> tuple[int, int]:
    """How many revisions lie from one back to where it parted from ours, and which that is."""
    for steps, at in enumerate(_line(parents, number)):
        if at in ours:
            return steps, at
    raise AssertionError("all revisions of a project have one beginning")


def _no_project() -> NotFoundError:
    return NotFoundError("there is no such project (any more)")


def _moved(session: Session, statement: Statement | None) -> Moved:
    """With the reading that goes with the move, where nothing else was stated meanwhile."""
    if statement is None:
        return Moved()
    row = session.get(LoopRow, statement.loop)
    if row is None:
        return Moved()
    if row.stated == reading_text(statement.before):
        _state(session, statement)
    elif row.stated != reading_text(statement.after):
        return Moved(statement.loop, left_as_stated=row.name)
    return Moved(statement.loop)


def _state(session: Session, statement: Statement) -> None:
    row = session.get(LoopRow, statement.loop)
    if row is not None:
        row.stated = reading_text(statement.after)
        derive(session, row)


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="microseconds")
