import unittest

import numpy as np

from tests.sounds import RATE, audio, drum_loop
from zeroknot.core.listening import grid as grid_module
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.evidence import evidence, first_evidence
from zeroknot.core.listening.grid import on_the_grid
from zeroknot.core.listening.hypotheses import hypotheses, straightened
from zeroknot.core.listening.hypothesis import (
    END_BEAT,
    END_BEYOND,
    END_FILE,
    END_MARK,
    END_SEAM,
    START_ATTACK,
    START_BEFORE,
    START_FILE,
    START_MARK,
    START_SOUND,
    Hypotheses,
)
from zeroknot.core.listening.judge import MOST_JUDGED, judged
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.tempo import periods


def material(samples):
    return material_of(audio(samples))


def found(m, mark=None):
    return hypotheses(m.picture, m.attacks, m.sounding, mark)


class HypothesesTest(unittest.TestCase):
    def assert_there(self, h, bpm, bars, start, end, start_kind=None, end_kind=None):
        near = (
            (np.abs(h.tempo - bpm) < 0.1) & (h.bars == bars) & (h.metre == 4)
            & (np.abs(h.start - start) < 0.012) & (np.abs(h.end - end) < 0.012)
        )  # fmt: skip
        if start_kind is not None:
            near &= h.start_kind == start_kind
        if end_kind is not None:
            near &= h.end_kind == end_kind
        self.assertTrue(near.any(), f"{bpm} BPM, {bars} bars from {start} to {end}")

    def test_every_way_a_loop_is_cut_is_among_them(self):
        loop, bar = drum_loop(100, 2), 2.4
        silence, beat = np.zeros(round(0.25 * RATE)), round(0.6 * RATE)
        ring = 0.02 * np.sin(np.arange(RATE // 2) / 30)
        for name, samples, start, end, kinds in (
            ("exactly", loop, 0.0, 2 * bar, (START_FILE, END_FILE)),
            ("after silence", np.concatenate([silence, loop]), 0.25, 2 * bar + 0.25,
             (START_SOUND, END_FILE)),
            ("after a pickup", np.concatenate([loop[-beat:], loop]), 0.6, 2 * bar + 0.6,
             (START_ATTACK, END_FILE)),
            ("before a tail", np.concatenate([loop, ring]), 0.0, 2 * bar, (START_FILE, END_BEAT)),
            ("before its end", loop[: -beat // 2], 0.0, 2 * bar, (START_FILE, END_BEYOND)),
            ("after the one", loop[beat // 2 :], -0.3, 2 * bar - 0.3, (START_BEFORE, END_FILE)),
            ("begun again", np.concatenate([loop, loop[: beat // 2]]), 0.0, 2 * bar,
             (START_FILE, END_SEAM)),
        ):  # fmt: skip
            with self.subTest(name):
                h = found(material(samples))
                kind = None if name == "begun again" else kinds[1]
                self.assert_there(h, 100, 2, start, end, kinds[0], kind)

    def test_a_pickup_of_many_hits_may_stand_before_whole_bars_and_a_tail_behind(self):
        bpm = 100.0
        loop, step = drum_loop(bpm, 2), round(0.075 * RATE)
        roll = np.tile(0.3 * loop[:step] * np.linspace(1, 0, step), 16)  # of 32nds
        ring = 0.3 * np.sin(np.arange(RATE // 2) / 30)
        h = found(material(np.concatenate([roll, loop, ring])))
        self.assert_there(h, bpm, 2, 1.2, 1.2 + 4.8, None, END_BEAT)

    def test_a_beginning_of_a_usual_length_that_is_missing_tells_the_tempo_exactly(self):
        bpm = 113.37  # no whole number that a tempo could be drawn to
        loop = drum_loop(bpm, 2)
        for beats in (0.25, 0.5):
            h = found(material(loop[round(beats * 60 / bpm * RATE) :]))
            late = (h.start_kind == START_BEFORE) & (h.bars == 2) & (h.metre == 4)
            near = late & (np.abs(h.tempo - bpm) < 0.001)
            self.assertTrue(near.any())
            self.assertLess(abs(h.start[near][0] + beats * 60 / bpm), 0.001)

    def test_where_silence_ends_a_pass_may_start_though_its_first_hit_comes_later(self):
        loop = np.concatenate([np.full(round(0.04 * RATE), 0.001), drum_loop(104, 2)])
        loop = loop[: round(480 / 104 * RATE)]  # its kick is 40 ms late
        m = material(np.concatenate([np.zeros(round(0.3 * RATE)), loop]))
        self.assertAlmostEqual(m.edge.seconds, 0.3, delta=0.0001)
        for edge, is_there in ((m.edge.seconds, True), (0.0, False)):
            h = hypotheses(m.picture, m.attacks, m.sounding, edge=edge)
            near = (h.start_kind == START_SOUND) & (np.abs(h.start - 0.3) < 0.0005)
            self.assertEqual(bool((near & (np.abs(h.tempo - 104) < 0.02)).any()), is_there)

    def test_marks_of_the_file_are_taken(self):
        h = found(material(drum_loop(100, 2)), (0.3, 2.7))
        self.assert_there(h, 100, 1, 0.3, 2.7, START_MARK, END_MARK)

    def test_there_are_no_doubles_and_tempos_stay_in_bounds(self):
        h = found(material(drum_loop(117, 4)))
        rows = {
            (round(s / 0.003), round(e / 0.001), b, m)
            for s, e, b, m in zip(h.start, h.end, h.bars, h.metre, strict=True)
        }
        self.assertEqual(len(rows), len(h))
        self.assertTrue(((h.tempo > 40) & (h.tempo < 335)).all())
        self.assertTrue((h.end > h.start).all())

    def test_a_period_is_drawn_straight_by_the_attacks(self):
        times = 0.2 + np.arange(12) * 0.251
        attacks = Attacks(times, np.ones(12), np.ones(12))
        # Eighths 251 ms apart: beats of 0.502 s.
        found = straightened(attacks, np.asarray([0.2, 0.2 + 0.251, 3.2]), 0.49)
        np.testing.assert_allclose(found[:2], 0.502, atol=1e-6)
        self.assertEqual(found[2], 0.49)  # nothing comes after it
        self.assertEqual(straightened(Attacks.none(), np.zeros(1), 0.5), 0.5)

    def test_periods_of_a_beat(self):
        beat = 60 / 110
        among = periods(material(drum_loop(110, 4)).picture)
        self.assertTrue(any(abs(p - beat) < 0.004 for p in among))


class EvidenceTest(unittest.TestCase):
    def test_level_has_no_say(self):
        samples = drum_loop(98, 2)
        loud, quiet = material(samples), material(0.5 * samples)
        h = found(loud)
        a, b = first_evidence(loud, h), first_evidence(quiet, h)
        off = np.abs(a - b).max(axis=0)
        self.assertLess(np.median(off), 0.02)

    def test_rows_are_finite_for_odd_sounds(self):
        t = np.arange(RATE) / RATE
        for name, samples in (
            ("a tone", np.sin(2 * np.pi * 220 * t)), ("a click", np.eye(1, RATE, 100)[0]),
            ("noise", np.random.default_rng(1).standard_normal(RATE) * 0.1),
        ):  # fmt: skip
            with self.subTest(name):
                m = material(samples)
                h = found(m)
                first = first_evidence(m, h)
                some = np.arange(min(len(h), 40))
                self.assertTrue(np.isfinite(evidence(m, h.taken(some), first[some])).all())

    def test_what_lies_around_a_pass_is_like_its_ends_where_it_is_cut_at_a_bar(self):
        # Two beats before the one and two behind the end of a groove that repeats every bar.
        loop = drum_loop(120, 4)
        samples = np.concatenate([loop[-RATE:], loop, loop[:RATE]])
        m = material(samples)
        ones = np.ones(3, np.int64)
        start, end = np.asarray([1.0, 1.0, 0.0]), np.asarray([9.0, 8.63, 8.0])
        h = Hypotheses(start, end, 4 * ones, 4 * ones, 2 * ones, 2 * ones)
        rows = on_the_grid(m, h)
        before, after = rows[:, -6::2], rows[:, -5::2]
        for likeness in (before, after):
            self.assertGreater(float(likeness[0].mean()), 0.6)
            self.assertGreater(float(likeness[0].mean() - likeness[1].mean()), 0.3)
        # Nothing lies before the file's own start.
        self.assertEqual(float(np.abs(before[2]).max()), 0.0)

    def test_the_kernels_and_their_python_agree_and_so_does_the_circular_spectrum(self):
        m = material(drum_loop(124, 4))
        taken = found(m).taken(np.arange(6))
        prepared = grid_module._Prepared.of(m)
        starts, periods = taken.start.astype(float), taken.period.astype(float)
        pulses, metres = taken.pulses.astype(np.int64), taken.metre.astype(np.int64)
        lags = np.stack([np.full(6, 1), metres, np.zeros(6, int)], axis=1).astype(np.int64)
        band, hop = prepared.bands[0], prepared.hop
        outs = []
        for kernel in (grid_module._accents_kernel, grid_module._accents_kernel.py_func):
            profiles, shapes = np.zeros((6, 6)), np.zeros((6, 7))
            kernel(band, hop, starts, periods, pulses, metres, profiles, shapes)
            outs.append(np.concatenate([profiles, shapes], axis=1))
        np.testing.assert_allclose(outs[0], outs[1], rtol=1e-9)
        table, sums, step = (x[1] for x in (prepared.tables, prepared.sums, prepared.steps))
        outs = []
        kernel = grid_module._repetition_kernel
        for each in (kernel, kernel.py_func):
            out = np.zeros((6, 4))
            each(table, sums, step, starts, periods, pulses, metres, lags, out)
            outs.append(out)
        np.testing.assert_allclose(outs[0], outs[1], rtol=1e-9)
        around = []
        ends = taken.end.astype(float)
        for each in (grid_module._around_kernel, grid_module._around_kernel.py_func):
            out = np.zeros((6, 2))
            each(table, sums, step, starts, ends, periods, m.picture.seconds, out)
            around.append(out)
        np.testing.assert_allclose(around[0], around[1], rtol=1e-9)
        # The likeness at one lag is the circular autocorrelation, as the power spectrum gives it.
        slots = int(pulses[0]) * 4
        edges = (starts[0] + periods[0] * np.arange(slots + 1) / 4) / step
        at = np.clip(edges, 0, table.shape[0])
        whole = np.minimum(at.astype(int), table.shape[0] - 1)
        taken_ = sums[whole] + (at - whole)[:, None] * table[whole]
        means = np.diff(taken_, axis=0)
        means -= means.mean(axis=0)
        again = np.fft.irfft((np.abs(np.fft.rfft(means, axis=0)) ** 2).sum(axis=1), n=slots)
        self.assertAlmostEqual(outs[0][0, 0], again[4] / again[0], places=5)

    def test_the_judge_keeps_a_bounded_number_and_the_right_one_leads(self):
        m = material(drum_loop(124, 4))
        taken, scores = judged(m, found(m))
        # Those the quick network leaves, and for each at most three better starts or ends.
        self.assertLessEqual(len(taken), 4 * MOST_JUDGED)
        best = int(np.argmax(scores))
        self.assertEqual((taken.bars[best], taken.metre[best]), (4, 4))
        self.assertAlmostEqual(taken.tempo[best], 124, delta=0.1)
