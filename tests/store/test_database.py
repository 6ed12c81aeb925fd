import tempfile
import unittest
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlmodel import SQLModel

from zeroknot.store.audio_store import AudioStore
from zeroknot.store.database import migrate, opened_database


class DatabaseTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_migrations_make_what_the_tables_say(self):
        engine = opened_database(self.folder / "a.sqlite")
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            self.assertEqual(
                compare_metadata(MigrationContext.configure(connection), SQLModel.metadata), []
            )
            self.assertEqual(connection.execute(text("PRAGMA journal_mode")).scalar(), "wal")
        migrate(engine)  # a second time changes nothing

    def test_the_cache_is_kept_under_its_size(self):
        store = AudioStore(self.folder)
        for i in range(4):
            place = store.cache / "renders" / "ab" / f"d{i}"
            place.mkdir(parents=True)
            (place / "0").write_bytes(b"x" * 100)
        store.trim_cache(250)
        self.assertEqual(len(list((store.cache / "renders").glob("??/*"))), 2)
