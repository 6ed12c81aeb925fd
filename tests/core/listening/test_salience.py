"""Notes without their overtones, on tones whose notes are known (common practice, no source)."""

import unittest

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.listening.chroma import spectral_peaks
from zeroknot.core.listening.key_heard import triads
from zeroknot.core.listening.salience import highest_and_lowest, note_weights, voices_at_once

RATE = 22_050


def tones(*notes, partials=8, seconds=1.5):
    """Notes with overtones of 1/n, at once."""
    t = np.arange(int(seconds * RATE)) / RATE
    sound = np.zeros(t.size)
    for note in notes:
        hertz = 440 * 2 ** ((note - 69) / 12)
        for n in range(1, partials + 1):
            sound += np.sin(2 * np.pi * n * hertz * t + n) / n
    return Audio((0.2 * sound / len(notes))[None].astype(np.float32), RATE)


class NotesTest(unittest.TestCase):
    def heard(self, *notes, **how):
        peaks = spectral_peaks(tones(*notes, **how))
        return peaks, note_weights(peaks)

    def test_overtones_of_one_note_are_no_notes(self):
        for note in (48, 55, 62, 71):
            with self.subTest(note):
                peaks, own = self.heard(note)
                self.assertLess(np.median(voices_at_once(peaks, own)), 1.5)
                high, low = highest_and_lowest(peaks, own)
                self.assertAlmostEqual(np.nanmedian(high), note, delta=0.1)
                self.assertAlmostEqual(np.nanmedian(low), note, delta=0.1)
                # Without taking them off there are as many as the spectrum has peaks.
                self.assertGreater(np.median(voices_at_once(peaks, np.sqrt(peaks.weights))), 3)

    def test_the_third_and_fifth_overtone_of_a_bass_do_not_make_a_chord(self):
        peaks, own = self.heard(45)
        by_class = np.zeros(12)
        np.add.at(by_class, np.round(peaks.notes).astype(int) % 12, own)
        self.assertGreater(by_class[9] / by_class.sum(), 0.9)

    def test_notes_of_a_chord_stay(self):
        peaks, own = self.heard(60, 64, 67)
        self.assertAlmostEqual(float(np.median(voices_at_once(peaks, own))), 3, delta=1)
        high, low = highest_and_lowest(peaks, own)
        self.assertAlmostEqual(np.nanmedian(low), 60, delta=0.1)
        self.assertAlmostEqual(np.nanmedian(high), 67, delta=0.1)

    def test_what_is_silent_has_no_notes(self):
        peaks = spectral_peaks(Audio(np.zeros((1, RATE), np.float32), RATE))
        self.assertEqual(voices_at_once(peaks, note_weights(peaks)).size, 0)


class TriadsTest(unittest.TestCase):
    def test_each_moments_best_triad_counts_by_mode_and_root(self):
        clean = np.zeros((16, 12), np.float32)
        clean[:8, [0, 4, 7]] = 1.0  # C major
        clean[8:, [9, 0, 4]] = 1.0  # A minor
        found = triads(clean)
        self.assertEqual(found.shape, (2, 12))
        self.assertEqual({(m, r) for m, r in np.argwhere(found > 0).tolist()}, {(0, 0), (1, 9)})
        self.assertEqual(float(triads(np.zeros((4, 12), np.float32)).sum()), 0.0)
