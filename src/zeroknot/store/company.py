"""What is kept that has a say in how the next loop of a set is read?"""

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.listening.company import Company, Member
from zeroknot.store.codec import claims_value, reading_value
from zeroknot.store.tables import FactsRow, LoopRow

MOST_OTHERS = 24  # of its set that a loop is read beside
MOST_HABIT = 40  # tempos that a person stated lately
SURELY = 0.85  # what was heard so surely has a say, too


class CompanyStore:
    def __init__(self, engine: Engine):
        self._engine = engine

    def of(self, set_name: str) -> Company:
        """Others of a set, and what this person counts in; of each kind the latest."""
        members = self._stated(set_name) if set_name else ()
        heard = self._heard(set_name) if set_name else ()
        return Company(set_name, members, heard, self._habit())

    def _stated(self, set_name: str) -> tuple[Member, ...]:
        query = select(LoopRow.sha, LoopRow.seconds, LoopRow.claims, LoopRow.stated)
        query = query.where(col(LoopRow.set_name) == set_name, col(LoopRow.stated).is_not(None))
        query = query.where(col(LoopRow.recipe).is_(None))
        query = query.order_by(col(LoopRow.added_at).desc()).limit(MOST_OTHERS)
        with Session(self._engine) as session:
            return tuple(
                Member.of(sha, seconds, claims_value(claims), reading_value(stated))
                for sha, seconds, claims, stated in session.exec(query)
                if stated
            )

    def _heard(self, set_name: str) -> tuple[tuple[str, float], ...]:
        query = select(FactsRow.sha, FactsRow.tempo_bpm)
        query = query.where(col(FactsRow.set_name) == set_name, ~col(FactsRow.is_stated))
        query = query.where(col(FactsRow.confidence) >= SURELY, ~col(FactsRow.is_print))
        query = query.order_by(col(FactsRow.added_at).desc()).limit(MOST_OTHERS)
        with Session(self._engine) as session:
            return tuple((sha, bpm) for sha, bpm in session.exec(query) if bpm)

    def _habit(self) -> tuple[tuple[str, float], ...]:
        query = select(FactsRow.sha, FactsRow.tempo_bpm)
        query = query.where(col(FactsRow.is_stated), ~col(FactsRow.is_print))
        query = query.order_by(col(FactsRow.added_at).desc()).limit(MOST_HABIT)
        with Session(self._engine) as session:
            return tuple((sha, bpm) for sha, bpm in session.exec(query) if bpm)
