"""Which loops are there?

Every write also writes what the shelf goes by (`FactsRow`), under a stamp that rises, so that a
search asks only for what is new to it.
"""

import itertools
import json
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from cachetools import LRUCache
from sqlalchemy import Engine, func
from sqlalchemy import select as sa_select
from sqlmodel import Session, col, select

from zeroknot.core.errors import NotFoundError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Loop
from zeroknot.store.asked import answer_to, keep_answer
from zeroknot.store.codec import (
    FACTS_VERSION,
    loop_row,
    loop_value,
    reading_text,
    recipe_value,
)
from zeroknot.store.database import writing
from zeroknot.store.facts import derive, read_anew
from zeroknot.store.shelf_query import Facts
from zeroknot.store.tables import FactsRow, LoopRow, ShelfChangeRow

# What a person says of a loop: columns that a change of the shelf may touch.
OWN = ("name", "set_name", "tags", "favourite", "on_shelf", "stated", "stated_key", "stated_sound")
Columns = Mapping[str, Any]
BATCH = 500  # that are changed in one transaction: more hold up whoever else wants to write
MOST_READ_BYTES = 64 * 1024 * 1024
BYTES_A_LOOP, BYTES_A_CHARACTER = 3000, 6  # of memory, about; characters of what was heard
NO_LOOP = "that loop is not on the shelf (any more)"


@dataclass(frozen=True)
class Change:
    """Columns that a change of the shelf found, and what it made of them, by loop."""

    before: dict[str, Columns] = field(default_factory=dict)
    after: dict[str, Columns] = field(default_factory=dict)

    def note(self, row: LoopRow, new: Columns) -> None:
        """What becomes of a loop; nothing where that is so already."""
        old = {name: getattr(row, name) for name in new if getattr(row, name) != new[name]}
        if strange := set(old) - set(OWN):
            raise ValueError(f"{', '.join(strange)} is not a person's to change")
        if old:
            self.before[row.sha] = old
            self.after[row.sha] = {name: new[name] for name in old}

    def __len__(self) -> int:
        return len(self.before)

    def holds(self, row: LoopRow) -> bool:
        """Is the loop still as it was found?"""
        return all(getattr(row, name) == value for name, value in self.before[row.sha].items())


def batched(items: Iterable[str], size: int) -> Iterator[tuple[str, ...]]:
    """So many at a time (`itertools.batched` of later Pythons)."""
    left = iter(items)
    while batch := tuple(itertools.islice(left, size)):
        yield batch


