"""Which ways of working are kept? Recipes by name, for every project."""

from typing import NamedTuple

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.digest import digest_of_text
from zeroknot.core.errors import NotFoundError
from zeroknot.store.by_name import Kept, bring_back, keep_named, set_forgotten
from zeroknot.store.database import writing
from zeroknot.store.tables import WayRow

MOST_LISTED = 200


class Way(NamedTuple):
    id: str
    name: str


class WayStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def all(self) -> list[Way]:
        """By their names."""
        query = select(WayRow.id, WayRow.name).where(~col(WayRow.is_forgotten))
        query = query.order_by(col(WayRow.name), col(WayRow.id))
        with Session(self._engine) as session:
            return [Way(id_, name) for id_, name in session.exec(query.limit(MOST_LISTED))]

    def text(self, id_: str) -> str:
        """Its recipe."""
        with Session(self._engine) as session:
            row = session.get(WayRow, id_)
            if row is None or row.is_forgotten:
                raise NotFoundError("this way of working is not kept (any more)")
            return row.recipe

    def keep(self, name: str, recipe: str, made_at: str) -> Kept:
        """Under a name; one of the same name takes the place of the one before."""
        id_ = digest_of_text(f"{name}\n{recipe}")[:12]
        return keep_named(self._writing, WayRow(id=id_, name=name, recipe=recipe, made_at=made_at))

    def forget(self, id_: str) -> None:
        set_forgotten(self._writing, WayRow, id_, True)

    def bring_back(self, id_: str, instead_of: str | None = None) -> None:
        """As of `by_name.bring_back`."""
        bring_back(self._writing, WayRow, id_, instead_of)
