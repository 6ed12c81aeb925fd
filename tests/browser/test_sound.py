import base64

import numpy as np

from tests.browser.harness import BrowserTest
from tests.browser.replay import Replay
from zeroknot.core.mixing.mix import mix
from zeroknot.settings import Settings
from zeroknot.store.audio_store import block_path
from zeroknot.studio.executors import Executors
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import desk_plan
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks.rendering import rendering_of

# The player that plays live, on an offline clock that stands still while blocks are on their way.
# script: [second, what is done] in order; "sheet" takes the sheet of that number.
OFFLINE = """async ({sheets, script, seconds}) => {
  const {Blocks} = await import("/static/js/engine/blocks.js");
  const {Mixer} = await import("/static/js/engine/mixer.js");
  const {Song} = await import("/static/js/engine/song.js");
  const {Click} = await import("/static/js/engine/click.js");
  const {rate} = sheets[0];
  const frames = Math.round(seconds * rate);
  const context = new OfflineAudioContext(2, frames, rate);
  const blocks = new Blocks(rate);
  const mixer = new Mixer(context, context.destination);
  const song = new Song(context, blocks, mixer, new Click(context), () => 0);
  await mixer.ready;
  const log = [];
  song.player.log = log;
  const doing = {
    sheet: (i) => song.adopt(sheets[i]),
    play: (beat) => song.play(beat),
    go: (beat) => song.go(beat),
    cycle: (from, to) => song.setCycle(to ? {from, to} : null),
    stop: () => song.stop(),
  };
  const left = [...script];
  const step = async () => {
    while (left.length && left[0][0] <= context.currentTime + 1e-9) {
      const [, what, ...how] = left.shift();
      doing[what](...how);
    }
    song.player.wake();
    while (blocks.questions.size) await new Promise((done) => setTimeout(done, 2));
    song.player.wake();
    await mixer.settled();
  };
  await step();
  for (let at = 1024; at < frames; at += 1024) {
    context.suspend(at / rate).then(step).then(() => context.resume());
  }
  const made = await context.startRendering();
  const bytes = new Uint8Array(frames * 8);
  for (let c = 0; c < 2; c += 1) {
    bytes.set(new Uint8Array(made.getChannelData(c).slice().buffer), c * frames * 4);
  }
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) {
    text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  }
  const orders = log.map((o) => o.spans ? {...o, spans: [...o.spans]} : o);
  return [orders, btoa(text), song.plan.handout.missed];
}"""


