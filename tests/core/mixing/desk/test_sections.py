"""Filters against the Audio EQ Cookbook (Bristow-Johnson, W3C Group Note, 2021) and scipy."""

import unittest

import numpy as np
from scipy import signal

from zeroknot.core.mixing.desk.sections import (
    SECTIONS,
    bell,
    high_cut,
    high_shelf,
    low_cut,
    low_shelf,
    run_sections,
    sections_of,
)
from zeroknot.core.mixing.desk.sound import Sound
from zeroknot.core.mixing.desk.strip import STEP, Strip
from zeroknot.core.mixing.desk.strip_run import FILTER_VALUES, StripRun

RATE = 48_000
NULL = 1e-9


def cookbook(kind, hertz, db=0.0, q=0.7071067811865476):
    """b and a as the note prints them; shelves of slope 1."""
    a = 10 ** (db / 40)
    w = 2 * np.pi * hertz / RATE
    cosine = np.cos(w)
    alpha = np.sin(w) / (2 * q)
    if kind == "low cut":
        return [(1 + cosine) / 2, -(1 + cosine), (1 + cosine) / 2], [
            1 + alpha, -2 * cosine, 1 - alpha,
        ]  # fmt: skip
    if kind == "high cut":
        return [(1 - cosine) / 2, 1 - cosine, (1 - cosine) / 2], [
            1 + alpha, -2 * cosine, 1 - alpha,
        ]  # fmt: skip
    if kind == "bell":
        return [1 + alpha * a, -2 * cosine, 1 - alpha * a], [
            1 + alpha / a, -2 * cosine, 1 - alpha / a,
        ]  # fmt: skip
    alpha = np.sin(w) / 2 * np.sqrt(2)
    root = 2 * np.sqrt(a) * alpha
    sign = 1 if kind == "low shelf" else -1
    return [
        a * ((a + 1) - sign * (a - 1) * cosine + root),
        sign * 2 * a * ((a - 1) - sign * (a + 1) * cosine),
        a * ((a + 1) - sign * (a - 1) * cosine - root),
    ], [
        (a + 1) + sign * (a - 1) * cosine + root,
        sign * -2 * ((a - 1) + sign * (a + 1) * cosine),
        (a + 1) + sign * (a - 1) * cosine - root,
    ]


class SectionsTest(unittest.TestCase):
    def setUp(self):
        self.noise = np.random.default_rng(1).standard_normal((2, 4000))

    def ran(self, coefficients):
        out = self.noise.copy()
        run_sections(out, {"low": coefficients}, np.zeros((len(SECTIONS), 2, 2)), 0)
        return out

    def test_they_are_those_of_the_cookbook(self):
        at = np.asarray
        for hertz in (60.0, 1000.0, 11_000.0):
            for db in (-18.0, 3.0, 12.0):
                own = {
                    "low cut": low_cut(at([hertz]), 0.7071067811865476, RATE),
                    "high cut": high_cut(at([hertz]), 0.7071067811865476, RATE),
                    "bell": bell(at([hertz]), at([db]), at([2.0]), RATE),
                    "low shelf": low_shelf(at([hertz]), at([db]), RATE),
                    "high shelf": high_shelf(at([hertz]), at([db]), RATE),
                }
                for kind, coefficients in own.items():
                    q = 2.0 if kind == "bell" else 0.7071067811865476
                    b, a = cookbook(kind, hertz, db, q)
                    with self.subTest(kind=kind, hertz=hertz, db=db):
                        wanted = signal.lfilter(b, a, self.noise, axis=1)
                        self.assertLess(np.abs(self.ran(coefficients) - wanted).max(), NULL * 100)

    def test_cuts_of_24_db_are_butterworths_fourth_order(self):
        for name, kind in (("low_cut", "high"), ("high_cut", "low")):
            sound = Sound(**{f"{name}_hz": 700.0, f"{name}_slope": 24.0})
            run = StripRun(Strip.of("t", sound, 0.0), RATE)
            wanted = signal.sosfilt(
                signal.butter(4, 700, kind, fs=RATE, output="sos"), self.noise, axis=1
            )
            self.assertLess(np.abs(run.filtered(self.noise, 0) - wanted).max(), 1e-8)

    def test_what_is_off_is_not_run(self):
        plain = Strip.of("t", Sound(), -6.0)
        values = {name: np.asarray([plain.value(name)]) for name in FILTER_VALUES}
        self.assertEqual(sections_of(plain, values, RATE), {})
        run = StripRun(plain, RATE)
        np.testing.assert_array_equal(run.filtered(self.noise, 0), self.noise)

    def test_moving_steps_are_the_still_one_where_they_stand(self):
        still = self.ran(bell(np.asarray([500.0]), np.asarray([6.0]), np.asarray([1.0]), RATE))
        many = np.full(-(-4000 // STEP), 500.0)
        moving = self.ran(bell(many, np.asarray([6.0]), np.asarray([1.0]), RATE))
        np.testing.assert_allclose(moving, still, atol=1e-12)

    def test_swept_as_fast_as_a_hand_can_it_stays_in_bounds(self):
        steps = np.arange(-(-4000 // STEP))
        hertz = np.where(steps % 2, 30.0, 15_000.0)
        out = self.ran(bell(hertz, np.asarray([24.0]), np.asarray([10.0]), RATE))
        self.assertTrue(np.isfinite(out).all())
        self.assertLess(np.abs(out).max(), 100 * np.abs(self.noise).max())