class ReadLoops:
    """Loops that were read, as long as nothing was written of them, here or in another process.

    Every write gives a loop a new stamp, so those that were written since are told by theirs.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._loops: LRUCache[str, tuple[Loop, int]] = LRUCache(
            MOST_READ_BYTES, getsizeof=lambda kept: BYTES_A_LOOP + BYTES_A_CHARACTER * kept[1]
        )
        self._stamp = 0

    def brought_up(self, session: Session) -> int:
        """Forget what was written since; gives the newest stamp of the session."""
        newest = session.exec(select(func.max(FactsRow.stamp))).one() or 0
        with self._lock:
            known = self._stamp
        if newest > known:
            written = list(session.exec(select(FactsRow.sha).where(col(FactsRow.stamp) > known)))
            with self._lock:
                for sha in written:
                    self._loops.pop(sha, None)
                self._stamp = max(self._stamp, newest)
        return newest

    def among(self, shas: Iterable[str]) -> dict[str, Loop]:
        with self._lock:
            return {sha: self._loops[sha][0] for sha in shas if sha in self._loops}

    def keep(self, fresh: Mapping[str, tuple[Loop, int]], stamp: int) -> None:
        """Loops with the length of what was heard of each, as they stood at that stamp."""
        with self._lock:
            if stamp == self._stamp:
                for sha, kept in fresh.items():
                    with suppress(ValueError):  # larger than all that is held
                        self._loops[sha] = kept


class Made(NamedTuple):
    """A loop that was made here.

    parents  hashes of the loops it descends from
    said     what makes it other than these
    seed     by which it was grown; None where it was not
    """

    sha: str
    name: str
    parents: tuple[str, ...]
    said: str
    seed: int | None
    favourite: bool
    on_shelf: bool


def _put(session: Session, loop: Loop) -> bool:
    """On the shelf with it; False where it lay there already."""
    row = session.get(LoopRow, loop.sha)
    if row is not None and row.on_shelf:
        return False
    if row is None:
        row = loop_row(loop)
        session.add(row)
    row.on_shelf = True
    derive(session, row)
    return True


class LoopStore:
    """Rows of loops, by the hash of their bytes."""

    def __init__(self, engine: Engine):
        self._engine, self._writing = engine, writing(engine)
        self._read = ReadLoops()
        self._made_by: dict[str, tuple[tuple[str, ...], str, int | None]] = {}
        self._derive_missing()

    def add(self, loop: Loop) -> bool:
        """Put a loop on the shelf. False where it lay there already (nothing is changed then)."""
        with Session(self._writing) as session, session.begin():
            return _put(session, loop)

    def make(self, loop: Loop, label: str, made_at: str, asked: str | None = None) -> int | None:
        """Put a loop that was made here on the shelf, as a change that can be taken back.

        asked    as of `change`
        returns  the number to take it back by; None where it lay there already
        """
        with Session(self._writing) as session, session.begin():
            if done := answer_to(session, asked):
                return int(done[0]) if done[0] is not None else None
            change = Change({loop.sha: {"on_shelf": False}}, {loop.sha: {"on_shelf": True}})
            is_new = _put(session, loop)
            number = self._kept(session, label, change, made_at) if is_new else None
            keep_answer(session, asked, [number])
            return number

    def get(self, sha: str) -> Loop:
        found = self.named([sha])
        if sha not in found:
            raise NotFoundError(NO_LOOP)
        return found[sha]

    def has(self, sha: str) -> bool:
        with Session(self._engine) as session:
            return session.get(LoopRow, sha) is not None

    def shas(self) -> set[str]:
        with Session(self._engine) as session:
            return set(session.exec(select(LoopRow.sha)))

    def on_shelf(self) -> list[str]:
        with Session(self._engine) as session:
            return list(session.exec(select(LoopRow.sha).where(col(LoopRow.on_shelf))))

    def named(self, shas: Iterable[str]) -> dict[str, Loop]:
        """Those of them that there are; the same objects as long as they stay as they are."""
        wanted = list(dict.fromkeys(shas))
        with Session(self._engine) as session:
            stamp = self._read.brought_up(session)
            found = self._read.among(wanted)
            fresh: dict[str, tuple[Loop, int]] = {}
            for batch in batched([sha for sha in wanted if sha not in found], BATCH):
                rows = session.exec(select(LoopRow).where(col(LoopRow.sha).in_(batch)))
                fresh |= {row.sha: (loop_value(row), len(row.heard)) for row in rows}
        self._read.keep(fresh, stamp)
        return found | {sha: loop for sha, (loop, _) in fresh.items()}

    def made(self) -> list[Made]:
        """Every loop that was made here, on the shelf or not."""
        columns = LoopRow.sha, LoopRow.name, LoopRow.favourite, LoopRow.on_shelf
        query = select(*columns).where(col(LoopRow.recipe).is_not(None))
        with Session(self._engine) as session:
            rows = session.exec(query.order_by(col(LoopRow.added_at))).all()
            # A recipe never changes: each is read once.
            fresh = [sha for sha, *_ in rows if sha not in self._made_by]
            for batch in batched(fresh, BATCH):
                told = select(LoopRow.sha, LoopRow.recipe).where(col(LoopRow.sha).in_(batch))
                for sha, text in session.exec(told):
                    recipe = recipe_value(text)
                    if recipe:
                        said, seed = recipe.made_by.get("said"), recipe.made_by.get("seed")
                        known = seed if isinstance(seed, int) else None
                        self._made_by[sha] = recipe.parents, str(said or ""), known
        return [
            Made(sha, name, *self._made_by[sha], favourite, on_shelf)
            for sha, name, favourite, on_shelf in rows
        ]

    def newest(self) -> str | None:
        """The loop that came onto the shelf last."""
        query = select(FactsRow.sha).where(col(FactsRow.on_shelf))
        query = query.order_by(col(FactsRow.added_at).desc(), col(FactsRow.name)).limit(1)
        with Session(self._engine) as session:
            return session.exec(query).first()

    def heard_before(self, version: int) -> list[Loop]:
        """Loops whose hearing was made by an older listening."""
        query = select(LoopRow).where(col(LoopRow.listening_version) < version)
        with Session(self._engine) as session:
            return [loop_value(row) for row in session.exec(query)]

    def set_hearing(self, loop: Loop) -> None:
        """Keep what is heard now; what a person stated stays."""
        fresh = loop_row(loop)
        with Session(self._writing) as session, session.begin():
            row = self._row(session, loop.sha)
            row.heard, row.listening_version = fresh.heard, fresh.listening_version
            derive(session, row)
            read_anew(session, [row.sha])

    def state(self, sha: str, reading: Reading | None) -> None:
        """Lay a person's own reading over what was heard; None takes it back."""
        with Session(self._writing) as session, session.begin():
            row = self._row(session, sha)
            row.stated = reading_text(reading)
            derive(session, row)
            read_anew(session, [row.sha])

    def change(
        self,
        shas: Iterable[str],
        label: str,
        changed: Callable[[Loop], Columns],
        made_at: str,
        asked: str | None = None,
    ) -> tuple[int, int]:
        """Change what a person says of some loops at once.

        changed  gives the new columns of OWN for a loop; {} leaves it as it is
        asked    the id under which a page asked for it; asked again, the first answer is given
        returns  the number to take it back by, and how many loops it changed
        """
        with Session(self._engine) as session:
            if done := answer_to(session, asked):
                return done[0], done[1]
        change = self.planned(shas, changed)
        return self._at_once(label, change, made_at, asked, [len(change)]), len(change)

    def take_back(
        self, change: int, made_at: str, asked: str | None = None
    ) -> tuple[int, str, int, int]:
        """Undo a change at once, as far as its values still stand: what was changed since is left.

        Gives the number to take *that* back by, what it was, how many loops it took back and how
        many were left, wholly or in part.
        """
        with Session(self._engine) as session:
            if done := answer_to(session, asked):
                return done[0], done[1], done[2], sum(done[3:])  # of old, three were kept
        label, back, left = self.planned_back(change)
        told = [label, len(back), left]
        return self._at_once(label, back, made_at, asked, told), label, len(back), left

    def planned(self, shas: Iterable[str], changed: Callable[[Loop], Columns]) -> Change:
        """What a change would make of loops."""
        change = Change()
        with Session(self._engine) as session:
            for row in self._rows(session, shas):
                change.note(row, changed(loop_value(row)))
        return change

    def planned_back(self, change: int) -> tuple[str, Change, int]:
        """What taking a change back would do: what it was, what it does, how many are left."""
        back, left = Change(), 0
        label, kept = self.kept_change(change)
        with Session(self._engine) as session:
            for row in self._rows(session, kept.before):
                own = kept.after.get(row.sha, {})
                moved = {name for name, value in own.items() if getattr(row, name) != value}
                left += bool(moved)
                back.note(row, {k: v for k, v in kept.before[row.sha].items() if k not in moved})
        return label, back, left

    def size_of_change(self, change: int) -> int:
        """How many loops it changed."""
        return len(self.kept_change(change)[1])

    def kept_change(self, change: int) -> tuple[str, Change]:
        """A change as it was kept: what it was in words, and what it does."""
        with Session(self._engine) as session:
            kept = session.get(ShelfChangeRow, change)
            if kept is None:
                raise NotFoundError("that change of the shelf is not known (any more)")
            after = json.loads(kept.after) if kept.after else {}
            return kept.label, Change(json.loads(kept.before), after)

    def keep_change(self, label: str, change: Change, made_at: str) -> int:
        """Keep what is then done in steps; the number to go on with it and to take it back by."""
        with Session(self._writing) as session, session.begin():
            return self._kept(session, label, change, made_at)

    def do_some(self, change: Change, shas: Iterable[str]) -> None:
        """A step of a change; what somebody changed meanwhile, or is done, is left as it is."""
        with Session(self._writing) as session, session.begin():
            self._do(session, change, shas)

    def _at_once(
        self, label: str, change: Change, made_at: str, asked: str | None, told: list[Any]
    ) -> int:
        """told: what is answered after the number"""
        with Session(self._writing) as session, session.begin():
            if done := answer_to(session, asked):
                return int(done[0])
            number = self._kept(session, label, change, made_at)
            self._do(session, change, change.after)
            keep_answer(session, asked, [number, *told])
            return number

    def _do(self, session: Session, change: Change, shas: Iterable[str]) -> None:
        rows = [row for row in self._rows(session, shas) if change.holds(row)]
        for row in rows:
            for name, value in change.after[row.sha].items():
                setattr(row, name, value)
        derive(session, *rows)
        read_anew(session, [row.sha for row in rows if "stated" in change.after[row.sha]])

    def _rows(self, session: Session, shas: Iterable[str]) -> Iterator[LoopRow]:
        """Rows in the order that is asked for. Raises NotFoundError where one is not there."""
        for batch in batched(dict.fromkeys(shas), BATCH):
            query = select(LoopRow).where(col(LoopRow.sha).in_(batch))
            found = {row.sha: row for row in session.exec(query)}
            for sha in batch:
                if sha not in found:
                    raise NotFoundError(NO_LOOP)
                yield found[sha]

    @staticmethod
    def _kept(session: Session, label: str, change: Change, made_at: str) -> int:
        row = ShelfChangeRow(
            label=label, before=json.dumps(change.before), after=json.dumps(change.after),
            made_at=made_at,
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id or 0

    def facts_since(self, stamp: int) -> list[Facts]:
        """Rows that changed after a stamp, oldest change first."""
        columns = [getattr(FactsRow, name) for name in Facts._fields]
        query = sa_select(*columns).where(col(FactsRow.stamp) > stamp)
        with self._engine.connect() as connection:
            return [Facts(*row) for row in connection.execute(query.order_by(columns[1]))]

    def _derive_missing(self) -> None:
        """Facts of loops that have none, or older ones."""
        query = (
            select(LoopRow.sha)
            .join(FactsRow, col(FactsRow.sha) == col(LoopRow.sha), isouter=True)
            .where(col(FactsRow.version).is_(None) | (col(FactsRow.version) < FACTS_VERSION))
        )
        with Session(self._engine) as session:
            missing = list(session.exec(query))
        for at in range(0, len(missing), BATCH):
            with Session(self._writing) as session, session.begin():
                derive(session, *self._rows(session, missing[at : at + BATCH]))

    @staticmethod
    def _row(session: Session, sha: str) -> LoopRow:
        row = session.get(LoopRow, sha)
        if row is None:
            raise NotFoundError(NO_LOOP)
        return row
