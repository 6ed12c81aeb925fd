import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.stretch import decay, sinc, strike, turning, voice
from zeroknot.core.stretch.part import LONGEST_PIECE_SECONDS, SHORTEST_PIECE_SECONDS, Part
from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.warp.time_map import TimeMap

RATE = 1000
SAMPLES = np.arange(1, 11, dtype=np.float32)[None]  # 1 … 10


class SourceViewTest(unittest.TestCase):
    def test_a_cut_is_silent_outside(self):
        view = SourceView(SAMPLES, 2, 6, False)
        np.testing.assert_array_equal(view.read(0, 8)[0], [0, 0, 3, 4, 5, 6, 0, 0])

    def test_a_circle_goes_round(self):
        view = SourceView(SAMPLES, 2, 5, True)
        np.testing.assert_array_equal(view.read(0, 9)[0], [4, 5, 3, 4, 5, 3, 4, 5, 3])

    def test_a_circle_may_reach_outside_the_recording(self):
        view = SourceView(SAMPLES, -2, 2, True)
        np.testing.assert_array_equal(view.read(-2, 8)[0], [0, 0, 1, 2, 0, 0, 1, 2])

    @given(st.integers(-5, 12), st.integers(1, 12), st.booleans(), st.integers(-30, 30))
    def test_any_range_is_made_of_single_frames(self, start, length, is_circle, first):
        view = SourceView(SAMPLES, start, start + length, is_circle)
        whole = view.read(first, 25)
        for i in range(25):
            self.assertEqual(whole[0, i], view.read(first + i, 1)[0, 0])


class AnchorsTest(unittest.TestCase):
    def anchors(self, seconds, attacks=(), strengths=None, ratio=1.0):
        end = round(seconds * ratio * RATE)
        part = Part(
            view=SourceView(np.zeros((1, round(seconds * RATE)), np.float32), 0, end, True),
            rate=RATE,
            time_map=TimeMap.of_points(((0.0, 0), (seconds, end))),
            start=0,
            end=end,
            attacks=np.asarray(attacks, float),
            strengths=np.ones(len(attacks)) if strengths is None else np.asarray(strengths, float),
        )
        sources, outputs = part.anchors.T
        np.testing.assert_allclose(sources * ratio, outputs, rtol=1e-3, atol=1.0)
        return (outputs / RATE).tolist()

    def test_a_short_part_is_one_piece(self):
        self.assertEqual(self.anchors(1.5, [0.5, 1.0]), [0, 1.5])

    def test_without_attacks_four_seconds_at_most(self):
        found = self.anchors(30.0)
        self.assertEqual((found[0], found[-1]), (0, 30))
        self.assertLessEqual(max(np.diff(found)), LONGEST_PIECE_SECONDS)

    def test_strong_attacks_are_chosen_and_not_too_near(self):
        found = self.anchors(4.0, [0.5, 1.2, 1.3, 2.4, 3.8], [1, 0.2, 1, 0.9, 1])
        self.assertEqual(found, [0, 1.3, 2.4, 4.0])
        self.assertGreaterEqual(min(np.diff(found)), SHORTEST_PIECE_SECONDS)

    @given(st.lists(st.floats(0, 19.9), max_size=60), st.floats(0.3, 3.0))
    def test_pieces_are_never_too_long_or_too_short(self, attacks, ratio):
        gaps = np.diff(self.anchors(20.0, sorted(set(attacks)), ratio=ratio))
        self.assertLessEqual(max(gaps), LONGEST_PIECE_SECONDS + 1e-6)
        self.assertGreaterEqual(min(gaps), SHORTEST_PIECE_SECONDS - 1e-6)


