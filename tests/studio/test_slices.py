"""Slices of what is in hand: cut, mended, put in another order, dealt, placed, printed."""

import numpy as np

from tests.sounds import rendered
from tests.studio.sliced import OnABreak
from zeroknot.core.errors import EditError, SliceError
from zeroknot.core.mixing.mix import mix
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.studio.intents.cutting import ChangePieces, CutUp, LeaveWhole, MendCut
from zeroknot.studio.intents.ordering import (
    ChangeTiles,
    DealOrder,
    DrawLevels,
    MoveTiles,
    PutTile,
    TreatOrder,
)
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.readings import LayOn
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.tasks.rendering import rendering_of


class SlicesTest(OnABreak):
    def test_cut_up_it_is_the_loop_as_it_was(self):
        strand = self.cut()
        self.assertEqual((len(strand.cut.pieces), strand.order), (16, None))
        self.assertEqual(self.placed().heard, self.placed().plan)
        self.undo()
        self.assertEqual(self.tree().strands, ())

    def test_each_way_of_cutting(self):
        for how, wanted in (
            ({"by": "beats", "beats": 0.5}, 16), ({"by": "beats", "beats": 1 / 3}, 24),
            ({"by": "equal", "count": 5}, 5), ({"by": "knots"}, 1),
        ):  # fmt: skip
            with self.subTest(how):
                self.assertEqual(len(self.cut(**how).cut.starts), wanted)
        few, many = (
            set(self.cut(by="attacks", sensitivity=s).cut.starts) for s in (0.4, 0.9)
        )  # fmt: skip
        self.assertLessEqual(few, many)  # more of it only adds
        low = set(self.cut(by="attacks", registers=("low",)).cut.starts)
        self.assertLess(1, len(low))
        self.assertLess(len(low), len(self.cut(by="attacks").cut.starts))

    def test_cuts_stay_where_they_are_whatever_the_tempo_becomes(self):
        before = self.cut(by="attacks").cut.starts
        self.do(SetSteadyTempo(bpm=140))
        self.do(LayOn(hand=self.hand, beats=16))
        self.assertEqual(self.strand().cut.starts, before)

    def test_an_order_is_dealt_again_and_again_and_each_is_kept(self):
        self.cut()
        self.do(DealOrder(hand=self.hand, seed=4127))
        first = self.pieces()
        self.assertEqual(sorted(first), list(range(16)))
        self.do(DealOrder(hand=self.hand, seed=5))
        self.do(DealOrder(hand=self.hand, seed=4127))
        # The same seed deals the same order, from the one that was there before the first.
        self.assertEqual(self.pieces(), first)
        self.assertEqual([d.deal.seed for d in self.strand().dealt], [5, 4127])
        self.do(DealOrder(hand=self.hand, back=0))
        self.assertEqual(self.strand().order, self.strand().dealt[0].order)
        self.undo()
        self.assertEqual(self.pieces(), first)
        with self.assertRaisesRegex(EditError, "not kept"):
            self.do(DealOrder(hand=self.hand, back=9))

    def test_held_tiles_stay_and_like_is_exchanged_for_like(self):
        self.cut(by="attacks")
        self.do(DealOrder(hand=self.hand, seed=3, held=(0, 4)))
        self.assertEqual([self.pieces()[i] for i in (0, 4)], [0, 4])
        self.do(TreatOrder(hand=self.hand, how="as_cut"))
        self.do(DealOrder(hand=self.hand, seed=3, like=True))
        before, after = range(len(self.pieces())), self.pieces()
        self.assertTrue(all(a != b for a, b in zip(before, after, strict=True)))

    def test_tiles_that_are_held_stay_as_they_are_now(self):
        """Not as they were before the first deal: what is liked is what is heard."""
        self.cut()
        self.do(DealOrder(hand=self.hand, seed=4127))
        kept = self.pieces()[:3]
        self.assertNotEqual(kept, [0, 1, 2])
        for seed in (1, 2, 3):
            self.do(DealOrder(hand=self.hand, seed=seed, held=(0, 1, 2)))
            self.assertEqual(self.pieces()[:3], kept)
            self.assertEqual(sorted(self.pieces()), list(range(16)))

    def test_an_order_is_heard_where_the_strand_is_placed(self):
        self.cut()
        self.do(Place(hand=self.hand, beat=0))
        plain = self.mixed()
        self.do(TreatOrder(hand=self.hand, how="mirror"))
        mirrored = self.mixed()
        beat = 96 / 60
        half = round(0.5 / beat * 44_100)
        # The last eighth now comes first; it keeps its attack to the sample.
        start = round(7.5 / beat * 44_100)
        np.testing.assert_allclose(
            mirrored[:, 300:2000], plain[:, start + 300 : start + 2000], atol=2e-6
        )
        self.assertGreater(np.abs(mirrored[:, :half] - plain[:, :half]).max(), 0.01)

    def mixed(self):
        tree = self.tree()
        sheet = self.studio.sheet(tree)
        axes = {
            e.digest: rendering_of(self.studio.store.folder, self.studio.renders.plan(e.digest))
            for e in sheet.events
        }
        end = round(8 / (96 / 60) * 44_100)
        return mix(sheet, lambda d, a, n: axes[d].frames(a, n), 0, end)

    def test_a_longer_order_makes_longer_clips_and_back(self):
        self.cut()
        clip = self.do(Place(hand=self.hand, beat=0)).clips[0]
        self.do(TreatOrder(hand=self.hand, how="length", beats=32))
        self.assertEqual(self.tree().clip_length(clip), 32)
        self.assertEqual(self.pieces(), 4 * list(range(16)))
        self.undo()
        self.assertEqual(self.tree().clip_length(clip), 8)

    def test_tiles_are_put_moved_changed_and_drawn(self):
        self.cut(by="equal", count=4)
        self.do(PutTile(hand=self.hand, beat=1, beats=0.5, piece=3))
        self.assertEqual(
            [(t.beat, t.beats, t.piece) for t in self.strand().order.tiles],
            [(0, 1, 0), (1, 0.5, 3), (2, 2, 1), (4, 2, 2), (6, 2, 3)],
        )
        self.do(MoveTiles(hand=self.hand, which=(1,), by=0.25))
        self.assertEqual(self.strand().order.tiles[1].beat, 1.25)
        self.do(ChangeTiles(hand=self.hand, which=(1,), reverse=True, hits=4, rise_db=6))
        tile = self.strand().order.tiles[1]
        self.assertEqual((tile.reverse, tile.hits, tile.rise_db, tile.piece), (True, 4, 6, 3))
        self.do(DrawLevels(hand=self.hand, which=(2, 3, 4), first_db=-12, last_db=0))
        self.assertEqual([t.gain_db for t in self.strand().order.tiles[2:]], [-12, -6, 0])
        self.assertEqual(plan_of_text(self.placed().heard.text), self.placed().heard)

    def test_pieces_are_changed_one_or_all(self):
        self.cut()
        self.do(ChangePieces(hand=self.hand, which=(3,), name="snare", pan=-0.5))
        self.do(ChangePieces(hand=self.hand, by=-2))
        pieces = self.strand().cut.pieces
        self.assertEqual((pieces[3].name, pieces[3].pan, pieces[0].pan), ("snare", -0.5, 0.0))
        self.assertEqual({p.semitones for p in pieces}, {-2.0})
        self.assertEqual(self.heard().shape[0], 2)

    def test_a_mended_cut_is_heard_in_the_order(self):
        self.cut(by="equal", count=4)
        self.do(TreatOrder(hand=self.hand, how="mirror"))
        self.do(MendCut(hand=self.hand, how="split", index=3))
        self.assertEqual(self.pieces(), [3, 4, 2, 1, 0])
        self.do(MendCut(hand=self.hand, how="join", index=4))
        self.assertEqual(self.pieces(), [3, 2, 1, 0])
        self.do(MendCut(hand=self.hand, how="move", index=2, second=2.4))
        self.assertEqual((self.strand().cut.starts[2], self.pieces()), (2.4, [3, 2, 1, 0]))
        self.do(LeaveWhole(hand=self.hand))
        self.assertIsNone(self.strand().cut)

    def test_a_cut_goes_to_the_grid_or_to_zero(self):
        strand = self.cut(by="equal", count=4)
        second = strand.warp.second_of_beat(3.6)
        self.do(MendCut(hand=self.hand, how="add", second=second, snap="grid", step=0.25))
        self.assertAlmostEqual(self.strand().cut.starts[2], strand.warp.second_of_beat(3.5))
        self.undo()
        self.do(MendCut(hand=self.hand, how="add", second=second, snap="zero"))
        found = self.strand().cut.starts[2]
        sound = rendered("drums_103")
        mid = sound.samples.sum(axis=0)
        at = round(found * sound.rate)
        self.assertLess(abs(found - second), 0.011)
        around = mid[at - 1 : at + 2]
        self.assertLessEqual(min(around[:-1] * around[1:]), 0.0)
        cut = self.do(CutUp(hand=self.hand, by="equal", count=16, zero=True)).strands[0].cut
        self.assertEqual(len(cut.starts), 16)
        for start in cut.starts[1:]:
            at = round(start * sound.rate)
            self.assertLess(abs(mid[at]), 0.02)

    def test_a_cut_by_hand_begins_with_the_whole(self):
        tree = self.do(MendCut(hand=self.loop.sha, how="add", second=1.0))
        self.assertEqual(tree.strands[0].cut.starts[1:], (1.0,))

    def test_what_makes_no_sense_is_said_and_changes_nothing(self):
        self.cut(by="equal", count=4)
        before = self.tree()
        for wrong, words in (
            (ChangePieces(hand=self.hand, which=(9,), pan=0), "no slice 10"),
            (ChangePieces(hand=self.hand), "nothing"),
            (ChangePieces(hand=self.hand, gain_db=99), "-60 to 12"),
            (ChangePieces(hand=self.hand, by=60), "-24 to 24"),
            (ChangeTiles(hand=self.hand, which=(0,), piece=12), "no slice 13"),
            (ChangeTiles(hand=self.hand, which=(0,), hits=99), "1 to 16"),
            (TreatOrder(hand=self.hand, how="swap", which=(1,)), "choose two"),
            (TreatOrder(hand=self.hand, how="remove"), "silent"),
            (MendCut(hand=self.hand, how="join", index=0), "none before"),
            (MendCut(hand=self.hand, how="add", second=99.0), "5 ms"),
            (MendCut(hand=self.hand, how="split", index=7), "no slice 8"),
        ):
            with self.subTest(wrong), self.assertRaisesRegex((EditError, SliceError), words):
                self.do(wrong)
        self.assertEqual(self.tree(), before)
        self.undo()
        with self.assertRaisesRegex(EditError, "not cut"):
            self.do(DealOrder(hand=self.hand, seed=1))

    def test_a_print_is_the_order_in_its_exact_length(self):
        self.cut()
        self.do(DealOrder(hand=self.hand, seed=7))
        printed = self.studio.prints.print_strand(self.tree(), self.hand, "wrap", False).loop
        self.assertEqual(printed.frames, round(8 * 60 / 96 * 44_100))
        self.assertEqual(printed.recipe.made_by["strand"]["order"]["beats"], 8.0)

    def test_slices_come_back_with_the_project(self):
        self.cut(by="attacks")
        self.do(DealOrder(hand=self.hand, seed=7, rolls=0.5))
        self.do(ChangePieces(hand=self.hand, which=(0,), reverse=True))
        before = self.tree()
        self.studio.projects._trees.clear()
        self.studio.projects._newest.clear()
        self.assertEqual(self.tree(), before)
