"""What a page mixes by itself sounds like the server's render: a null below −90 dB."""

import json
import tempfile
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np

from tests.core.render.test_order import Laid
from tests.js.node import NodeTest
from tests.sounds import RATE, audio, drum_loop, sine
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.render.live_plan import plan_live
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.order_run import OrderRendering
from zeroknot.core.render.run import Rendering
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.shape import Shape

MIXED = """async (given) => {
  const {LiveMix} = await import("/static/js/engine/live-mix.js");
  const {readFileSync, writeFileSync} = await import("node:fs");
  const cells = given.cells.map(({lead, files}) => ({
    lead,
    sound: files.map((f) => {
      const data = readFileSync(f);
      return new Float32Array(data.buffer, data.byteOffset, data.byteLength / 4);
    }),
  }));
  const mix = new LiveMix(given.rate, given.plan, cells, given.told);
  mix.change(given.pieces);
  const [left, right] = [new Float32Array(given.count), new Float32Array(given.count)];
  for (let at = 0; at < given.count; at += 128) {
    const end = Math.min(given.count, at + 128);
    if (given.turns?.length && at >= given.turns[0][0]) mix.change(given.turns.shift()[1]);
    mix.mix(given.from + at, left.subarray(at, end), right.subarray(at, end));
  }
  writeFileSync(given.out, Buffer.concat([Buffer.from(left.buffer), Buffer.from(right.buffer)]));
}"""
# Every setting that is mixed, and some that are rendered.
SETTINGS = {
    "p0": {"shape": Shape(filter="low", cutoff_hz=900.0, sweep=3.0, resonance_db=6.0)},
    "p1": {"gain_db": -7.5, "pan": -0.6, "fade_in_ms": 9.0, "fade_out_ms": 30.0},
    "p2": {"sway": 0.7, "sway_beats": 0.75, "shape": Shape(drive_db=15.0, attack_ms=12.0)},
    "p3": {"reverse": True, "shape": Shape(decay_ms=90.0, sustain=0.3)},
    "p4": {"shape": Shape(filter="band", cutoff_hz=1500.0, wave=1.5, wave_beats=0.5)},
    "p5": {"shape": Shape(bend=7.0, bend_ms=60.0, filter="high", release_ms=80.0), "pan": 0.3},
    "p6": {"rings": True, "choke": 1, "semitones": -5.0},
    "p7": {"choke": 1, "shape": Shape(release_ms=120.0), "length": "filled"},
}
ORDER = Order(
    8.0,
    (
        Tile(0.0, 0.5, 3), Tile(0.5, 0.25, 6), Tile(1.0, 0.75, 7), Tile(2.0, 1.0, 0, also=(4,)),
        Tile(3.0, 0.5, 5), Tile(3.5, 0.5, 1, hits=4, rise_db=9.0, climb=3.0), Tile(4.0, 1.0, 2),
        Tile(5.0, 0.5, 4, reverse=True), Tile(6.0, 0.5, 0, gain_db=-3.0), Tile(7.5, 0.5, 6),
    ),
)  # fmt: skip


