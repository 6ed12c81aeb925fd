"""How does Arrange draw and answer with 48 tracks, 2 000 clips, lines of 200 points on each track?

    python -m benchmarks.arrange_size

In headless Chromium, drawn in software: frames a second while the field is scrolled and zoomed, and
milliseconds from a key to the frame in which what it asked for is drawn; then the same while the
song plays, with what was missed of the sound meanwhile. Sounds are the tests' own.
"""

import random
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.server import Server
from tests.sounds import rendered

from zeroknot.core.formats.riff import wav_bytes
from zeroknot.document.desk import Line, LinePoint
from zeroknot.document.project import Clip, Project, Track
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import fresh_strand, new_id
from zeroknot.studio.studio import Studio

TRACKS, CLIPS, POINTS, BEATS = 48, 2_000, 200, 4.0
SECONDS, EDITS = 4, 20
NAMES = ("drums_103", "keys_88", "bass_97")

# Scrolls, or zooms, for so long; seconds between frames.
FRAMES = """async ([what, seconds]) => {
  const field = document.getElementById("field");
  const found = [];
  const begun = performance.now();
  let last = begun;
  while (last - begun < seconds * 1000) {
    const way = (last - begun) / 1000;
    if (what === "scroll") field.scrollLeft = 400 * way;
    else if (what === "scroll down") field.scrollTop = 300 * way;
    else field.dispatchEvent(new WheelEvent("wheel", {
      deltaY: Math.sin(2 * way) * 40, ctrlKey: true, clientX: 700, bubbles: true, cancelable: true,
    }));
    const now = await new Promise((done) => requestAnimationFrame(done));
    found.push(now - last);
    last = now;
  }
  return found.slice(1);
}"""
# A level of a clip is changed as the side does; ms until it is drawn.
EDIT = """async ([clip, db]) => {
  const { session } = zeroKnot;
  const begun = performance.now();
  await session.submit({ kind: "change_clips", clips: [clip], gain_db: db });
  await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
  return performance.now() - begun;
}"""


def table() -> str:
    """Frames a second and milliseconds."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        project = large(Path(folder))
        server = Server(Path(folder))
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{server.base}/p/{project}/arrange")
                page.wait_for_function("() => window.zeroKnot?.session.sheet", timeout=120_000)
                page.wait_for_timeout(3000)
                lines = ["| | still | playing |", "|---|---|---|"]
                rows = {name: measured for name, measured in _measured(page)}
                page.locator("#strip").focus()
                page.keyboard.press("Space")
                page.wait_for_function("() => zeroKnot.session.beat() > 1", timeout=60_000)
                page.wait_for_timeout(10_000)  # what was not rendered yet came late
                missed = "() => zeroKnot.session.engine_.song.plan.handout.missed"
                before = page.evaluate(missed)
                playing = {name: measured for name, measured in _measured(page)}
                for name, value in rows.items():
                    lines.append(f"| {name} | {value} | {playing[name]} |")
                gone = page.evaluate(missed) - before
                lines.append(f"| frames of sound missed meanwhile | | {gone} |")
                browser.close()
        finally:
            server.stop()
    return "\n".join(lines)


def _measured(page):
    yield "an edit until it is drawn, ms (95th percentile)", _edits(page)
    for what in ("scroll", "scroll down", "zoom"):
        gaps = np.asarray(page.evaluate(FRAMES, [what, SECONDS]))
        yield (
            f"{what}, frames a second (slowest of a hundred)",
            f"{1000 / gaps.mean():.0f} ({1000 / np.percentile(gaps, 99):.0f})",
        )
        page.evaluate("() => { field.scrollLeft = 0; field.scrollTop = 0; }")
    yield "an edit after zooming, ms (95th percentile)", _edits(page)


def _edits(page) -> str:
    clips = page.evaluate("() => zeroKnot.session.state.clips.slice(0, 40).map((c) => c.id)")
    took = [page.evaluate(EDIT, [clips[i % 40], -1 - i / 10]) for i in range(EDITS)]
    middle, late = np.percentile(took, (50, 95))
    return f"{middle:.0f} ({late:.0f})"


def large(data: Path) -> str:
    """The project; its id."""
    studio = Studio(Settings(data=data), Executors.inline())
    for name in NAMES:
        incoming = studio.store.new_incoming()
        incoming.write_bytes(wav_bytes(rendered(name), 16))
        studio.bringing.begin(incoming, f"{name}.wav")
    chance = random.Random(1)
    project = Project(id=new_id(), name="Large")
    found = studio.loops.named(studio.loops.shas())
    strands = tuple(fresh_strand(project, loop) for loop in found.values())
    per_track = -(-CLIPS // TRACKS)
    length = per_track * BEATS
    tracks = tuple(
        Track(
            id=new_id(), name=f"Track {i + 1}",
            lines=(
                Line(name="level_db", points=tuple(
                    LinePoint(beat=length * k / POINTS, value=chance.uniform(-20, -6))
                    for k in range(POINTS)
                )),
            ),
        )
        for i in range(TRACKS)
    )  # fmt: skip
    clips = tuple(
        Clip(
            id=new_id(), strand=chance.choice(strands).id, track=tracks[i % TRACKS].id,
            beat=i // TRACKS * BEATS, length=BEATS, muted=False,
        )
        for i in range(CLIPS)
    )  # fmt: skip
    full = project.changed(strands=strands, tracks=tracks, clips=clips)
    made = studio.projects.adopt(full, "large")
    studio.close()
    return made


if __name__ == "__main__":
    print(table())
