"""The loom in numbers: from a drag to its sound, frames a second, straightening, ramps.

- Drag to sound: a knot of a 16-bar stereo loop is dragged below while it is heard, in headless
  Chromium; from the pointer's event to the frame of the audio clock that is first heard anew.
  The only knot between the ends: every piece of the pass changes. A knot a bar: those beside it.
- Frames: a ten-minute take with every beat tied (over 1 000 knots, 3 000 attacks), everything
  drawn anew for every frame, at several distances.
- Straightening: takes of drums whose every hit is known (tests/takes.py, other seeds than the
  tests'), drifting by up to 6 % with a change inside; how far hits are off the grid of eighths.
- Ramp: bursts on every beat of 80 to 158 over eight bars; how far each begins from where the tempo
  map has it.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.core.render.test_ramp import BEATS, RampTest, starts_near
from tests.server import Server
from tests.sounds import RATE, audio
from tests.takes import beat_times, drummer, wandering

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.listening.beats import followed
from zeroknot.core.listening.material import material_of
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.core.warp.straighten import counted, tied, with_layer
from zeroknot.core.warp.warp_map import WarpMap

DRAGS = 60
FRAMES = 200
TAKES = 12

# Press a knot, move it again and again; after each move wait until what is heard is new.
DRAG = """async ({second, moves}) => {
  const {app, session} = zeroKnot;
  const {stage} = app;
  const engine = session.engine();
  const canvas = document.getElementById("loom");
  const fire = (type, x, y) => canvas.dispatchEvent(new PointerEvent(type, {
    clientX: x, clientY: y, button: 0, altKey: true, bubbles: true, pointerId: 1}));
  canvas.setPointerCapture = () => undefined;
  const rest = (ms) => new Promise((done) => setTimeout(done, ms));
  const [x, y] = stage.port.pointOf(second, "fitted");
  fire("pointerdown", x, y);
  fire("pointermove", x + 6, y);
  await rest(700);
  const took = [];
  for (let i = 0; i < moves; i += 1) {
    const before = engine.hand.plan.begunAt;
    const began = engine.context.currentTime;
    fire("pointermove", x + 6 + 24 * Math.sin(1.7 * i + 1) + 0.01 * i, y);
    while (engine.hand.plan.begunAt === before) await rest(2);
    took.push(engine.hand.plan.begunAt / engine.rate - began);
    await rest(200 + 37 * (i % 9));
  }
  fire("pointerup", x, y);
  return took;
}"""

DRAW = """async ({zoom, frames}) => {
  const {stage} = zeroKnot.app;
  stage.port.showAll();
  await new Promise((done) => setTimeout(done, 300));
  stage.port.zoom(zoom);
  await new Promise((done) => setTimeout(done, 3000));
  const took = [];
  const { still } = stage.layers;
  const { draw } = still;
  still.draw = (...all) => {
    const began = performance.now();
    draw(...all);
    took.push(performance.now() - began);
  };
  const gaps = [];
  let last = 0;
  for (let i = 0; i < frames; i += 1) {
    await new Promise((done) => requestAnimationFrame(done));
    const now = performance.now();
    if (last) gaps.push(now - last);
    last = now;
    stage.port.scroll(zoom > 1 ? 2 : 0);
    stage.stamp += 1;
  }
  return {took, gaps, knots: stage.host.hand().knots.length,
    attacks: stage.host.attacks().length};
}"""


def drag_table() -> str:
    lines = [
        f"| dragged, 16 bars, stereo, {DRAGS} moves | median, ms | 95th percentile, ms |",
        "|---|---|---|",
    ]
    for name, source in {"drums (Strike)": "drums_103", "keys (Weave)": "keys_88"}.items():
        for knots, tied_first in (("one knot", _tie_one), ("a knot a bar", _tie_bars)):
            took = 1000 * np.asarray(_in_browser(_sixteen_bars(source), _dragged(tied_first)))
            most = np.quantile(took, 0.95)
            lines.append(f"| {name}, {knots} | {np.median(took):.0f} | {most:.0f} |")
    return "\n".join(lines)


def frame_table() -> str:
    times = beat_times(wandering(104, 4, 1040, seed=9), 1040, 1.3)
    samples, _ = drummer(times, loose_ms=3)
    rng = np.random.default_rng(1)
    for at in times[:-1] + 0.75 * np.diff(times):  # a third hit a beat
        first = round(at * RATE)
        samples[first : first + 900] += 0.3 * rng.standard_normal(900) * np.linspace(1, 0, 900)
    found = _in_browser(wav_bytes(audio(0.5 * samples), 16), _drawn)
    first = found[0][1]
    lines = [
        f"| {first['knots']} knots, {first['attacks']} attacks | drawing, ms: median, 95th | "
        "frame to frame, ms: median, 95th |",
        "|---|---|---|",
    ]
    for name, value in found:
        cells = [f"{np.median(value[k]):.1f}, {np.quantile(value[k], 0.95):.1f}"
                 for k in ("took", "gaps")]  # fmt: skip
        lines.append(f"| {name} | {cells[0]} | {cells[1]} |")
    return "\n".join(lines)


def straighten_table() -> str:
    before, after = [], []
    for seed in range(TAKES):
        rng = np.random.default_rng(100 + seed)
        bpm, beats = float(rng.uniform(76, 140)), 120
        change = (int(rng.integers(40, 80)), float(rng.choice([0.93, 0.95, 1.05, 1.08])))
        times = beat_times(wandering(bpm, 6, beats, seed=seed, change=change), beats, 1.0)
        samples, hits = drummer(times, loose_ms=4, seed=seed)
        heard = material_of(audio(0.5 * samples)).attacks
        base = WarpMap.between(times[0], times[-1], float(beats))
        beats_heard = counted(times[0], times[-1], followed(heard, 60 / bpm, times[-1]), 1.0)
        warp = with_layer(base, tied(base, beats_heard, 1))
        for kept, found in ((before, base), (after, warp)):
            kept += [abs(found.beat_of_second(s) - p) * 60_000 / bpm for s, p in hits]
    return "\n".join(
        [f"| {TAKES} takes of 120 beats, hits loose by 4 ms | median, ms | 95th percentile, ms |",
         "|---|---|---|",
         *(f"| {name} | {np.median(v):.1f} | {np.quantile(v, 0.95):.1f} |"
           for name, v in (("as played", before), ("straightened, every beat", after)))]
    )  # fmt: skip


def ramp_table() -> str:
    case = RampTest()
    case.setUp()
    lines = ["| ramp 80 to 158 over 8 bars, three bends | most off a beat, ms |", "|---|---|"]
    attacks = material_of(case.sound).attacks
    for method in ("strike", "weave", "voice", "spool"):
        worst = 0.0
        for bend in (0.0, 2.5, -2.5):
            tempo = TempoMap((TempoPoint(0.0, 80.0, "ramp", bend), TempoPoint(float(BEATS), 158.0)))
            plan = plan_pass(
                source="", rate=RATE, warp=case.warp, tempo_map=tempo, start_beat=0.0,
                lead_from=0.02, tail_to=case.warp.end.second, method=method,
            )  # fmt: skip
            out = Rendering(case.sound, attacks, plan).whole()[0][plan.lead_frames :]
            expected = np.asarray([tempo.frame_of_beat(b, RATE) for b in range(BEATS)])
            worst = max(worst, float(np.abs(starts_near(out, expected) - expected).max()) / RATE)
        lines.append(f"| {method.title()} | {1000 * worst:.2f} |")
    return "\n".join(lines)


def _sixteen_bars(name: str) -> bytes:
    bpm = float(name.split("_")[1])
    sound = eight_seconds(name)
    frames = round(64 * 60 / bpm * sound.rate)
    samples = np.tile(sound.samples[:, : frames // 8], (1, 8))
    return wav_bytes(Audio(np.ascontiguousarray(samples), sound.rate), 24)


def _in_browser(data: bytes, measure) -> list:  # type: ignore[no-untyped-def]
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        server = Server(Path(folder))
        try:
            server.bring(data, "loop.wav")
            server.settle(300)
            sha = server.rows()[0]["sha"]
            project = server.post("/api/projects", name="Bench")["id"]
            with sync_playwright() as playwright:
                flags = [*FLAGS, "--autoplay-policy=no-user-gesture-required"]
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.set_default_timeout(120_000)
                page.goto(f"{server.base}/p/{project}/fit/{sha}")
                page.wait_for_function("() => window.zeroKnot?.app.stage?.port.seen")
                page.wait_for_timeout(6000)  # the worker is warm by then
                return measure(page)
        finally:
            server.stop()


def _dragged(tie_first: Callable[[Page], float]) -> Callable[[Page], list[float]]:
    def measure(page: Page) -> list[float]:
        page.evaluate("() => zeroKnot.session.engine()")
        second = tie_first(page)
        page.get_by_role("button", name="Hear it").click()
        page.wait_for_function("() => zeroKnot.session.engine_.hand.isPlaying")
        page.wait_for_timeout(1500)
        return list(page.evaluate(DRAG, {"second": second, "moves": DRAGS}))

    return measure


def _tie_one(page: Page) -> float:
    second = page.evaluate("() => zeroKnot.app.stage.host.hand().seconds * 0.31")
    page.evaluate("(s) => zeroKnot.app.stage.tie(s)", second)
    page.wait_for_function("() => zeroKnot.app.stage.host.hand().knots.length === 3")
    return float(second)


def _tie_bars(page: Page) -> float:
    page.evaluate("() => zeroKnot.app.stage.host.ask({kind: 'straighten', every: 1, unit: 'bars'})")
    page.wait_for_function("() => zeroKnot.app.stage.host.hand().knots.length > 8")
    return float(page.evaluate("() => zeroKnot.app.stage.host.hand().knots[5][0]"))


def _drawn(page: Page) -> list[tuple[str, dict]]:
    page.evaluate(
        "() => zeroKnot.app.stage.host.ask({kind: 'straighten', every: 1, unit: 'beats'})"
    )
    page.wait_for_function("() => zeroKnot.app.stage.host.hand().knots.length > 1000")
    page.wait_for_timeout(2000)
    names = {1: "the whole, 10 minutes", 4: "a quarter", 30: "20 seconds", 2000: "0.3 seconds"}
    return [
        (name, page.evaluate(DRAW, {"zoom": zoom, "frames": FRAMES}))
        for zoom, name in names.items()
    ]


def tables() -> str:
    return "\n\n".join(make() for make in (straighten_table, ramp_table, drag_table, frame_table))


if __name__ == "__main__":
    print(tables())
