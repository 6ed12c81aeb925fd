"""Where do the rows live? One SQLite file in WAL mode, brought up to date by Alembic."""

import sqlite3
from pathlib import Path

from sqlalchemy import Connection, Engine, event, inspect, text
from sqlmodel import SQLModel, create_engine

from zeroknot.store import tables
from zeroknot.store.damaged import refuse_damaged

assert tables  # they are part of SQLModel.metadata once they are loaded
MIGRATIONS = Path(__file__).parent / "migrations"
ALEMBICS_OWN = """
CREATE TABLE alembic_version (
    version_num VARCHAR(32) NOT NULL, CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
)
"""
# Migrations are numbered: the last file's number is the newest schema.
NEWEST = max(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def opened_database(file: Path) -> Engine:
    """The database of that file, brought up to the newest schema."""
    refuse_damaged(file)
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}", connect_args={"timeout": 15})
    event.listen(engine, "connect", _set_pragmas)
    event.listen(engine, "begin", _begin)
    migrate(engine)
    return engine


def migrate(engine: Engine) -> None:
    """Run every migration that has not run yet; Alembic is loaded only where one has not.

    A new file is made as the tables say at once: that the migrations come to the same is a test.
    """
    version = _version(engine)
    if version == NEWEST:
        return
    if version is None and not inspect(engine).get_table_names():
        _make(engine)
        return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _make(engine: Engine) -> None:
    with writing(engine).begin() as connection:
        if inspect(connection).has_table("alembic_version"):
            return  # another process made it meanwhile
        SQLModel.metadata.create_all(connection)
        connection.execute(text(ALEMBICS_OWN))
        connection.execute(text("INSERT INTO alembic_version VALUES (:newest)"), {"newest": NEWEST})


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