class SoundTest(BrowserTest):
    def play(self, sheets, script, seconds):
        """What the browser plays of a script, and what the core does of the same orders."""
        log, text, missed = self.page.evaluate(
            OFFLINE, {"sheets": sheets, "script": script, "seconds": seconds}
        )
        self.assertEqual(missed, 0)
        browser = np.frombuffer(base64.b64decode(text), "<f4").reshape(2, -1)
        python = Replay(sheets[0]["rate"], self.block).play(log, browser.shape[1])
        return browser, python, log

    def block(self, digest, index):
        return np.fromfile(block_path(self.data, digest, index), "<f4").reshape(2, -1)

    def sheet(self, hand=None):
        query = f"?hand={hand}" if hand else ""
        return self.server.get(f"/api/projects/{self.project}/sheet{query}")

    def assert_null(self, browser, python, below=-90.0):
        error = np.sqrt(np.mean((browser - python) ** 2)) / np.sqrt(np.mean(python**2))
        self.assertLess(20 * np.log10(error), below)
        self.assertGreater(np.abs(python).max(), 0.05)

    def arranged(self):
        drums, keys, bass = (self.shelved(n) for n in ("drums_103", "keys_88", "bass_97"))
        self.intent(kind="set_steady_tempo", bpm=95.5)
        self.intent(kind="set_shift", hand=keys, semitones=-2)
        self.intent(kind="place", hand=drums, beat=0, passes=2)
        self.intent(kind="place", hand=keys, beat=2)
        state = self.intent(kind="place", hand=bass, beat=4, passes=3)
        self.intent(kind="change_clip", clip=state["clips"][2]["id"], length=9.5)
        self.intent(kind="change_track", track=state["tracks"][0]["id"], level_db=-2.5)
        return self.intent(kind="set_master", level_db=-1.5)

    def test_browser_and_python_mix_are_the_same(self):
        self.arranged()
        self.open("arrange")
        sheet = self.sheet()
        seconds = (sheet["end_frame"] - sheet["first_frame"]) / sheet["rate"]
        browser, python, log = self.play([sheet], [[0, "sheet", 0], [0, "play", 0]], seconds + 0.5)
        self.assert_null(browser, python)
        # The same as the arrangement mixed down, from its first sound on.
        begun = min(o["at"] for o in log if o["do"] == "part")
        mixed = self.python_mix(sheet["end_frame"] - sheet["first_frame"])
        self.assert_null(browser[:, begun : begun + mixed.shape[1]], mixed)

    def test_jumps_a_cycle_edits_and_a_tempo_swap_null_too(self):
        state = self.arranged()
        self.open("arrange")
        sheets = [self.sheet()]
        first, second, _ = (c["id"] for c in state["clips"])
        self.intent(kind="change_clip", clip=first, gain_db=-6)
        self.intent(kind="change_track", track=state["tracks"][0]["id"], level_db=-9)
        self.intent(kind="remove_clips", clips=[second])
        sheets.append(self.sheet())
        self.intent(kind="set_steady_tempo", bpm=120)
        sheets.append(self.sheet())
        script = [
            [0, "sheet", 0], [0, "play", 0], [1.3, "go", 5], [2.2, "cycle", 4, 5.5],
            [5.1, "sheet", 1], [6.0, "cycle", 0, 0], [6.4, "sheet", 2], [9.5, "go", 3.3],
            [10.4, "cycle", 3, 4], [11.9, "stop"],
        ]  # fmt: skip
        browser, python, log = self.play(sheets, script, 12.5)
        self.assert_null(browser, python)
        self.assertEqual(np.abs(browser[:, -8000:]).max(), 0)
        # All of it was in the log: joins, cuts, releases, levels, the swap.
        parts = [o for o in log if o["do"] == "part"]
        self.assertTrue(any(o["rises"] for o in parts) and any(o["falls"] for o in parts))
        self.assertEqual(
            len({o["event"]["digest"] for o in parts if o["event"]["track"]}) > 4, True
        )
        self.assertGreater(sum(o["do"] == "release" for o in log), 6)
        # And it never clicks: no step larger than the loops' own.
        step = np.abs(np.diff(browser, axis=1)).max()
        self.assertLess(step, 1.5 * np.abs(np.diff(self.python_loops(log), axis=1)).max())

    def with_every_effect(self):
        """The arrangement with all of the desk in it, a ramp of the tempo and a change of key."""
        state = self.arranged()
        one, two, three = (t["id"] for t in state["tracks"])
        self.intent(kind="change_sound", track=one, values={
            "low_cut_hz": 80, "low_cut_slope": 24, "bell1_db": 5, "high_db": 4, "threshold_db": -30,
            "ratio": 4, "makeup_db": 6, "room_db": -9,
        })  # fmt: skip
        self.intent(kind="change_sound", track=two, listens_to=one, values={
            "threshold_db": -36, "ratio": 8, "drive_db": 6, "pan": -0.4, "echo_db": -6,
            "bell2_db": -8, "low_db": 3,
        })  # fmt: skip
        self.intent(kind="change_sound", track=three, values={
            "high_cut_hz": 3000, "high_cut_slope": 24, "pan": 0.5, "room_db": -15, "echo_db": -12,
        })  # fmt: skip
        self.intent(kind="change_sound", track="master", values={
            "low_cut_hz": 30, "threshold_db": -20, "ratio": 2, "high_db": 1.5,
        })  # fmt: skip
        line = [{"beat": 1, "value": -3, "bend": 2}, {"beat": 4, "value": -24},
                {"beat": 6, "value": 0, "shape": "step"}, {"beat": 7, "value": -6}]  # fmt: skip
        self.intent(kind="set_line", track=one, name="level_db", points=line)
        sweep = [{"beat": 0.5, "value": 40}, {"beat": 5, "value": 1500}, {"beat": 8, "value": 20}]
        self.intent(kind="set_line", track=two, name="low_cut_hz", points=sweep)
        turned = [
            {"beat": 1, "value": 0},
            {"beat": 4, "value": -9, "bend": -3},
            {"beat": 7, "value": -3},
        ]
        self.intent(kind="set_line", track="master", name="level_db", points=turned)
        brighter = [{"beat": 0, "value": -6}, {"beat": 8, "value": 6}]
        self.intent(kind="set_line", track="master", name="high_db", points=brighter)
        mutes = [{"beat": 0, "value": 0, "shape": "step"}, {"beat": 3, "value": 1, "shape": "step"},
                 {"beat": 3.5, "value": 0}]  # fmt: skip
        self.intent(kind="set_line", track=three, name="muted", points=mutes)
        self.intent(kind="set_tempo_point", beat=3, bpm=101, shape="ramp")
        self.intent(kind="set_tempo_point", beat=7, bpm=88)
        self.intent(kind="set_key_at", bar=1, key="C")
        self.intent(kind="set_key_at", bar=2, key="D")
        # Slices that send, clips that cross, run backwards, have a line, give way, go by lines.
        drums = next(c["strand"] for c in state["clips"] if c["track"] == one)
        self.intent(kind="cut_up", hand=drums, by="equal", count=8)
        self.intent(kind="change_pieces", hand=drums, which=[2, 5], echo_db=-3, room_db=-6)
        first, _, bass = (c["id"] for c in state["clips"])
        self.intent(kind="split_clips", clips=[first], beats=[6])
        state = self.intent(kind="split_clips", clips=[bass], beats=[8.5])
        later = next(c["id"] for c in state["clips"] if c["track"] == one and c["beat"] == 6)
        self.intent(kind="change_clip", clip=later, slip=1.0, length=8, cross_ms=120)
        behind = next(c["id"] for c in state["clips"] if c["track"] == three and c["beat"] == 8.5)
        self.intent(kind="reverse_clips", clips=[behind])
        line = [{"beat": 1, "value": -9, "bend": 3}, {"beat": 4, "value": 3, "shape": "step"},
                {"beat": 5, "value": 0}]  # fmt: skip
        self.intent(
            kind="change_clip", clip=first, fade_in_ms=700, fade_in_curve="power", gain_line=line
        )
        self.intent(kind="set_line", track=three, name="shift_st", points=[
            {"beat": 0, "value": 0, "shape": "step"}, {"beat": 7, "value": 3},
        ])  # fmt: skip
        self.intent(kind="set_line", track=one, name="slices_cut_hz", points=[
            {"beat": 0, "value": 900}, {"beat": 12, "value": 12_000},
        ])  # fmt: skip
        self.intent(kind="change_track", track=two, gives_way_to=three)
        self.intent(kind="set_room", room={"size": "small", "level_db": -2})
        return self.intent(kind="set_echo", echo={"beats": 0.75, "feedback": 0.5})

    def test_the_page_plays_what_is_mixed_down_with_every_effect(self):
        self.with_every_effect()
        self.open("arrange")
        sheet = self.sheet()
        # All of it is in what the page is told.
        tracks = {e["track"].rpartition(">")[2] for e in sheet["events"]}
        self.assertLessEqual({"room", "echo"}, tracks)
        shapes = [e["shape"] for e in sheet["events"]]
        self.assertTrue(any(0 in dict(shape).values() for shape in shapes))  # it gives way
        self.assertGreater(sum(len(shape) > 20 for shape in shapes), 2)
        mixed = self.mixed_down()
        browser, python, log = self.play(
            [sheet], [[0, "sheet", 0], [0, "play", 0]], mixed.shape[1] / sheet["rate"] + 0.5
        )
        self.assert_null(browser, python)
        begun = next(o["at"] for o in log if o["do"] == "run")
        heard = browser[:, begun : begun + mixed.shape[1]]
        # What rings when the song stops, stops with what is sent: compared up to there.
        end = sheet["close_frame"] - sheet["first_frame"]
        self.assert_null(heard[:, :end], mixed[:, :end])

    def test_every_effect_over_jumps_a_cycle_and_another_time(self):
        self.with_every_effect()
        self.open("arrange")
        sheets = [self.sheet()]
        self.intent(kind="set_tempo_point", beat=5, bpm=130)
        sheets.append(self.sheet())
        script = [
            [0, "sheet", 0], [0, "play", 0], [1.3, "go", 5], [2.2, "cycle", 4, 5.5], [4.1, "go", 1],
            [4.9, "cycle", 0, 0], [5.2, "sheet", 1], [8.5, "go", 3.3], [9.4, "cycle", 3, 4],
            [10.9, "go", 6.2], [11.5, "cycle", 0, 0],
        ]  # fmt: skip
        browser, python, log = self.play(sheets, script, 12.5)
        self.assertGreater(sum(o["do"] == "run" for o in log), 6)
        windows = [(i, browser[:, i : i + 55_125], python[:, i : i + 55_125])
                   for i in range(0, browser.shape[1], 55_125)]  # fmt: skip
        self.assertEqual(len(windows), 10)
        for at, one, other in windows:
            with self.subTest(at):
                self.assert_null(one, other)

    def mixed_down(self):
        """The song as a file, by the core alone."""
        studio = Studio(Settings(data=self.data), Executors.inline())
        self.addCleanup(studio.close)
        project = studio.projects.state(self.project).project
        maker = SheetMaker(project, studio.loops.named(project.loops()))
        plan = desk_plan(project, maker, 0, project.tempo_map.frame_of_beat(16, project.rate))
        return rendering_of(self.data, plan).whole()

    def python_loops(self, log):
        """Every block that was heard, one after the other, as loud as it was."""
        used = {(o["event"]["digest"], o["index"], o["event"]["gain"])
                for o in log if o["do"] == "part"}  # fmt: skip
        return np.concatenate([g * self.block(d, i) for d, i, g in used], axis=1)

    def python_mix(self, frames):
        studio = Studio(Settings(data=self.data), Executors.inline())
        self.addCleanup(studio.close)
        sheet = studio.sheet(studio.projects.state(self.project).project)

        def read(digest, first, count):
            plan = studio.renders.plan(digest)
            blocks = [self.block(digest, i) for i in range(plan.blocks)]
            return np.concatenate(blocks, axis=1)[:, first : first + count]

        return mix(sheet, read, sheet.first_frame, frames)

    def test_ten_minutes_end_on_the_exact_sample(self):
        bass = self.shelved("bass_97")
        self.intent(kind="set_steady_tempo", bpm=97)
        self.intent(kind="set_lead", hand=bass, lead=False)
        self.intent(kind="place", hand=bass, beat=0, passes=243)
        self.open("arrange")
        events = self.page.evaluate("() => zeroKnot.session.sheet.events")
        self.assertEqual(len(events), 243)
        # 243 bars · 4 · 60 / 97 · 44 100 = 26 514 556.7: the end of the last body.
        shapes = self.page.evaluate("() => zeroKnot.session.sheet.shapes")
        last = events[-1]
        self.assertEqual(last["at"] + shapes[last["digest"]]["body"], 26_514_557)
        gaps = [b["at"] - a["at"] for a, b in zip(events, events[1:], strict=False)]  # noqa: RUF007
        self.assertEqual(set(gaps), {109_113, 109_114})


