"""Where do the rows live? One SQLite file in WAL mode, its schema made by Alembic alone."""

import sqlite3
from pathlib import Path

from sqlalchemy import Connection, Engine, event, inspect, text
from sqlmodel import create_engine

MIGRATIONS = Path(__file__).parent / "migrations"
# Migrations are numbered: the last file's number is the newest schema.
NEWEST = max(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def opened_database(file: Path) -> Engine:
    """The database of that file, brought up to the newest schema."""
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}", connect_args={"timeout": 15})
    event.listen(engine, "connect", _set_pragmas)
    event.listen(engine, "begin", _begin)
    migrate(engine)
    return engine


def migrate(engine: Engine) -> None:
    """Run every migration that has not run yet; Alembic is loaded only where one has not."""
    if _version(engine) == NEWEST:
        return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _version(engine: Engine) -> str | None:
    if not inspect(engine).has_table("alembic_version"):
        return None
    with engine.connect() as connection:
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def writing(engine: Engine) -> Engine:
    """The same database for transactions that write.

    They wait for one another at once: one that reads first and then writes would be refused when
    another wrote in between.
    """
    return engine.execution_options(writes=True)


def _begin(connection: Connection) -> None:
    is_writing = connection.get_execution_options().get("writes", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if is_writing else "BEGIN")


def _set_pragmas(connection: sqlite3.Connection, _record: object) -> None:
    connection.isolation_level = None  # transactions are begun by `_begin`
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")  # a finished edit survives a power cut
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.close()
