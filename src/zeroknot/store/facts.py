"""What the shelf goes by is derived from a loop's row, in the transaction that changes it."""

from collections.abc import Iterable

from sqlalchemy import delete, func, insert
from sqlmodel import Session, col, select

from zeroknot.store.codec import facts_columns, loop_value
from zeroknot.store.tables import FactsRow, LikenessRow, LoopRow


def derive(session: Session, *rows: LoopRow) -> None:
    """Write the facts of loops anew, each under the next stamp."""
    session.flush()
    stamp: int = session.exec(select(func.max(FactsRow.stamp))).one() or 0
    facts = [facts_columns(loop_value(row), stamp + i) for i, row in enumerate(rows, 1)]
    if facts:
        session.execute(insert(FactsRow).prefix_with("OR REPLACE"), facts)


def read_anew(session: Session, shas: Iterable[str]) -> None:
    """Their reading is another now: what they are like, measured by it, is known no more."""
    session.execute(delete(LikenessRow).where(col(LikenessRow.sha).in_(list(shas))))
