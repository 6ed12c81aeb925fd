"""A loop's family: grown, kept, dropped, taken up again, made again under another tempo."""

import io
import json
import os
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from wavinfo import WavInfoReader

from tests.core.listening.test_midi_reading import SIX_EIGHT
from tests.sounds import rendered
from tests.studio.helper import StudioTest
from tests.studio.sliced import OnABreak
from zeroknot.core.errors import EditError, FormatError, NotFoundError, ZeroKnotError
from zeroknot.core.formats.handed import HandOver
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.recipe.text import read_recipe
from zeroknot.document.edits.offshoot import AddOffshoots
from zeroknot.document.grow import CHANGES, sound_of
from zeroknot.document.stored import edit_text, edit_value, strand_value
from zeroknot.settings import Settings
from zeroknot.studio.audition import Audition, auditioned
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import in_hand
from zeroknot.studio.intents.cutting import ChangePieces
from zeroknot.studio.intents.key import SetKeyAt
from zeroknot.studio.intents.offshoots import (
    DropGrown,
    GrowOffshoots,
    KeepGrown,
    LayAsPrinted,
    LayRecipe,
    NameGrown,
    QuickOne,
    TakeRecipe,
    TakeUp,
)
from zeroknot.studio.intents.ordering import DealOrder
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.stretch import SetMethod, SetShift
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.shelf_edits import Correct, StateKey
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks import THREADS_VARIABLE

# What makes a file again from a recipe alone, in a process of its own.
AGAIN = """
import sys
from pathlib import Path
from zeroknot.core.recipe.text import read_recipe
from zeroknot.studio.tasks.files import print_to_file
folder, recipe, out = map(Path, sys.argv[1:])
print_to_file(folder, read_recipe(recipe.read_text()).run, out)
"""


class Family(OnABreak):
    def grow(self, of=None, **how):
        asked = {"count": 8, "seed": 7, **how}
        before = {o.id for o in self.tree().offshoots}
        self.do(GrowOffshoots(of=of or self.hand, **asked))
        return [o for o in self.tree().offshoots if o.id not in before]

    def another(self, name):
        item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
        return self.studio.shelf.loop(item.sha)

    def members(self, of=None):
        return self.studio.families.of(self.tree(), of or self.hand)

    def keep(self, offshoot):
        """Printed and on the shelf, as the page does it."""
        loop = self.studio.prints.print_strand(self.tree(), offshoot.id, "wrap", False)
        self.do(KeepGrown(offshoot=offshoot.id, sha=loop.sha))
        return loop


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
        printed = self.studio.prints.print_strand(self.tree(), self.strand().id, "wrap", False)
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
        branch = self.studio.prints.print_strand(self.tree(), strand.id, "wrap", False)
        self.assertEqual(branch.recipe.parents, (loop.sha,))
        unlike = self.studio.families.unlike(self.tree(), f"~{loop.sha}", strand.id)
        self.assertEqual(unlike, ("Key: +3 st, where there was none.",))


