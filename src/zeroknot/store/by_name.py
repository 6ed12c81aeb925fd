"""What a person keeps by name, forgets and brings back: no row of it is ever lost.

Of searches and ways of working one has a name at a time: the one that had it before gives way, and
comes back where keeping the later one is taken back.
"""

from collections.abc import Iterable
from typing import NamedTuple, TypeVar

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.errors import NotFoundError
from zeroknot.store.tables import GrooveRow, SavedSearchRow, WayRow

Named = TypeVar("Named", SavedSearchRow, WayRow)
Table = type[GrooveRow] | type[SavedSearchRow] | type[WayRow]


class Kept(NamedTuple):
    """What came of keeping something.

    is_new      it was not kept before
    instead_of  id of the one of that name that gave way, if one did
    """

    id: str
    name: str
    is_new: bool
    instead_of: str | None = None


def keep_named(writing: Engine, row: Named) -> Kept:
    """Keep it under its name; the one that had the name gives way."""
    with Session(writing) as session, session.begin():
        known = session.get(type(row), row.id)
        is_new = known is None or known.is_forgotten
        before = _give_way(_others(session, row))
        kept = Kept(row.id, row.name, is_new, before)
        session.merge(row)
        return kept


def bring_back(writing: Engine, table: type[Named], id_: str, instead_of: str | None) -> None:
    """What was forgotten, or gave way.

    instead_of  the one that has the name now and gives way itself
    Raises NotFoundError where it was never kept, and where yet another has the name by now.
    """
    with Session(writing) as session, session.begin():
        row = session.get(table, id_)
        if row is None:
            raise NotFoundError("what is to come back is not kept (any more)")
        others = _others(session, row)
        if any(other.id != instead_of for other in others):
            raise NotFoundError(f"another is kept as “{row.name}” by now")
        _give_way(others)
        row.is_forgotten = False


def set_forgotten(writing: Engine, table: Table, id_: str, forgotten: bool) -> None:
    """Raises NotFoundError where what is to come back was never kept."""
    with Session(writing) as session, session.begin():
        row = session.get(table, id_)
        if row is not None:
            row.is_forgotten = forgotten
        elif not forgotten:
            raise NotFoundError("what is to come back is not kept (any more)")


def _others(session: Session, row: Named) -> list[Named]:
    """Those with the same name that are there."""
    table = type(row)
    query = select(table).where(table.name == row.name, ~col(table.is_forgotten))
    return list(session.exec(query.where(table.id != row.id)))


def _give_way(rows: Iterable[Named]) -> str | None:
    """They are forgotten; the id of the last."""
    last = None
    for row in rows:
        row.is_forgotten, last = True, row.id
    return last
