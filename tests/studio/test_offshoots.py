"""A loop's family: grown, kept, dropped, taken up again, made again under another tempo."""

import io
import tempfile
from pathlib import Path

import numpy as np

from tests.studio.family import Family
from zeroknot.core.errors import EditError, NotFoundError
from zeroknot.document.edits.offshoot import AddOffshoots
from zeroknot.document.grow import CHANGES, sound_of
from zeroknot.document.stored import edit_text, edit_value
from zeroknot.settings import Settings
from zeroknot.studio.audition import Audition, auditioned
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import in_hand
from zeroknot.studio.intents.offshoots import (
    DropGrown,
    LayAsPrinted,
    NameGrown,
    QuickOne,
    TakeUp,
)
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.stretch import SetMethod, SetShift
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.studio import Studio


class GrowTest(Family):
    def test_what_is_grown_is_new_each_time_and_can_be_heard(self):
        grown = self.grow(count=16) + self.grow(count=16, seed=8)
        self.assertEqual(len({sound_of(o.strand) for o in grown}), 32)
        self.assertEqual(len({o.name for o in grown}), 32)
        self.assertTrue(all(o.said for o in grown))
        for offshoot in grown[:6]:
            hand = in_hand(self.tree(), self.studio.loops, offshoot.id)
            self.assertIsNone(Placement.of(self.tree(), hand.strand, hand.loop).why_silent)
        self.assertEqual(len(self.on_shelf()), 1)  # recipes until they are kept
        self.undo()
        self.assertEqual(len(self.tree().offshoots), 16)

    def test_the_same_seed_grows_the_same_and_farther_is_more(self):
        def said(**how):
            grown = [o.said for o in self.grow(**how)]
            self.undo()
            return grown

        self.assertEqual(said(seed=3), said(seed=3))
        self.assertNotEqual(said(seed=3), said(seed=4))
        close, far = (
            np.mean([s.count(",") for s in said(count=32, far=far)]) for far in (0.0, 1.0)
        )
        self.assertLess(close, far)

    def test_only_what_may_change_changes(self):
        for change in CHANGES:
            if change == "key":
                continue  # drums have none
            with self.subTest(change):
                grown = self.grow(count=2, may=(change,), far=0.6)
                self.assertGreater(len(grown), 0)
                base = in_hand(self.tree(), self.studio.loops, self.hand).strand
                for offshoot in grown:
                    strand = offshoot.strand
                    if change != "method":
                        self.assertEqual(strand.method, base.method)
                    if change != "speed":
                        self.assertEqual(strand.span, base.span)
                    self.assertEqual(strand.shift, 0.0)
        with self.assertRaisesRegex(EditError, "may change"):
            self.grow(may=("key",))

    def test_it_grows_from_what_was_grown_and_drops_out_of_the_middle(self):
        first = self.grow(count=4)[0]
        second = self.grow(of=first.id, count=4, seed=9)[0]
        self.assertEqual(second.parents, (first.id,))
        self.do(NameGrown(offshoot=second.id, name="Fog", favourite=True))
        self.do(DropGrown(offshoots=(first.id,)))
        left = self.tree().offshoot(second.id)
        self.assertEqual((left.parents, left.name, left.favourite), ((self.hand,), "Fog", True))
        self.undo()
        self.assertEqual(self.tree().offshoot(second.id).parents, (first.id,))
        with self.assertRaises(NotFoundError):
            self.do(DropGrown(offshoots=("nobody",)))

    def test_placed_twice_it_is_one_strand_and_stays_itself_whatever_becomes_of_that(self):
        grown = self.grow(count=1, may=("order",))[0]
        for beat in (0, 8):
            self.do(Place(hand=grown.id, beat=beat))
        [strand] = self.tree().strands
        self.do(SetShift(hand=grown.id, semitones=5))
        self.assertEqual(self.tree().strand(strand.id).shift, 5)
        itself = self.studio.hand(self.tree(), f"~{grown.id}")
        self.assertEqual((itself.strand.shift, itself.is_new), (0, True))
        self.assertNotEqual(itself.strand.id, strand.id)
        self.assertEqual(self.tree().offshoot(grown.id), grown)

    def test_edits_of_it_are_kept_as_text(self):
        self.grow(count=2)
        edit = AddOffshoots(offshoots=self.tree().offshoots, what="grow 2")
        self.assertEqual(edit_value(edit_text(edit)), edit)
        again = self.opened().projects.state(self.project).project
        self.assertEqual(again.offshoots, self.tree().offshoots)


