"""Which grooves are kept for every project? Each once, by what it is."""

from dataclasses import dataclass

from pydantic import TypeAdapter
from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.digest import digest_of_text
from zeroknot.core.errors import NotFoundError
from zeroknot.core.groove.groove import Groove
from zeroknot.store.by_name import Kept, set_forgotten
from zeroknot.store.database import writing
from zeroknot.store.tables import GrooveRow

MOST_LISTED = 500
_groove: TypeAdapter[Groove] = TypeAdapter(Groove)


@dataclass(frozen=True)
class ShelvedGroove:
    id: str
    groove: Groove


class GrooveStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def find(self, words: str = "") -> list[ShelvedGroove]:
        """Those whose name, or where they come from, holds every word; the newest first."""
        query = select(GrooveRow).where(~col(GrooveRow.is_forgotten))
        for word in words.split():
            query = query.where(col(GrooveRow.name).icontains(word, autoescape=True))
        query = query.order_by(col(GrooveRow.made_at).desc(), col(GrooveRow.id))
        with Session(self._engine) as session:
            rows = session.exec(query.limit(MOST_LISTED)).all()
            return [ShelvedGroove(row.id, _groove.validate_json(row.groove)) for row in rows]

    def get(self, id_: str) -> Groove:
        with Session(self._engine) as session:
            row = session.get(GrooveRow, id_)
            if row is None or row.is_forgotten:
                raise NotFoundError("this groove is not on the shelf (any more)")
            return _groove.validate_json(row.groove)

    def keep(self, groove: Groove, made_at: str) -> Kept:
        """One that is there already stays as it is."""
        text = _groove.dump_json(groove).decode()
        id_ = digest_of_text(text)[:12]
        with Session(self._writing) as session, session.begin():
            row = session.get(GrooveRow, id_)
            is_new = row is None or row.is_forgotten
            if row is not None:
                row.is_forgotten = False
            else:
                name = f"{groove.name} {groove.origin}".strip()
                session.add(GrooveRow(id=id_, name=name, groove=text, made_at=made_at))
        return Kept(id_, groove.name, is_new)

    def forget(self, id_: str) -> None:
        set_forgotten(self._writing, GrooveRow, id_, True)

    def bring_back(self, id_: str) -> None:
        """What was forgotten. Raises NotFoundError."""
        set_forgotten(self._writing, GrooveRow, id_, False)