class LatencyTest(BrowserTest):
    """What is seen is what is heard: headless browsers tell no latency, so it is passed in."""

    def test_the_playhead_and_the_place_in_hand_are_those_that_leave_the_speaker(self):
        sha = self.shelved("drums_103")
        self.intent(kind="place", hand=sha, beat=0, passes=8)
        self.open("arrange")
        self.page.locator("#strip").focus()
        self.page.keyboard.press("Space")
        self.wait(lambda: self.engine("e && e.song.isPlaying") and self.beat() > 2)
        told = self.page.evaluate(
            """async (sha) => {
              const {session, app} = zeroKnot;
              const e = session.engine_;
              const seen = [];
              for (const latency of [0, 0.04, 0.25]) {
                e.latencyGiven = latency;
                const now = e.song.player.now;
                seen.push([latency, e.song.plan.beatAt(now) - session.beat()]);
              }
              e.latencyGiven = 0;
              await app.hearHand(sha, "fitted", false);
              while (!e.hand.isPlaying || e.hand.second() < 0.6) {
                await new Promise((done) => setTimeout(done, 10));
              }
              for (const latency of [0, 0.04, 0.25]) {
                e.latencyGiven = latency;
                const now = e.hand.player.now;
                seen.push([latency, e.hand.plan.secondAt(now) - e.hand.second()]);
              }
              return seen;
            }""",
            sha,
        )
        for latency, beats in told[:3]:
            self.assertAlmostEqual(beats, latency * 120 / 60, delta=0.02)
        for latency, seconds in told[3:]:
            # Of the recording: it is played 120 / 103 times as fast.
            self.assertAlmostEqual(seconds, latency * 120 / 103, delta=0.02)
