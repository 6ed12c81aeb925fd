import unittest
from dataclasses import replace

import numpy as np

from tests.sounds import audio
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.errors import KnotError
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.beats import followed
from zeroknot.core.listening.material import material_of
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.straighten import (
    Straighten,
    Tie,
    counted,
    tempo_over_time,
    tied,
    with_layer,
)
from zeroknot.core.warp.warp_map import WarpMap


def straightened(times, every=1, amount=1.0, **how):
    """A pass over the beats at `times`, tied: the layer, the warp map, the base."""
    base = WarpMap.between(times[0], times[-1], len(times) - 1.0)
    layer = tied(base, counted(times[0], times[-1], np.asarray(times), 1.0), every, **how)
    return layer, with_layer(base, layer), base


class LayerTest(unittest.TestCase):
    TIMES = (1.0, 1.52, 1.98, 2.55, 3.0)

    def test_every_beat_lies_where_it_belongs_and_the_ends_stay(self):
        layer, warp, base = straightened(self.TIMES)
        self.assertEqual([warp.beat_of_second(t) for t in self.TIMES], [0, 1, 2, 3, 4])
        self.assertEqual((warp.zero, warp.end), (base.zero, base.end))
        self.assertEqual(len(layer.ties), 3)

    def test_the_amount_goes_from_the_base_never_from_the_result(self):
        layer, _, base = straightened(self.TIMES)
        for amount in (0.95, 0.6, 0.0, 1.0):
            now = with_layer(base, replace(layer, amount=amount))
            for i, t in enumerate(self.TIMES):
                lay = base.beat_of_second(t)
                self.assertAlmostEqual(now.beat_of_second(t), lay + amount * (i - lay), places=12)

    def test_every_second_beat_and_a_stretch(self):
        layer, _, _ = straightened(self.TIMES, every=2)
        self.assertEqual([t.to_beat for t in layer.ties], [2])
        layer, _, _ = straightened(self.TIMES, start_s=1.4, end_s=2.1)
        self.assertEqual([t.to_beat for t in layer.ties], [1, 2])

    def test_what_is_fastened_or_tied_by_hand_stays(self):
        layer, _, _ = straightened(self.TIMES, fastened=((1.9, 2.6),))
        self.assertEqual([t.to_beat for t in layer.ties], [1])
        base = WarpMap((Knot(1.0, 0), Knot(1.98, 2.25), Knot(3.0, 4)))
        beats = counted(1.0, 3.0, np.asarray(self.TIMES), 1.0)
        self.assertEqual([t.to_beat for t in tied(base, beats, 1).ties], [1, 3])

    def test_the_one_may_lie_before_the_first_beat_and_on_a_half(self):
        heard = np.asarray([0.5, 1.0, 1.5, 2.0])
        self.assertEqual(counted(0.0, 2.0, heard, 1.0).numbers.tolist(), [1, 2, 3, 4])
        self.assertEqual(counted(0.75, 2.0, heard, 0.5).numbers.tolist(), [-0.5, 0.5, 1.5, 2.5])

    def test_the_layer_keeps_its_share_when_the_pass_is_laid_anew(self):
        layer, warp, base = straightened(self.TIMES)
        wide = base.with_span(8)
        again = with_layer(wide, layer.rescaled(base, wide))
        for t in self.TIMES:
            self.assertAlmostEqual(again.beat_of_second(t), 2 * warp.beat_of_second(t))

    def test_a_tie_that_another_reading_leaves_outside_the_pass_is_gone(self):
        base = WarpMap.between(0.0, 8.0, 16.0)
        layer = Straighten((Tie(1.003, 2.006, 1.95), Tie(4.0, 8.0, 8.1), Tie(7.99, 15.98, 16.2)), 1)
        later = WarpMap.between(1.0, 7.995, 14.0)
        again = layer.rescaled(base, later)
        self.assertEqual([t.second for t in again.ties], [4.0])
        self.assertEqual(len(with_layer(later, again).knots), 3)

    def test_refusals(self):
        with self.assertRaisesRegex(KnotError, "no beats were heard"):
            counted(5.0, 9.0, np.asarray([0.0, 1.0, 2.0]), 1.0)
        with self.assertRaisesRegex(KnotError, "no beat here to tie"):
            straightened(self.TIMES, every=16)
        with self.assertRaisesRegex(KnotError, "outside 0 to 100 %"):
            replace(straightened(self.TIMES)[0], amount=1.2)


class TakeTest(unittest.TestCase):
    """Takes whose every hit is known: bpm, ± percent, a change inside, beats, pickup, silence."""

    CASES = (
        (100, 6, (60, 1.06), 120, 0, 0.4),
        (84, 6, (50, 0.94), 110, 2, 2.0),
        (128, 3, None, 160, 1, 0.0),
        (118, 6, (40, 1.12), 96, 3, 1.2),
    )

    def test_a_drifting_take_ends_on_the_grid(self):
        for bpm, percent, change, beats, pickup, silence in self.CASES:
            with self.subTest(bpm=bpm, percent=percent, change=change):
                times = beat_times(wandering(bpm, percent, beats, change=change), beats, silence)
                sound, hits = drummer(times, pickup=pickup)
                heard = material_of(audio(0.5 * sound)).attacks
                seconds = followed(heard, 60 / bpm, times[-1])
                zero, end = times[pickup], times[-1]
                base = WarpMap.between(zero, end, float(beats - pickup))
                layer = tied(base, counted(zero, end, seconds, 1.0), 1)
                warp = with_layer(base, layer)
                inside = [(s, p - pickup) for s, p in hits if zero <= s < end]
                before = [abs(base.beat_of_second(s) - p) for s, p in inside]
                after = [abs(warp.beat_of_second(s) - p) for s, p in inside]
                # In ms at the take's own tempo: the median within 5, and it was much worse.
                self.assertLess(np.median(after) * 60_000 / bpm, 5.0)
                self.assertLess(np.quantile(after, 0.95) * 60_000 / bpm, 15.0)
                self.assertGreater(np.median(before) * 60_000 / bpm, 40.0)

    def test_tempo_over_time_flattens(self):
        times = beat_times(wandering(100, 5, 80), 80, 0.0)
        _, warp, base = straightened(tuple(times))
        played = tempo_over_time(base, times, 120.0)
        fitted = tempo_over_time(warp, times, 120.0)
        np.testing.assert_allclose(fitted.before, played.before)
        self.assertGreater(played.after.std(), 1.0)
        np.testing.assert_allclose(fitted.after, 120.0)

    def test_nothing_heard_is_no_beat(self):
        self.assertEqual(followed(Attacks.none(), 0.5, 10.0).size, 0)
