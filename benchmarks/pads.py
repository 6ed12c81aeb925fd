"""How long from striking a pad to its sound, and from an edit of an order to its sound?

In headless Chromium. Pads: 500 strokes of the pad box while a song plays and renders run, from each
stroke's time stamp to the call that starts its sound, plus from the audio clock's time then to the
frame it begins at. Orders: 64 tiles over 8 bars; from the press of a key to the first block of the
changed order, and of a new deal, being there to be heard. What is mixed live: from a change to the
audio thread mixing it. 1 000 tiles and 128 slices: frames a second while tiles are dragged (drawing
in software), and how long an edit takes.
"""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.server import Server

from benchmarks.first_sound import eight_bars
from benchmarks.sounds import eight_seconds
from zeroknot.core.formats.riff import wav_bytes

STROKES, EDITS = 500, 60
TILES, SLICES = 1000, 128

STRIKE = """async (count) => {
  const {padBox} = await zeroKnot.module("slices/pad-box.js");
  const at = (i) => i * 40 + (i * 7) % 13;
  const sent = Array.from({length: count}, (_, i) => [at(i), 36 + (i * 5) % 16, 90]);
  const box = padBox({key: "b", name: "b", sent});
  const s = zeroKnot.app.slices;
  let struck = 0;
  [...box.inputs.values()][0].onmidimessage = (e) => {
    struck += 1;
    s.strikePad(e.data[1] - 36, e.data[2] / 127, e.timeStamp);
  };
  box.begin();
  while (struck < count) await new Promise((done) => setTimeout(done, 50));
  return s.padDelays().slice(-count);
}"""

CHANGED = """async (intent) => {
  const {session, app} = zeroKnot;
  const before = performance.now();
  const hand = app.slices;
  const known = session.engine().hand.sheet?.digest;
  const done = hand.changeForTests(intent);
  const until = before + 10000;
  const isSame = () => session.engine().hand.plan.heard?.sheet.digest === known;
  while (isSame() && performance.now() < until) {
    await new Promise((go) => setTimeout(go, 1));
  }
  const ms = performance.now() - before;
  await done;
  return ms;
}"""


LIVE = """async () => {
  const s = zeroKnot.app.slices;
  s.nearSlices(true);
  while (!s.liveIsReady()) await new Promise((done) => setTimeout(done, 20));
  for (let i = 0; i < 300; i += 1) {
    s.tryPiece("gain_db", -(i % 60) / 5);
    await new Promise((done) => setTimeout(done, 20));
  }
  return s.liveDelays();
}"""

FRAMES = """() => {
  window.frames = [];
  const look = (at) => {
    window.frames.push(at);
    window.looking = requestAnimationFrame(look);
  };
  window.looking = requestAnimationFrame(look);
}"""


def _place(server: Server, project: str, sha: str, **intent: object) -> None:
    state = server.get(f"/api/projects/{project}")
    body = {"revision": state["revision"], "intent": {"hand": sha, **intent}}
    server.post(f"/api/projects/{project}/intents", **body)


def main() -> None:
    """Print both."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            server.bring(eight_bars(), "eight.wav")
            server.bring(wav_bytes(eight_seconds("drums_103"), 24), "drums.wav")
            server.settle()
            rows = {row["name"]: row["sha"] for row in server.rows()}
            project = server.post("/api/projects", name="Pads")["id"]
            _place(server, project, rows["eight"], kind="place", beat=0, passes=8)
            _place(server, project, rows["drums"], kind="cut_up", by="equal", count=16)
            with sync_playwright() as playwright:
                chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = chromium.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{server.base}/p/{project}/slices/{rows['drums']}")
                page.wait_for_function("() => window.zeroKnot?.app.slices?.isCut")
                page.locator("#slices").click(position={"x": 400, "y": 120})
                page.keyboard.press("Space")
                page.wait_for_timeout(1500)
                _report("struck to started", np.asarray(page.evaluate(STRIKE, STROKES)))
                page.keyboard.press("Space")
                _orders(page, server, project, rows["drums"])
                _many(page, server, project, rows["drums"])
                chromium.close()
        finally:
            server.stop()


def _orders(page, server: Server, project: str, sha: str) -> None:  # type: ignore[no-untyped-def]
    _place(server, project, sha, kind="treat_order", how="length", beats=32)
    _place(server, project, sha, kind="treat_order", how="grid", step=0.5)
    page.reload()
    page.wait_for_function("() => window.zeroKnot?.app.slices?.isCut")
    page.locator("#slices").click(position={"x": 400, "y": 120})
    page.keyboard.press("Escape")
    page.keyboard.press("Enter")
    page.wait_for_function("() => zeroKnot.session.engine_?.hand.isPlaying")
    page.wait_for_timeout(2000)
    edits, deals = [], []
    for i in range(EDITS):
        edit = {"kind": "change_tiles", "which": [i % 40], "gain_db": -0.1 * (i + 1)}
        edits.append(page.evaluate(CHANGED, edit))
        page.wait_for_timeout(80)
    for i in range(EDITS):
        deals.append(page.evaluate(CHANGED, {"kind": "deal_order", "seed": i + 1}))
        page.wait_for_timeout(80)
    _report("an edit heard", np.asarray(edits))
    _report("a deal heard", np.asarray(deals))
    _report("mixed live", np.asarray(page.evaluate(LIVE)))
    page.keyboard.press("Enter")


def _many(page, server: Server, project: str, sha: str) -> None:  # type: ignore[no-untyped-def]
    _place(server, project, sha, kind="cut_up", by="equal", count=SLICES)
    _place(server, project, sha, kind="treat_order", how="grid", step=32 / TILES)
    page.reload()
    page.wait_for_function("() => window.zeroKnot?.app.slices?.isCut")
    page.wait_for_timeout(3000)
    tiles = page.evaluate("() => zeroKnot.app.slices.tilesForTests()")
    box = page.locator("#slices").bounding_box()
    x, y = box["x"] + 300, box["y"] + 0.75 * box["height"]
    page.evaluate(FRAMES)
    page.mouse.move(x, y)
    page.mouse.down()
    for i in range(200):
        page.mouse.move(x + 2 * (i % 100), y)
    page.keyboard.press("Escape")
    page.mouse.up()
    at = np.asarray(page.evaluate("() => (cancelAnimationFrame(window.looking), window.frames)"))
    print(f"{tiles} tiles dragged: {1000 / np.median(np.diff(at)):.0f} frames a second median, "
          f"{1000 / np.percentile(np.diff(at), 95):.0f} at the slowest 5 %")  # fmt: skip
    edits = []
    for i in range(EDITS // 2):
        edit = {"kind": "change_tiles", "which": [i], "gain_db": -1.0}
        edits.append(page.evaluate(
            """async (intent) => {
              const before = performance.now();
              await zeroKnot.app.slices.changeForTests(intent);
              return performance.now() - before;
            }""", edit))  # fmt: skip
    _report("an edit of it", np.asarray(edits))


def _report(what: str, ms: np.ndarray) -> None:
    print(
        f"{what:20} {np.median(ms):7.1f} ms median {np.percentile(ms, 95):7.1f} ms at 95 % "
        f"({ms.size})"
    )


if __name__ == "__main__":
    main()
