"""A stretch of the song: what belongs to it, to the frame; the same bytes as the song mixed."""

import unittest

import numpy as np

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.mix import mix
from zeroknot.core.mixing.sheet import Event, Sheet, TrackLevel
from zeroknot.core.recipe.run import Run, run_of
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.range_plan import EDGE_SECONDS, plan_range
from zeroknot.core.render.range_run import RangeRendering
from zeroknot.core.render.voice import Voice

RATE, BODY = 1000, 400  # a pass of 400 frames at 1000 a second
EDGE = round(EDGE_SECONDS * RATE)


def pass_of(sha, lead=0, tail=0):
    end = BODY / RATE
    return RenderPlan(
        source=sha * 64, rate=RATE, knots=((0.0, 0), (end, BODY)), body_frames=BODY,
        lead_from=-lead / RATE, tail_to=end + tail / RATE, method="unstretched", version=1,
    )  # fmt: skip


class Sounding(InBlocks):
    """A render whose frames are numbered by the pass they are of."""

    def __init__(self, plan, seed):
        self.plan = plan
        self.sound = np.random.default_rng(seed).normal(size=(2, plan.frames)).astype(np.float32)

    @property
    def size(self):
        return self.plan.frames

    def frames(self, first, count):
        return self.sound[:, first : first + count]


class RangeTest(unittest.TestCase):
    def setUp(self):
        self.plans = {p.digest: p for p in (pass_of("a", lead=50, tail=80), pass_of("b"))}
        self.a, self.b = self.plans
        self.renders = {d: Sounding(p, i) for i, (d, p) in enumerate(self.plans.items())}

    def event(self, digest, one, track="t", gain=1.0, number=0):
        """A whole pass whose one lies on a song frame."""
        plan = self.plans[digest]
        return Event(
            f"{track}{one}:{number}", track, "s", digest, one - plan.lead_frames, 0, plan.frames,
            gain, 0, 0,
        )  # fmt: skip

    def sheet(self, *events, **levels):
        tracks = tuple(TrackLevel(t, g) for t, g in ({"t": 0.5} | levels).items())
        return Sheet(RATE, tuple(sorted(events, key=lambda e: e.at)), tracks, 0.8)

    def rendered(self, plan):
        return RangeRendering(plan, [self.renders[p.digest] for p in plan.passes])

    def mixed(self, sheet, first, frames):
        """The song without its master's level."""
        read = lambda digest, start, count: self.renders[digest].frames(start, count)  # noqa: E731
        return mix(Sheet(sheet.rate, sheet.events, sheet.tracks, 1.0), read, first, frames)

    def test_what_begins_in_it_belongs_to_it_with_lead_and_tail(self):
        sheet = self.sheet(self.event(self.a, 800), self.event(self.a, 1200))
        plan = plan_range(sheet, self.plans, 800, 1600)
        self.assertEqual((plan.lead_frames, plan.body_frames, plan.tail_frames), (50, 800, 80))
        whole = self.rendered(plan).whole()
        np.testing.assert_array_equal(whole, self.mixed(sheet, 750, 930))

    def test_what_began_before_comes_in_on_the_line_and_what_goes_on_is_cut(self):
        sheet = self.sheet(self.event(self.b, 600), self.event(self.b, 1400))
        plan = plan_range(sheet, self.plans, 800, 1600)
        self.assertEqual((plan.lead_frames, plan.tail_frames), (0, 0))
        whole, song = self.rendered(plan).whole(), self.mixed(sheet, 800, 800)
        np.testing.assert_array_equal(whole[:, EDGE:-EDGE], song[:, EDGE:-EDGE])
        self.assertEqual(abs(float(whole[0, 0])), 0.0)
        self.assertLess(abs(float(whole[0, -1])), abs(float(song[0, -1])))

    def test_the_lead_of_what_begins_after_it_is_none_of_it(self):
        sheet = self.sheet(self.event(self.b, 800), self.event(self.a, 1200))
        plan = plan_range(sheet, self.plans, 800, 1200)
        self.assertEqual([p.digest for p in plan.passes], [self.b])
        self.assertEqual(plan.tail_frames, 0)

    def test_as_it_is_heard_it_has_what_leads_to_what_comes_after_and_nothing_before_the_line(self):
        sheet = self.sheet(
            self.event(self.a, 400), self.event(self.a, 800), self.event(self.a, 1200)
        )
        plan = plan_range(sheet, self.plans, 800, 1200, as_heard=True)
        self.assertEqual((plan.lead_frames, plan.tail_frames), (0, 80))
        whole, song = self.rendered(plan).whole(), self.mixed(sheet, 800, 400)
        np.testing.assert_allclose(
            whole[:, EDGE : 400 - EDGE], song[:, EDGE : 400 - EDGE], atol=1e-6
        )
        # From the song's beginning on what leads to it is heard.
        self.assertEqual(
            plan_range(self.sheet(self.event(self.a, 0)), self.plans, 0, 400, as_heard=True)
            .lead_frames, 50,
        )  # fmt: skip

    def test_what_rang_in_from_before_is_heard(self):
        """Its tail alone lies in it: 80 frames after the one before is over."""
        sheet = self.sheet(self.event(self.a, 400), self.event(self.b, 800))
        plan = plan_range(sheet, self.plans, 800, 1200)
        whole, song = self.rendered(plan).whole(), self.mixed(sheet, 800, 400)
        np.testing.assert_array_equal(whole[:, EDGE:], song[:, EDGE:])

    def test_tracks_are_chosen_and_silent_ones_left_out(self):
        sheet = self.sheet(
            self.event(self.a, 0), self.event(self.b, 0, "u"), self.event(self.b, 0, "mute"),
            u=0.25, mute=0.0,
        )  # fmt: skip
        self.assertEqual(len(plan_range(sheet, self.plans, 0, 400).placed), 2)
        [only] = plan_range(sheet, self.plans, 0, 400, tracks=["u"]).placed
        self.assertEqual(only.gain, 0.25)
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            plan_range(sheet, self.plans, 0, 400, tracks=["mute"])
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            plan_range(sheet, self.plans, 5000, 6000)

    def test_its_text_reads_back_as_itself_orders_and_all(self):
        order = OrderPlan(
            rate=RATE, body_frames=BODY, channels=2, sources=(pass_of("c"), pass_of("d")),
            voices=(Voice(0, 0, 100, 0), Voice(1, 50, 100, 200, gain_db=-3.0)),
        )  # fmt: skip
        self.plans[order.digest] = order
        sheet = self.sheet(self.event(self.a, 0), self.event(order.digest, 400))
        plan = plan_range(sheet, self.plans, 0, 800)
        again = plan_of_text(plan.text)
        self.assertEqual(again, plan)
        self.assertEqual(again.digest, plan.digest)
        self.assertEqual(plan.recordings, ("a" * 64, "c" * 64, "d" * 64))
        run = Run(plan, "ring", True)
        self.assertEqual(run_of(run.told()), run)
        self.assertEqual(run.loop_frames, (50, 850))
