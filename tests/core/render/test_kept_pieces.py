import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.sounds import RATE, audio
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.render.kept_pieces import KeptPieces
from zeroknot.core.render.plan import AS_IT_IS, plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.warp_map import WarpMap

BEATS = 32
BEAT_SECONDS = 0.5
SECONDS = BEATS * BEAT_SECONDS


def sound_and_attacks():
    """Hits on eighths over a chord: 16 s at 120 BPM."""
    rng = np.random.default_rng(4)
    t = np.arange(round(SECONDS * RATE)) / RATE
    samples = sum(0.1 * np.sin(2 * np.pi * hz * t) for hz in (220.0, 277.2, 329.6))
    hits = np.arange(0, SECONDS, BEAT_SECONDS / 2)
    for second in hits:
        first = round(second * RATE)
        samples[first : first + 900] += 0.4 * rng.standard_normal(900) * np.linspace(1, 0, 900)
    strengths = np.where(np.arange(hits.size) % 2, 0.5, 0.9)
    return audio(samples), Attacks(hits, strengths, np.ones(hits.size))


SOUND, ATTACKS = sound_and_attacks()


def plan_with(moved=(), method="weave", given=AS_IT_IS):
    """One pass at 110 BPM with a knot a bar; some of them moved by so many beats."""
    shifts = dict(moved)
    knots = [
        Knot(4 * bar * BEAT_SECONDS, 4 * bar + shifts.get(bar, 0.0))
        for bar in range(BEATS // 4 + 1)
    ]
    return plan_pass(
        source="a", rate=RATE, warp=WarpMap(tuple(knots)), tempo_map=TempoMap.steady(110.0),
        start_beat=0.0, lead_from=0.0, tail_to=SECONDS, method=method, settings=given,
    )  # fmt: skip


class Counted(KeptPieces):
    rendered = 0

    def keep(self, key, rendered):
        self.rendered += self.get(key) is None
        super().keep(key, rendered)


class KeptPiecesTest(unittest.TestCase):
    def test_a_moved_knot_changes_what_is_around_it_alone(self):
        for method in ("weave", "strike", "voice"):
            kept = Counted()
            Rendering(SOUND, ATTACKS, plan_with(method=method), kept=kept).whole()
            before = kept.rendered
            moved = plan_with([(4, 0.2)], method)
            Rendering(SOUND, ATTACKS, moved, kept=kept).whole()
            self.assertGreaterEqual(before, 8)
            self.assertGreater(kept.rendered, before, method)
            self.assertLess(kept.rendered - before, 0.85 * before, method)

    @settings(max_examples=12, deadline=None)
    @given(
        st.sampled_from(sorted(METHODS)),
        st.lists(st.tuples(st.integers(1, 7), st.floats(-0.4, 0.4)), min_size=1, max_size=3),
        st.lists(st.tuples(st.integers(1, 7), st.floats(-0.4, 0.4)), min_size=1, max_size=3),
    )
    def test_what_was_kept_sounds_as_if_rendered_anew(self, method, first, second):
        kept = KeptPieces()
        for moved in ((), first, second):
            plan = plan_with(moved, method)
            shared = Rendering(SOUND, ATTACKS, plan, kept=kept).whole()
            np.testing.assert_array_equal(shared, Rendering(SOUND, ATTACKS, plan).whole())

    def test_what_is_frozen_goes_with_the_moment_it_is_read_from(self):
        kept = KeptPieces()
        frozen = StretchSettings(frozen_at=0.6)
        for moved in ((), [(5, 0.35)]):
            plan = plan_with(moved, "scatter", frozen)
            shared = Rendering(SOUND, ATTACKS, plan, kept=kept).whole()
            anew = Rendering(SOUND, ATTACKS, plan).whole()
            np.testing.assert_array_equal(shared, anew)

    def test_other_settings_are_other_pieces(self):
        kept = KeptPieces()
        Rendering(SOUND, ATTACKS, plan_with(), kept=kept).whole()
        plan = replace(plan_with(), semitones=2.0)
        np.testing.assert_array_equal(
            Rendering(SOUND, ATTACKS, plan, kept=kept).whole(),
            Rendering(SOUND, ATTACKS, plan).whole(),
        )

    def test_no_more_is_kept_than_was_allowed(self):
        kept = KeptPieces(most_bytes=1000)
        for i in range(9):
            kept.keep(bytes([i]), (0, np.zeros((1, 100), np.float32)))
        found = [kept.get(bytes([i])) is not None for i in range(9)]
        self.assertEqual(found, 7 * [False] + 2 * [True])
