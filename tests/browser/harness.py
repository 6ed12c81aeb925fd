"""A browser on a real server. Any console warning or page error fails the test."""

import shutil
import struct
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any, ClassVar

from playwright.sync_api import expect, sync_playwright

from tests.runner import AT_END
from tests.server import Server
from tests.sounds import audio, rendered
from zeroknot.core.formats.riff import wav_bytes

# The same browser without its own windows takes half the time.
CHROMIUM = shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip


SHARED: dict[str, Any] = {}
PATIENCE = 40  # s; what takes this long here has failed, however busy the machine is
expect.set_options(timeout=1000 * PATIENCE)


def with_chunk(wav: bytes, name: bytes, content: bytes) -> bytes:
    """The same sound with one more chunk at its end; what is no WAV as it is."""
    if wav[:4] != b"RIFF":
        return wav
    content += bytes(len(content) % 2)
    grown = wav + name + struct.pack("<I", len(content)) + content
    return grown[:4] + struct.pack("<I", len(grown) - 8) + grown[8:]


def started(clean_up, settings) -> Server:
    """A server on a folder of its own, until its clean-up."""
    folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
    clean_up(folder.cleanup)
    server = Server(Path(folder.name), **settings)
    clean_up(server.stop)
    return server


def browser():
    """The browser of this process."""
    if "browser" not in SHARED:
        playwright = sync_playwright().start()
        AT_END.append(playwright.stop)
        SHARED["browser"] = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        AT_END.append(SHARED["browser"].close)
    return SHARED["browser"]


def server() -> Server:
    """The server of this process; running, whatever a test did to it."""
    if "server" not in SHARED:
        SHARED["server"] = started(AT_END.append, {})
    if not SHARED["server"].is_running:
        SHARED["server"].start()
    return SHARED["server"]


