"""Which searches does a person keep?"""

from dataclasses import dataclass

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.digest import digest_of_text
from zeroknot.store.by_name import Kept, bring_back, keep_named, set_forgotten
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
        query = select(SavedSearchRow).where(~col(SavedSearchRow.is_forgotten))
        with Session(self._engine) as session:
            rows = session.exec(query.order_by(col(SavedSearchRow.name)))
            return [SavedSearch(r.id, r.name, r.query) for r in rows]

    def keep(self, name: str, query: str, made_at: str) -> Kept:
        """Under a name; one of the same name gives way."""
        id_ = digest_of_text(f"{name}\n{query}")[:12]
        row = SavedSearchRow(id=id_, name=name, query=query, made_at=made_at)
        return keep_named(self._writing, row)

    def forget(self, id_: str) -> None:
        set_forgotten(self._writing, SavedSearchRow, id_, True)

    def bring_back(self, id_: str, instead_of: str | None = None) -> None:
        """As of `by_name.bring_back`."""
        bring_back(self._writing, SavedSearchRow, id_, instead_of)
