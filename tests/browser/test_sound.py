import base64

import numpy as np

from tests.browser.harness import BrowserTest
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.core.render.plan import BLOCK_FRAMES
from zeroknot.settings import Settings
from zeroknot.store.audio_store import block_path
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio

# The same lane and mixer that play live, on an offline context, the whole window at once.
OFFLINE = """async () => {
  const {Blocks} = await import("/static/js/engine/blocks.js");
  const {Mixer} = await import("/static/js/engine/mixer.js");
  const {Lane} = await import("/static/js/engine/lane.js");
  const {blocksBetween} = await import("/static/js/engine/schedule.js");
  const sheet = zeroKnot.session.sheet;
  const from = sheet.first_frame;
  const frames = sheet.end_frame - from;
  const context = new OfflineAudioContext(2, frames, sheet.rate);
  const blocks = new Blocks(sheet.rate);
  const mixer = new Mixer(context, context.destination);
  for (const {id, gain} of sheet.tracks) mixer.add(id, gain);
  mixer.master.gain.value = sheet.master;
  const channels = (digest) => sheet.shapes[digest].channels;
  const lane = new Lane(context, blocks, (e) => mixer.input(e.track), channels);
  for (const e of sheet.events) {
    for (const i of blocksBetween(e, from, sheet.end_frame)) {
      await blocks.get(e.digest, i, channels(e.digest));
    }
  }
  lane.play(sheet.events, from, sheet.end_frame, 0, true, () => Infinity);
  const made = await context.startRendering();
  const bytes = new Uint8Array(frames * 8);
  for (let c = 0; c < 2; c += 1) {
    bytes.set(new Uint8Array(made.getChannelData(c).slice().buffer), c * frames * 4);
  }
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) {
    text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  }
  return [frames, lane.late, btoa(text)];
}"""


class SoundTest(BrowserTest):
    def shelf(self, name):
        self.server.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
        self.server.settle()
        return next(r["sha"] for r in self.server.rows() if r["name"] == name)

    def test_browser_and_python_mix_are_the_same(self):
        drums, keys, bass = (self.shelf(n) for n in ("drums_103", "keys_88", "bass_97"))
        self.intent(kind="set_steady_tempo", bpm=95.5)
        self.intent(kind="set_stretch", hand=keys, semitones=-2)
        self.intent(kind="place", hand=drums, beat=0, passes=2)
        self.intent(kind="place", hand=keys, beat=2)
        state = self.intent(kind="place", hand=bass, beat=4, passes=3)
        self.intent(kind="change_clip", clip=state["clips"][2]["id"], length=9.5)
        self.intent(kind="change_track", track=state["tracks"][0]["id"], level_db=-2.5)
        self.intent(kind="set_master", level_db=-1.5)
        self.open("arrange")
        frames, late, text = self.page.evaluate(OFFLINE)
        self.assertEqual(late, 0)
        browser = np.frombuffer(base64.b64decode(text), "<f4").reshape(2, frames)
        expected = self.python_mix(frames)
        error = np.sqrt(np.mean((browser - expected) ** 2)) / np.sqrt(np.mean(expected**2))
        self.assertLess(20 * np.log10(error), -60)
        self.assertGreater(np.abs(expected).max(), 0.05)

    def python_mix(self, frames):
        studio = Studio(Settings(data=self.data), Executors.inline())
        self.addCleanup(studio.close)
        sheet = studio.sheet(studio.projects.state(self.project).project)

        def read(digest, first, count):
            plan = studio.renders.plan(digest)
            blocks = [
                np.fromfile(block_path(self.data, digest, i), "<f4").reshape(2, -1)
                for i in range(plan.blocks)
            ]
            return np.concatenate(blocks, axis=1)[:, first : first + count]

        self.assertEqual(sheet.end_frame - sheet.first_frame, frames)
        self.assertGreater(frames, 2 * BLOCK_FRAMES)
        return mix(sheet, read, sheet.first_frame, frames)

    def test_ten_minutes_end_on_the_exact_sample(self):
        bass = self.shelf("bass_97")
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


class RulesTest(BrowserTest):
    """What the browser looks up is what the core computed."""

    def evaluate(self, body):
        return self.page.evaluate(f"async () => {{ {body} }}")

    def test_rounding_positions_and_fades(self):
        self.open()
        got = self.evaluate(
            'const {frame} = await import("/static/js/engine/schedule.js");'
            "return [-1.5, -0.5, 0.5, 1.5, 2.4999].map(frame);"
        )
        self.assertEqual(got, [-1, 0, 1, 2, 2])
        got = self.evaluate(
            'const {envelope} = await import("/static/js/engine/schedule.js");'
            "const e = {fade_in: 10, fade_out: 20, frames: 100};"
            "return [envelope(e, 0, 100), envelope(e, 5, 90)];"
        )
        self.assertEqual(got[0], [[0, 0], [10, 1], [80, 1], [100, 0]])
        self.assertEqual(got[1], [[5, 0.5], [10, 1], [80, 1], [90, 0.5]])

    def test_bar_pulse_sixteenth_as_in_the_core(self):
        self.intent(kind="set_metre", metre="6/8")
        from zeroknot.core.timeline.metre_map import Metre, MetreMap

        metre_map = MetreMap.steady(Metre(6, 8))
        self.open()
        beats = [0, 0.3, 1.5, 2.75, 3, 7.1, 44.9]
        got = self.evaluate(
            'const {position} = await import("/static/js/format.js");'
            f"return {beats}.map((b) => position(zeroKnot.session.sheet.pulses, b));"
        )
        self.assertEqual(got, [str(metre_map.position(b)) for b in beats])

    def test_parts_meet_and_none_is_lost_or_twice(self):
        self.open()
        got = self.evaluate(
            'const {partsIn} = await import("/static/js/engine/schedule.js");'
            "const e = {at: 1000, start: 30000, frames: 75000};"
            "const parts = [];"
            "for (let w = 0; w < 80000; w += 4410) parts.push(...partsIn(e, w, w + 4410, false));"
            "const joined = partsIn(e, 20000, 24410, true);"
            "return [parts.map((p) => [p.at, p.index, p.offset, p.frames]),"
            " joined.map((p) => [p.at, p.index, p.offset, p.frames, p.from])];"
        )
        # 2 · 16 384 − 30 000 = 2 768 frames are left of block 1; then whole blocks, and the rest.
        self.assertEqual(
            got[0],
            [
                [1000, 1, 13616, 2768],
                [3768, 2, 0, 16384],
                [20152, 3, 0, 16384],
                [36536, 4, 0, 16384],
                [52920, 5, 0, 16384],
                [69304, 6, 0, 6696],
            ],
        )
        # Joined at 20 000: block 2, 16 232 frames in.
        self.assertEqual(got[1], [[20000, 2, 16232, 152, 19000], [20152, 3, 0, 16384, 19152]])
