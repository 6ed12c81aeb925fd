import tempfile
import unittest
from pathlib import Path

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, inspect, text
from sqlmodel import SQLModel

from zeroknot.store.database import MIGRATIONS, NEWEST, migrate, opened_database


class DatabaseTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def migrated(self):
        """A file that went through every migration."""
        engine = create_engine(f"sqlite:///{self.folder / 'migrated.sqlite'}")
        self.addCleanup(engine.dispose)
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
        return engine

    def test_a_new_file_is_as_one_that_went_through_every_migration(self):
        new = opened_database(self.folder / "new.sqlite")
        self.addCleanup(new.dispose)
        found = []
        for engine in (new, self.migrated()):
            with engine.connect() as connection:
                names = sorted(inspect(connection).get_table_names())
                found.append(
                    {
                        name: [
                            {
                                (*row[1:4], row[5])
                                for row in connection.execute(text(f"PRAGMA table_info({name})"))
                            },
                            sorted(
                                (i["name"], i["column_names"], i["unique"])
                                for i in inspect(connection).get_indexes(name)
                            ),
                            [
                                (k["constrained_columns"], k["referred_table"])
                                for k in inspect(connection).get_foreign_keys(name)
                            ],
                        ]
                        for name in names
                    }
                )
                version = connection.execute(text("SELECT version_num FROM alembic_version"))
                self.assertEqual(version.scalar(), NEWEST)
        self.maxDiff = None
        self.assertEqual(found[0], found[1])

    def test_migrations_make_what_the_tables_say(self):
        self.migrated()
        engine = opened_database(self.folder / "migrated.sqlite")
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            self.assertEqual(
                compare_metadata(MigrationContext.configure(connection), SQLModel.metadata), []
            )
            self.assertEqual(connection.execute(text("PRAGMA journal_mode")).scalar(), "wal")
        migrate(engine)  # a second time changes nothing

    def test_an_older_database_is_brought_up(self):
        file = self.folder / "old.sqlite"
        engine = create_engine(f"sqlite:///{file}")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0001")
            connection.execute(text("INSERT INTO project VALUES ('p', 'Old', 1, 'then', NULL)"))
        engine.dispose()
        engine = opened_database(file)
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            self.assertEqual(version, NEWEST)
            connection.execute(text("SELECT statement FROM revision"))
            self.assertEqual(connection.execute(text("SELECT name FROM project")).scalar(), "Old")