class RecipeTest(Family):
    def printed(self):
        self.do(SetSteadyTempo(bpm=96))
        self.cut(by="attacks")
        self.do(DealOrder(hand=self.hand, seed=4127, held=(0, 4)))
        self.do(ChangePieces(hand=self.hand, which=(2,), semitones=3, reverse=True, pan=0.3))
        return self.studio.prints.print_strand(self.tree(), self.hand, "wrap", False)

    def test_it_is_told_in_sentences(self):
        self.printed()
        _, steps = self.studio.families.steps(self.tree(), self.strand().id)
        told = {step.title: step.said for step in steps}
        self.assertEqual(told["Deal"], "seed 4127, 1 5 stay")
        self.assertEqual(told["Slices"], "3: 30 right, +3 st, backwards")
        self.assertRegex(told["Cut"], r"^\d+ slices$")

    def test_the_same_bytes_from_any_number_of_threads_and_processes(self):
        loop = self.printed()
        text = self.studio.prints.recipe(self.tree(), loop.sha).text
        recipe = self.folder / "recipe.json"
        recipe.write_text(text)
        made = self.studio.store.path(loop.sha).read_bytes()
        for threads in ("1", "2", "5"):
            out = self.folder / f"again-{threads}.wav"
            subprocess.run(
                [sys.executable, "-c", AGAIN, str(self.folder), str(recipe), str(out)],
                env={**os.environ, THREADS_VARIABLE: threads}, check=True,
            )  # fmt: skip
            self.assertEqual(out.read_bytes(), made)

    def test_its_text_is_canonical_and_makes_it_again_on_a_fresh_data_folder(self):
        loop = self.printed()
        text = self.studio.prints.recipe(self.tree(), loop.sha).text
        written = read_recipe(text)
        self.assertEqual(written.text, text)
        self.assertEqual(written.run, loop.recipe.run)
        self.assertEqual(strand_value(written.strand).order, self.strand().order)
        with tempfile.TemporaryDirectory() as folder:
            fresh = Path(folder)
            for sha, _ in written.sources:
                place = fresh / self.studio.store.path(sha).relative_to(self.folder)
                place.parent.mkdir(parents=True, exist_ok=True)
                place.write_bytes(self.studio.store.path(sha).read_bytes())
            recipe, out = fresh / "r.json", fresh / "out.wav"
            recipe.write_text(text)
            subprocess.run([sys.executable, "-c", AGAIN, folder, recipe, out], check=True)
            again, _ = soundfile.read(out, dtype="float32")
        first, _ = soundfile.read(self.studio.store.path(loop.sha), dtype="float32")
        self.assertLess(np.abs(again - first).max(), 10 ** (-120 / 20) * np.abs(first).max())

    def test_what_is_no_recipe_is_said(self):
        loop = self.printed()
        good = json.loads(self.studio.prints.recipe(self.tree(), loop.sha).text)
        for said, words in (
            ("nonsense", "not JSON"), ("[]", "no recipe"), ('{"zeroknot": "recipe"}', "no version"),
            (json.dumps({**good, "version": 9}), "later version"),
            (json.dumps({**good, "run": {"plan": {}}}), "damaged"),
            (json.dumps({**good, "sources": []}), "other recordings"),
            (json.dumps({n: v for n, v in good.items() if n != "strand"}), "missing"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(FormatError, words):
                read_recipe(said)

    def test_it_is_laid_over_another_loop(self):
        self.printed()
        other = self.another("bass_97")
        self.do(LayRecipe(of=self.strand().id, over=(other.sha,)))
        made = self.tree().offshoots[-1]
        self.assertEqual(made.parents, (other.sha,))
        self.assertEqual(made.strand.loop, other.sha)
        third = made.strand.cut.pieces[2]
        self.assertEqual((third.semitones, third.reverse, third.pan), (3, True, 0.3))
        beats = [t.beat for t in made.strand.order.tiles]
        self.assertEqual(beats, [t.beat for t in self.strand().order.tiles])
        hand = in_hand(self.tree(), self.studio.loops, made.id)
        self.assertIsNone(Placement.of(self.tree(), hand.strand, hand.loop).why_silent)

    def test_it_is_taken_from_a_file_where_its_loops_are(self):
        loop = self.printed()
        text = self.studio.prints.recipe(self.tree(), loop.sha).text
        other = self.studio.projects.create("Other")
        self.submit(other, SetSteadyTempo(bpm=96))
        made = self.submit(other, TakeRecipe(text=text)).project.offshoots[0]
        self.assertEqual(made.strand.order, self.strand().order)
        again = self.studio.prints.print_strand(
            self.studio.projects.state(other).project, made.id, "wrap", False
        )
        self.assertEqual(again.sha, loop.sha)
        bass = self.another("bass_97")
        laid = self.submit(other, TakeRecipe(text=text, over=(bass.sha,))).project.offshoots[-1]
        self.assertEqual(laid.strand.loop, bass.sha)
        told = json.loads(text)
        told["strand"]["loop"] = "0" * 64
        for said, words in (
            (json.dumps(told), "not on this shelf"), ("{}", "no recipe"),
            (json.dumps({**told, "strand": {"loop": 3}}), "damaged"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex((EditError, FormatError), words):
                self.submit(other, TakeRecipe(text=said))

    def test_a_way_of_working_is_kept_by_name(self):
        self.printed()
        way = self.studio.keep_way(self.project, self.strand().id, " Winch  it ")
        self.assertEqual(way.name, "Winch it")
        again = self.studio.keep_way(self.project, self.strand().id, "Winch it")
        self.assertEqual(self.studio.ways.all(), [again])
        bass = self.another("bass_97")
        text = self.studio.ways.text(way.id)
        self.do(TakeRecipe(text=text, over=(bass.sha,)))
        self.assertEqual(self.tree().offshoots[-1].name, "bass_97 as Winch it")
        self.studio.ways.forget(way.id)
        with self.assertRaises(NotFoundError):
            self.studio.ways.text(way.id)


class LikeTest(Family):
    @property
    def likenesses(self):
        return self.studio.likenesses._store

    def test_what_sounds_alike_is_found_and_what_it_is_itself_is_not(self):
        keys, bass = self.another("keys_88"), self.another("bass_97")
        shas = (self.loop.sha, keys.sha, bass.sha)
        rows, waiting = self.studio.likenesses.nearest(self.tree(), self.hand, "all", 10, shas)
        self.assertEqual(waiting, 0)
        self.assertEqual({r.loop.sha for r in rows}, {keys.sha, bass.sha})
        self.assertGreaterEqual(rows[0].alike, rows[1].alike)
        # One that was grown of it is most like it of all.
        grown = self.grow(count=1, may=("levels",), far=0.1)[0]
        rows, _ = self.studio.likenesses.nearest(self.tree(), grown.id, "sound", 10, shas)
        self.assertNotIn(self.loop.sha, [r.loop.sha for r in rows])
        kept = self.keep(grown)
        rows, _ = self.studio.likenesses.nearest(
            self.tree(), f"~{self.loop.sha}", "sound", 10, (*shas, kept.sha)
        )
        self.assertEqual(rows[0].loop.sha, kept.sha)
        self.assertIn("sounds alike", rows[0].why)

    def test_it_is_measured_as_it_comes_in_and_anew_when_it_is_read_otherwise(self):
        table = self.likenesses.table
        coming, midi = self.another("keys_88"), self.bring(SIX_EIGHT, "line.mid")
        for sha in (coming.sha, midi.sha):
            self.assertIsNotNone(table().of(sha))
        asked = (coming.sha, self.loop.sha)
        before = table().of(coming.sha).copy()
        self.studio.shelf.change([coming.sha], StateKey(key="A minor"))
        self.assertIsNotNone(table().of(coming.sha))  # that has no say in it
        self.studio.shelf.change([coming.sha], Correct(downbeat_s=coming.reading.downbeat_s + 0.1))
        self.assertIsNone(table().of(coming.sha))
        self.studio.likenesses.nearest(self.tree(), self.hand, "all", 10, asked)
        self.assertGreater(np.abs(table().of(coming.sha) - before).max(), 0.01)

    def test_a_print_is_compared_without_being_asked_for(self):
        kept = self.keep(self.grow(count=1)[0])
        self.assertIsNotNone(self.likenesses.table().of(kept.sha))

    def test_what_fits_here_goes_with_what_plays_and_is_none_of_it(self):
        keys, bass = self.another("keys_88"), self.another("bass_97")
        self.do(SetKeyAt(bar=1, key="C major"))
        self.do(Place(hand=keys.sha, beat=0))
        shas = (self.loop.sha, keys.sha, bass.sha)
        rows, waiting = self.studio.likenesses.fitting(self.tree(), 0.0, 10, shas)
        self.assertEqual(waiting, 0)
        self.assertEqual({r.loop.sha for r in rows}, {self.loop.sha, bass.sha})
        self.assertTrue(all(0 <= r.alike <= 1 for r in rows))
        # The drums are told by when they hit: what they ring at is no chord.
        drums = next(r for r in rows if r.loop.sha == self.loop.sha)
        self.assertNotRegex(drums.why, "chords|clash|key|st")
        # Where nothing plays all there is may fit.
        rows, _ = self.studio.likenesses.fitting(self.tree(), 900.0, 10, shas)
        self.assertEqual(len(rows), 3)

    def test_what_was_grown_is_ranked_by_what_plays(self):
        keys = self.another("keys_88")
        self.do(Place(hand=keys.sha, beat=0))
        grown = self.grow(of=self.loop.sha, count=4)
        names = [o.id for o in grown]
        ranked = self.studio.likenesses.ranked(self.tree(), names, 0.0, f"~{self.loop.sha}")
        self.assertEqual(set(ranked), set(names))
        for one in ranked.values():
            self.assertTrue(0.0 <= one.fit.score <= 1.0)
            self.assertGreater(one.unlike, 0.0)
            self.assertIn("groove", one.fit.reasons)


class OldPrintTest(StudioTest):
    def test_prints_from_before_there_were_runs_are_made_again(self):
        from dataclasses import asdict

        from zeroknot.core.recipe.run import run_of
        from zeroknot.store.codec import newest_recipe

        loop = self.loop()
        project = self.studio.projects.state(self.studio.projects.create("P")).project
        plan = Placement.of(
            project, in_hand(project, self.studio.loops, loop.sha).strand, loop
        ).plan
        old = {"plan": json.loads(json.dumps(asdict(plan))), "strand": {}, "seam": "cut",
               "with_lead": True}  # fmt: skip
        for said in (old, {"kind": "print", "parents": [loop.sha], "made_by": old}):
            run = run_of(newest_recipe(said)["made_by"]["run"])
            self.assertEqual((run.plan, run.seam, run.with_lead), (plan, "cut", True))


class HandOverTest(Family):
    def over(self, shas, how=None, pack=None):
        made = self.studio.handing_over.files(shas, how or HandOver(), pack)
        self.addCleanup(made.file.unlink)
        return made

    def test_one_is_a_file_and_several_are_a_zip(self):
        keys = self.another("keys_88")
        one = self.over([self.loop.sha], HandOver("flac", names="{name} {bpm}"))
        self.assertRegex(one.name, r"^drums \d+(\.\d+)?\.flac$")
        self.assertEqual(soundfile.info(one.file).format, "FLAC")
        many = self.over([self.loop.sha, keys.sha, keys.sha], HandOver("ogg", names="{n}"))
        with zipfile.ZipFile(many.file) as packed:
            self.assertEqual(packed.namelist(), ["01.ogg", "02.ogg"])
        with self.assertRaisesRegex(ZeroKnotError, "nothing is chosen"):
            self.over([])
        with self.assertRaises(NotFoundError):
            self.over(["0" * 64])

    def test_what_was_cut_has_cue_points_where_its_pieces_begin(self):
        """Read back by wavinfo; where energy rises in the file itself there is a hit."""
        grown = self.grow(count=1, may=("order",))[0]
        loop = self.keep(grown)
        order = self.tree().offshoot(grown.id).strand.played
        made = self.over([loop.sha])
        cues = [cue.sample_offset for cue in WavInfoReader(str(made.file)).cues.cues]
        sound, _ = soundfile.read(made.file)
        places = sorted(t.beat / order.beats for t in order.tiles if not t.muted)
        self.assertEqual(len(cues), len(places))
        for cue, place in zip(sorted(cues), places, strict=True):
            self.assertAlmostEqual(cue / len(sound), place, places=3)
        plain = WavInfoReader(str(self.over([self.loop.sha]).file)).cues
        self.assertFalse(plain and plain.cues)

    def test_a_pack_has_a_page_and_the_recipes(self):
        loop = self.keep(self.grow(count=1, may=("order",))[0])
        made = self.over([self.loop.sha, loop.sha], HandOver(), "Family")
        self.assertEqual(made.name, "Family.zip")
        with zipfile.ZipFile(made.file) as packed:
            names = packed.namelist()
            page = packed.read("index.html").decode()
            [recipe] = [n for n in names if n.endswith(".json")]
            written = read_recipe(packed.read(recipe))
        self.assertEqual(written.run, loop.recipe.run)
        for name in names:
            if name.endswith(".wav"):
                self.assertIn(f'src="{name}"', page)
        again = self.over([self.loop.sha, loop.sha], HandOver(), "Family")
        self.assertEqual(again.file.read_bytes(), made.file.read_bytes())