class QuickTest(Family):
    def quick(self, what, **how):
        self.do(QuickOne(of=self.hand, what=what, **how))
        offshoot = self.tree().offshoots[-1]
        hand = in_hand(self.tree(), self.studio.loops, offshoot.id)
        return Placement.of(self.tree(), hand.strand, hand.loop)

    def sound(self, placed):
        from zeroknot.studio.tasks.rendering import rendering_of

        plan = placed.heard
        whole = rendering_of(self.studio.store.folder, plan).whole().mean(axis=0)
        return whole[plan.lead_frames : plan.lead_frames + plan.body_frames]

    def test_backwards_is_the_loop_from_its_end(self):
        plain = Placement.of(
            self.tree(), in_hand(self.tree(), self.studio.loops, self.hand).strand,
            self.studio.loops.get(self.hand),
        )  # fmt: skip
        self.do(SetMethod(hand=self.hand, method="strike"))
        forward, back = self.sound(plain), self.sound(self.quick("reverse"))
        self.assertEqual(forward.size, back.size)
        inner = slice(2000, -2000)
        alike = np.corrcoef(forward[inner], back[::-1][inner])[0, 1]
        self.assertGreater(alike, 0.95)

    def test_half_speed_keeps_pitch_and_twice_as_long(self):
        one = in_hand(self.tree(), self.studio.loops, self.hand).strand
        half, double = self.quick("half").strand, self.quick("double").strand
        self.assertEqual((half.round_beats, double.round_beats), (2 * one.span, one.span / 2))
        self.assertEqual(half.shift, 0.0)
        self.assertEqual(self.quick("down").strand.shift, -4.0)

    def test_a_held_moment_and_chopped(self):
        held = self.quick("hold").strand
        self.assertEqual((held.method, held.settings.frozen_at), ("scatter", 0.25))
        one, other = (self.quick("chop", seed=s).strand for s in (1, 2))
        self.assertNotEqual(one.order, other.order)
        self.assertEqual(len(one.cut.starts), round(2 * one.span))


