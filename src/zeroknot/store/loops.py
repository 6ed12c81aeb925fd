"""Which loops are there?"""

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from zeroknot.core.errors import NotFoundError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Loop
from zeroknot.store.codec import loop_row, loop_value, reading_text
from zeroknot.store.tables import LoopRow


class LoopStore:
    """Rows of loops, by the hash of their bytes."""

    def __init__(self, engine: Engine):
        self._engine = engine

    def add(self, loop: Loop) -> bool:
        """Put a loop on the shelf. False where it lay there already (nothing is changed then)."""
        with Session(self._engine) as session, session.begin():
            row = session.get(LoopRow, loop.sha)
            if row is None:
                session.add(loop_row(loop))
                return True
            back = not row.on_shelf
            row.on_shelf = True
            return back

    def get(self, sha: str) -> Loop:
        with Session(self._engine) as session:
            row = session.get(LoopRow, sha)
            if row is None:
                raise NotFoundError("that loop is not on the shelf (any more)")
            return loop_value(row)

    def has(self, sha: str) -> bool:
        with Session(self._engine) as session:
            return session.get(LoopRow, sha) is not None

    def shas(self) -> set[str]:
        with Session(self._engine) as session:
            return set(session.exec(select(LoopRow.sha)))

    def on_shelf(self, words: str = "") -> list[Loop]:
        """Loops whose name or set has every one of the words, newest first."""
        query = select(LoopRow).where(col(LoopRow.on_shelf))
        for word in words.split():
            query = query.where(
                col(LoopRow.name).icontains(word, autoescape=True)
                | col(LoopRow.set_name).icontains(word, autoescape=True)
            )
        query = query.order_by(col(LoopRow.added_at).desc(), col(LoopRow.name))
        with Session(self._engine) as session:
            return [loop_value(row) for row in session.exec(query)]

    def named(self, shas: frozenset[str]) -> dict[str, Loop]:
        with Session(self._engine) as session:
            rows = session.exec(select(LoopRow).where(col(LoopRow.sha).in_(shas)))
            return {row.sha: loop_value(row) for row in rows}

    def state(self, sha: str, reading: Reading | None) -> None:
        """Lay a person's own reading over what was heard; None takes it back."""
        with Session(self._engine) as session, session.begin():
            self._row(session, sha).stated = reading_text(reading)

    def heard_before(self, version: int) -> list[Loop]:
        """Loops whose hearing was made by an older listening."""
        query = select(LoopRow).where(col(LoopRow.listening_version) < version)
        with Session(self._engine) as session:
            return [loop_value(row) for row in session.exec(query)]

    def set_hearing(self, loop: Loop) -> None:
        """Keep what is heard now; what a person stated stays."""
        fresh = loop_row(loop)
        with Session(self._engine) as session, session.begin():
            row = self._row(session, loop.sha)
            row.heard, row.listening_version = fresh.heard, fresh.listening_version

    def rename(self, sha: str, name: str) -> None:
        with Session(self._engine) as session, session.begin():
            self._row(session, sha).name = name

    def set_on_shelf(self, sha: str, on_shelf: bool) -> None:
        """Leave the shelf or come back; the recording stays on disk either way."""
        with Session(self._engine) as session, session.begin():
            self._row(session, sha).on_shelf = on_shelf

    @staticmethod
    def _row(session: Session, sha: str) -> LoopRow:
        row = session.get(LoopRow, sha)
        if row is None:
            raise NotFoundError("that loop is not on the shelf (any more)")
        return row
