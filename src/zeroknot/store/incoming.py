"""Which files are on their way in? Kept, so that a crash loses none and a restart goes on."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import Engine, func
from sqlmodel import Session, col, delete, select

from zeroknot.store.database import writing
from zeroknot.store.tables import IncomingRow

WAITING, DONE, DOUBLE, REFUSED, OPENED = "waiting", "done", "double", "refused", "opened"


@dataclass(frozen=True)
class Incoming:
    """One file on its way in.

    name    as the person knows it, folders before it
    path    where it lies; is_ours: a copy of ours, which goes when it is done and stays, set aside,
            when it is refused
    state   WAITING, DONE, DOUBLE (there already), REFUSED or OPENED (an archive, its files follow)
    reason  why it was refused
    sha     of its bytes, once they are known
    """

    id: str
    name: str
    path: Path
    is_ours: bool
    state: str = WAITING
    reason: str = ""
    sha: str = ""

    def ended(self, state: str, reason: str = "", sha: str = "") -> "Incoming":
        return replace(self, state=state, reason=reason, sha=sha or self.sha)


class IncomingStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def all(self) -> list[Incoming]:
        """In the order they came."""
        query = select(IncomingRow).order_by(col(IncomingRow.number))
        with Session(self._engine) as session:
            return [_value(row) for row in session.exec(query)]

    def keep(self, items: Iterable[Incoming], opened: Incoming | None = None) -> None:
        """Add new ones; with the archive they came out of, which is done then."""
        with Session(self._writing) as session, session.begin():
            number = (session.exec(select(func.max(IncomingRow.number))).one() or 0) + 1
            for i, item in enumerate(items):
                session.add(_row(item, number + i))
            if opened is not None:
                self._set(session, opened)

    def end(self, item: Incoming) -> None:
        """Note how one ended, or the hash of its bytes."""
        with Session(self._writing) as session, session.begin():
            self._set(session, item)

    def forget(self, id_: str) -> None:
        with Session(self._writing) as session, session.begin():
            session.exec(delete(IncomingRow).where(col(IncomingRow.id) == id_))

    def forget_ended(self) -> None:
        with Session(self._writing) as session, session.begin():
            session.exec(delete(IncomingRow).where(col(IncomingRow.state) != WAITING))

    @staticmethod
    def _set(session: Session, item: Incoming) -> None:
        row = session.get(IncomingRow, item.id)
        if row is not None:
            row.state, row.reason, row.sha = item.state, item.reason, item.sha
            row.path = str(item.path)


def _row(item: Incoming, number: int) -> IncomingRow:
    return IncomingRow(
        id=item.id, number=number, name=item.name, path=str(item.path), is_ours=item.is_ours,
        state=item.state, reason=item.reason, sha=item.sha,
    )  # fmt: skip


def _value(row: IncomingRow) -> Incoming:
    return Incoming(row.id, row.name, Path(row.path), row.is_ours, row.state, row.reason, row.sha)