class BrowserTest(unittest.TestCase):
    """One server and one browser a process; a fresh page and project a test, nothing stored.

    server_settings  as its environment names them
    has_own_server   it stops it, or wants nothing on the shelf that others brought
    may_run_scripts  it brings scripts of its own, which the pages' policy refuses
    """

    server_settings: ClassVar[dict[str, str]] = {}
    has_own_server: ClassVar[bool] = False
    may_run_scripts: ClassVar[bool] = False

    @classmethod
    def setUpClass(cls):
        if cls.has_own_server or cls.server_settings:
            cls.server, cls.browser = started(cls.addClassCleanup, cls.server_settings), browser()
        else:
            cls.server, cls.browser = server(), browser()
            if SHARED.get("module") != cls.__module__:
                SHARED["module"] = cls.__module__
                shas = [row["sha"] for row in cls.server.rows()]
                if shas:
                    cls.server.post("/api/shelf/changes", edit={"kind": "take_off"}, shas=shas)
        cls.data = cls.server.data
        cls.context = cls.kept_context()

    @classmethod
    def kept_context(cls):
        """That of this process: scripts that were loaded are not loaded again by each class."""
        name = f"context {cls.may_run_scripts}"
        if name not in SHARED:
            SHARED[name] = cls.new_context()
        return SHARED[name]

    @classmethod
    def new_context(cls):
        return cls.browser.new_context(
            viewport={"width": 1280, "height": 800}, accept_downloads=True,
            bypass_csp=cls.may_run_scripts,
        )  # fmt: skip

    def setUp(self):
        self.troubles: list[str] = []
        if not self.server.is_running:  # stopped by a test that failed
            self.server.start()
        self.page = self._kept_page()
        self.page.set_default_timeout(1000 * PATIENCE)
        stored = {"origin": self.server.base, "storageTypes": "local_storage"}
        self.context.new_cdp_session(self.page).send("Storage.clearDataForOrigin", stored)
        self.addCleanup(self._leave)
        self.project = self.server.post("/api/projects", name=self.id().split(".")[-1])["id"]

    def _kept_page(self):
        """The page of its context, as new: a new one each time costs a second of start."""
        SHARED["told"] = self
        name = f"page {self.may_run_scripts}"
        kept = SHARED.get(name)
        if kept is None or kept.is_closed():
            kept = SHARED[name] = self.context.new_page()
            kept.on("pageerror", lambda e: SHARED["told"].troubles.append(f"page error: {e}"))
            kept.on("console", lambda message: SHARED["told"]._console(message))
        return kept

    def tearDown(self):
        self.assertEqual(self.troubles, [])

    def _leave(self):
        self.troubles = []
        kept = SHARED[f"page {self.may_run_scripts}"]
        for page in [p for p in self.context.pages if p is not kept]:
            page.unroute_all(behavior="ignoreErrors")
            page.close()
        if kept.is_closed():
            return
        kept.unroute_all(behavior="ignoreErrors")
        kept.evaluate("() => { try { sessionStorage.clear(); } catch { /* not of a page */ } }")
        # A page of nowhere would end its process, and what that has compiled.
        beside = f"{self.server.base}/static/mark.svg"
        kept.goto(beside if self.server.is_running else "about:blank")
        kept.set_viewport_size({"width": 1280, "height": 800})
        kept.emulate_media(color_scheme=None)

    def _console(self, message):
        if message.type in ("warning", "error"):
            self.troubles.append(f"console {message.type}: {message.text}")

    def open(self, view="shelf"):
        self.page.goto(f"{self.server.base}/p/{self.project}/{view}")
        self.page.wait_for_function("() => window.zeroKnot?.session.sheet")

    def walk_to(self, title):
        """Another view by its link in the rail, without leaving the page; once it is there."""
        link = self.page.locator("nav.rail").get_by_role("link", name=title, exact=True)
        link.click()
        self.page.locator("nav.rail a[aria-current=page]", has_text=title).wait_for()

    def shelved(self, name):
        """A rendered loop on the shelf; its hash."""
        self.send(wav_bytes(rendered(name), 16), f"{name}.wav")
        self.server.settle()
        return next(r["sha"] for r in self.server.rows() if r["name"] == name)

    def taken_in(self, samples, name):
        """A sound of the test's own on the shelf; its hash."""
        self.send(wav_bytes(audio(0.5 * samples), 16), f"{name}.wav")
        self.server.settle()
        return next(r["sha"] for r in self.server.rows() if r["name"] == name)

    def send(self, data, name):
        """Hand the server a file."""
        return self.server.bring(self.own(data), name)

    def own(self, data):
        """The same sound as another file to each module: what one does to its loops is nothing
        to the others."""
        return with_chunk(data, b"junk", type(self).__module__.encode())

    def state(self):
        return self.server.get(f"/api/projects/{self.project}")

    def intent(self, **intent):
        revision = self.state()["revision"]
        path = f"/api/projects/{self.project}/intents"
        return self.server.post(path, revision=revision, intent=intent)

    def slow_edits(self, ms):
        """From now on, until the page is left, every edit takes that much longer."""
        self.page.evaluate("""(ms) => {
          const { fetch } = window;
          window.fetch = async (path, how) => {
            if (`${path}`.endsWith("/intents")) await new Promise((done) => setTimeout(done, ms));
            return await fetch(path, how);
          };
        }""", ms)  # fmt: skip

    def wait(self, what, seconds=PATIENCE):
        """Wait until a Python condition holds; gives its value."""
        end = time.perf_counter() + seconds
        pause = 25.0
        while time.perf_counter() < end:
            value = what()
            if value:
                return value
            self.page.wait_for_timeout(pause)
            pause = min(200.0, 1.4 * pause)
        self.fail(f"did not come true within {seconds} s")

    def engine(self, expression):
        """Evaluate on the page, `e` the engine and `s` the session."""
        return self.page.evaluate(
            f"() => {{ const s = zeroKnot.session; const e = s.engine_; return {expression}; }}"
        )

    def beat(self):
        return self.engine("s.beat()")
