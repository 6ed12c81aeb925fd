import json
import unittest
from dataclasses import replace

import numpy as np

from zeroknot.core.digest import canonical, said
from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.desk_run import DeskRun
from zeroknot.core.mixing.desk.sound import RANGES, Sound
from zeroknot.core.mixing.desk.strip import Desk, EchoLine, Strip, desk_of, value_at
from zeroknot.core.mixing.desk.strip_run import StripRun

RATE = 44_100
EVERYTHING = Sound(
    low_cut_hz=90, low_cut_slope=24, low_db=4, bell1_db=-6, bell2_db=5, high_db=-3,
    high_cut_hz=9000, threshold_db=-24, ratio=4, makeup_db=3, drive_db=9, pan=-0.3, room_db=-6,
    echo_db=-3, listens_to="b",
)  # fmt: skip
LANES = {
    "low_cut_hz": ((3000, np.log2(30)), (9000, np.log2(900))),
    "level_db": ((100, -6.0), (5000, -20.0), (5000, 0.0)),
    "muted": ((12_000, 1.0), (14_000, 0.0)),
    "bell1_db": ((0, 0.0), (20_000, 12.0)),
    "threshold_db": ((0, -10.0), (9000, -40.0)),
    "echo_db": ((0, -20.0), (9000, 0.0)),
}
WHOLE = Desk(
    (Strip.of("a", EVERYTHING, -3, lanes=LANES),
     Strip.of("b", Sound(high_db=3, pan=0.5, echo_db=-10), 1.5),
     Strip.of("a", EVERYTHING, -3, lanes=LANES).sending("echo")),
    echo=EchoLine(((0, 3000.0), (10_000, 3000.0), (20_000, 4100.0))),
)  # fmt: skip


def noise(frames, seed=2):
    rng = np.random.default_rng(seed)
    return {
        k: (0.3 * rng.standard_normal((2, frames))).astype(np.float32) for k in ("a", "b", "a>echo")
    }


def run_in_pieces(desk, sounds, first, size, heard=None):
    run = DeskRun(desk, RATE, heard)
    frames = next(iter(sounds.values())).shape[1]
    found = []
    for a in range(0, frames, size):
        part = {k: v[:, a : a + size] for k, v in sounds.items()}
        found.append(run.run(part, first + a, min(size, frames - a)))
    return (np.concatenate([getattr(s, name) for s in found], axis=1)
            for name in ("dry", "room", "echo"))  # fmt: skip


class LaneTest(unittest.TestCase):
    def test_windows_are_half_open(self):
        lane = ((10, 1.0), (20, 3.0), (20, 5.0), (30, 5.0))
        at = {5: 1.0, 10: 1.0, 15: 2.0, 19: 2.8, 20: 5.0, 40: 5.0}
        for frame, value in at.items():
            self.assertAlmostEqual(value_at(lane, frame), value)

    def test_a_value_outside_its_range_is_refused_with_the_range(self):
        with self.assertRaisesRegex(EditError, "ratio is from 1 to 20, not 0.5"):
            Sound(ratio=0.5)
        with self.assertRaisesRegex(EditError, "low cut is from 10 to 2000"):
            Sound(low_cut_hz=5000)
        for name, allowed in RANGES.items():
            Sound(**{name: allowed.least})
            Sound(**{name: allowed.most})

    def test_its_text_is_read_again(self):
        told = json.loads(canonical(said(WHOLE)))
        self.assertEqual(desk_of(told), WHOLE)


class StripTest(unittest.TestCase):
    def test_a_plain_strip_changes_nothing_but_its_level(self):
        sounds = noise(3000)
        desk = Desk((Strip.of("a", Sound(), -6.0), Strip.of("b", Sound(), 0.0, muted=True)))
        dry, room, echo = run_in_pieces(desk, sounds, 7, 1000)
        np.testing.assert_array_equal(dry, sounds["a"].astype(np.float64) * 10 ** (-6 / 20))
        self.assertFalse(room.any() or echo.any())

    def test_a_balance_turns_the_other_side_down(self):
        run = StripRun(Strip.of("a", Sound(pan=1.0), 0.0), RATE)
        out = run.finished(np.ones((2, 64)), np.ones((2, 64)), 0)
        np.testing.assert_allclose(out, [np.zeros(64), np.ones(64)], atol=1e-12)

    def test_drive_begins_where_nothing_is_driven(self):
        ramp = np.linspace(-1, 1, 201)[None].repeat(2, axis=0)
        soft = [StripRun(Strip.of("a", Sound(drive_db=d), 0.0), RATE).finished(ramp.copy(), ramp, 0)
                for d in (0.0, 0.1, 12.0)]  # fmt: skip
        np.testing.assert_array_equal(soft[0], ramp)
        self.assertLess(np.abs(soft[1] - ramp).max(), 1e-4)
        self.assertAlmostEqual(float(soft[2].max()), 1.0)
        self.assertGreater(float(soft[2][0, 120]), 2 * ramp[0, 120])

    def test_a_level_that_jumps_does_so_within_a_step(self):
        lanes = {"level_db": ((0, 0.0), (640, 0.0), (640, -60.0))}
        run = StripRun(Strip.of("a", Sound(), 0.0, lanes=lanes), RATE)
        out = run.finished(np.ones((2, 1000)), np.ones((2, 1000)), 0)[0]
        self.assertTrue((out[:609] == 1).all() and (out[640:] == 0).all())
        self.assertLess(np.abs(np.diff(out)).max(), 1 / 31)

    def test_in_pieces_of_any_length_it_is_the_same(self):
        sounds = noise(20_000)
        for size in (20_000, 7001, 333):
            found = [np.asarray(part) for part in run_in_pieces(WHOLE, sounds, 777, size)]
            if size == 20_000:
                wanted = found
            for one, other in zip(found, wanted, strict=True):
                np.testing.assert_allclose(one, other, atol=1e-8)

    def test_parts_add_up_and_whom_it_goes_by_is_heard_by_it_though_muted(self):
        sounds = noise(20_000)
        whole = [np.asarray(p) for p in run_in_pieces(WHOLE, sounds, 0, 20_000)]
        alone = [np.asarray(p) for p in run_in_pieces(WHOLE, sounds, 0, 20_000, ("a",))]
        other = [np.asarray(p) for p in run_in_pieces(WHOLE, sounds, 0, 20_000, ("b", "a>echo"))]
        for one, two, both in zip(alone, other, whole, strict=True):
            np.testing.assert_allclose(one + two, both, atol=1e-8)
        muted = replace(WHOLE, strips=(WHOLE.strips[0], Strip.of("b", Sound(high_db=3), 0, True)))
        still = next(run_in_pieces(muted, sounds, 0, 20_000))
        np.testing.assert_allclose(still, alone[0], atol=1e-12)
