import json
import unittest
from dataclasses import asdict

import numpy as np
from scipy import ndimage

from tests.sounds import RATE, audio, drum_loop, rendered, sine
from zeroknot.core.listening import beats as beats_module
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.beats import curve_of, followed
from zeroknot.core.listening.chroma import chroma, spectral_peaks, tuning_cents
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.network import Network
from zeroknot.core.listening.picture import COARSE, picture_of
from zeroknot.core.listening.reading import Reading
from zeroknot.core.listening.readings import listen
from zeroknot.core.listening.takes import bars_of_accents


class TempoCurveTest(unittest.TestCase):
    def test_a_steady_beat(self):
        curve = curve_of(np.arange(9) * 0.5)
        np.testing.assert_allclose(curve.bpm, 120)
        self.assertAlmostEqual(curve.mean_bpm, 120)
        self.assertAlmostEqual(curve.deviation_bpm, 0)
        self.assertAlmostEqual(curve.drift, 0)

    def test_a_beat_that_gets_faster(self):
        # Gaps from 0.50 s to 0.48 s: 120 to 125 BPM, 4.1 % faster.
        curve = curve_of(np.cumsum(np.linspace(0.50, 0.48, 41)))
        self.assertAlmostEqual(curve.drift, 0.041, delta=0.005)
        self.assertTrue((np.diff(curve.bpm) > 0).all())

    def test_one_beat_has_no_tempo(self):
        self.assertIsNone(curve_of(np.asarray([1.0])))

    def test_a_beat_that_is_longer_than_the_recording(self):
        one = Attacks(np.asarray([0.01]), np.ones(1), np.ones(1))
        self.assertLessEqual(followed(one, 0.5, 0.27).size, 1)

    def test_beats_of_a_loop_reach_into_its_pickup(self):
        loop = drum_loop(100, 4)
        beat = round(0.6 * RATE)
        heard = listen(audio(np.concatenate([0.5 * loop[-beat:], loop])))
        np.testing.assert_allclose(heard.beats, np.arange(17) * 0.6, atol=0.02)


class BestPathTest(unittest.TestCase):
    """Many steps at once are what they are one by one, and filters those of SciPy."""

    def one_by_one(self, rises, periods):
        score, back = np.zeros(rises.size), np.full(rises.size, -1)
        for t, period in enumerate(periods):
            gaps = np.arange(max(1, int(0.6 * period)), min(t, int(1.7 * period)) + 1)
            score[t] = rises[t]
            if gaps.size:
                reached = score[t - gaps] - beats_module.TIGHTNESS * np.log(gaps / period) ** 2
                if reached.max() > 0:
                    score[t] += reached.max()
                    back[t] = t - gaps[reached.argmax()]
        return score, back

    def test_paths(self):
        rng = np.random.default_rng(3)
        for count, slow, fast in ((1, 40, 40), (30, 60, 40), (900, 48, 52), (1400, 90, 31)):
            with self.subTest(count=count, slow=slow):
                rises = np.abs(rng.standard_normal(count))
                periods = np.linspace(slow, fast, count)
                score, back = beats_module._best_paths(rises, periods)
                wanted, from_where = self.one_by_one(rises, periods)
                np.testing.assert_allclose(score, wanted, rtol=1e-12)
                np.testing.assert_array_equal(back, from_where)

    def test_filters(self):
        rises = np.random.default_rng(4).standard_normal(50)
        smooth = ndimage.gaussian_filter1d(rises, beats_module.SMOOTHED_STEPS)
        np.testing.assert_allclose(beats_module._smoothed(rises), smooth, atol=1e-12)
        for few in (rises, rises[:3], rises[:1]):
            middle = np.median(beats_module._windows(few, 5), axis=-1)
            np.testing.assert_array_equal(middle, ndimage.median_filter(few, 5))
            table = np.stack([few, -2 * few], axis=1)
            mean = beats_module._windows(table, 3).mean(axis=-1)
            np.testing.assert_allclose(mean, ndimage.uniform_filter1d(table, 3, axis=0), atol=1e-12)


