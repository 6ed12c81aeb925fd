"""What rings and what is struck: told apart in mixes of which both parts are known."""

import unittest
from dataclasses import replace
from unittest.mock import patch

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage, signal

from tests.sounds import RATE, audio, rendered
from zeroknot.core.apart import apart
from zeroknot.core.apart.apart import parts_of, struck_db, tones_of
from zeroknot.core.apart.parts import APART_VERSION, LONGEST_SECONDS
from zeroknot.core.apart.picture import Frames
from zeroknot.core.audio import Audio
from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.parts_run import rendering_of_pass
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.stretch.auto import STRUCK_DB


def recorded(name):
    """float32 [2, frames]: a loop rendered with a soundfont."""
    found = rendered(name).samples
    return np.ascontiguousarray(np.broadcast_to(found, (2, found.shape[1])))


def mix(tones, hits, louder_db=0.0):
    """Both as loud as one another, or the hits by so much louder; as long as the shorter."""
    frames = min(tones.shape[1], hits.shape[1])
    tones, hits = tones[:, :frames], hits[:, :frames]
    hits = hits * np.sqrt((tones**2).mean() / (hits**2).mean()) * 10 ** (louder_db / 20)
    top = 2.0 * np.abs(tones + hits).max()
    return tones / top, (hits / top).astype(np.float32)


def error_db(made, wanted):
    return 10 * np.log10(((made - wanted) ** 2).sum() / (wanted**2).sum() + 1e-12)


def by_medians(sound):
    """Tones by median filtering as published (Fitzgerald 2010): 4096, 31 frames, 31 bins, soft."""
    _, _, found = signal.stft(sound, RATE, nperseg=4096, noverlap=3072)
    size = np.abs(found).sum(axis=0)
    ringing = ndimage.median_filter(size, (1, 31)) ** 2
    struck = ndimage.median_filter(size, (31, 1)) ** 2
    _, out = signal.istft(found * ringing / (ringing + struck + 1e-12), RATE, nperseg=4096,
                          noverlap=3072)  # fmt: skip
    return out[:, : sound.shape[1]]


def plan_for(sound, parts, semitones, ratio=1.0, method="weave"):
    return plan_ratio(
        source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=ratio,
        method=method, semitones=semitones, parts=parts,
    )  # fmt: skip


def made(sound, parts, semitones, ratio=1.0, method="weave"):
    plan = plan_for(sound, parts, semitones, ratio, method)
    return rendering_of_pass(parts_of(sound), all_attacks(sound), plan).whole()


def log_spectrum(sound):
    """On a grid of 1 cent from 80 Hz to 2.5 kHz, its broad shape taken off."""
    found = np.abs(np.fft.rfft(sound.sum(axis=0) * np.hanning(sound.shape[1])))
    hz = 80 * 2 ** (np.arange(0, 6000) / 1200)
    level = np.log(np.interp(hz, np.fft.rfftfreq(sound.shape[1], 1 / RATE), found) + 1e-3)
    return level - ndimage.gaussian_filter1d(level, 400)


def cents_between(one, other):
    a, b = log_spectrum(one), log_spectrum(other)
    likeness = [np.corrcoef(a[60:-60], b[60 + k : b.size - 60 + k])[0, 1] for k in range(-50, 51)]
    return int(np.argmax(likeness)) - 50


