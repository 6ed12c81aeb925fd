"""Recipes: told in sentences, run again, laid over another loop, from a file."""

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile

from tests.studio.family import AGAIN, Family
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, FormatError, NotFoundError
from zeroknot.core.recipe.text import read_recipe
from zeroknot.document.stored import strand_value
from zeroknot.studio.hand import in_hand
from zeroknot.studio.intents.cutting import ChangePieces
from zeroknot.studio.intents.offshoots import (
    LayRecipe,
    TakeRecipe,
)
from zeroknot.studio.intents.ordering import DealOrder
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.tasks import THREADS_VARIABLE


class RecipeTest(Family):
    def printed(self):
        self.do(SetSteadyTempo(bpm=96))
        self.cut(by="attacks")
        self.do(DealOrder(hand=self.hand, seed=4127, held=(0, 4)))
        self.do(ChangePieces(hand=self.hand, which=(2,), semitones=3, reverse=True, pan=0.3))
        return self.studio.prints.print_strand(self.tree(), self.hand, "wrap", False).loop

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
        ).loop
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
        self.assertEqual((way.name, way.is_new), ("Winch it", True))
        again = self.studio.keep_way(self.project, self.strand().id, "Winch it")
        self.assertEqual(again, way._replace(is_new=False))
        self.assertEqual([w.id for w in self.studio.ways.all()], [way.id])
        bass = self.another("bass_97")
        text = self.studio.ways.text(way.id)
        self.do(TakeRecipe(text=text, over=(bass.sha,)))
        self.assertEqual(self.tree().offshoots[-1].name, "bass_97 as Winch it")
        self.studio.ways.forget(way.id)
        with self.assertRaises(NotFoundError):
            self.studio.ways.text(way.id)
        self.assertEqual(self.studio.ways.all(), [])
        self.studio.ways.bring_back(way.id)
        self.assertEqual(self.studio.ways.text(way.id), text)
        self.assertEqual([w.name for w in self.studio.ways.all()], ["Winch it"])


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
