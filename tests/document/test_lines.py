"""Lines of what moves: what is cut stays what it was, what is thinned is not heard."""

import unittest

import numpy as np
from pydantic import ValidationError

from zeroknot.core.errors import EditError
from zeroknot.document.desk import Line, LinePoint
from zeroknot.document.lines import (
    cut_at,
    thinned,
    value_on,
    with_bars_put_in,
    with_bars_repeated,
    with_bars_taken_out,
)

BENT = (
    LinePoint(beat=0, value=-30, bend=3),
    LinePoint(beat=8, value=0, shape="step"),
    LinePoint(beat=12, value=-12),
    LinePoint(beat=16, value=-6),
)
BEATS = np.arange(0, 20, 0.37)


def along(points, beats=BEATS, in_octaves=False):
    return np.asarray([value_on(points, float(b), in_octaves) for b in beats])


class LinesTest(unittest.TestCase):
    def test_cut_anywhere_it_is_the_same_line(self):
        for beat in (0.5, 3, 7.9, 8, 10, 15, 18):
            cut = cut_at(BENT, beat, False)
            self.assertIn(beat, [p.beat for p in cut])
            np.testing.assert_allclose(along(cut), along(BENT), atol=1e-9)
        sweep = (LinePoint(beat=0, value=40, bend=-2), LinePoint(beat=8, value=4000))
        cut = cut_at(sweep, 3.3, True)
        np.testing.assert_allclose(
            along(cut, in_octaves=True), along(sweep, in_octaves=True), rtol=1e-9
        )

    def test_halfway_by_octaves_is_an_octave(self):
        sweep = (LinePoint(beat=0, value=100), LinePoint(beat=2, value=400))
        self.assertAlmostEqual(value_on(sweep, 1.0, True), 200.0)

    def test_bars_put_in_taken_out_and_said_again(self):
        put_in = with_bars_put_in(BENT, 4.0, 4.0, False)
        early, late = BEATS[BEATS < 4], BEATS[BEATS >= 8]
        np.testing.assert_allclose(along(put_in, early), along(BENT, early), atol=1e-9)
        np.testing.assert_allclose(along(put_in, late), along(BENT, late - 4), atol=1e-9)
        self.assertAlmostEqual(value_on(put_in, 6, False), value_on(BENT, 4, False))
        taken = with_bars_taken_out(BENT, 4.0, 8.0, False)
        early, late = BEATS[BEATS < 3.9], BEATS[BEATS >= 4]
        np.testing.assert_allclose(along(taken, early), along(BENT, early), atol=0.2)
        np.testing.assert_allclose(along(taken, late), along(BENT, late + 4), atol=1e-9)
        twice = with_bars_repeated(BENT, 4.0, 8.0, False)
        inside = BEATS[(BEATS >= 8) & (BEATS < 12)]
        np.testing.assert_allclose(along(twice, inside), along(BENT, inside - 4), atol=1e-9)
        after = BEATS[BEATS >= 12]
        np.testing.assert_allclose(along(twice, after), along(BENT, after - 4), atol=1e-9)
        for moved in (put_in, taken, twice):
            Line(name="level_db", points=moved)

    def test_thinned_it_is_nowhere_farther_off_and_much_shorter(self):
        beats = np.linspace(0, 16, 2000)
        levels = -20 + 8 * np.sin(beats) + np.random.default_rng(1).normal(0, 0.005, beats.size)
        thin = thinned(list(zip(beats.tolist(), levels.tolist(), strict=True)), 0.05, False)
        self.assertLess(len(thin), 150)
        off = np.abs(np.interp(beats, *zip(*thin, strict=True)) - levels).max()
        self.assertLessEqual(off, 0.05 + 1e-9)

    def test_points_come_one_after_another_in_their_range(self):
        with self.assertRaisesRegex(ValidationError, "one after another"):
            Line(name="pan", points=(LinePoint(beat=1, value=0), LinePoint(beat=1, value=1)))
        with self.assertRaisesRegex(ValidationError, "nothing that moves"):
            Line(name="colour", points=(LinePoint(beat=1, value=0),))
        with self.assertRaisesRegex(EditError, "pan is from -1 to 1, not 3"):
            Line(name="pan", points=(LinePoint(beat=1, value=3),)).refuse_outside()
