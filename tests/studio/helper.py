"""A studio in a folder of its own, everything done at once, and files to bring in."""

import io
import tempfile
import unittest
from pathlib import Path

from tests.sounds import rendered
from zeroknot.core.formats.handed import HandOver
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.settings import Settings
from zeroknot.store.shelf_query import Query
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio


class StudioTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.studio = self.opened()

    def opened(self) -> Studio:
        studio = Studio(Settings(data=self.folder), Executors.inline())
        self.addCleanup(studio.close)
        return studio

    def bring(self, data: bytes, name: str, studio: Studio | None = None):
        """Bring in a file's bytes; gives the item as it ended."""
        studio = studio or self.studio
        incoming = studio.store.new_incoming()
        incoming.write_bytes(data)
        return studio.bringing.begin(incoming, name)

    def loop(self, name="drums_103"):
        """A rendered loop on the shelf."""
        item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
        return self.studio.shelf.loop(item.sha)

    def on_shelf(self, words=""):
        """Loops on the shelf with these words."""
        return [self.studio.shelf.loop(sha) for sha in self.studio.shelf.shas(Query(words=words))]

    def wav_of(self, sha, bits):
        """The loop as a file to take away."""
        return self.studio.handing_over.files([sha], HandOver.wav(bits))

    def submit(self, project, intent):
        revision = self.studio.projects.state(project).revision
        return self.studio.projects.submit(project, revision, intent)


def in_memory(data: bytes) -> io.BytesIO:
    return io.BytesIO(data)
