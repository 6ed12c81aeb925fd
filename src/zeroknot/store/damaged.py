"""Is there a database that can be read? Asked before anything slow is loaded."""

import sqlite3
from contextlib import closing
from pathlib import Path

from zeroknot.core.errors import FormatError

DATABASE = "zeroknot.sqlite"  # in the data folder
UNREADABLE = (sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT)


def refuse_damaged(file: Path) -> None:
    """Raises FormatError where a database is there and damaged from its beginning."""
    if not file.exists():
        return
    try:
        with closing(sqlite3.connect(file)) as asking:
            asking.execute("SELECT count(*) FROM sqlite_master").fetchone()
    except sqlite3.DatabaseError as error:
        if error.sqlite_errorcode not in UNREADABLE:
            raise
        raise FormatError(
            f"{file} is damaged ({error}); put a copy back in its place, or move it away to begin "
            "anew: the recordings come in again by themselves, projects do not"
        ) from error