class ToldApartTest(unittest.TestCase):
    """On mixes of recordings that the network was not fitted to."""

    def test_each_part_is_nearer_to_its_own_than_by_medians(self):
        for tonal in ("keys_88", "bass_97"):
            for louder in (-6.0, 0.0, 6.0):
                with self.subTest(tonal=tonal, louder=louder):
                    tones, hits = mix(recorded(tonal), recorded("drums_103"), louder)
                    ours = error_db(tones_of(Audio(tones + hits, RATE)), tones)
                    theirs = error_db(by_medians(tones + hits), tones)
                    self.assertLess(ours, theirs - 0.5)

    def test_a_held_chord_is_tones_and_a_burst_of_noise_is_a_hit(self):
        t = np.arange(4 * RATE) / RATE
        chord = sum(np.sin(2 * np.pi * f * t) for f in (220.0, 277.2, 329.6)) / 3
        chance = np.random.default_rng(1)
        bursts = np.zeros(t.size)
        for at in np.arange(0.25, 3.8, 0.5):
            i = round(at * RATE)
            bursts[i : i + 4000] += chance.standard_normal(4000) * np.exp(-np.arange(4000) / 900)
        tones, hits = mix(np.stack([chord, chord]), np.stack([bursts, bursts]))
        found = tones_of(Audio((tones + hits).astype(np.float32), RATE))
        self.assertLess(error_db(found, tones), -15.0)
        self.assertLess(error_db(tones + hits - found, hits), -10.0)

    def test_drums_alone_are_hits_and_chords_alone_are_tones(self):
        for name, is_struck in (("drums_103", True), ("keys_88", False)):
            with self.subTest(name=name):
                sound = Audio(recorded(name), RATE)
                tones = tones_of(sound)
                wrong = tones if is_struck else sound.samples - tones
                self.assertLess(10 * np.log10((wrong**2).sum() / (sound.samples**2).sum()), -8.0)

    def test_it_is_as_long_as_the_recording_whatever_that_is(self):
        for rate in (8_000, 22_050, 44_100, 48_000, 96_000):
            for channels, frames in ((1, 1), (2, 100), (1, rate), (2, rate // 2 + 7)):
                with self.subTest(rate=rate, channels=channels, frames=frames):
                    chance = np.random.default_rng(frames)
                    sound = chance.standard_normal((channels, frames)).astype(np.float32) * 0.1
                    found = tones_of(Audio(sound, rate))
                    self.assertEqual(found.shape, sound.shape)
                    self.assertEqual(found.dtype, np.float32)
                    self.assertTrue(np.isfinite(found).all())

    def test_a_chord_that_is_cut_off_is_tones_from_its_first_to_its_last_sample(self):
        t = np.arange(2 * RATE) / RATE
        chord = sum(np.sin(2 * np.pi * f * t + 1) for f in (220.0, 277.2, 329.6)) / 6
        tones = tones_of(audio(chord))[0]
        for some in (slice(0, 200), slice(-200, None)):
            share = (tones[some] ** 2).sum() / (chord[some] ** 2).sum()
            self.assertGreater(share, 0.4)

    def test_how_much_is_struck_tells_a_mix_with_drums_from_one_without(self):
        keys, bass = recorded("keys_88"), recorded("bass_97")
        band = mix(keys, bass)
        band = band[0] + band[1]
        drums = recorded("drums_103")
        for louder in (-6.0, 0.0, 6.0):
            tones, hits = mix(band, drums, louder)
            found = struck_db(Audio(np.ascontiguousarray(tones + hits), RATE), "mixed")
            self.assertGreater(found, STRUCK_DB + 3)
        self.assertLess(struck_db(Audio(np.ascontiguousarray(band), RATE), "mixed"), STRUCK_DB - 3)
        self.assertIsNone(struck_db(Audio(drums, RATE), "drums"))
        silence = Audio(np.zeros((1, RATE), np.float32), RATE)
        self.assertEqual(struck_db(silence, "mixed"), 0.0)

    def test_silence_has_neither(self):
        self.assertEqual(np.abs(tones_of(Audio(np.zeros((2, RATE), np.float32), RATE))).max(), 0.0)

    def test_level_has_no_say(self):
        tones, hits = mix(recorded("keys_88"), recorded("drums_103"))
        loud = (tones + hits)[:, : 2 * RATE]
        soft = tones_of(Audio(loud * np.float32(0.01), RATE)) * 100
        self.assertLess(error_db(soft, tones_of(Audio(loud, RATE))), -50.0)

    def test_where_it_is_cut_into_pieces_has_no_say(self):
        tones, hits = mix(recorded("keys_88"), recorded("drums_103"))
        sound = Audio(tones + hits, RATE)
        with patch.object(apart, "_loudest_of", return_value=12.0):
            whole = tones_of(sound)
            with patch.object(apart, "AT_ONCE", 40):
                np.testing.assert_allclose(tones_of(sound), whole, atol=1e-4)

    def test_what_is_too_long_is_refused_with_a_sentence(self):
        long = np.zeros((1, round(LONGEST_SECONDS * 8_000) + 1), np.float32)
        with self.assertRaisesRegex(StretchError, "crop a loop"):
            tones_of(Audio(long, 8_000))

    @settings(max_examples=20, deadline=None)
    @given(st.integers(1_000, 200_000))
    def test_a_window_is_about_a_tenth_of_a_second_at_every_rate(self, rate):
        size = Frames.at(rate).size
        self.assertEqual(size & (size - 1), 0)
        self.assertLess(abs(np.log2(size / rate / 0.093)), 0.5 + 1e-9)


class LaidTest(unittest.TestCase):
    """What a plan of parts sounds like."""

    @classmethod
    def setUpClass(cls):
        tones, hits = mix(recorded("keys_88"), recorded("drums_103"))
        cls.tones, cls.hits = tones, hits
        cls.sound = Audio(np.ascontiguousarray(tones + hits), RATE)

    def test_both_parts_laid_as_they_are_are_the_recording(self):
        both = made(self.sound, "tones", 0.0) + made(self.sound, "hits", 0.0)
        self.assertLess(np.abs(both - self.sound.samples).max(), 1e-6)

    def test_without_a_change_nothing_is_taken_apart(self):
        plan = plan_for(self.sound, "apart", 0.0)
        with patch.object(apart, "tones_of", side_effect=AssertionError):
            copy = rendering_of_pass(parts_of(self.sound), all_attacks(self.sound), plan)
            np.testing.assert_array_equal(copy.whole(), self.sound.samples)

    def test_hits_stay_where_tones_are_shifted(self):
        for semitones in (-5.0, 4.0):
            with self.subTest(semitones=semitones):
                apart_ = made(self.sound, "apart", semitones)
                left = apart_ - made(self.sound, "tones", semitones)
                np.testing.assert_allclose(left, made(self.sound, "hits", semitones), atol=1e-6)
                # The bound; the drums as they are known, not as they were told apart.
                self.assertLessEqual(abs(cents_between(left, self.hits)), 3)
                moved = cents_between(
                    made(Audio(self.sound.samples, RATE), "whole", 0.4), self.sound.samples
                )
                self.assertLess(abs(abs(moved) - 40), 6)  # the measure would see it

    def test_drums_alone_stay_as_they_are_whatever_the_shift(self):
        drums = Audio(np.ascontiguousarray(self.hits), RATE)
        for semitones in (-5.0, 5.0):
            left = made(drums, "apart", semitones)
            self.assertLess(error_db(left, self.hits), -6.0)
            self.assertLessEqual(abs(cents_between(left, self.hits)), 3)
            self.assertGreater(error_db(made(drums, "whole", semitones), self.hits), -3.0)

    def test_both_are_laid_by_the_same_map(self):
        long = made(self.sound, "apart", 3.0, 1.5)
        plan = plan_for(self.sound, "apart", 3.0, 1.5)
        self.assertEqual(long.shape[1], plan.frames)
        ringing = made(self.sound, "tones", 3.0, 1.5)
        struck = made(self.sound, "hits", 0.0, 1.5, "strike")
        np.testing.assert_allclose(long, ringing + struck, atol=1e-6)
        # A method that aims at another sound changes hits like the rest.
        plan = plan_for(self.sound, "apart", 3.0, 1.5, "scatter")
        self.assertEqual(plan.one_of_two("hits").method, "scatter")

    def test_a_stretched_drum_sounds_as_it_was_struck_where_it_is_laid_apart(self):
        """Beside the drums as they are known, laid by Strike, which plays each as it is."""
        wanted = made(Audio(np.ascontiguousarray(self.hits), RATE), "whole", 0.0, 0.5, "strike")
        ringing = made(self.sound, "tones", 0.0, 0.5)
        laid_apart = made(self.sound, "apart", 0.0, 0.5) - ringing
        as_one = made(self.sound, "whole", 0.0, 0.5) - ringing
        self.assertLess(error_db(laid_apart, wanted), error_db(as_one, wanted) - 3.0)

    def test_the_plan_says_which_parts_and_is_read_again(self):
        whole = plan_for(self.sound, "whole", 3.0)
        self.assertNotIn("parts", whole.text)  # no address of before is another now
        for parts in ("apart", "tones", "hits"):
            plan = plan_for(self.sound, parts, 3.0)
            self.assertEqual(plan_of_text(plan.text), plan)
            self.assertEqual((plan.parts, plan.apart_by), (parts, APART_VERSION))
            self.assertNotEqual(plan.digest, whole.digest)
        self.assertEqual(plan_for(self.sound, "hits", 3.0).semitones, 0.0)
        self.assertNotEqual(replace(plan, apart_by=APART_VERSION + 1).digest, plan.digest)

    def test_notes_have_no_parts(self):
        self.assertEqual(plan_for(self.sound, "apart", 3.0, method="notes").parts, "whole")

    def test_one_channel_is_enough(self):
        mono = audio(self.sound.samples[0])
        self.assertEqual(made(mono, "apart", 2.0).shape, (1, mono.frames))


if __name__ == "__main__":
    unittest.main()
