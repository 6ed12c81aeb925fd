"""What is heavy stays with the workers, whatever pages ask of the server."""

import tempfile
import unittest
import urllib.error
from pathlib import Path

from tests.server import Server
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.settings import Settings
from zeroknot.web.app import make_app

HEAVY = ("llvmlite", "numba", "scipy")
EDITS = (
    ("straighten", {}),
    ("take_tempo", {}),
    ("take_metre", {}),
    ("take_key", {}),
    ("follow_key", {}),
    ("take_apart", {}),
    ("take_groove", {"bars": 1}),
    ("cut_up", {"by": "attacks"}),
    ("deal_order", {"seed": 1}),
    ("make_kit", {}),
    ("coil_loop", {}),
)


class LightServerTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.server = Server(Path(folder.name))
        self.addCleanup(self.server.stop)

    def test_nothing_that_is_asked_loads_a_compiler(self):
        """One that did kept the first person to open a loop waiting for two seconds."""
        self.server.bring(wav_bytes(rendered("keys_88"), 16), "keys_88.wav")
        self.server.settle()
        (sha,) = [row["sha"] for row in self.server.rows()]
        project = self.server.post("/api/projects", name="light")["id"]
        self.at = f"/api/projects/{project}"
        self.assertTrue(self._is_done("place", hand=sha, beat=0, passes=2))
        (strand,) = [s["id"] for s in self.server.get(self.at)["strands"]]
        questions = [
            path
            for hand in (sha, strand)
            for path in _questions(project=project, hand=hand, sha=sha)
        ]
        undone = [kind for kind, more in EDITS if not self._is_done(kind, hand=strand, **more)]
        undone += [] if self._is_done("grow", of=strand, seed=1) else ["grow"]
        self.assertEqual(undone, [])
        answered = [path for path in questions if self._is_answered(path)]
        self.assertGreater(len(answered), 50)
        mapped = Path(f"/proc/{self.server.process.pid}/maps").read_text()
        self.assertEqual([name for name in HEAVY if f"/{name}" in mapped], [])

    def _is_answered(self, path: str) -> bool:
        try:
            return bool(self.server.bytes(path))
        except urllib.error.HTTPError as error:
            self.assertLess(error.code, 500, path)
            return False

    def _is_done(self, kind: str, **more: object) -> bool:
        revision = self.server.get(self.at)["revision"]
        intent = {"kind": kind, **more}
        try:
            self.server.post(f"{self.at}/intents", revision=revision, intent=intent)
        except urllib.error.HTTPError as error:
            self.assertLess(error.code, 500, kind)
            return False
        return True


class _Names(dict[str, str]):
    """What stays as it is where nothing stands for it."""

    def __missing__(self, key: str) -> str:
        return "{" + key + "}"


def _questions(**known: str) -> list[str]:
    """Every address that is read, with these names put in."""
    with tempfile.TemporaryDirectory() as folder:
        paths = make_app(Settings(data=Path(folder))).openapi()["paths"]
    read = [path.format_map(_Names(known)) for path, methods in paths.items() if "get" in methods]
    return [path for path in read if "{" not in path and not path.endswith("/events")]
