"""Which searches does a person keep?"""

from dataclasses import dataclass

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.store.database import writing
from zeroknot.store.forgetting import set_forgotten
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
        query = select(SavedSearchRow).where(~col(SavedSearchRow.is_forgotten))
        with Session(self._engine) as session:
            rows = session.exec(query.order_by(col(SavedSearchRow.name)))
            return [SavedSearch(r.id, r.name, r.query) for r in rows]

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
        set_forgotten(self._writing, SavedSearchRow, id_, True)

    def bring_back(self, id_: str) -> None:
        """What was forgotten. Raises NotFoundError."""
        set_forgotten(self._writing, SavedSearchRow, id_, False)
