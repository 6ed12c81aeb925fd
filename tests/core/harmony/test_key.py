"""Keys, their notes, and the shift that brings a loop into one."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from librosa import key_to_degrees

from tests.sounds import RATE, audio, rendered
from zeroknot.core.audio import Audio
from zeroknot.core.harmony.degrees import degrees_kept
from zeroknot.core.harmony.fit import (
    HEARD,
    NEAR,
    SAID,
    SHIFTS,
    interval,
    shares_inside,
    shift_between,
    shift_into,
)
from zeroknot.core.harmony.key import NAMES, SCALES, TONIC_ONLY, Key, KeyNameError
from zeroknot.core.harmony.key_map import KeyMap
from zeroknot.core.harmony.tones import profile_of
from zeroknot.core.synth.sounding import sounded

LIBROSA = {
    "major": "maj", "minor": "min", "dorian": "dor", "mixolydian": "mix", "phrygian": "phr",
    "lydian": "lyd", "locrian": "loc",
}  # fmt: skip
keys = st.builds(Key, st.sampled_from(NAMES), st.sampled_from(sorted(SCALES)))
profiles = st.lists(st.floats(0, 1), min_size=12, max_size=12).map(tuple)


class KeyTest(unittest.TestCase):
    def test_scales_are_those_of_librosa(self):
        for mode, short in LIBROSA.items():
            for name in NAMES:
                with self.subTest(mode=mode, name=name):
                    there = set(key_to_degrees(f"{name}:{short}").tolist())
                    self.assertEqual(set(Key(name, mode).notes), there)
        # Handbooks: a minor scale with its seventh raised (from memory).
        self.assertEqual(Key("A", "harmonic minor").notes, (9, 11, 0, 2, 4, 5, 8))

    def test_keys_are_read_as_they_are_written(self):
        for text, wanted in (
            ("Dm", "D minor"), ("f# dorian", "F♯ dorian"), ("Eb  Mixolydian", "E♭ mixolydian"),
            ("A harmonic minor", "A harmonic minor"), ("G", "G major"), ("CM", "C major"),
            ("B♭ tonic only", "B♭ tonic only"), ("d MAJOR", "D major"),
        ):  # fmt: skip
            self.assertEqual(str(Key.parse(text)), wanted)
            self.assertEqual(Key.parse(wanted), Key.parse(text))
        for text in ("", "H", "D majorish", "Dm7", "minor", "D♯♯"):
            with self.subTest(text), self.assertRaises(KeyNameError):
                Key.parse(text)

    @given(keys)
    def test_every_key_is_read_back(self, key):
        self.assertEqual(Key.parse(str(key)), key)

    def test_a_minor_key_has_raised_notes_at_half_weight(self):
        weights = Key.parse("A minor").weights
        self.assertEqual([weights[n] for n in (6, 8)], [0.5, 0.5])  # F♯ and G♯
        self.assertEqual(sum(weights), 8.0)
        self.assertEqual(sum(Key.parse("A harmonic minor").weights), 7.0)

    def test_intervals_go_the_smaller_way(self):
        for a, b, wanted in (("C", "G", -5), ("A", "D", 5), ("D", "E", 2), ("C", "F♯", -6)):
            self.assertEqual(interval(Key(a, "major"), Key(b, "minor")), wanted)


class FitTest(unittest.TestCase):
    def test_keys_with_the_same_notes_are_one(self):
        for one, other in (
            ("A minor", "C major"), ("D dorian", "C major"), ("E phrygian", "C major"),
            ("F lydian", "C major"), ("G mixolydian", "C major"), ("B locrian", "C major"),
        ):  # fmt: skip
            self.assertEqual(shift_between(one, other), 0)
        # CHECKS.md: a loop in G two semitones up is in A.
        self.assertEqual(shift_between("G major", "A major"), 2)

    def test_a_scale_is_wholly_inside_its_own_key_only(self):
        profile = tuple(1.0 if n in Key.parse("G major").notes else 0.0 for n in range(12))
        shares = shares_inside(profile, Key.parse("C major"))
        self.assertEqual(shares[5], 1.0)
        self.assertEqual([n for n in SHIFTS if shares[n] == 1.0], [5])
        self.assertEqual(shift_into(profile, Key.parse("C major")), 5)

    def test_tonic_to_tonic_or_relative_as_is_preferred_where_both_do(self):
        # A minor pentatonic: inside C major as it is, inside C minor three up.
        notes = {9, 0, 2, 4, 7}
        profile = tuple(0.2 if n in notes else 0.0 for n in range(12))
        own, key = Key.parse("A minor"), Key.parse("C major")
        self.assertEqual(shift_into(profile, key, own, "relative"), 0)
        # Tonic to tonic takes a C minor loop's notes out of C major: not within 1 %.
        self.assertEqual(shift_into(profile, key, own, "tonic"), 0)
        sparse = tuple(1.0 if n == 9 else 0.0 for n in range(12))
        self.assertEqual(shift_into(sparse, key, own, "tonic"), 3)
        self.assertEqual(shift_into(sparse, key, own, "relative"), 0)

    def test_a_known_key_stands_against_notes_beside_it(self):
        # Of a loop in D dorian the B is half inside D minor, and all of it inside five up.
        own, key = Key("D", "dorian"), Key.parse("D minor")
        for share, by_heard, by_said in ((0.03, 0, 0), (0.1, 0, 0), (0.2, 5, 0), (0.6, 5, 5)):
            rest = (1 - share) / 6
            profile = tuple(share if n == 11 else rest * (n in own.notes) for n in range(12))
            with self.subTest(share=share):
                self.assertEqual(shift_into(profile, key), 5)
                for leeway, wanted in ((NEAR, 5), (HEARD, by_heard), (SAID, by_said)):
                    self.assertEqual(shift_into(profile, key, own, "tonic", leeway), wanted)

    def test_where_the_scales_differ_a_known_key_does_not_bring_its_third_along(self):
        # Sixteen of twenty on A and E: three up, on C and G, is inside C major but for the third.
        profile = tuple({9: 0.5, 4: 0.3, 0: 0.2}.get(n, 0.0) for n in range(12))
        for mode, wanted in (("major", 0), ("mixolydian", 5), ("minor", 3), ("phrygian", 3)):
            with self.subTest(mode=mode):
                own, key = Key.parse("A minor"), Key("C", mode)
                self.assertEqual(shift_into(profile, key, own, leeway=SAID) % 12, wanted)

    @given(profiles, keys, keys, st.sampled_from(["tonic", "relative"]), st.floats(NEAR, SAID))
    def test_what_is_proposed_is_nearly_as_good_as_the_best(
        self, profile, key, own, prefers, leeway
    ):
        shares = shares_inside(profile, key)
        for said, less in ((None, 0.0), (own, leeway)):
            found = shift_into(profile, key, said, prefers, leeway)
            self.assertIn(found, SHIFTS)
            self.assertGreaterEqual(shares[found], max(shares.values()) - less - 1e-8)

    def test_nothing_that_sounds_stays_where_it_is(self):
        self.assertEqual(shift_into((0.0,) * 12, Key.parse("E major")), 0)
        self.assertEqual(shift_into((1.0,) + (0.0,) * 11, Key("D", TONIC_ONLY)), 2)


class KeyMapTest(unittest.TestCase):
    SONG = KeyMap(
        ((0.0, Key.parse("D minor")), (64.0, Key.parse("E minor")), (96.0, Key.parse("D minor")))
    )

    def test_what_follows_moves_by_the_interval_of_the_tonics(self):
        profile = tuple(1.0 if n in Key.parse("A minor").notes else 0.0 for n in range(12))
        own = Key.parse("A minor")
        for beat, wanted in ((0.0, 5), (63.9, 5), (64.0, 7), (95.9, 7), (96.0, 5), (-4.0, 5)):
            with self.subTest(beat=beat):
                self.assertEqual(self.SONG.shift_at(beat, profile, own, "tonic", HEARD), wanted)
        self.assertEqual(self.SONG.breaks_between(0.0, 200.0), [64.0, 96.0])
        self.assertEqual(self.SONG.breaks_between(64.0, 96.0), [])

    def test_a_song_without_a_key_moves_nothing(self):
        self.assertEqual(KeyMap().shift_at(3.0, (1.0,) * 12, None, "tonic", HEARD), 0)
        self.assertIsNone(KeyMap().key_at(0.0))
        relative = KeyMap(((0.0, Key.parse("A minor")), (8.0, Key.parse("A major"))))
        self.assertEqual(relative.breaks_between(0.0, 16.0), [])


class DegreesTest(unittest.TestCase):
    def test_degrees_are_kept_from_mode_to_mode(self):
        # Common practice, no source: the third, sixth and seventh of a minor key are a semitone
        # lower than those of the major one.
        found = degrees_kept(Key.parse("A minor"), Key.parse("C major"))
        self.assertEqual([found[n] for n in (9, 11, 0, 2, 4, 5, 7)], [0, 0, 1, 0, 0, 1, 1])
        back = degrees_kept(Key.parse("C major"), Key.parse("A minor"))
        self.assertEqual([back[n] for n in (0, 2, 4, 5, 7, 9, 11)], [0, 0, -1, 0, 0, -1, -1])
        self.assertEqual(degrees_kept(Key.parse("D minor"), Key.parse("G minor")), (0,) * 12)
        self.assertEqual(degrees_kept(Key("C", TONIC_ONLY), Key.parse("C major")), (0,) * 12)

    @given(keys, keys)
    def test_every_note_of_a_scale_comes_to_the_same_degree(self, own, wanted):
        if TONIC_ONLY in (own.mode, wanted.mode):
            return
        found = degrees_kept(own, wanted)
        by = interval(own, wanted)
        moved = [(n + by + found[n]) % 12 for n in own.notes]
        self.assertEqual(tuple(moved), wanted.notes)


class TonesTest(unittest.TestCase):
    def test_a_chord_sounds_on_its_pitch_classes_however_it_is_tuned(self):
        t = np.arange(2 * RATE) / RATE
        for cents in (0.0, 30.0, -40.0):
            hertz = [440 * 2 ** ((n - 69 + cents / 100) / 12) for n in (60, 64, 67)]
            profile = profile_of(audio(0.2 * sum(np.sin(2 * np.pi * h * t) for h in hertz)))
            with self.subTest(cents=cents):
                self.assertAlmostEqual(sum(profile), 1.0)
                self.assertGreater(sum(profile[n] for n in (0, 4, 7)), 0.98)

    def test_overtones_are_no_notes_that_were_played(self):
        # The third and fifth partial of a string on D are A and F♯ (harmonic series).
        for voice, octave in (("bass", 36), ("plucked", 48), ("lead", 60)):
            played = [sounded(voice, octave + n, 100, RATE // 2, RATE) for n in (2, 5, 2, 10)]
            line = np.concatenate([note[:, : RATE // 2] for note in played], axis=1)
            profile = profile_of(Audio(line.astype(np.float32), RATE))
            with self.subTest(voice=voice):
                self.assertGreater(sum(profile[n] for n in (2, 5, 10)), 0.99)
                self.assertEqual(shift_into(profile, Key.parse("D minor")), 0)

    def test_a_loop_of_a_known_key_is_shifted_into_another(self):
        # tests/fixtures/ORIGIN.md tells its key.
        profile = profile_of(rendered("keys_88"))
        own = max(
            (Key(name, mode) for name in NAMES for mode in ("major", "minor")),
            key=lambda key: shares_inside(profile, key)[0],
        )
        self.assertGreater(shares_inside(profile, own)[0], 0.9)
        for name in NAMES:
            key = Key(name, own.mode)
            shift = shift_into(profile, key, own)
            self.assertEqual((own.pitch_class + shift) % 12, key.pitch_class)

    def test_silence_and_noise_have_no_profile_that_matters(self):
        self.assertEqual(profile_of(audio(np.zeros(RATE))), (0.0,) * 12)


if __name__ == "__main__":
    unittest.main()
