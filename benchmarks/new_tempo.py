"""How long from Enter on a tempo to the first frame in it?

Tracks of eight-bar stereo loops (drums, keys and bass by turns, each a file of its own) play in
headless Chromium; a tempo they were never rendered at is typed, again and again. Reported: seconds
from Enter to the bar line on which all of them go on in the new tempo, how many bar lines that were
at least 0.8 s away went by without it, and the frames that were due meanwhile and did not sound.
"""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.server import Server

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import wav_bytes

TRACKS = (4, 12, 24)
ROUNDS = 8
SURE_SECONDS = 0.8

TYPE = """async (bpm) => {
  const {session} = zeroKnot;
  const {song} = session.engine();
  const rate = song.player.rate;
  const missed = song.plan.handout.missed;
  const field = document.getElementById("tempo-field");
  field.value = String(bpm);
  field.dispatchEvent(new Event("change", {bubbles: true}));
  const pressed = song.player.now;
  const isNew = (run) => Number(run.mark.time_key.split(" ")[1]) === bpm;
  while (!isNew(song.plan.handout.last)) {
    if (song.player.now - pressed > 60 * rate) throw new Error("it never came");
    await new Promise((done) => setTimeout(done, 2));
  }
  const i = song.plan.handout.runs.findIndex(isNew);
  const [old, run] = song.plan.handout.runs.slice(i - 1, i + 1);
  const lines = old.mark.pulses.filter((p) => p[3] === 1).map((p) => old.context + p[1] - old.song);
  const passed = lines.filter((l) => l >= pressed + SURE * rate && l < run.context).length;
  return [(run.context - pressed) / rate, passed, song.plan.handout.missed - missed];
}""".replace("SURE", str(SURE_SECONDS))


def table() -> str:
    lines = [
        "| tracks of 8 bars, never rendered | Enter to new tempo, s: median | most "
        "| bar lines that went by, most | missed, ms |",
        "|---|---|---|---|---|",
    ]
    for tracks in TRACKS:
        told = np.asarray(_measured(tracks))
        lines.append(
            f"| {tracks} | {np.median(told[:, 0]):.2f} | {told[:, 0].max():.2f} "
            f"| {told[:, 1].max():.0f} | {told[:, 2].sum() / 44.1:.0f} |"
        )
    return "\n".join(lines)


def _measured(tracks: int) -> list[list[float]]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        server = Server(Path(folder))
        try:
            project = _song(server, tracks)
            with sync_playwright() as playwright:
                flags = [*FLAGS, "--autoplay-policy=no-user-gesture-required"]
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
                page = browser.new_page()
                page.goto(f"{server.base}/p/{project}/arrange")
                told = _typed(page)
                browser.close()
        finally:
            server.stop()
    return told


def _song(server: Server, tracks: int) -> str:
    for i in range(tracks):
        one = eight_seconds(("drums_103", "keys_88", "bass_97")[i % 3])
        samples = np.tile(one.samples, (1, 2)) * (1 - i / 1000)
        server.bring(wav_bytes(Audio(np.ascontiguousarray(samples), one.rate), 16), f"{i}.wav")
    server.settle(300)
    project = server.post("/api/projects", name="Bench")["id"]
    for row in server.rows():
        for intent in (
            {"kind": "lay_on", "hand": row["sha"], "beats": 32},
            {"kind": "place", "hand": row["sha"], "beat": 0, "passes": 40},
        ):
            revision = server.get(f"/api/projects/{project}")["revision"]
            path = f"/api/projects/{project}/intents"
            server.post(path, revision=revision, intent=intent)
    return project


def _typed(page: Page) -> list[list[float]]:
    page.wait_for_function("() => window.zeroKnot?.session.sheet")
    page.wait_for_timeout(6000)  # the worker is warm by then
    page.evaluate("() => zeroKnot.session.engine().song.play(0)")
    page.wait_for_function("() => zeroKnot.session.beat() > 1")
    told = []
    rng = np.random.default_rng(4)
    for i in range(ROUNDS):
        page.wait_for_timeout(int(rng.integers(2000, 5000)))
        told.append(page.evaluate(TYPE, round(96.5 + 1.5 * i, 1)))
    return told
