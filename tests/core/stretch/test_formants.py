"""A colour that is held is the same however much of the recording is worked on at a time."""

import unittest
from unittest import mock

import numpy as np

from tests.sounds import rendered
from zeroknot.core.stretch import formants
from zeroknot.core.stretch.source_view import SourceView


class FormantsTest(unittest.TestCase):
    def test_in_parts_as_in_one(self):
        sound = rendered("keys_88")
        for is_circle in (True, False):
            view = SourceView(sound.samples, 0, sound.frames, is_circle)
            made = []
            for chunk in (7, 64, 100_000):
                with self.subTest(chunk=chunk), mock.patch.object(formants, "CHUNK", chunk):
                    held = formants.with_colour_held(view, sound.rate, 1.3)
                    made.append(held.read(0, sound.frames))
            np.testing.assert_allclose(made[0], made[2], atol=2e-6)
            np.testing.assert_allclose(made[1], made[2], atol=2e-6)
            self.assertGreater(np.abs(made[2] - sound.samples).max(), 0.01)
