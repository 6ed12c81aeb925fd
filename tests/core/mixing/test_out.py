"""The limiter's ceiling by an independent resampler; dither's noise, its power and its spectrum."""

import unittest

import numpy as np
from scipy import signal

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.mixing.dither import Dither
from zeroknot.core.mixing.limiter import Limiter, limited

RATE = 44_100


def between(sound):
    """The highest of four times as many samples, by SciPy's polyphase resampler, dB."""
    peak = np.abs(signal.resample_poly(sound.astype(np.float64), 4, 1, axis=1)).max()
    return 20 * np.log10(peak)


def random_sound(seed):
    """Noise of some colour, tones, clicks and steps, up to 18 dB too loud."""
    rng = np.random.default_rng(seed)
    size = int(rng.integers(500, 6000))
    noise = rng.normal(size=(2, size))
    noise = signal.lfilter([1.0], [1.0, -rng.uniform(-0.95, 0.95)], noise)
    at = np.arange(size)
    tone = np.sin(2 * np.pi * rng.uniform(0.001, 0.49) * at + rng.uniform(0, 6))
    envelope = np.repeat(rng.random(size // 100 + 1), 100)[:size]
    sound = rng.random() * noise / np.abs(noise).max() + rng.random() * tone
    if rng.random() < 0.5:
        sound[:, rng.integers(0, size, 5)] += rng.normal(size=5) * 4
    return (sound * envelope * 10 ** (rng.uniform(-3, 18) / 20)).astype(np.float32)


class LimiterTest(unittest.TestCase):
    def test_a_thousand_random_sounds_stay_under_their_ceiling(self):
        worst = -99.0
        for seed in range(1000):
            ceiling = float(-(seed % 4))
            worst = max(worst, between(limited(random_sound(seed), RATE, ceiling)) - ceiling)
        self.assertLess(worst, 0.1)

    def test_what_is_under_it_goes_through_to_the_bit(self):
        sound = (0.3 * random_sound(3) / np.abs(random_sound(3)).max()).astype(np.float32)
        np.testing.assert_array_equal(limited(sound, RATE, -1.0), sound)

    def test_in_pieces_it_is_the_same_and_as_long(self):
        sound = np.concatenate([random_sound(s) for s in range(8)], axis=1)
        limiter, out = Limiter(RATE, 2, -1.0), []
        for at in range(0, sound.shape[1], 333):
            out.append(limiter.feed(sound[:, at : at + 333]))
        whole = np.concatenate([*out, limiter.rest], axis=1)[:, limiter.lead :]
        np.testing.assert_allclose(
            whole[:, : sound.shape[1]], limited(sound, RATE, -1.0), atol=1e-6
        )
        self.assertEqual(limited(sound, RATE, -1.0).shape, sound.shape)
        self.assertLess(limiter.least, 1.0)

    def test_it_is_down_before_the_peak_and_up_again_after(self):
        """A steady tone at half scale, one peak of 12 dB over it: little is heard of it after."""
        at = np.arange(RATE)
        tone = 0.5 * np.sin(2 * np.pi * 220 * at / RATE)
        loud = tone.copy()
        loud[20_000:20_020] *= 8
        out = limited(np.stack([loud, loud]).astype(np.float32), RATE, -1.0)[0]
        self.assertLess(np.abs(out[:19_000] - tone[:19_000]).max(), 1e-6)
        self.assertLess(np.abs(out[-10_000:] - tone[-10_000:]).max(), 0.01)
        # The gain moves without a step: 13 dB in 176 frames, from frame to frame a little.
        gain = out[19_600:19_990] / np.where(np.abs(tone) > 0.05, tone, np.nan)[19_600:19_990]
        moves = np.abs(np.diff(20 * np.log10(gain)))
        self.assertLess(np.nanmax(moves), 0.3)

    def test_both_sides_go_by_one_gain(self):
        sound = random_sound(5)
        sound[1] = 0.25 * sound[0]
        out = limited(sound, RATE, -6.0)
        np.testing.assert_allclose(out[1], 0.25 * out[0], atol=1e-6)

    def test_a_ceiling_over_full_scale_is_refused(self):
        with self.assertRaisesRegex(ZeroKnotError, "between"):
            Limiter(RATE, 2, 0.5)


class DitherTest(unittest.TestCase):
    def test_its_error_is_white_whatever_the_sound(self):
        """Power of 1/4 step² (1/12 of rounding, 1/6 of the noise; Lipshitz et al. 1992), as much
        in each octave's share, and nothing of the tone's harmonics."""
        at = np.arange(1 << 17)
        quiet = 3 / 32768 * np.sin(2 * np.pi * 997 * at / RATE)
        error = Dither(16).feed(np.stack([quiet, quiet]).astype(np.float32))[0] - quiet
        steps = error * 32768
        self.assertAlmostEqual(float(np.mean(steps)), 0.0, delta=0.01)
        self.assertAlmostEqual(float(np.var(steps)), 0.25, delta=0.01)
        hertz, power = signal.welch(steps, RATE, nperseg=4096)
        level = 10 * np.log10(power[5:-5] / np.mean(power[5:-5]))
        self.assertLess(np.abs(level).max(), 3.0)
        for harmonic in (2, 3, 5):
            near = np.abs(hertz - 997 * harmonic) < 20
            self.assertLess(10 * np.log10(power[near].max() / np.median(power)), 2.5)

    def test_without_it_the_harmonics_stand_out(self):
        """So that the test above can fail."""
        at = np.arange(1 << 17)
        quiet = 3 / 32768 * np.sin(2 * np.pi * 997 * at / RATE)
        steps = np.rint(quiet * 32768) - quiet * 32768
        hertz, power = signal.welch(steps, RATE, nperseg=4096)
        near = np.abs(hertz - 997 * 3) < 20
        self.assertGreater(10 * np.log10(power[near].max() / np.median(power)), 10)

    def test_it_lies_on_the_steps_the_same_each_time_and_never_wraps(self):
        loud = np.asarray([[1.5, -1.5, 0.1, -0.1]], np.float32)
        one, again = (Dither(16).feed(loud) for _ in range(2))
        np.testing.assert_array_equal(one, again)
        np.testing.assert_array_equal(one * 32768, np.rint(one * 32768))
        self.assertEqual((one[0, 0], one[0, 1]), (32767 / 32768, -1.0))
