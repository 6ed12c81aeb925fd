"""How clips come and go: curves, crossfades, gain lines, giving way, backwards, as mixed."""

from dataclasses import replace

import numpy as np

from tests.studio.test_clips import ClipsTest
from zeroknot.core.errors import EditError
from zeroknot.core.mixing.mix import envelope, mix
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.clip import ChangeClip, Move, MoveClips
from zeroknot.document.edits.track import ChangeTrack, RemoveTrack
from zeroknot.studio.intents.clips import ChangeClips, ReverseClips, SplitClips
from zeroknot.studio.intents.key import SetKeyAt
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetTempoPoint
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.tasks.rendering import rendering_of

BEAT = 26_460  # frames at 100 BPM


class ShapesTest(ClipsTest):
    def maker(self):
        tree = self.tree()
        return SheetMaker(tree, self.studio.loops.named(tree.loops()))

    def levels(self, id_, first=0, count=None):
        """What of a clip is heard at each song frame, as a share of what it plays: of the loudest
        of its events."""
        count = count or round(2 * self.span * BEAT)
        found = np.zeros(count)
        for event in self.maker().laid[id_].events:
            level = envelope(event, 0, event.frames)
            a, b = max(first, event.at), min(first + count, event.at + event.frames)
            if b > a:
                part = level[a - event.at : b - event.at]
                found[a - first : b - first] = np.maximum(found[a - first : b - first], part)
        return found

    def heard_from(self, first, frames):
        maker = self.maker()
        read = lambda digest, at, count: rendering_of(  # noqa: E731
            self.studio.store.folder, maker.plans[digest]
        ).frames(at, count)
        return mix(maker.arrangement(), read, first, frames)


class FadeTest(ShapesTest):
    def test_a_fade_is_as_long_as_it_is_asked_for_over_passes_too(self):
        pass_ms = self.span * 600.0
        self.do(ChangeClips(clips=(self.clip,), fade_in_ms=1.5 * pass_ms))
        level = self.levels(self.clip)
        length = round(1.5 * self.span * BEAT)
        np.testing.assert_allclose(
            level[1000:length:5000], np.arange(1000, length, 5000) / length, atol=1e-3
        )
        self.assertEqual(level[length + 10], 1.0)

    def test_along_a_sine_half_way_it_is_three_db_down(self):
        self.do(ChangeClip(clip=self.clip, fade_in_ms=1200.0, fade_in_curve="power"))
        level = self.levels(self.clip)
        self.assertAlmostEqual(20 * np.log10(level[BEAT]), -3.01, 1)
        self.do(ChangeClip(clip=self.clip, fade_in_curve="gain"))
        self.assertAlmostEqual(20 * np.log10(self.levels(self.clip)[BEAT]), -6.02, 1)


class CrossTest(ShapesTest):
    def pair(self):
        """Two clips that meet after a pass and play other stretches of it."""
        self.do(SplitClips(clips=(self.clip,), beats=(self.span,)))
        one, two = self.ids()
        self.do(ChangeClip(clip=two, slip=2.0, length=self.span))
        return one, two

    def test_each_plays_past_the_border_and_the_power_stays(self):
        one, two = self.pair()
        bodies = self.clips()
        for curve, power in (("power", 2), ("gain", 1)):
            self.do(ChangeClip(clip=two, cross_ms=400.0, cross_curve=curve))
            border, half = round(self.span * BEAT), round(0.2 * 44_100)
            levels = [self.levels(id_, border - 2 * half, 4 * half) for id_ in (one, two)]
            np.testing.assert_allclose(sum(level**power for level in levels), 1.0, atol=2e-3)
            self.assertEqual(levels[0][-1], 0.0)
            self.assertEqual(levels[1][0], 0.0)
            self.assertGreater(levels[1][2 * half - 100], 0.45)  # before the border
            self.assertEqual(self.clips(), bodies)

    def test_what_is_heard_past_the_border_is_its_own_recording(self):
        _one, two = self.pair()
        border, half = round(self.span * BEAT), round(0.2 * 44_100)
        self.do(ChangeClip(clip=two, cross_ms=400.0))
        over = self.heard_from(border - half, 2 * half)
        # The later clip alone, its frame begun so much sooner.
        events = {e.id.split(":")[0]: e for e in self.maker().arrangement().events}
        begun = [e for e in self.maker().laid[two].events if e.at < border]
        self.assertTrue(begun)
        self.assertLessEqual(abs(begun[0].at - (border - half)), 1)
        self.assertTrue(events)
        self.assertGreater(float(np.abs(over).max()), 0.01)

    def test_moved_apart_they_fade_by_themselves_again(self):
        one, two = self.pair()
        self.do(ChangeClip(clip=two, cross_ms=400.0))
        track = self.tree().tracks[0].id
        self.do(MoveClips(moves=(Move(clip=two, beat=self.span + 2.0, track=track),)))
        events = self.maker().laid[two].events
        self.assertEqual(events[0].at, round((self.span + 2) * BEAT))
        self.assertEqual(self.maker().laid[one].events[-1].shape, ())

    def test_it_is_no_longer_than_the_shorter_of_both(self):
        _one, two = self.pair()
        self.do(ChangeClip(clip=two, length=0.25, cross_ms=5000.0))
        over = self.maker().laid[two].events[0]
        self.assertGreaterEqual(over.at, round(self.span * BEAT) - round(0.125 * BEAT) - 1)


