"""Where do the rows live? One SQLite file in WAL mode, its schema made by Alembic alone."""

import sqlite3
from pathlib import Path

from sqlalchemy import Engine, event, inspect, text
from sqlmodel import create_engine

MIGRATIONS = Path(__file__).parent / "migrations"
# Migrations are numbered: the last file's number is the newest schema.
NEWEST = max(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def opened_database(file: Path) -> Engine:
    """The database of that file, brought up to the newest schema."""
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}", connect_args={"timeout": 15})
    event.listen(engine, "connect", _set_pragmas)
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


def _set_pragmas(connection: sqlite3.Connection, _record: object) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")  # a finished edit survives a power cut
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.close()
