"""Is a failure that of a disk without room? A person can mend it, whatever wanted to write."""

import errno
import sqlite3

NO_ROOM = "the disk is full; make room, then do it again"


def is_no_room(error: BaseException) -> bool:
    """Of a file's writing, or of the database's as it is or as SQLAlchemy tells it."""
    if isinstance(error, OSError):
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    cause = getattr(error, "orig", error)
    return getattr(cause, "sqlite_errorcode", None) == sqlite3.SQLITE_FULL
