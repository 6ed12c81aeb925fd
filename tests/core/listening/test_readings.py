import unittest

import numpy as np

from tests.sounds import RATE, audio, even_notes, hits, rendered, sine
from zeroknot.core.listening.reading import Claims
from zeroknot.core.listening.readings import listen


def with_silence(sound, seconds):
    lead = np.zeros((sound.channels, round(seconds * RATE)))
    return audio(np.concatenate([lead, sound.samples], axis=1))


class ReadingsTest(unittest.TestCase):
    def assert_reads(self, sound, bpm, bars, downbeat, claims=None):
        best = listen(sound, claims or Claims()).best
        self.assertAlmostEqual(best.tempo_bpm, bpm, delta=0.1)
        self.assertEqual(best.bars, bars)
        self.assertAlmostEqual(best.downbeat_s, downbeat, delta=0.02)

    def test_exactly_cut_loops(self):
        self.assert_reads(rendered("drums_103"), 103, 2, 0.0)

    def test_where_nothing_tells_the_beat_it_is_counted_in_four(self):
        # A triad held for 2.4 s each: four bars at 100, or of three at 75.
        t = np.arange(round(2.4 * RATE)) / RATE
        edge = np.minimum(1.0, np.minimum(t, t[::-1]) / 0.02)
        bars = []
        for root in (185.0, 246.9, 277.2, 185.0):
            hertz = [root * 2 ** (n / 12) * h for n in (0, 3, 7) for h in (1, 2, 3)]
            bars.append(
                edge * sum(sine(f, 2.4, 0.1 / (i % 3 + 1) ** 2) for i, f in enumerate(hertz))
            )
        best = listen(audio(np.concatenate(bars))).best
        self.assertEqual((best.beats_per_bar, best.bars), (4, 4))
        self.assertLess(best.confidence, 0.6)

    def test_where_it_is_open_the_right_reading_is_there_and_doubt_is_shown(self):
        # A chord every second beat, and even notes: eighths of two bars or quarters of four.
        slow, fast = (2, 960 / 11), (4, 1920 / 11)
        for name, sound, rights in (
            ("chords", rendered("keys_88"), [(2, 88.0)]), ("even", even_notes(), [slow, fast])
        ):  # fmt: skip
            readings = listen(sound).readings
            self.assertLess(readings[0].confidence, 0.9)
            for bars, bpm in rights:
                with self.subTest(name, bars=bars):
                    right = [
                        r for r in readings
                        if (r.bars, r.beats_per_bar) == (bars, 4) and abs(r.tempo_bpm - bpm) < 0.1
                    ]  # fmt: skip
                    self.assertGreater(right[0].confidence, 0.02)

    def test_silence_in_front(self):
        self.assert_reads(with_silence(rendered("drums_103"), 0.37), 103, 2, 0.37)

    def test_facts_of_the_trade(self):
        # Common practice, no source: four bars lasting 9.897 s are 97 BPM; two lasting 3.4575 s
        # are 138.83 BPM.
        for seconds, bars, bpm in ((9.897, 4, 97.0), (3.4575, 2, 138.83)):
            with self.subTest(seconds):
                beat = seconds / (4 * bars)
                sound = audio(hits(np.arange(8 * bars) * beat / 2, seconds))
                readings = listen(sound).readings
                self.assertTrue(
                    any(r.bars == bars and abs(r.tempo_bpm - bpm) < 0.01 for r in readings)
                )

    def test_confidences_are_probabilities(self):
        for name in ("drums_103", "keys_88", "bass_97"):
            readings = listen(rendered(name)).readings
            self.assertLessEqual(len(readings), 5)
            self.assertLessEqual(sum(r.confidence for r in readings), 1.0)
            self.assertEqual(
                [r.confidence for r in readings],
                sorted((r.confidence for r in readings), reverse=True),
            )

    def test_a_wrong_claim_is_contradicted_and_a_right_one_helps(self):
        sound = rendered("drums_103")
        self.assert_reads(sound, 103, 2, 0.0, Claims(tempo_bpm=95.0))
        plain = listen(sound).best.confidence
        helped = listen(sound, Claims(tempo_bpm=103.0)).best.confidence
        self.assertGreater(helped, plain)

    def test_silence_dc_and_one_sample_are_answered(self):
        for name, samples in (
            ("silence", np.zeros(RATE)), ("dc", np.full(RATE, 0.3)), ("one sample", np.zeros(1)),
        ):  # fmt: skip
            with self.subTest(name):
                heard = listen(audio(samples))
                self.assertEqual(heard.readings, ())
                self.assertEqual(heard.warnings, ("there is nothing to hear",))

    def test_what_rings_after_the_last_bar_is_left_to_the_tail(self):
        beat = 60 / 110
        seconds = 0.3 + 8 * beat + 0.4
        on, off = (0.3 + (np.arange(8) + late) * beat for late in (0.0, 0.5))
        sound = audio(hits(on, seconds) + 0.4 * hits(off, seconds, seed=2))
        best = listen(sound).best
        self.assertAlmostEqual(best.tempo_bpm, 110, delta=0.4)
        self.assertAlmostEqual(best.end_s, 0.3 + 8 * beat, delta=0.03)
