"""Which searches does a person keep?"""

from dataclasses import dataclass

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.store.database import writing
from zeroknot.store.tables import SavedSearchRow


@dataclass(frozen=True)
class SavedSearch:
    """query  JSON of what is asked, without what is not"""

    id: str
    name: str
    query: str


class SearchStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def all(self) -> list[SavedSearch]:
        query = select(SavedSearchRow).order_by(col(SavedSearchRow.name))
        with Session(self._engine) as session:
            return [SavedSearch(r.id, r.name, r.query) for r in session.exec(query)]

    def keep(self, search: SavedSearch, made_at: str) -> None:
        """One of the same name gives way."""
        same = select(SavedSearchRow).where(SavedSearchRow.name == search.name)
        with Session(self._writing) as session, session.begin():
            for row in session.exec(same):
                session.delete(row)
            session.add(
                SavedSearchRow(id=search.id, name=search.name, query=search.query, made_at=made_at)
            )

    def forget(self, id_: str) -> None:
        with Session(self._writing) as session, session.begin():
            row = session.get(SavedSearchRow, id_)
            if row is not None:
                session.delete(row)