class KernelsTest(unittest.TestCase):
    """Compiled code against the same code uncompiled."""

    rng = np.random.default_rng(7)

    def test_reading_between_samples(self):
        samples = self.rng.standard_normal((2, 400)).astype(np.float32)
        positions = np.sort(self.rng.uniform(-20, 420, 60))
        cutoffs = self.rng.uniform(0.4, 0.94, 60)
        outs = []
        for kernel in (sinc._read_kernel, sinc._read_kernel.py_func):
            out = np.zeros((2, 60), np.float32)
            kernel(samples, positions, cutoffs, sinc._table(), 40, 512, out)
            outs.append(out)
        np.testing.assert_allclose(outs[0], outs[1], atol=1e-6)

    def test_reading_evenly_is_reading(self):
        samples = self.rng.standard_normal((2, 3000)).astype(np.float32)
        positions = 100.3 + np.arange(1500) * 1.3
        even = sinc.read_at(samples, positions, np.full(1500, 1.3))
        speeds = np.full(1500, 1.3)
        speeds[-1] += 1e-6  # not even any more: the general way
        np.testing.assert_allclose(even, sinc.read_at(samples, positions, speeds), atol=2e-4)

    def test_turning_phases(self):
        # Nine frames, of which every other one has a frame before it of its own, behind them.
        shape, first = (14, 2, 46), 3
        noise = self.rng.standard_normal((2, *shape))
        spectra = (noise[0] + 1j * noise[1]).astype(np.complex64)
        before = np.where(np.arange(9) % 2 == 0, 9 + np.arange(9) // 2, np.arange(9) - 1)
        now = spectra[:9, :, first : first + 40]
        is_new = np.arange(9) % 4 == 2
        share = np.linspace(0, 1, 9)
        peaks = []
        for kernel in (turning.peaks_kernel, turning.peaks_kernel.py_func):
            power, owner = np.zeros((9, 40), np.float32), np.zeros((9, 40), np.int32)
            kernel(spectra, first, power, owner)
            peaks.append(owner)
        np.testing.assert_array_equal(*peaks)
        np.testing.assert_allclose(power, np.square(np.abs(now)).sum(axis=1), rtol=1e-5)
        # A bin belongs to a peak, a peak to itself.
        np.testing.assert_array_equal(np.take_along_axis(owner, owner, axis=1), owner)
        results, halves = [], np.full(40, 0.5, np.float32)
        for kernel in (turning.turn_kernel, turning.turn_kernel.py_func):
            missing, since, turned = np.zeros(40), np.zeros(40), np.zeros_like(spectra[:9])
            for weights in (halves[:0], halves):
                kernel(
                    spectra, before, first, power, owner, is_new, 1, 7, share, missing, since,
                    weights, turned,
                )  # fmt: skip
            results.append(turned)
        np.testing.assert_allclose(results[0], results[1], atol=1e-4)
        self.assertEqual(np.abs(results[0][:, :, [0, 1, 2, 43, 44, 45]]).max(), 0.0)
        # Turning changes no magnitude but by the weights, and both channels turn alike.
        made = results[0][:, :, first : first + 40]
        np.testing.assert_allclose(np.abs(made), 0.5 * np.abs(now), rtol=1e-4)
        turn = made / now
        np.testing.assert_allclose(turn[:, 0], turn[:, 1], atol=1e-3)
        # At the end of the piece, where nothing is new, the recording's own phases are there again.
        np.testing.assert_allclose(np.median(np.abs(np.angle(turn[7]))), 0.0, atol=1e-3)

    def test_frames_are_cut_and_laid_down(self):
        sound = self.rng.standard_normal((2, 400)).astype(np.float32)
        taper, starts = np.hanning(17)[:16].astype(np.float32), np.arange(0, 320, 8)
        for kernels in (
            (turning.cut_kernel, turning.overlap_add_kernel),
            (turning.cut_kernel.py_func, turning.overlap_add_kernel.py_func),
        ):
            cut, again = np.empty((40, 2, 16), np.float32), np.zeros((2, 8 * 39 + 16), np.float32)
            kernels[0](sound, starts, 2, taper, cut)
            np.testing.assert_allclose(cut[3, 1], sound[1, 24:56:2] * taper)
            kernels[0](sound, starts, 1, np.ones(16, np.float32), cut)
            kernels[1](cut, taper, starts, again)  # hann at half a window sums to 1
            np.testing.assert_allclose(again[:, 8:-8], sound[:, 8 : again.shape[1] - 8], atol=1e-6)

    def test_gains_are_straight_in_nepers_between_their_points(self):
        frames = np.asarray([-20.0, 30.5, 90.0, 90.0, 130.0, 260.0, 300.0])
        nepers = np.asarray([0.0, -1.0, 0.2, 0.0, 0.0, -0.5, 0.0])
        wanted = np.exp(np.interp(np.arange(10, 210), frames, nepers))
        for kernel in (decay._gain_kernel, decay._gain_kernel.py_func):
            sound = np.ones((2, 200), np.float32)
            kernel(sound, 10, frames, nepers)
            off = np.abs(sound - wanted).max(axis=0)
            off[90 - 10] = 0.0  # two gains at once: either will do
            self.assertLess(off.max(), 1e-5)

    def test_grains_and_splices(self):
        noise = self.rng.standard_normal((2, 600))
        pool = (np.sin(np.arange(600) * 2 * np.pi / 47) + 0.1 * noise).astype(np.float32)
        outs = []
        for kernel in (strike._grains_kernel, strike._grains_kernel.py_func):
            out = np.zeros((2, 300), np.float32)
            kernel(pool, pool.sum(axis=0), 40, 60, 120, 3, out)
            outs.append(out)
        np.testing.assert_allclose(outs[0], outs[1], atol=1e-3)
        # It goes on from what was there: the pool's last frames, faded by the caller.
        self.assertGreater(np.corrcoef(outs[0][0, :40], pool[0, -40:])[0, 1], 0.9)
        sound = np.sin(np.arange(3000) * 0.09)[None].repeat(2, axis=0).astype(np.float32)
        wanted = 300 + np.linspace(0, 1200, 2000)
        lengths, windows = (60, 200, 90, 40), np.asarray([[1900, 2000, 2999]])
        outs = []
        for kernel in (voice._splice_kernel, voice._splice_kernel.py_func):
            out = np.zeros((2, 2000), np.float32)
            kernel(sound, sound.sum(axis=0), wanted, lengths, windows, 0.5, 5, out)
            outs.append(out)
        np.testing.assert_allclose(outs[0], outs[1], atol=1e-3)
        # Spliced by whole periods it is the same tone, longer.
        self.assertAlmostEqual(float(np.std(outs[0])), np.sqrt(0.5), delta=0.02)
