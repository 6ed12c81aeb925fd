"""Rings, waves and notes, looked at dot by dot."""

import io
import unittest

import numpy as np
from PIL import Image

from zeroknot.web.pictures import notes_png, ring_png, wave_png


def dots(png):
    return np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))


class PicturesTest(unittest.TestCase):
    def test_a_ring_is_longer_where_it_is_louder_clockwise_from_the_top(self):
        sectors = np.full(64, 0.1, np.float32)
        sectors[12:20] = 1.0  # about three o'clock
        alpha = dots(ring_png(sectors, 0))[..., 3]
        middle = alpha.shape[0] // 2
        right, left = (
            alpha[middle - 8 : middle + 8, middle:],
            alpha[middle - 8 : middle + 8, :middle],
        )
        self.assertGreater((right > 100).sum(), 1.3 * (left > 100).sum())

    def test_the_zero_knot_is_open_and_on_top(self):
        picture = dots(ring_png(np.zeros(64, np.float32), 3))
        at = round(4.5 / 64 * picture.shape[0])
        self.assertGreater(picture[at, picture.shape[1] // 2, :3].min(), 230)
        rim = picture[: 2 * at + 4, picture.shape[1] // 2 - 8 : picture.shape[1] // 2 + 8]
        is_madder = (rim[..., 0] > 150) & (rim[..., 1] < 120) & (rim[..., 3] > 200)
        self.assertGreater(is_madder.sum(), 10)

    def test_a_wave_is_tall_where_it_is_loud_and_a_line_where_it_is_not(self):
        peaks = np.zeros((200, 2), np.float32)
        peaks[:100] = (-0.5, 0.5)
        tall = (dots(wave_png(peaks, 2, "day"))[..., 3] > 0).sum(axis=0)
        self.assertGreater(tall[:180].max(), 70)
        self.assertLessEqual(tall[200:].max(), 4)
        self.assertGreater(tall[200:].max(), 0)

    def test_night_has_other_colours(self):
        peaks = np.ones((10, 2), np.float32)
        day, night = (dots(wave_png(peaks, 2, p)) for p in ("day", "night"))
        self.assertFalse(np.array_equal(day, night))
        np.testing.assert_array_equal(day[..., 3], night[..., 3])

    def test_high_notes_are_above_and_later_ones_to_the_right(self):
        picture = dots(notes_png([(0.0, 1.0, 60), (3.0, 4.0, 72)], 4.0, 1, "day"))[..., 3] > 0
        rows = [np.flatnonzero(picture[:, x]).mean() for x in (20, 360)]
        self.assertGreater(rows[0], rows[1])
        self.assertFalse(picture[:, 120:260].any())

    def test_nothing_is_drawn_without_trouble(self):
        for png in (
            wave_png(np.zeros((0, 2), np.float32), 0, "day"), notes_png([], 1.0, 0, "night"),
            ring_png(np.zeros(64, np.float32), 7),
        ):  # fmt: skip
            self.assertEqual(png[:8], b"\x89PNG\r\n\x1a\n")
