"""What takes long, as it is kept: what it was asked, how far it is, what came of it."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

from sqlalchemy import Engine
from sqlmodel import Session, col, delete, select, update

from zeroknot.core.errors import NotFoundError
from zeroknot.store.database import writing
from zeroknot.store.tables import JobRow

State = Literal["waiting", "running", "done", "failed", "cancelled"]
ACTIVE: tuple[State, ...] = ("waiting", "running")
LISTED = timedelta(days=7)  # after which one that ended is forgotten


@dataclass(frozen=True)
class Job:
    """One thing that takes long.

    kind       says who does it
    label      in words, for whoever looks on: "tag 12 000 loops"
    arguments  all that it takes, as JSON holds it; nothing once it is over
    done, total  how far it is, in whatever it counts
    kept       what it needs to go on after a restart
    result     what came of it; None until it is done
    error      why it failed, in a sentence
    """

    id: str
    kind: str
    label: str
    arguments: Mapping[str, Any]
    state: State = "waiting"
    done: int = 0
    total: int = 0
    kept: Mapping[str, Any] = field(default_factory=dict)
    result: Mapping[str, Any] | None = None
    error: str = ""

    @property
    def is_over(self) -> bool:
        return self.state not in ACTIVE


class JobStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)

    def add(self, job: Job) -> Job:
        """Keep a new one. One of that id is there already: that one is given."""
        now = datetime.now(UTC)
        with Session(self._writing) as session, session.begin():
            row = session.get(JobRow, job.id)
            if row is None:
                old = col(JobRow.made_at) < (now - LISTED).isoformat()
                session.execute(delete(JobRow).where(old, ~col(JobRow.state).in_(ACTIVE)))
                row = _row(job, now.isoformat())
                session.add(row)
            return _value(row)

    def note(self, job: Job) -> None:
        """How far it is, or how it ended."""
        # What was asked may be long: it is not written again, and not kept once it is done.
        said = {
            "state": job.state, "done": job.done, "total": job.total, "error": job.error,
            "kept": json.dumps(dict(job.kept)), "result": _text(job.result),
        }  # fmt: skip
        if job.is_over:
            said["arguments"] = "{}"
        with Session(self._writing) as session, session.begin():
            session.execute(update(JobRow).where(col(JobRow.id) == job.id).values(said))

    def get(self, id_: str) -> Job:
        with Session(self._engine) as session:
            row = session.get(JobRow, id_)
            if row is None:
                raise NotFoundError("nothing of that name is done here (any more)")
            return _value(row)

    def active(self) -> list[Job]:
        """Those that are not over, in the order in which they were asked for."""
        query = select(JobRow).where(col(JobRow.state).in_(ACTIVE)).order_by(col(JobRow.made_at))
        with Session(self._engine) as session:
            return [_value(row) for row in session.exec(query)]


def _row(job: Job, made_at: str) -> JobRow:
    return JobRow(
        id=job.id, kind=job.kind, label=job.label, arguments=json.dumps(dict(job.arguments)),
        state=job.state, done=job.done, total=job.total, kept=json.dumps(dict(job.kept)),
        result=_text(job.result), error=job.error, made_at=made_at,
    )  # fmt: skip


def _text(value: Mapping[str, Any] | None) -> str | None:
    return None if value is None else json.dumps(dict(value))


def _value(row: JobRow) -> Job:
    state: Any = row.state
    return Job(
        row.id, row.kind, row.label, json.loads(row.arguments), state, row.done, row.total,
        json.loads(row.kept), json.loads(row.result) if row.result else None, row.error,
    )  # fmt: skip
