"""What the page mixes on its audio thread is what the core mixes down."""

import base64
from dataclasses import asdict

import numpy as np

from tests.core.mixing.desk.test_strip import RATE, WHOLE, noise, run_in_pieces
from tests.js.node import NodeTest
from zeroknot.core.mixing.limiter import Limiter
from zeroknot.core.mixing.meters import Meter

NULL_DB = -110
FRAMES = 30_000
OF = """
const of = (text, frames) => {
  const all = new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
  return [all.slice(0, frames), all.slice(frames)];
};
const told = (sides) => sides.map((s) => Buffer.from(s.buffer).toString("base64"));
"""
DESK = (
    "async ([sheet, texts, first, begin, rate, frames]) => {"
    + OF
    + """
  const {Desk} = await import("/static/js/engine/desk/desk.js");
  const sounds = Object.fromEntries(Object.entries(texts).map(([id, t]) => [id, of(t, frames)]));
  const desk = new Desk(rate);
  desk.way.run({context: begin, song: first, isMoving: true, sheet});
  const size = Math.ceil((frames + begin) / 128) * 128;
  const dry = [new Float32Array(size), new Float32Array(size)];
  const room = [new Float32Array(size), new Float32Array(size)];
  const part = (sides, at) => sides.map((side) => side.subarray(at, at + 128));
  for (let at = 0; at < size; at += 128) {
    const input = (id) => sounds[id].map((side) =>
      Float32Array.from({length: 128}, (_, i) => side[at + i - begin] ?? 0));
    desk.process(at, input, 128, {dry: part(dry, at), room: part(room, at)});
  }
  return [told(dry), told(room)];
}"""
)
THROUGH = (
    "async ([text, rate, frames, ceiling]) => {"
    + OF
    + """
  const {Limiter} = await import("/static/js/engine/desk/limiter.js");
  const {PowerMeter} = await import("/static/js/engine/desk/meters.js");
  const sides = of(text, frames);
  const [limiter, meter] = [new Limiter(rate, ceiling), new PowerMeter(rate)];
  meter.feed(sides[0], sides[1]);
  for (let at = 0; at < frames; at += 128) {
    limiter.run(...sides.map((s) => s.subarray(at, at + 128)));
  }
  return [told(sides), limiter.lead, meter.take()];
}"""
)


def encoded(sound):
    return base64.b64encode(np.ascontiguousarray(sound, np.float32).tobytes()).decode()


def decoded(texts):
    return np.stack([np.frombuffer(base64.b64decode(t), np.float32) for t in texts])


class DeskTest(NodeTest):
    def test_everything_at_once_nulls(self):
        sounds = noise(FRAMES)
        first, begin = 777, 40
        dry, room, echo = (np.asarray(p) for p in run_in_pieces(WHOLE, sounds, first, FRAMES))
        texts = {id_: encoded(sound) for id_, sound in sounds.items()}
        page, sent = self.evaluate(DESK, [asdict(WHOLE), texts, first, begin, RATE, FRAMES])
        error = np.abs(decoded(page)[:, begin : begin + FRAMES] - dry - echo).max()
        self.assertLess(20 * np.log10(error / np.abs(dry).max()), NULL_DB)
        self.assertGreater(np.abs(decoded(sent)).max(), 0.01)
        self.assertGreater(np.abs(room).max(), 0.001)

    def test_the_ceiling_and_the_meters(self):
        frames = 44_032
        sound = 3 * noise(frames, 5)["a"]
        page, lead, read = self.evaluate(THROUGH, [encoded(sound), RATE, frames, -1.0])
        limiter = Limiter(RATE, 2, -1.0)
        self.assertEqual(lead, limiter.lead)
        wanted = limiter.feed(sound)
        self.assertLess(np.abs(decoded(page) - wanted).max(), 1e-6)
        self.assertLess(np.abs(wanted).max(), 0.9)
        meter = Meter(RATE, 2)
        meter.feed(sound)
        np.testing.assert_allclose(read["powers"], meter.read.steps, rtol=1e-9)
        peak = 20 * np.log10(read["peak"])
        self.assertAlmostEqual(peak, meter.read.true_peak_db, delta=1e-6)
