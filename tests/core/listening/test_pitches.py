"""Notes that are held, of tones whose notes are known (common practice, no source)."""

import unittest

import numpy as np

from tests.core.listening.test_salience import RATE, tones
from zeroknot.core.audio import Audio
from zeroknot.core.listening.chroma import spectral_peaks
from zeroknot.core.listening.pitches import LOWEST, held_notes, held_profiles


def held(*sounds, cents=0.0):
    samples = np.concatenate([s.samples for s in sounds], axis=1)
    return held_notes(spectral_peaks(Audio(samples, RATE)), cents)


def notes_in(table):
    """Those that are held for at least half of the time."""
    return [int(n) + LOWEST for n in np.flatnonzero((table > 0).mean(axis=0) > 0.5)]


def one(note):
    return [int(k == note % 12) for k in range(12)]


class HeldNotesTest(unittest.TestCase):
    def test_one_note_is_one_note(self):
        for note in (31, 36, 45, 57, 69, 83):
            for partials in (3, 8, 12):
                with self.subTest(note=note, partials=partials):
                    self.assertEqual(notes_in(held(tones(note, partials=partials))), [note])

    def test_a_fundamental_that_is_not_there_is_heard(self):
        """As of a bass on a small loudspeaker: the ear hears the note, not its octave."""
        t = np.arange(int(1.5 * RATE)) / RATE
        sound = sum(np.sin(2 * np.pi * 55 * n * t + n) / n for n in range(2, 9))
        self.assertEqual(notes_in(held(Audio(0.2 * sound[None].astype(np.float32), RATE))), [33])

    def test_chords_have_their_thirds_and_their_bass_and_nothing_else(self):
        """A fifth that is an overtone of the bass may be lost in it."""
        for chord in ((48, 64, 67), (45, 60, 64), (41, 57, 60), (43, 59, 62, 65)):
            with self.subTest(chord):
                table = held(tones(*chord))
                heard = {n % 12 for n in notes_in(table)}
                self.assertLessEqual(heard, {n % 12 for n in chord})
                self.assertLessEqual({n % 12 for n in chord[:2]}, heard)
                lowest = held_profiles(table, 0.12)[1]
                self.assertEqual(int(lowest.argmax()), chord[0] % 12)

    def test_what_does_not_last_is_no_note(self):
        """Hits of a drum with a pitch, 90 ms each, beside a note that stays."""
        note = tones(57, seconds=4.0)
        t = np.arange(int(0.09 * RATE)) / RATE
        hit = 0.5 * np.sin(2 * np.pi * 311.1 * t) * np.exp(-t / 0.03)
        samples = note.samples.copy()
        for at in range(0, samples.shape[1] - hit.size, RATE // 2):
            samples[0, at : at + hit.size] += hit.astype(np.float32)
        shares = held_profiles(held(Audio(samples, RATE)), 0.12)[0]
        self.assertGreater(shares[9] / shares.sum(), 0.97)

    def test_tuning_is_taken_off(self):
        sound = tones(57.4)
        self.assertEqual(notes_in(held(sound, cents=40.0)), [57])

    def test_beginning_and_end_are_told_apart_and_silence_round_them_is_not_counted(self):
        silence = Audio(np.zeros((1, 2 * RATE), np.float32), RATE)
        line = held(silence, tones(60), tones(64), tones(67), tones(65), silence)
        _, _, first, last = held_profiles(line, 0.12)
        self.assertEqual((first > 0).tolist(), [bool(x) for x in one(60)])
        self.assertEqual((last > 0).tolist(), [bool(x) for x in one(65)])

    def test_what_is_silent_has_no_notes(self):
        table = held(Audio(np.zeros((1, RATE), np.float32), RATE))
        self.assertFalse(table.any())
        self.assertFalse(held_profiles(table, 0.12).any())


if __name__ == "__main__":
    unittest.main()
