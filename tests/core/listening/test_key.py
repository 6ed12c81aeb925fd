import json
import unittest
from pathlib import Path

import numpy as np

from tests.sounds import RATE, audio, hits, rendered
from zeroknot.core.harmony.key import NAMES
from zeroknot.core.listening.key import key_rows, normal, read_key
from zeroknot.core.listening.key_heard import triads
from zeroknot.core.listening.notes import SoundedNote, key_of_notes
from zeroknot.core.listening.readings import listen
from zeroknot.core.units import hertz_of_note

# Krumhansl & Kessler, "Tracing the dynamic changes in perceived tonal organization in a spatial
# representation of musical keys" (1982): how well each pitch class fits, from the tonic up.
KRUMHANSL_KESSLER = {
    "major": (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88),
    "minor": (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17),
}


def tones(chords, seconds, cents=0.0):
    """Chords of plucked harmonic tones, one after another."""
    length = round(seconds * RATE)
    t = np.arange(length) / RATE
    parts = []
    for chord in chords:
        sound = np.zeros(length)
        for note in chord:
            hertz = hertz_of_note(note + cents / 100)
            for k in range(1, 7):
                sound += np.sin(2 * np.pi * k * hertz * t) / k**1.5 * np.exp(-t * (1.5 + k))
        parts.append(sound)
    samples = np.concatenate(parts)
    return audio(samples / np.abs(samples).max() * 0.7)


class KeyTest(unittest.TestCase):
    def test_profiles_of_listeners_give_their_key(self):
        for mode, profile in KRUMHANSL_KESSLER.items():
            for tonic in range(12):
                with self.subTest(f"{NAMES[tonic]} {mode}"):
                    seen = np.roll(np.asarray(profile, np.float32), tonic)
                    seen = (seen - seen.min()) / (seen - seen.min()).sum()
                    shares = normal(triads(np.tile(seen, (8, 1))))
                    same = [np.tile(seen, (6, 1)), shares, np.tile(seen, (4, 1))]
                    reading = read_key(np.concatenate(same), "key")
                    self.assertEqual(reading.key, f"{NAMES[tonic]} {mode}")
                    self.assertGreater(reading.confidence, reading.runner_up_confidence)

    def test_every_tonic_is_seen_alike(self):
        profile = np.random.default_rng(3).random((4, 12)).astype(np.float32)
        rows = key_rows(profile)
        up = key_rows(np.roll(profile, 1, axis=1))
        np.testing.assert_array_equal(rows[:11], up[1:12])

    def test_chords_with_bass_are_heard_in_their_key(self):
        # I vi IV V in G major; i VI III VII in E minor: common progressions, no source.
        g = [(43, 55, 59, 62), (40, 55, 59, 64), (48, 55, 60, 64), (50, 54, 57, 62)]
        for shift in (0, 3, -4):
            with self.subTest(shift=shift):
                sound = tones([[n + shift for n in c] for c in g] * 2, 0.6)
                name = f"{NAMES[(7 + shift) % 12]} major"
                self.assertEqual(listen(sound).key.key, name)

    def test_tuning_against_a_440(self):
        chords = [(45, 57, 60, 64), (41, 57, 60, 65), (43, 55, 59, 62)]
        for cents in (-35, -14, 0, 14, 40):
            with self.subTest(cents=cents):
                heard = listen(tones(chords, 0.8, cents)).key.cents
                self.assertAlmostEqual(heard, cents, delta=4)

    def test_drums_have_no_key(self):
        for name, sound in (
            ("rendered", rendered("drums_103")),
            ("noise", audio(hits(np.arange(16) * 0.25, 4.0))),
        ):
            with self.subTest(name):
                self.assertIsNone(listen(sound).key.key)

    def test_notes_tell_their_key(self):
        scale = (60, 62, 64, 65, 67, 69, 71, 72, 71, 69, 67, 65, 64, 62, 60)
        notes = [SoundedNote(i * 0.5, i * 0.5 + 0.48, p, 90) for i, p in enumerate(scale)]
        self.assertEqual(key_of_notes(notes).key, "C major")
        up = [SoundedNote(n.start, n.end, n.pitch + 5, 90) for n in notes]
        self.assertEqual(key_of_notes(up).key, "F major")
        self.assertIsNone(key_of_notes(notes[:2]).key)


class CorpusTest(unittest.TestCase):
    """Pieces whose key stands in the score, and on which nothing was fitted."""

    def weighted_score(self, declared, heard):
        """MIREX's weighted key score (as in mir_eval.key): 1, 0.5 a fifth off, 0.3, 0.2."""
        (tonic, mode), (other, other_mode) = (name.split() for name in (declared, heard))
        apart = (NAMES.index(other) - NAMES.index(tonic)) % 12
        if mode == other_mode:
            return {0: 1.0, 7: 0.5, 5: 0.5}.get(apart, 0.0)
        if apart == 0:
            return 0.2
        return 0.3 if apart == (9 if mode == "major" else 3) else 0.0

    def pieces_of(self, name):
        return json.loads((Path(__file__).parents[2] / "fixtures" / name).read_text())

    def test_keys_of_chorales_and_tunes(self):
        scores = {}
        for piece in self.pieces_of("pieces_with_keys.json"):
            notes = [SoundedNote(a / 24, (a + b) / 24, n, 90) for a, b, n in piece["notes"]]
            heard = key_of_notes(notes).key
            scores[piece["name"]] = self.weighted_score(piece["key"], heard)
        # FINDINGS: the best key finder of music21 has 0.861 on such pieces.
        self.assertGreater(np.mean(list(scores.values())), 0.861, scores)

    def test_keys_of_two_or_four_bars_of_them(self):
        loops = self.pieces_of("loops_with_keys.json")
        heard = [
            key_of_notes([SoundedNote(a / 100, b / 100, n, 90) for a, b, n in loop["notes"]])
            for loop in loops
        ]
        told = list(zip(loops, heard, strict=True))
        # Of the same loops music21's five key finders have 0.681 to 0.784.
        self.assertGreater(
            np.mean([self.weighted_score(loop["key"], h.key) for loop, h in told]), 0.784
        )
        right = np.mean([loop["key"] == h.key for loop, h in told])
        self.assertAlmostEqual(np.mean([h.confidence for h in heard]), right, delta=0.06)
