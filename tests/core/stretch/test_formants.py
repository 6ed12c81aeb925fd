"""A colour that is held is the same however much of the recording is worked on at a time."""

import unittest
from unittest import mock

import numpy as np

from tests.sounds import RATE, audio
from zeroknot.core.stretch import formants
from zeroknot.core.stretch.source_view import SourceView


def gliding():
    """A voice that glides over an octave and a half and stops for breath: its period, which says
    how finely an envelope is drawn, is another in every frame, or none."""
    seconds = np.arange(4 * RATE) / RATE
    phase = 2 * np.pi * np.cumsum(110.0 * 2.0 ** (1.5 * seconds / 4)) / RATE
    samples = sum(np.sin(h * phase) / h for h in range(1, 25))
    noise = np.random.default_rng(1).standard_normal(seconds.size)
    is_breath = np.sin(2 * np.pi * 9 * seconds) > 0.3
    return audio(0.2 * np.where(is_breath, noise, samples))


class FormantsTest(unittest.TestCase):
    def test_in_parts_as_in_one(self):
        sound = gliding()
        for is_circle in (True, False):
            view = SourceView(sound.samples, 0, sound.frames, is_circle)
            made = []
            for chunk in (6, 64, 100_000):
                with self.subTest(chunk=chunk), mock.patch.object(formants, "CHUNK", chunk):
                    held = formants.with_colour_held(view, sound.rate, 1.3)
                    made.append(held.read(0, sound.frames))
            np.testing.assert_allclose(made[0], made[2], atol=2e-6)
            np.testing.assert_allclose(made[1], made[2], atol=2e-6)
            self.assertGreater(np.abs(made[2] - sound.samples).max(), 0.01)
