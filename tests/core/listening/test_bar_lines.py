import unittest

import numpy as np

from tests.sounds import RATE, audio, sine
from zeroknot.core.listening.bar_lines import FARTHEST, bar_lines
from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.material import material_of

LOWS, ALL, COLOUR, CHORD, COMPARED = range(5)
BEAT = 0.5
TRIADS = (
    (220.0, 277.2, 329.6),
    (146.8, 185.0, 220.0),
    (164.8, 207.7, 246.9),
    (185.0, 220.0, 277.2),
)


def chords(beats, before, *, kick=False):
    """A chord a bar of four beats of half a second, begun so many beats before a one."""
    bars = [sum(sine(hertz, 4 * BEAT, 0.1) for hertz in triad) for triad in TRIADS]
    found = np.concatenate([np.tile(np.concatenate(bars), 2)])[: round(beats * BEAT * RATE)]
    found = np.concatenate([bars[-1][bars[-1].size - round(before * BEAT * RATE) :], found])
    if kick:
        stroke = sine(60.0, 0.12, 0.6) * np.linspace(1, 0, round(0.12 * RATE))
        for one in np.arange(before * BEAT, found.size / RATE - 0.2, 4 * BEAT):
            found[round(one * RATE) :][: stroke.size] += stroke
    return audio(found)


def starting(*starts, bars=2, metre=4):
    """Hypotheses that begin there, each so many bars long."""
    start, n = np.asarray(starts, float), len(starts)
    return Hypotheses(
        start, start + bars * metre * BEAT, np.full(n, bars), np.full(n, metre),
        np.zeros(n, np.int64), np.zeros(n, np.int64),
    )  # fmt: skip


class BarLinesTest(unittest.TestCase):
    def test_chords_change_on_ones_whatever_stands_before_and_behind(self):
        # A pickup of a beat, two bars, and a tail of a bar and a half.
        sound = chords(14, 1)
        found = bar_lines(material_of(sound), starting(0.0, BEAT, 2 * BEAT, 3 * BEAT))
        self.assertEqual(found[:, CHORD].argmax(), 1)
        self.assertGreater(found[1, CHORD], found[[0, 2, 3], CHORD].max() + 1.0)
        self.assertGreater(found[1, CHORD], 1.5)

    def test_kicks_tell_the_one_from_before_the_pass_as_well(self):
        sound = material_of(chords(14, 2, kick=True))
        found = bar_lines(sound, starting(*(i * BEAT for i in range(4))))
        self.assertEqual(found[:, LOWS].argmax(), 2)
        # The bar that the hypothesis passes over counts: four bars later it is the same one.
        later = bar_lines(sound, starting(2 * BEAT + 4 * BEAT, bars=1))
        np.testing.assert_allclose(later[0, LOWS], found[2, LOWS], rtol=0.02)

    def test_of_one_bar_alone_nothing_is_compared(self):
        found = bar_lines(material_of(chords(4, 0)), starting(0.0, bars=1))
        self.assertEqual(found[0, [COLOUR, CHORD, COMPARED]].tolist(), [0.0, 0.0, 0.0])
        self.assertTrue(np.isfinite(found).all())

    def test_places_outside_the_file_and_silence_are_told_as_nothing(self):
        silent = material_of(audio(np.zeros(4 * RATE)))
        found = bar_lines(silent, starting(-3.0, 0.0, 3.9))
        self.assertTrue((np.abs(found[:, :COMPARED]) <= FARTHEST).all())
        self.assertLess(np.abs(found[:, CHORD]).max(), 1e-3)


if __name__ == "__main__":
    unittest.main()