class KeepTest(Family):
    def test_kept_it_is_a_loop_with_its_recipe_and_its_family(self):
        grown = self.grow(count=4, far=0.8)
        child = self.grow(of=grown[0].id, count=2, seed=11)[0]
        loop = self.keep(grown[0])
        self.assertEqual(loop.recipe.parents, (self.hand,))
        self.assertEqual(loop.name, grown[0].name)
        kinds = {m.id: m.kind for m in self.members()}
        self.assertEqual(kinds[loop.sha], "print")
        self.assertNotIn(grown[0].id, kinds)
        parents = {m.id: m.parents for m in self.members()}
        self.assertEqual(parents[child.id], (loop.sha,))
        # A child that is kept is the loop's child, in whichever project it is looked at.
        second = self.keep(self.tree().offshoot(child.id))
        self.assertEqual(second.recipe.parents, (loop.sha,))
        other = self.studio.projects.state(self.studio.projects.create("Other")).project
        family = [m.id for m in self.studio.families.of(other, second.sha)]
        self.assertEqual(family, [self.hand, loop.sha, second.sha])

    def test_a_family_survives_the_removal_of_its_parents_from_the_shelf(self):
        from zeroknot.studio.shelf_edits import TakeOff

        loop = self.keep(self.grow(count=2)[0])
        self.studio.shelf.change([self.hand], TakeOff())
        members = {m.id: m for m in self.members(loop.sha)}
        self.assertEqual((members[self.hand].on_shelf, members[loop.sha].on_shelf), (False, True))
        strand, steps = self.studio.families.steps(self.tree(), loop.sha)
        self.assertEqual((strand.loop, strand.printed), (self.hand, loop.sha))
        self.assertGreater(len(steps), 1)

    def test_it_is_made_again_under_another_tempo_from_its_recording(self):
        self.do(SetSteadyTempo(bpm=96))
        loop = self.keep(self.grow(count=2, may=("order",), far=1.0)[0])
        self.do(SetSteadyTempo(bpm=120))
        self.do(Place(hand=loop.sha, beat=0))
        strand = self.tree().strands[-1]
        self.assertEqual((strand.loop, strand.printed), (self.loop.sha, loop.sha))
        self.assertEqual(strand.round_beats, 8.0)
        # Taken in hand again it is that strand.
        self.assertEqual(in_hand(self.tree(), self.studio.loops, loop.sha).strand.id, strand.id)
        # Kept as printed, it is the print that is stretched; and back.
        self.do(LayAsPrinted(hand=strand.id, as_printed=True))
        printed = self.tree().strand(strand.id)
        self.assertEqual((printed.loop, printed.printed, printed.cut), (loop.sha, None, None))
        self.assertEqual(self.tree().clips[0].strand, strand.id)
        self.do(LayAsPrinted(hand=strand.id, as_printed=False))
        self.assertEqual(self.tree().strand(strand.id).order, strand.order)
        with self.assertRaisesRegex(EditError, "not printed here"):
            self.do(LayAsPrinted(hand=self.loop.sha, as_printed=True))

    def test_on_half_and_on_so_many_bars_its_order_is_laid_so_too(self):
        loop = self.keep(self.grow(count=1, may=("order",))[0])
        self.do(Place(hand=loop.sha, beat=0, lay=2.0))
        laid = self.tree().strands[-1]
        self.assertEqual((laid.round_beats, laid.order.beats, laid.span), (16.0, 16.0, 16.0))
        hand = auditioned(self.tree(), self.studio.hand(self.tree(), f"~{loop.sha}"),
                          Audition(bars=1.0))  # fmt: skip
        self.assertEqual((hand.strand.round_beats, hand.strand.span), (4.0, 4.0))

    def test_a_kit_of_two_breaks_has_two_parents(self):
        from zeroknot.studio.intents.kits import TakeSlices

        other = self.another("keys_88")
        self.cut()
        self.do(TakeSlices(hand=self.hand, of=other.sha))
        printed = self.studio.prints.print_strand(self.tree(), self.strand().id, "wrap", False).loop
        self.assertEqual(printed.recipe.parents, (self.loop.sha, other.sha))
        ids = [m.id for m in self.members(printed.sha)]
        self.assertEqual(set(ids), {self.loop.sha, other.sha, printed.sha})
        self.assertEqual(ids[-1], printed.sha)

    def test_its_file_brings_the_family_along(self):
        grown = self.grow(count=2)
        loop = self.keep(grown[0])
        file = io.BytesIO()
        self.studio.bundles.write(self.project, file)
        with tempfile.TemporaryDirectory() as folder:
            fresh = Studio(Settings(data=Path(folder)), Executors.inline())
            try:
                file.seek(0)
                there = fresh.projects.state(fresh.bundles.read(file)).project
                family = [(m.id, m.kind) for m in fresh.families.of(there, self.loop.sha)]
                recipe = fresh.loops.get(loop.sha).recipe
            finally:
                fresh.close()
        self.assertEqual(
            family, [(self.loop.sha, "source"), (loop.sha, "print"), (grown[1].id, "grown")]
        )
        self.assertEqual(recipe.run, loop.recipe.run)

    def test_a_recipe_is_taken_up_and_changed(self):
        loop = self.keep(self.grow(count=2, may=("order",))[0])
        self.do(TakeUp(of=loop.sha))
        strand = self.tree().strands[-1]
        self.do(SetShift(hand=strand.id, semitones=3))
        branch = self.studio.prints.print_strand(self.tree(), strand.id, "wrap", False).loop
        self.assertEqual(branch.recipe.parents, (loop.sha,))
        unlike = self.studio.families.unlike(self.tree(), f"~{loop.sha}", strand.id)
        self.assertEqual(unlike, ("Key: +3 st, where there was none.",))