class LiveMixTest(NodeTest, Laid):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        tone = 0.2 * sine(277.0, 6.0, 1.0)
        hits = np.concatenate([np.zeros(4410), drum_loop(96, 2), np.zeros(9000)])
        wide = np.stack([hits, 0.6 * hits])
        wide[:, : tone.size] += tone[: wide.shape[1]]
        self.sound = audio(wide)

    def cells(self, plan):
        """Each cell's sound as files, a channel each."""
        told = []
        for number, (cell, channels) in enumerate(plan.cells):
            if isinstance(cell, OrderPlan):
                own = [Rendering(self.sound, Attacks.none(), s) for s in cell.sources]
                sound = OrderRendering(cell, own).whole()
            else:
                sound = Rendering(self.sound, Attacks.none(), cell).whole()
            self.assertEqual(sound.shape, (channels, cell.frames))
            files = []
            for side in range(channels):
                file = self.folder / f"{number}-{side}"
                file.write_bytes(np.ascontiguousarray(sound[side], np.float32).tobytes())
                files.append(str(file))
            told.append({"lead": cell.lead_frames, "files": files})
        return told

    def mixed(self, order, told, now, apart, rounds=2, turns=()):
        """A later round as the page mixes it, begun with pieces as they are told.

        turns  (frame, cut) from which on its pieces are otherwise
        """
        plan = plan_live(
            base=self.base, cut=told, order=order, frame_of=self.frame_of, channels=2, apart=apart
        )
        voices = [
            {**asdict(v.voice), **{k: w for k, w in asdict(v).items() if k != "voice"}}
            for v in plan.voices
        ]
        out = self.folder / "out"
        given = {
            "rate": RATE, "cells": self.cells(plan), "out": str(out),
            "plan": {"body": plan.body_frames, "channels": plan.channels, "voices": voices},
            "told": [asdict(p) for p in told.all_pieces],
            "pieces": [asdict(p) for p in now.all_pieces],
            "turns": [(at, [asdict(p) for p in cut.all_pieces]) for at, cut in turns],
            "from": (rounds - 1) * plan.body_frames, "count": plan.body_frames,
        }  # fmt: skip
        self.evaluate(MIXED, json.loads(json.dumps(given)))
        return np.fromfile(out, np.float32).reshape(2, -1)

    def steady(self, order, cut):
        """A round of the render with what rings in from the one before it."""
        plan = self.plan(order, cut, channels=2)
        whole = self.rendered(plan).whole()[:, plan.lead_frames :]
        body = whole[:, : plan.body_frames].copy()
        tail = whole[:, plan.body_frames :]
        body[:, : tail.shape[1]] += tail
        return body

    def assert_null(self, got, want, below=-90.0):
        off = np.abs(got - want).max() / np.abs(want).max()
        self.assertLess(20 * np.log10(off + 1e-12), below)

    def test_an_order_with_every_setting_in_use(self):
        cut = self.cut(16, **SETTINGS)
        got = self.mixed(ORDER, cut, cut, frozenset())
        self.assert_null(got, self.steady(ORDER, cut))

    def test_what_is_changed_sounds_as_if_it_were_rendered(self):
        """Pieces plain at first; then everything that is mixed is changed at once."""
        told = self.cut(16)
        mixed = {name: dict(given) for name, given in SETTINGS.items()}
        for given in mixed.values():
            for rendered in ("reverse", "rings", "choke", "semitones", "length"):
                given.pop(rendered, None)
            if "shape" in given:
                given["shape"] = replace(given["shape"], bend=0.0, release_ms=0.0)
        now = self.cut(16, **mixed)
        got = self.mixed(ORDER, told, now, frozenset(range(16)))
        self.assert_null(got, self.steady(ORDER, now))

    def test_all_changed_alike_go_on_as_recorded(self):
        """Parted for what may be done to each, yet no seam is heard where the same was done."""
        told, now = self.cut(16), self.cut(16, **{f"p{i}": {"gain_db": -9.0} for i in range(16)})
        order = Order.as_cut(told.starts, self.warp)
        got = self.mixed(order, told, now, frozenset(range(16)))
        self.assert_null(got, self.steady(order, now))

    def test_parted_and_joined_while_it_sounds_never_clicks(self):
        t = np.arange(int(7.5 * RATE)) / RATE
        self.sound = audio(np.stack([0.2 * np.sin(2 * np.pi * 277.0 * t)] * 2))
        told = self.cut(16)
        order = Order.as_cut(told.starts, self.warp)
        body = self.frame_of(8.0)
        turn = np.random.default_rng(15)
        ways = [told] + [self.cut(16, **{f"p{i}": {"gain_db": -3.0} for i in group})
                         for group in ((3, 7, 11), range(16), (1, 2, 3, 8, 9, 15))]  # fmt: skip
        near = [self.frame_of(0.5 * i) + int(off)
                for i in range(1, 16) for off in turn.integers(-700, 700, 6)]  # fmt: skip
        turns = [(at, ways[turn.integers(len(ways))]) for at in sorted(near)]
        got = self.mixed(order, told, told, frozenset(range(16)), turns=turns)[0]
        steepest = np.abs(np.diff(got[6000:body], 2)).max()  # past where the recording ends
        self.assertLess(steepest, 3 * 0.2 * (2 * np.pi * 277.0 / RATE) ** 2)
        self.assertGreater(np.abs(got).max(), 0.15)

    def test_as_it_was_cut_it_is_the_pass(self):
        cut = self.cut()
        order = Order.as_cut(cut.starts, self.warp)
        self.assert_null(self.mixed(order, cut, cut, frozenset()), self.steady(order, cut))

    def test_a_muted_piece_is_silent_and_a_plain_one_untouched(self):
        told = self.cut(4)
        pieces = [replace(p, muted=i == 1) for i, p in enumerate(told.pieces)]
        now = Cut(told.starts, tuple(pieces))
        order = Order(8.0, tuple(Tile(2.0 * i, 2.0, 3 - i) for i in range(4)))
        got = self.mixed(order, told, now, frozenset({1}))
        body = self.frame_of(2.0)
        middle = got[:, 2 * body + 400 : 3 * body - 400]
        self.assertEqual(np.abs(middle).max(), 0.0)
        self.assertGreater(np.abs(got[:, :body]).max(), 0.05)
