"""How long from the gesture to the first frame on the audio clock?

An eight-bar stereo loop is heard in hand, as fitted, in headless Chromium: never rendered (the
project's tempo is another each time) and rendered before (the same again, the page's own cache
emptied); as a shelf's row that was prepared ahead; and joining a song that plays. Reported: median
and 95th percentile.
"""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.server import Server

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import wav_bytes

ROUNDS = 150  # a third of them prepared ahead

HEAR = """async (hand) => {
  const heardFrom = async (engine) => {
    while (engine.hand.plan.heard === null) await new Promise((done) => setTimeout(done, 1));
    return engine.hand.plan.begunAt / engine.rate;
  };
  const {session, app} = zeroKnot;
  const engine = session.engine();
  app.stopHand();
  engine.blocks.clear();
  const before = engine.context.currentTime;
  await app.hearHand(hand, "fitted", false);
  return await heardFrom(engine) - before;
}"""


# Joining the running song: to the moment at which the exchange of events is on the clock.
JOIN = """async (hand) => {
  const {session, app} = zeroKnot;
  const engine = session.engine();
  app.stopHand();
  if (!engine.song.isPlaying) engine.song.play(0);
  while (!engine.song.isPlaying) await new Promise((done) => setTimeout(done, 2));
  await new Promise((done) => setTimeout(done, 60));
  engine.blocks.clear();
  const joined = () => engine.song.plan.current.events.some((e) => e.track === "hand");
  while (joined()) await new Promise((done) => setTimeout(done, 2));
  const before = engine.context.currentTime;
  await app.hearHand(hand, "fitted", true, {audition: "lay=1&matched=true"});
  while (!joined()) await new Promise((done) => setTimeout(done, 2));
  return engine.context.currentTime + 0.03 - before;
}"""


def eight_bars() -> bytes:
    """Eight bars at 88 BPM, stereo, 21.8 s."""
    sound = eight_seconds("keys_88")
    frames = round(32 * 60 / 88 * sound.rate)
    samples = np.tile(sound.samples[:, : frames // 4], (1, 4))
    return wav_bytes(Audio(np.ascontiguousarray(samples), sound.rate), 24)


def table() -> str:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        server = Server(Path(folder))
        try:
            measured = _measured(server)
        finally:
            server.stop()
    lines = [
        "| 8 bars, stereo, 100 times (ahead: 50) | median, ms | 95th percentile, ms |",
        "|---|---|---|",
    ]
    for name, seconds in measured.items():
        middle, late = np.percentile(np.asarray(seconds) * 1000, (50, 95))
        lines.append(f"| {name} | {middle:.0f} | {late:.0f} |")
    return "\n".join(lines)


def _measured(server: Server) -> dict[str, list[float]]:
    server.bring(eight_bars(), "keys_88bpm.wav")
    server.settle()
    sha = server.rows()[0]["sha"]
    project = server.post("/api/projects", name="Bench")["id"]
    fresh, again, ahead, joining = [], [], [], []
    with sync_playwright() as playwright:
        flags = [*FLAGS, "--autoplay-policy=no-user-gesture-required"]
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        page = browser.new_page()
        page.goto(f"{server.base}/p/{project}/shelf")
        page.wait_for_function("() => window.zeroKnot?.session.sheet")
        page.wait_for_timeout(6000)  # the worker is warm by then
        page.evaluate(HEAR, sha)
        for i in range(ROUNDS):
            revision = server.get(f"/api/projects/{project}")["revision"]
            server.post(
                f"/api/projects/{project}/intents", revision=revision,
                intent={"kind": "set_steady_tempo", "bpm": 80 + 0.37 * i},
            )  # fmt: skip
            page.wait_for_timeout(60)
            if i % 3 == 2:
                asked = {"hands": [sha], "audition": {}}
                server.post(f"/api/projects/{project}/prepare", **asked)
                page.wait_for_timeout(700)
                ahead.append(page.evaluate(HEAR, sha))
                continue
            fresh.append(page.evaluate(HEAR, sha))
            page.wait_for_timeout(700)  # what comes next has been rendered by then
            again.append(page.evaluate(HEAR, sha))
            joining.append(page.evaluate(JOIN, sha))
            page.evaluate("() => zeroKnot.session.engine_.song.stop()")
        browser.close()
    return {
        "never rendered": fresh, "rendered before": again, "prepared ahead": ahead,
        "joining the song, rendered before": joining,
    }  # fmt: skip
