"""What the shelf goes by is derived from a loop's row, in the transaction that changes it."""

from sqlalchemy import func
from sqlmodel import Session, select

from zeroknot.store.codec import facts_row, loop_value
from zeroknot.store.tables import FactsRow, LoopRow


def derive(session: Session, row: LoopRow) -> None:
    """Write a loop's facts anew, under the next stamp."""
    session.flush()
    last = session.exec(select(func.max(FactsRow.stamp))).one() or 0
    session.merge(facts_row(loop_value(row), last + 1))
    session.flush()
