"""What is heard of a loop is believed by as much as the loop makes likely."""

import math
import random
import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import audio, drum_loop, rendered
from zeroknot.core.groove.believed import Heard, Looseness
from zeroknot.core.groove.groove import Groove, Step, even, swing
from zeroknot.core.groove.hit import Hit
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.measure import measured
from zeroknot.core.groove.take import played_of, taken
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.warp.warp_map import WarpMap

SIXTEENTH = 0.125  # seconds
BARS = WarpMap.between(0.0, 8.0, 16.0)
DOUBTS = (0.001, 0.003, 0.006)  # seconds: struck hard, among others, softly


def played(loose, seed, late=0.0, count=64):
    """Where sixteenths were played, and how they were heard: (share of a step, Heard) each."""
    chance = random.Random(seed)
    found = []
    for i in range(count):
        doubt = chance.choice(DOUBTS) / SIXTEENTH
        off = chance.gauss(0.0, loose / SIXTEENTH) + (late if i % 2 else 0.0)
        found.append((off, Heard(off + chance.gauss(0.0, doubt), doubt, 1.0, i % 2 == 1)))
    return found


def root(values):
    return math.sqrt(sum(v * v for v in values) / len(values))


def heard(hits):
    """Seconds and doubts as hits: sure, of one register."""
    return tuple(Hit(second, 0.5, 1.0, "middle", -10.0, doubt) for second, doubt in hits)


class LoosenessTest(unittest.TestCase):
    def test_what_is_believed_is_nearer_to_what_was_played_than_what_was_heard(self):
        """Stein's paradox as a promise: less error in all, however a loop is played."""
        for loose in (0.0, 0.002, 0.005, 0.01):
            for late in (0.0, 0.24):
                with self.subTest(loose=loose, late=late):
                    raw, believed = [], []
                    for seed in range(12):
                        pairs = played(loose, seed, late)
                        told = Looseness.of([one for _, one in pairs])
                        raw += [one.off - off for off, one in pairs]
                        believed += [told.believed(one) - off for off, one in pairs]
                    self.assertLess(root(believed), root(raw))
                    if loose == 0.0:
                        self.assertLess(root(believed), 0.3 * root(raw))

    def test_how_loosely_and_how_late_it_was_played_is_told(self):
        for loose in (0.004, 0.008, 0.012):
            told = Looseness.of([one for _, one in played(loose, 3, 0.24, 256)])
            with self.subTest(loose=loose):
                wanted = loose / SIXTEENTH
                self.assertAlmostEqual(math.sqrt(told.variance), wanted, delta=0.25 * wanted)
                self.assertAlmostEqual(told.second, 0.24, delta=0.02)
                self.assertAlmostEqual(told.first, 0.0, delta=0.02)

    def test_a_hit_put_elsewhere_for_sure_is_believed_and_a_faint_one_is_not(self):
        tight = [one for _, one in played(0.001, 5)]
        pushed = Heard(0.16, 0.008, 0.999)
        echo = Heard(0.28, 0.04, 0.6)
        told = Looseness.of([*tight, pushed, echo])
        self.assertGreater(told.believed(pushed), 0.9 * pushed.off)
        self.assertLess(told.believed(echo), 0.1 * echo.off)
        self.assertLess(told.belongs(echo), 0.1)

    def test_what_is_known_is_believed_wholly(self):
        known = [Heard(off, 0.0) for off in (0.0, 0.01, -0.2, 0.4)]
        told = Looseness.of([*known, *(one for _, one in played(0.0, 1))])
        self.assertEqual([told.believed(one) for one in known], [one.off for one in known])
        self.assertEqual(Looseness.of(known), Looseness())

    def test_it_reckons_with_whatever_it_is_told(self):
        for doubt in (1e-300, 1e-9, 1e9, 1e300):
            told = Looseness.of([Heard(0.3, doubt, 0.0), Heard(-0.3, doubt, 1.0, True)])
            for one in (Heard(0.4, doubt, 0.0), Heard(0.0, doubt), Heard(-0.4, 1e-5)):
                self.assertTrue(abs(told.believed(one)) <= 0.4 + 1e-9, (doubt, one))