class GainLineTest(ShapesTest):
    LINE = (
        LinePoint(beat=0.0, value=0.0),
        LinePoint(beat=2.0, value=-12.0, shape="step"),
        LinePoint(beat=4.0, value=6.0),
    )

    def test_it_is_where_it_was_drawn(self):
        self.do(ChangeClip(clip=self.clip, gain_line=self.LINE))
        level = 20 * np.log10(np.maximum(self.levels(self.clip), 1e-4))
        for beat, db in ((0.5, -3.0), (1.0, -6.0), (2.5, -12.0), (3.9, -12.0), (4.5, 6.0)):
            self.assertAlmostEqual(level[round(beat * BEAT)], db, 1)

    def test_it_stays_with_what_it_plays(self):
        self.do(ChangeClip(clip=self.clip, gain_line=self.LINE))
        before = self.heard()
        self.do(SplitClips(clips=(self.clip,), beats=(1.0, 3.0)))
        self.assertEqual(len(self.ids()), 3)
        np.testing.assert_allclose(self.heard(), before, atol=2e-4)
        track = self.tree().tracks[0].id
        one, moved = self.ids()[0], self.ids()[2]
        self.do(MoveClips(moves=(Move(clip=moved, beat=33.0, track=track),)))
        level = 20 * np.log10(self.levels(moved, 33 * BEAT, 3 * BEAT) + 1e-9)
        self.assertAlmostEqual(level[round(0.5 * BEAT)], -12.0, 1)
        self.assertAlmostEqual(level[round(1.5 * BEAT)], 6.0, 1)
        self.assertAlmostEqual(20 * np.log10(self.levels(one)[BEAT // 2]), -3.0, 1)

    def test_all_the_way_down_is_silent_and_nonsense_is_refused(self):
        down = (LinePoint(beat=0.0, value=-60.0),)
        self.do(ChangeClip(clip=self.clip, gain_line=down))
        self.assertEqual(float(np.abs(self.heard()).max()), 0.0)
        with self.assertRaises((EditError, ValueError)):
            ChangeClip(clip=self.clip, gain_line=(LinePoint(beat=0, value=40.0),)).apply(
                self.tree()
            )
        with self.assertRaises((EditError, ValueError)):
            ChangeClip(clip=self.clip, gain_line=self.LINE[::-1]).apply(self.tree())


class GiveWayTest(ShapesTest):
    def setUp(self):
        super().setUp()
        self.do(Place(hand="~" + self.sha, beat=2.0))
        first, second = self.tree().tracks
        self.under, self.over = first.id, second.id
        self.do(ChangeTrack(track=self.under, gives_way_to=self.over))

    def test_where_one_plays_the_other_is_silent(self):
        level = self.levels(self.clip)
        self.assertEqual(level[BEAT], 1.0)
        inside = level[2 * BEAT : round((2 + self.span - 0.1) * BEAT)]
        self.assertEqual(float(np.abs(inside).max()), 0.0)
        self.assertEqual(level[round((2 + self.span) * BEAT) + 10], 1.0)

    def test_what_is_muted_does_not_play(self):
        inside = slice(BEAT, -BEAT)
        self.assertEqual(self.levels(self.clip)[inside].min(), 0.0)
        self.do(ChangeTrack(track=self.over, muted=True))
        self.assertEqual(self.levels(self.clip)[inside].min(), 1.0)
        self.do(ChangeTrack(track=self.over, muted=False))
        other = next(c.id for c in self.tree().clips if c.track == self.over)
        self.do(ChangeClip(clip=other, muted=True))
        self.assertEqual(self.levels(self.clip)[inside].min(), 1.0)

    def test_a_track_gives_way_to_another_one_only_and_not_both_ways(self):
        with self.assertRaisesRegex(EditError, "neither"):
            self.do(ChangeTrack(track=self.over, gives_way_to=self.under))
        with self.assertRaisesRegex(EditError, "itself"):
            self.do(ChangeTrack(track=self.over, gives_way_to=self.over))
        self.do(RemoveTrack(track=self.over))
        self.assertIsNone(self.tree().tracks[0].gives_way_to)


class ReverseTest(ShapesTest):
    def body(self, first, beats):
        frame_of = self.tree().tempo_map.frame_of_beat
        a, b = (frame_of(beat, 44_100) for beat in (first, first + beats))
        return self.heard_from(a, b - a)

    def test_a_pass_is_heard_from_its_end_to_its_beginning(self):
        self.do(ChangeClips(clips=(self.clip,), fade_in_ms=0.0, fade_out_ms=0.0))
        # Of the second pass: the tail of the first is in none of what is compared.
        events = self.maker().laid[self.clip].events
        plan = self.maker().plans[events[1].digest]
        forwards = rendering_of(self.studio.store.folder, plan).frames(
            plan.lead_frames, plan.body_frames
        )
        self.do(ReverseClips(clips=(self.clip,)))
        turned = self.maker().plans[self.maker().laid[self.clip].events[1].digest]
        found = rendering_of(self.studio.store.folder, turned).frames(
            turned.lead_frames, turned.body_frames
        )
        np.testing.assert_array_equal(found, forwards[:, ::-1])
        self.do(ReverseClips(clips=(self.clip,)))
        self.assertFalse(self.tree().clips[0].reverse)

    def test_a_trimmed_frame_shows_the_same_stretch_of_it_and_twice_is_once(self):
        self.do(ChangeClip(clip=self.clip, slip=1.5, length=2.25))
        before = self.clips()
        line = (LinePoint(beat=1.5, value=0.0, bend=2.0), LinePoint(beat=3.0, value=-6.0))
        self.do(ChangeClip(clip=self.clip, gain_line=line))
        self.do(ReverseClips(clips=(self.clip,)))
        slip = self.clips()[0][2]
        # 1.5 to 3.75 of 8 beats is 4.25 to 6.5 of what runs backwards.
        self.assertAlmostEqual(slip, -3.75 % self.span)
        turned = self.tree().clips[0].gain_line
        self.assertEqual([p.value for p in turned], [-6.0, 0.0])
        self.assertAlmostEqual(turned[0].bend, -2.0)
        self.do(ReverseClips(clips=(self.clip,)))
        self.assertEqual(self.clips(), before)
        self.assertEqual(self.tree().clips[0].gain_line, line)

    def test_over_a_ramp_it_falls_on_the_beats_of_the_song(self):
        self.do(SetTempoPoint(beat=0.0, bpm=80.0, shape="ramp"))
        self.do(SetTempoPoint(beat=self.span * 2, bpm=140.0))
        forwards = self.maker().laid[self.clip].events
        self.do(ReverseClips(clips=(self.clip,)))
        maker = self.maker()
        events = maker.laid[self.clip].events
        tree = self.tree()
        for k, event in enumerate(events):
            plan = maker.plans[event.digest].turned
            zero = event.at - event.start + maker.plans[event.digest].lead_frames
            self.assertEqual(plan.body_frames, self.maker().plans[event.digest].body_frames)
            frame_of = tree.tempo_map.frame_of_beat
            self.assertEqual(zero, frame_of(k * self.span, 44_100))
            strand = tree.strands[0]
            for beat in range(1, int(self.span)):
                at = plan.output_frame(strand.warp.second_of_beat(beat))
                heard = zero + plan.body_frames - at
                wanted = frame_of((k + 1) * self.span - beat, 44_100)
                self.assertLess(abs(heard - wanted), 10)  # a ramp is laid in straight pieces
        self.assertEqual(len(forwards), len(events))

    def test_in_another_key_and_in_a_print_it_is_the_same(self):
        self.do(ReverseClips(clips=(self.clip,)))
        self.do(SetKeyAt(bar=2, key="D minor"))
        plain = [replace(e, id="") for e in self.maker().laid[self.clip].events]
        self.assertTrue(plain)
        self.assertGreater(float(np.abs(self.heard()).max()), 0.01)
