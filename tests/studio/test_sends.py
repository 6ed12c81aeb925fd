"""What slices send to the room and the echo: beside their track, mixed, in stems, under lines, told
to the page."""

import numpy as np

from tests.studio.test_desk import WithDesk
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.desk import SetLine
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.studio.audition import Audition
from zeroknot.studio.intents.coil import CoilLoop
from zeroknot.studio.intents.cutting import ChangePieces, CutUp
from zeroknot.studio.intents.key import SetKeyAt
from zeroknot.studio.intents.ordering import DealOrder
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.tasks.rendering import rendering_of

BEAT = 26_460


class SendsTest(WithDesk):
    def setUp(self):
        super().setUp()
        self.strand = self.tree().strands[0].id
        self.do(ChangeTrack(track=self.two, muted=True))
        self.do(CutUp(hand=self.strand, by="equal", count=8))

    def send(self, which, **dbs):
        self.do(ChangePieces(hand=self.strand, which=which, **dbs))

    def events(self, bus):
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        return [e for e in maker.arrangement().events if e.track == f"{self.one}>{bus}"], maker

    def test_one_slice_is_sent_and_the_rest_stays_to_the_bit(self):
        before = self.heard()
        self.send((2,), echo_db=0.0)
        echoed = self.heard() - before
        # The loop has 8 beats: its third slice begins with the third, the echo 3/4 of a beat later.
        first = round(2.75 * BEAT)
        self.assertLess(np.abs(echoed[:, 1000 : first - 400]).max(), 1e-6)
        self.assertGreater(np.abs(echoed[:, first : first + BEAT // 2]).max(), 0.02)
        events, maker = self.events("echo")
        self.assertEqual(len(events), 2)  # a pass each
        voices = [v for e in events for v in maker.plans[e.digest].voices]
        self.assertTrue(all(abs(v.at - 2 * BEAT) < 500 for v in voices))
        self.assertEqual(self.events("room")[0], [])

    def test_it_is_as_loud_as_its_send_and_its_track(self):
        self.send((2,), room_db=-6.0)
        loud = self.heard()
        self.send((2,), room_db=-60.0)
        dry = self.heard()
        self.send((2,), room_db=-12.0)
        soft = self.heard() - dry
        loud -= dry
        ratio = np.sqrt((loud**2).sum() / (soft**2).sum())
        self.assertAlmostEqual(20 * np.log10(ratio), 6.0, delta=0.05)
        self.do(ChangeTrack(track=self.one, level_db=-16.0))  # from −6
        quieter = self.heard()
        self.send((2,), room_db=-60.0)
        quieter -= self.heard()
        ratio = np.sqrt((soft**2).sum() / (quieter**2).sum())
        self.assertAlmostEqual(20 * np.log10(ratio), 10.0, delta=0.05)
        self.send((2,), room_db=0.0)
        self.do(ChangeTrack(track=self.one, muted=True))
        self.do(ChangeTrack(track=self.two, muted=False))
        both = self.heard()
        self.send((2,), room_db=-60.0)
        np.testing.assert_allclose(both, self.heard(), atol=1e-7)

    def test_filters_of_the_track_have_no_say_and_its_line_does(self):
        self.send((0, 1, 2, 3, 4, 5, 6, 7), echo_db=0.0)
        self.sounds(self.one, low_cut_hz=2000.0, low_cut_slope=24.0)
        strips = {s.id: s for s in self.desk().strips}
        sent = strips[f"{self.one}>echo"]
        self.assertTrue(sent.is_send)
        self.assertEqual(dict(sent.values), {"level_db": -6.0, "echo_db": 0.0})
        line = (LinePoint(beat=0, value=-60.0), LinePoint(beat=8, value=0.0))
        self.do(SetLine(track=self.one, name="level_db", points=line))
        strips = {s.id: s for s in self.desk().strips}
        self.assertEqual(
            dict(strips[f"{self.one}>echo"].lanes)["level_db"],
            dict(strips[self.one].lanes)["level_db"],
        )

    def test_dealt_anew_and_in_another_key_each_goes_where_it_is_played(self):
        self.send((3,), room_db=-3.0)
        self.do(DealOrder(hand=self.strand, seed=7))
        self.do(SetKeyAt(bar=2, key="D minor"))
        order = self.tree().strand(self.strand).order
        wanted = sum(tile.hits for tile in order.tiles if 3 in tile.pieces and not tile.muted)
        events, maker = self.events("room")
        if wanted:
            plan = maker.plans[events[0].digest]
            self.assertGreaterEqual(len(plan.voices), 1)
            self.assertLessEqual(len(plan.voices), wanted + 1)
        else:
            self.assertEqual(events, [])

    def test_alone_its_room_and_echo_are_those_of_the_song(self):
        self.do(ChangeTrack(track=self.one, level_db=0.0))
        dry = self.heard(end=8.0)
        self.send((2,), echo_db=-3.0)
        self.send((5,), room_db=-9.0)
        tree = self.tree()
        sheet = self.studio.hand_sheet(tree, self.strand, 0.0, order=True)
        digest, lead, frames = sheet["rings"]
        plan = plan_of_text(self.studio.renders.plan(digest).text)
        rings = rendering_of(self.studio.store.folder, plan).whole()
        self.assertEqual(rings.shape, (2, frames))
        wanted = self.heard(end=8.0) - dry
        self.assertGreater(np.abs(wanted).max(), 0.02)
        alone = rings[:, lead : lead + wanted.shape[1]]
        # Mixed in single precision, the song's has what rounding the dry sound left.
        np.testing.assert_allclose(alone, wanted, atol=2e-6)
        # It rings on behind the round, and whole the loop has none.
        self.assertGreater(np.abs(rings[:, lead + sheet["body"] :]).max(), 1e-5)
        self.assertIsNone(self.studio.hand_sheet(tree, self.strand, 0.0)["rings"])

    def test_the_page_is_told_of_the_song_the_hand_and_the_pads(self):
        self.send((2,), echo_db=-3.0, room_db=-9.0)
        tree = self.tree()
        self.do(CoilLoop(hand=self.strand))
        tree = self.tree()
        told = self.studio.play_sheet(tree, self.strand, Audition())
        coil = next(s for s in told["desk"]["strips"] if s.id == "coil>echo")
        self.assertEqual(
            dict(coil.values), {"level_db": -6.0, "echo_db": 0.0}
        )  # as the page has it
        ids = {s.id for s in told["desk"]["strips"]}
        for owner in (self.one, "hand"):
            self.assertLessEqual({f"{owner}>room", f"{owner}>echo"}, ids)
        self.assertTrue(told["desk"]["room"]["digest"])
        tracks = {e.track for e in told["events"]} | {e.track for e in told["hand_events"]}
        self.assertLessEqual({f"{self.one}>echo", "hand>echo"}, tracks)
