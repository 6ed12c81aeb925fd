"""What was kept by name is forgotten, and can be brought back: its row stays."""

from sqlalchemy import Engine
from sqlmodel import Session

from zeroknot.core.errors import NotFoundError
from zeroknot.store.tables import GrooveRow, SavedSearchRow, WayRow


def set_forgotten(
    writing: Engine, table: type[GrooveRow | SavedSearchRow | WayRow], id_: str, forgotten: bool
) -> None:
    """Raises NotFoundError where what is to come back was never kept."""
    with Session(writing) as session, session.begin():
        row = session.get(table, id_)
        if row is not None:
            row.is_forgotten = forgotten
        elif not forgotten:
            raise NotFoundError("what is to come back is not kept (any more)")
