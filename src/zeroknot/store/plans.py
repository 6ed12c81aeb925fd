"""Which render has which plan? Kept on disk, so that a page may go on asking after a restart.

A file of its own beside the cache: like the cache it may be deleted at any time, and then a page
asks for its sheet again.
"""

import sqlite3
import threading
from collections.abc import Iterable
from pathlib import Path

from zeroknot.core.render.any_plan import AnyPlan, plan_of_text
from zeroknot.store.room import is_no_room

MOST_BYTES = 256 * 1024 * 1024
TRIMMED_EVERY = 16 * 1024 * 1024  # bytes that came
FILE = "plans.sqlite"
TRIM = """
DELETE FROM plan WHERE rowid <= coalesce((
    SELECT max(rowid) FROM (
        SELECT rowid, sum(length(value)) OVER (ORDER BY rowid DESC) AS bytes FROM plan
    ) WHERE bytes > ?
), 0)
"""


class PlanStore:
    """Plans by digest, those that were known last, up to a size."""

    def __init__(self, folder: Path, most_bytes: int = MOST_BYTES):
        self._file, self._most_bytes = folder / FILE, most_bytes
        self._lock = threading.Lock()
        self._connection = _opened(self._file)
        self._added = 0

    def keep(self, plans: Iterable[tuple[str, AnyPlan]]) -> None:
        rows = [(digest, plan.text) for digest, plan in plans]
        if not rows:
            return
        with self._lock:
            try:
                self._insert(rows)
            except sqlite3.Error:  # somebody deleted it meanwhile
                self._connection.close()
                self._connection = _opened(self._file)
                self._insert_if_there_is_room(rows)

    def _insert_if_there_is_room(self, rows: list[tuple[str, str]]) -> None:
        """What is not kept is asked for again after a restart: no reason to play nothing now."""
        try:
            self._insert(rows)
        except sqlite3.Error as error:
            if not is_no_room(error):
                raise

    def find(self, digest: str) -> AnyPlan | None:
        query = "SELECT value FROM plan WHERE digest = ?"
        with self._lock:
            try:
                row = self._connection.execute(query, (digest,)).fetchone()
            except sqlite3.Error:
                return None
        try:
            return plan_of_text(row[0]) if row else None
        except (ValueError, KeyError, TypeError):  # written by another version
            return None

    def close(self) -> None:
        with self._lock:
            self._connection.close()

    def _insert(self, rows: list[tuple[str, str]]) -> None:
        with self._connection as connection:
            # Replaced, not left: what is asked for again is as new.
            connection.executemany("INSERT OR REPLACE INTO plan VALUES (?, ?)", rows)
            self._added += sum(len(value) for _, value in rows)
            if self._added >= TRIMMED_EVERY:
                self._added = 0
                connection.execute(TRIM, (self._most_bytes,))


def _opened(file: Path) -> sqlite3.Connection:
    file.parent.mkdir(parents=True, exist_ok=True)
    try:
        return _prepared(file)
    except sqlite3.DatabaseError:  # what is damaged here is made anew, as all in the cache
        file.unlink(missing_ok=True)
        return _prepared(file)


def _prepared(file: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(file, check_same_thread=False)
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = OFF")
    connection.execute("CREATE TABLE IF NOT EXISTS plan (digest TEXT PRIMARY KEY, value TEXT)")
    return connection
