"""What the shelf goes by is derived from a loop's row, in the transaction that changes it."""

from sqlalchemy import func, insert
from sqlmodel import Session, select

from zeroknot.store.codec import facts_columns, loop_value
from zeroknot.store.tables import FactsRow, LoopRow


def derive(session: Session, *rows: LoopRow) -> None:
    """Write the facts of loops anew, each under the next stamp."""
    session.flush()
    stamp: int = session.exec(select(func.max(FactsRow.stamp))).one() or 0
    facts = [facts_columns(loop_value(row), stamp + i) for i, row in enumerate(rows, 1)]
    if facts:
        session.execute(insert(FactsRow).prefix_with("OR REPLACE"), facts)
