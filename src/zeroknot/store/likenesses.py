"""What is each loop like? Kept by hash, and held in memory to find the nearest by."""

import itertools
import threading
from collections.abc import Collection, Iterable, Sequence

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine, func
from sqlmodel import Session, col, select

from zeroknot.core.listening.likeness import SIZE, SLICES, VERSION, WEIGHTS
from zeroknot.store.database import writing
from zeroknot.store.shelf_query import By
from zeroknot.store.tables import FactsRow, LikenessRow

Floats = NDArray[np.float32]


class Table:
    """Vectors of many loops: float32 [loops, SIZE]."""

    def __init__(self, shas: Sequence[str], vectors: Floats):
        self.shas, self.vectors = list(shas), np.ascontiguousarray(vectors, np.float32)
        self._place = {sha: i for i, sha in enumerate(self.shas)}
        self._known = frozenset(self.shas)

    def of(self, sha: str) -> Floats | None:
        place = self._place.get(sha)
        return None if place is None else self.vectors[place]

    def nearest(
        self, vector: Floats, by: By, count: int, among: Collection[str] | None = None
    ) -> list[tuple[str, float]]:
        """The hashes most like one, the likeliest first, and how alike, −1…1.

        among  those that are meant; all where None
        """
        if not self.shas:
            return []
        weights = WEIGHTS if by == "all" else {by: 1.0}
        alike = np.zeros(len(self.shas), np.float32)
        for name, weight in weights.items():
            part = SLICES[name]
            alike += weight * (self.vectors[:, part] @ vector[part].astype(np.float32))
        return self.best(alike, count, among)

    def best(
        self, scores: Floats, count: int, among: Collection[str] | None = None
    ) -> list[tuple[str, float]]:
        """The hashes whose scores are highest, one for each of the vectors."""
        order = np.argsort(-scores, kind="stable")
        named = ((self.shas[i], float(scores[i])) for i in order)
        meant = named if among is None else (one for one in named if one[0] in among)
        return list(itertools.islice(meant, count))

    def missing(self, shas: Iterable[str]) -> list[str]:
        """Those of them that are not in it."""
        return list(frozenset(shas) - self._known)


class LikenessStore:
    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)
        self._lock = threading.Lock()
        self._table: Table | None = None
        self._stamp = 0  # of the loop that changed last when the table was made

    def keep(self, sha: str, vector: Floats) -> None:
        with Session(self._writing) as session, session.begin():
            session.merge(LikenessRow(sha=sha, version=VERSION, vector=vector.tobytes()))
        with self._lock:
            self._table = None

    def table(self) -> Table:
        """All of them; the same object until another is kept, or is read in another way."""
        with self._lock:
            if self._table is not None and self._any_forgotten(self._table):
                self._table = None
            if self._table is None:
                self._stamp = self._newest_stamp()
                query = select(LikenessRow.sha, LikenessRow.vector)
                query = query.where(col(LikenessRow.version) == VERSION)
                with Session(self._engine) as session:
                    rows = [(s, v) for s, v in session.exec(query) if len(v) == 4 * SIZE]
                data = b"".join(v for _, v in rows)
                vectors = np.frombuffer(data, np.float32).reshape(-1, SIZE)
                self._table = Table([s for s, _ in rows], vectors)
            return self._table

    def _newest_stamp(self) -> int:
        with Session(self._engine) as session:
            return session.exec(select(func.max(FactsRow.stamp))).one() or 0

    def _any_forgotten(self, table: Table) -> bool:
        """Is one of the loops that changed since in the table, but kept no more?"""
        newest = self._newest_stamp()
        if newest == self._stamp:
            return False
        query = (
            select(FactsRow.sha)
            .join(LikenessRow, col(LikenessRow.sha) == col(FactsRow.sha), isouter=True)
            .where(col(FactsRow.stamp) > self._stamp, col(LikenessRow.sha).is_(None))
        )
        with Session(self._engine) as session:
            unknown = list(session.exec(query))
        self._stamp = newest
        return any(table.of(sha) is not None for sha in unknown)