class TightLoopTest(unittest.TestCase):
    def test_a_loop_on_the_grid_that_is_laid_on_the_grid_stays_where_it_is(self):
        """Asked as a person asks: where all is right already, nothing is to be done."""
        for swung in (0.5, 0.62):
            sound = audio(drum_loop(120.0, 4, swing=swung))
            hits = measured(sound, all_attacks(sound))
            step = 60.0 / 120.0 / 4
            whole = WarpMap.between(0.0, 16 * 4 * step, 16.0)
            own = even(4) if swung == 0.5 else swing(100.0 * swung, 2)
            laid = GrooveLayer(hits, own).over(whole)
            taken_as = taken(played_of(hits, whole, 0.0, 16.0), 4, 16.0)
            again = GrooveLayer(hits, taken_as).over(whole)
            for hit in hits:
                place = whole.beat_of_second(hit.second)
                with self.subTest(swung=swung, second=hit.second):
                    self.assertAlmostEqual(laid.beat_of_second(hit.second), place, delta=0.004)
                    self.assertAlmostEqual(again.beat_of_second(hit.second), place, delta=0.001)

    def test_an_echo_is_not_drawn_onto_the_step_of_what_it_comes_after(self):
        dry = drum_loop(120.0, 4).astype(np.float64)
        behind = round(0.048 * 44_100)
        wet = dry + 0.45 * np.roll(dry, behind)
        sound = audio(wet / np.abs(wet).max())
        hits = measured(sound, all_attacks(sound))
        echoes = [h for h in hits if 0.045 < h.second % 0.125 < 0.055 and h.sureness >= 0.35]
        self.assertGreaterEqual(len(echoes), 4)
        warp = WarpMap.between(0.0, 8.0, 16.0)
        laid = GrooveLayer(hits, even(4)).over(warp)
        for place in np.arange(0.0, 16.0, 0.25):
            for beat in (place, min(place + 0.096, 16.0)):  # a note, and its echo
                off = laid.beat_of_second(warp.second_of_beat(beat)) - beat
                self.assertLess(abs(off) * 0.5, 0.006, beat)

    def test_instruments_on_the_grid_stay_as_far_apart_as_they_are(self):
        """Recordings of instruments by notes on the grid (fixtures): each as late as it speaks."""
        for name, bpm, beats in (("drums_103", 103.0, 8.0), ("keys_88", 88.0, 8.0)):
            sound = rendered(name)
            hits = measured(sound, all_attacks(sound))
            warp = WarpMap.between(0.0, sound.seconds, beats)
            for layer in (GrooveLayer(hits, even(4)), GrooveLayer(hits, even(2))):
                moves = [m for m in layer.moves(warp)[1:] if m.target is not None]
                ways = [60_000.0 / bpm * (m.after - m.before) for m in moves]
                with self.subTest(name, per_beat=layer.groove.per_beat):
                    self.assertGreaterEqual(len(ways), 3)
                    self.assertLess(max(ways) - min(ways), 1.5)  # ms; heard they differ by 2.5

    def test_of_two_that_would_be_laid_on_one_place_the_nearest_is(self):
        on = [(i * SIXTEENTH, 0.001) for i in range(64)]
        echo = (2 * SIXTEENTH + 0.048, 0.001)
        moved = GrooveLayer(heard(sorted([*on, echo])), swing(58.0, 4)).moves(BARS)
        [lost] = [m for m in moved if m.second == echo[0]]
        self.assertIsNone(lost.target)
        [own] = [m for m in moved if m.second == 2 * SIXTEENTH]
        self.assertAlmostEqual(own.after, 0.5, places=3)
        # Notes are known: each goes where the groove has its step, as it is written.
        notes = tuple(hit._replace(doubt_s=0.0) for hit in heard(sorted([*on, echo])))
        both = [m for m in GrooveLayer(notes, even(4)).moves(BARS) if m.target == 0.5]
        self.assertEqual(len(both), 2)

    def test_a_loose_loop_is_drawn_to_the_grid_as_far_as_it_is_known_to_be_off(self):
        chance = random.Random(2)
        offs = [0.0, *(chance.gauss(0.0, 0.01) for _ in range(63))]
        hits = heard((i * SIXTEENTH + off, 0.001) for i, off in enumerate(offs))
        laid = GrooveLayer(hits, even(4)).over(BARS)
        left = [
            0.5 * (laid.beat_of_second(hit.second) - round(laid.beat_of_second(hit.second) * 4) / 4)
            for hit in hits
        ]
        # Seconds; two of 64 lie so far off that they may as well be no hit of that step.
        self.assertLess(sorted(abs(off) for off in left)[-3], 0.0005)
        half = GrooveLayer(hits, even(4), timing=0.5)
        for move, whole in zip(
            half.moves(BARS), GrooveLayer(hits, even(4)).moves(BARS), strict=True
        ):
            self.assertAlmostEqual(move.after - move.before, 0.5 * (whole.after - whole.before))

    def test_a_groove_that_is_taken_and_laid_again_moves_nothing(self):
        chance = random.Random(7)
        feel = [chance.gauss(0.0, 0.06) for _ in range(16)]
        hits = heard(
            (max(0.0, (i + feel[i % 16]) * SIXTEENTH + chance.gauss(0.0, 0.002)), 0.002)
            for i in range(64)
        )
        groove = taken(played_of(hits, BARS, 0.0, 16.0), 4, 16.0)
        laid = GrooveLayer(hits, groove).over(BARS)
        for hit in hits:
            off = laid.beat_of_second(hit.second) - BARS.beat_of_second(hit.second)
            self.assertLess(abs(off) * 0.5, 0.0002, hit.second)

    def test_many_bars_tell_a_step_more_exactly_than_one(self):
        chance = random.Random(4)
        feel = [0.0, 0.1, -0.06, 0.08]

        def error(bars):
            found = []
            for _ in range(20):
                hits = heard(
                    (max(0.0, (i + feel[i % 4]) * SIXTEENTH + chance.gauss(0.0, 0.004)), 0.004)
                    for i in range(4 * bars)
                )
                warp = WarpMap.between(0.0, bars * 4 * SIXTEENTH, float(bars))
                made = taken(played_of(hits, warp, 0.0, float(bars)), 4, float(bars), 1.0)
                found += [s.offset - f for s, f in zip(made.steps[1:], feel[1:], strict=True)]
            return root(found)

        self.assertLess(error(16), 0.5 * error(1))

    def test_what_is_laid_off_its_steps_on_purpose_keeps_them_apart(self):
        groove = Groove("", 4, (Step(), Step(0.2)))
        hits = heard((i * SIXTEENTH, 0.001) for i in range(64))
        for number, move in enumerate(GrooveLayer(hits, groove).moves(BARS)):
            wanted = (number + (0.2 if number % 2 else 0.0)) / 4
            self.assertAlmostEqual(move.after, wanted, places=4)
        late = replace(groove, steps=(Step(), Step(-0.2)))
        for number, move in enumerate(GrooveLayer(hits, late).moves(BARS)):
            wanted = (number - (0.2 if number % 2 else 0.0)) / 4
            self.assertAlmostEqual(move.after, wanted, places=4)


if __name__ == "__main__":
    unittest.main()
