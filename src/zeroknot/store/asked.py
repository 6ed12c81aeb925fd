"""Has this been done already? A page that heard no answer asks again, under the same id.

The id is kept in the transaction that does what was asked, so that it is done once however often
it is sent, over restarts, too.
"""

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlmodel import Session, col, delete

from zeroknot.store.tables import AskedRow

KEPT = timedelta(days=7)


def answer_to(session: Session, asked: str | None) -> Any | None:
    """What was answered the first time; None where it was never done."""
    row = session.get(AskedRow, asked) if asked else None
    return json.loads(row.answer) if row else None


def keep_answer(session: Session, asked: str | None, answer: Any) -> None:
    """Note that it is done; those of last week are forgotten."""
    if not asked:
        return
    now = datetime.now(UTC)
    session.execute(delete(AskedRow).where(col(AskedRow.made_at) < (now - KEPT).isoformat()))
    session.add(AskedRow(id=asked, answer=json.dumps(answer), made_at=now.isoformat()))
