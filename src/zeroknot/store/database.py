"""Where do the rows live? One SQLite file in WAL mode, its schema made by Alembic alone."""

import sqlite3
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, event
from sqlmodel import create_engine

MIGRATIONS = Path(__file__).parent / "migrations"


def opened_database(file: Path) -> Engine:
    """The database of that file, brought up to the newest schema."""
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}", connect_args={"timeout": 15})
    event.listen(engine, "connect", _set_pragmas)
    migrate(engine)
    return engine


def migrate(engine: Engine) -> None:
    """Run every migration that has not run yet."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _set_pragmas(connection: sqlite3.Connection, _record: object) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")  # a finished edit survives a power cut
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.close()