class HearingTest(unittest.TestCase):
    def test_there_and_back_through_json(self):
        heard = listen(rendered("drums_103"))
        self.assertEqual(Hearing.from_json(json.loads(json.dumps(asdict(heard)))), heard)

    def test_what_an_older_listening_kept_is_read(self):
        old = {"attacks": [[0.5, 1.0]], "sounding": [0, 1], "readings": [], "warnings": []}
        hearing = Hearing.from_json(old)
        self.assertEqual((hearing.attacks, hearing.version), (((0.5, 1.0, 1.0),), 1))

    def test_hardly_any_confidence_is_no_answer(self):
        reading = Reading(2, 4, 100.0, 0.0, 4.8, 0.05)
        hearing = Hearing(sounding=(0, 5), readings=(reading,))
        self.assertIsNone(hearing.best)
        self.assertEqual(hearing.readings, (reading,))

    def test_attacks_by_sensitivity(self):
        hearing = Hearing(sounding=(0, 1), attacks=((0.1, 1.0, 0.9), (0.2, 0.5, 0.3)))
        self.assertEqual(hearing.attack_seconds(0.5), (0.1,))
        self.assertEqual(hearing.attack_seconds(0.8), (0.1, 0.2))
        found = Attacks(np.array([0.1, 0.2]), np.array([1.0, 0.5]), np.array([0.9, 0.3]))
        self.assertEqual(found.at_sensitivity(0.5).seconds.tolist(), [0.1])


class PictureTest(unittest.TestCase):
    def test_tables_cover_the_sound(self):
        picture = picture_of(audio(drum_loop(120, 1)))
        frames = picture.total.size
        self.assertAlmostEqual(frames * picture.hop_seconds, 2.0, delta=0.02)
        self.assertEqual(picture.rises.shape, (frames, 6))
        self.assertEqual(picture.colours.shape[0], -(-frames // COARSE))

    def test_a_rise_shows_in_its_own_band(self):
        # A tone that sets in at 1 s; the bands are 30, 120, 300, 800, 2 500, 7 000, 16 000 Hz.
        for hertz, band in ((60, 0), (200, 1), (500, 2), (1_500, 3), (4_000, 4), (9_000, 5)):
            with self.subTest(hertz=hertz):
                samples = np.concatenate([np.zeros(RATE), sine(hertz, 1.0)])
                rises = picture_of(audio(samples)).rises
                around = rises[190:206].max(axis=0)
                self.assertEqual(int(np.argmax(around)), band)


class ChromaTest(unittest.TestCase):
    def test_equal_temperament(self):
        # ISO 16: A4 is 440 Hz; a note n semitones above sounds 2^(n/12) times as high.
        for semitones in (-21, -9, 0, 3, 12):
            with self.subTest(semitones=semitones):
                peaks = spectral_peaks(audio(sine(440 * 2 ** (semitones / 12), 1.5)))
                self.assertAlmostEqual(tuning_cents(peaks) or 0.0, 0, delta=3)
                table = chroma(peaks, 0.0).sum(axis=0)
                self.assertEqual(int(np.argmax(table)), (9 + semitones) % 12)

    def test_cents(self):
        for cents in (-40, -14, 25):
            with self.subTest(cents=cents):
                peaks = spectral_peaks(audio(sine(440 * 2 ** (cents / 1200), 1.5)))
                self.assertAlmostEqual(tuning_cents(peaks), cents, delta=2)


class NetworkTest(unittest.TestCase):
    def test_the_formula_by_hand(self):
        # x = (3 − 1) / 2 = 1; tanh(1·0.5 + 0) · 2 + 1 · 3 + 4 = 2·0.46212 + 7 = 7.92423
        one = np.ones(1, np.float32)
        net = Network(
            one, 2 * one, np.full((1, 1), 0.5, np.float32), 0 * one,
            np.full((1, 1), 2, np.float32), np.full((1, 1), 3, np.float32), 4 * one,
        )  # fmt: skip
        self.assertAlmostEqual(net.scores(np.full((1, 1), 3, np.float32))[0], 7.92423, places=4)
        # Farther than six spreads is no more telling.
        far = net.scores(np.asarray([[13.0], [500.0]], np.float32))
        self.assertEqual(far[0], far[1])


class TakesBarsTest(unittest.TestCase):
    both = np.full(2, 0.7)

    def test_the_metre_and_the_one_of_a_take_stand_out_of_uneven_accents(self):
        rng = np.random.default_rng(5)
        for metre in (3, 4, 5, 7):
            found = []
            for _ in range(40):
                one = int(rng.integers(metre))
                accents = rng.gamma(2, 0.5, (2, 48 * metre))
                accents[:, one::metre] += 0.6
                found.append(bars_of_accents(accents, self.both)[0][:2] == (metre, one))
            with self.subTest(metre):
                self.assertGreater(np.mean(found), 0.9)

    def test_where_nothing_stands_out_it_is_four(self):
        self.assertEqual(bars_of_accents(np.ones((2, 40)), self.both)[0][:2], (4, 0))
        self.assertEqual(bars_of_accents(np.ones((2, 8)), self.both)[0][0], 4)
