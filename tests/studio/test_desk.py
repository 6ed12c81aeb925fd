"""The desk of a project: edits of it, lines along the song, and what leaves through it."""

import hashlib
import io
import json
import zipfile

import numpy as np
import soundfile

from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, NotFoundError
from zeroknot.core.formats.midi_tempo import read_time
from zeroknot.core.formats.mix_file import MixHow
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.desk.strip import value_at
from zeroknot.core.recipe.run import run_of
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.document.desk import Echo, LinePoint, Room
from zeroknot.document.edits.desk import ChangeSound, SetCeiling, SetEcho, SetLine, SetRoom
from zeroknot.document.edits.project import SetMaster
from zeroknot.document.edits.track import ChangeTrack, MoveTrack, RemoveTrack
from zeroknot.document.stored import tree_text, tree_value
from zeroknot.studio.desk import desk_of_project
from zeroknot.studio.intents.bars import DoBars
from zeroknot.studio.intents.cutting import ChangePieces, CutUp
from zeroknot.studio.intents.lines import WriteLine
from zeroknot.studio.intents.low_end import MakeRoom
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo, SetTempoPoint
from zeroknot.studio.mixdown import AskedMix
from zeroknot.studio.prints import RangeHow
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange, desk_plan
from zeroknot.studio.tasks.rendering import rendering_of

FLOAT = MixHow("wav32", ceiling_db=None)


class WithDesk(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("Slate")
        self.do(SetSteadyTempo(bpm=100))
        for name in ("drums_103", "keys_88"):
            item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
            self.do(Place(hand=item.sha, beat=0, passes=2))
        self.one, self.two = (t.id for t in self.tree().tracks)

    def do(self, intent):
        return self.submit(self.project, intent)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def desk(self):
        return desk_of_project(self.tree())

    def sounds(self, track, **values):
        self.do(ChangeSound(track=track, values=values))

    def line(self, track, name, *points):
        told = tuple(LinePoint(beat=b, value=v) for b, v in points)
        return self.do(SetLine(track=track, name=name, points=told))

    def heard(self, start=0.0, end=16.0, tracks=None):
        """A stretch as it is mixed down, without what rings past its end: float32 [2, n]."""
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        plan = desk_plan(tree, maker, *SongRange(start, end).frames(tree), tracks)
        again = plan_of_text(plan.text)
        self.assertEqual(again, plan)
        sound = rendering_of(self.studio.store.folder, again).whole()
        return sound[:, plan.lead_frames : plan.lead_frames + plan.body_frames]


class DeskTest(WithDesk):
    # ---- edits

    def test_what_is_asked_is_kept_undone_and_refused_with_its_range(self):
        before = self.tree()
        self.sounds(self.one, low_cut_hz=120, low_cut_slope=24)
        self.assertEqual(self.tree().track(self.one).sound.low_cut_slope, 24)
        for values, words in (
            ({"ratio": 99}, "ratio is from 1 to 20"), ({"wow": 1}, "no 'wow'"),
            ({"low_cut_slope": 13}, "12 or by 24"),
        ):  # fmt: skip
            with self.assertRaisesRegex(EditError, words):
                self.sounds(self.one, **values)
        with self.assertRaisesRegex(EditError, "another track"):
            self.do(ChangeSound(track=self.one, listens_to=self.one))
        with self.assertRaises(NotFoundError):
            self.do(ChangeSound(track=self.one, listens_to="nobody"))
        with self.assertRaisesRegex(EditError, "sent nowhere"):
            self.sounds("master", room_db=-6)
        with self.assertRaisesRegex(EditError, "from -60 to 12"):
            self.line(self.one, "level_db", (0, 40))
        with self.assertRaisesRegex(EditError, "does not move"):
            self.line(self.one, "level_db")
        self.studio.projects.undo(self.project)
        self.assertEqual(self.tree(), before)

    def test_all_of_it_is_stored_and_read_again(self):
        self.sounds(self.one, low_cut_hz=120, pan=-0.2)
        self.do(ChangeSound(track=self.two, listens_to=self.one, values={"ratio": 3}))
        self.do(SetRoom(room=Room(size="large", level_db=-3)))
        self.do(SetEcho(echo=Echo(beats=1.5)))
        self.do(SetCeiling(ceiling_db=-1.0))
        self.line("master", "level_db", (0, -3), (8, 0))
        tree = self.tree()
        self.assertEqual(tree_value(tree_text(tree)), tree)
        self.do(RemoveTrack(track=self.one))
        self.assertIsNone(self.tree().track(self.two).sound.listens_to)

    def test_a_track_is_moved_and_sounds_as_it_did(self):
        before = self.heard()
        self.do(MoveTrack(track=self.two, to=0))
        self.assertEqual([t.id for t in self.tree().tracks], [self.two, self.one])
        np.testing.assert_allclose(self.heard(), before, atol=1e-7)
        self.studio.projects.undo(self.project)
        self.assertEqual([t.id for t in self.tree().tracks], [self.one, self.two])

    # ---- on song frames

    def test_lines_lie_on_the_frames_of_their_beats_over_a_ramp_too(self):
        self.do(SetTempoPoint(beat=4, bpm=100, shape="ramp"))
        self.do(SetTempoPoint(beat=12, bpm=140))
        self.line(self.one, "level_db", (2, -20), (14, -2))
        self.line(self.one, "low_cut_hz", (0, 50), (8, 800))
        lanes = dict(self.desk().strips[0].lanes)
        frame = self.tree().tempo_map.frame_of_beat
        for beat in (2, 5, 8.3, 11, 14):
            wanted = -20 + 18 * (beat - 2) / 12
            found = value_at(lanes["level_db"], frame(beat, 44_100))
            self.assertAlmostEqual(found, wanted, delta=0.03)
        self.assertAlmostEqual(2 ** value_at(lanes["low_cut_hz"], frame(4, 44_100)), 200, delta=2)

    def test_solo_silences_the_others_whatever_their_lines_say(self):
        self.line(self.two, "muted", (0, 0), (4, 1))
        self.do(ChangeTrack(track=self.one, solo=True))
        self.assertTrue(self.desk().strips[1].is_silent)
        self.assertFalse(self.desk().strips[0].is_silent)

    def test_bars_put_in_move_what_was_drawn_for_them(self):
        self.line(self.one, "level_db", (0, 0), (4, 0), (5, -12))
        self.do(DoBars(what="insert", bar=2, count=1))
        points = self.tree().track(self.one).lines[0].points
        self.assertEqual([(p.beat, p.value) for p in points][-2:], [(8.0, 0.0), (9.0, -12.0)])

    # ---- written while it plays

    def test_what_is_written_takes_the_place_of_what_lay_there(self):
        self.line(self.one, "level_db", (0, -6), (16, -6))
        beats = np.linspace(4, 8, 300)
        points = tuple((float(b), float(-6 - 10 * np.sin(b))) for b in beats)
        self.do(WriteLine(track=self.one, name="level_db", points=points))
        lane = dict(self.desk().strips[0].lanes)["level_db"]
        frame = self.tree().tempo_map.frame_of_beat
        for beat, value in points[2:-2]:
            self.assertAlmostEqual(value_at(lane, frame(beat, 44_100)), value, delta=0.1)
        for beat in (0, 2, 3.9, 8.1, 12):
            self.assertAlmostEqual(value_at(lane, frame(beat, 44_100)), -6, delta=0.01)
        self.assertLess(len(self.tree().track(self.one).lines[0].points), 60)
        self.studio.projects.undo(self.project)
        self.assertEqual(len(self.tree().track(self.one).lines[0].points), 2)

    def test_written_where_there_was_no_line_it_goes_back_to_what_holds(self):
        self.do(WriteLine(track=self.one, name="pan", points=((4, 0.5), (6, 1.0), (3, -1.0))))
        lane = dict(self.desk().strips[0].lanes)["pan"]
        frame = self.tree().tempo_map.frame_of_beat
        for beat in (2, 6.1, 12):
            self.assertEqual(value_at(lane, frame(beat, 44_100)), 0)
        self.assertAlmostEqual(value_at(lane, frame(5, 44_100)), 0.75, delta=0.01)

    # ---- as files

    def test_a_low_cut_takes_the_low_end_and_leaves_the_rest(self):
        def bands(sound):
            power = np.square(np.abs(np.fft.rfft(sound[0])))
            hertz = np.fft.rfftfreq(sound.shape[1], 1 / 44_100)
            return [10 * np.log10(power[(hertz > a) & (hertz < b)].sum())
                    for a, b in ((30, 90), (2000, 8000))]  # fmt: skip

        low, high = bands(self.heard())
        for track in (self.one, self.two):
            self.sounds(track, low_cut_hz=400, low_cut_slope=24)
        cut_low, cut_high = bands(self.heard())
        self.assertLess(cut_low, low - 40)
        self.assertAlmostEqual(cut_high, high, delta=0.1)

    def test_a_stretch_sounds_as_it_does_in_the_song(self):
        self.sounds(self.one, room_db=-3, threshold_db=-30, ratio=4)
        self.sounds(self.two, echo_db=-3, low_cut_hz=200, pan=0.3)
        self.line(self.two, "level_db", (0, -12), (16, 0))
        whole = self.heard()
        start = SongRange(8, 12).frames(self.tree())[0]
        part = self.heard(8, 12)
        edge = round(0.004 * 44_100)
        off = np.abs(part[:, edge:] - whole[:, start + edge : start + part.shape[1]])
        # What began before and goes on is cut and faded over the last milliseconds.
        self.assertLess(off[:, : -2 * edge].max(), 10 ** (-90 / 20))

    def test_stems_add_up_to_the_mix_and_are_as_long(self):
        self.sounds(self.one, room_db=-6, echo_db=-9, drive_db=6)
        self.do(ChangeSound(track=self.two, listens_to=self.one, values={"ratio": 4.0}))
        self.do(SetMaster(level_db=-4))
        begun = self.studio.mixdowns.begin(self.tree(), AskedMix(SongRange(0, 16), FLOAT, "tracks"))
        job = self.studio.jobs.waited(begun.id, 60)
        with zipfile.ZipFile(self.studio.mixdowns.file(job.id)) as archive:
            named = {name: soundfile.read(archive.open(name), dtype="float32")[0]
                     for name in archive.namelist() if name.endswith(".wav")}  # fmt: skip
            tempo = read_time(io.BytesIO(archive.read("tempo.mid")))
        self.assertEqual([round(p.bpm, 3) for p in tempo.points], [100])
        mix = named.pop("Slate.wav")
        self.assertEqual(sorted(named)[-2:], ["Echo.wav", "Room.wav"])
        self.assertEqual({len(s) for s in named.values()}, {len(mix)})
        off = np.abs(sum(named.values()) - mix).max()
        self.assertLess(20 * np.log10(off / np.abs(mix).max()), -110)
        # What rings past the end of the last clip is in it.
        rings = np.abs(mix[self.tree().tempo_map.frame_of_beat(16.5, 44_100) :]).max()
        self.assertGreater(rings, 1e-4)

    def test_a_ceiling_holds_and_makes_nothing_late(self):
        plain = self.heard()
        self.do(SetCeiling(ceiling_db=0.0))
        np.testing.assert_allclose(self.heard(), plain, atol=1e-6)
        self.do(SetMaster(level_db=12))
        self.assertLessEqual(np.abs(self.heard()).max(), 1.0)


class LowEndTest(WithDesk):
    def setUp(self):
        super().setUp()
        item = self.bring(wav_bytes(rendered("bass_97"), 16), "bass_97.wav")
        self.do(Place(hand=item.sha, beat=4, passes=2))
        self.bass = self.tree().tracks[-1].id

    def measured(self):
        begun = self.studio.low_ends.begin(self.tree())
        job = self.studio.jobs.waited(begun.id, 60)
        self.assertEqual((job.state, job.error), ("done", ""))
        return job.result

    def test_the_fight_is_found_where_both_play_and_mended_by_one_gesture(self):
        before = self.measured()
        fights = [f for f in before["fights"] if self.bass in f["tracks"]]
        self.assertTrue(fights)
        fight = fights[0]
        self.assertGreaterEqual(fight["bars"][0][0], 2)  # the bass begins there
        self.assertIn("fight below 150 Hz in bar", fight["said"])
        other = next(t for t in fight["tracks"] if t != self.bass)
        plain = self.heard(0, 4, (other,))
        self.do(MakeRoom(track=other, bars=tuple(map(tuple, fight["bars"]))))
        self.assertEqual(self.tree().track(other).sound.low_cut_slope, 24)
        after = self.measured()
        pair = {frozenset(f["tracks"]) for f in after["fights"]}
        self.assertNotIn(frozenset(fight["tracks"]), pair)
        # Where the other is silent it is as it was, a cut at 10 Hz aside.
        still = self.heard(0, 3.5, (other,))
        was, now = (np.std(s[:, : still.shape[1] - 2000]) for s in (plain, still))
        self.assertAlmostEqual(now / was, 1.0, delta=0.03)
        self.studio.projects.undo(self.project)
        self.assertEqual(self.tree().track(other).lines, ())
        self.assertEqual(self.tree().track(other).sound.low_cut_slope, 12)

    def test_made_again_and_over_a_line_that_is_there(self):
        self.line(self.one, "low_cut_hz", (0, 40), (16, 400))
        self.do(MakeRoom(track=self.one, bars=((2, 2), (4, 4))))
        frame = self.tree().tempo_map.frame_of_beat
        lane = dict(self.desk().strips[0].lanes)["low_cut_hz"]
        at = {beat: 2 ** value_at(lane, frame(beat, 44_100)) for beat in (2, 4, 7.9, 10, 12, 15)}
        self.assertAlmostEqual(at[2], 40 * 10 ** (2 / 16), delta=0.5)
        self.assertAlmostEqual(at[4], 150, delta=0.5)
        self.assertAlmostEqual(at[10], 40 * 10 ** (10 / 16), delta=1)
        self.assertAlmostEqual(at[15], 40 * 10 ** (15 / 16), delta=2)
        with self.assertRaisesRegex(EditError, "no bars 3 to 2"):
            self.do(MakeRoom(track=self.one, bars=((3, 2),)))

    def test_what_is_ducked_by_another_is_measured_ducked(self):
        def level():
            told = next(t for t in self.measured()["tracks"] if t["id"] == self.bass)
            return max(told["levels"])

        own = level()
        values = {"threshold_db": -60.0, "ratio": 20.0, "release_ms": 2000.0}
        self.do(ChangeSound(track=self.bass, listens_to=self.one, values=values))
        self.assertLess(level(), own - 12)
        self.do(ChangeTrack(track=self.one, muted=True))
        self.assertLess(level(), own - 12)  # muted it is gone by, and does not fight itself
        ids = {id_ for fight in self.measured()["fights"] for id_ in fight["tracks"]}
        self.assertNotIn(self.one, ids)

    def test_what_slices_send_is_no_track_of_its_own(self):
        strand = self.tree().strands[0].id
        self.do(CutUp(hand=strand, by="equal", count=4))
        self.do(ChangePieces(hand=strand, which=(0,), room_db=0.0, echo_db=0.0))
        told = self.measured()
        self.assertEqual([t["id"] for t in told["tracks"]], [t.id for t in self.tree().tracks])

    def test_one_track_alone_fights_with_nobody(self):
        for track in self.tree().tracks[1:]:
            self.do(RemoveTrack(track=track.id))
        with self.assertRaisesRegex(EditError, "takes two tracks"):
            self.studio.low_ends.begin(self.tree())


class ThroughTest(WithDesk):
    def test_a_stretch_is_printed_as_its_tracks_sound_and_made_again(self):
        self.sounds(self.one, low_cut_hz=300, room_db=-6)
        self.line(self.one, "level_db", (0, -20), (8, -2))
        self.do(ChangeSound(track=self.two, listens_to=self.one, values={"ratio": 4.0}))
        print_range = self.studio.prints.print_range
        where = SongRange(0, 8)
        plain = print_range(self.tree(), where, RangeHow("cut")).loop
        through = print_range(self.tree(), where, RangeHow("cut", through=True)).loop
        self.assertNotEqual(plain.sha, through.sha)
        self.assertIn("as its tracks sound", through.recipe.made_by["said"])
        self.do(SetMaster(level_db=0))
        wanted = self.heard(0, 8)
        made = self.studio.store.path(through.sha)
        sound = soundfile.read(made, dtype="float32")[0].T
        edge = wanted.shape[1] - 2000  # where what goes on is cut off
        np.testing.assert_allclose(sound[:, :edge], wanted[:, :edge], atol=1e-6)
        # What it was changed by afterwards has no say in what its recipe makes.
        self.sounds(self.one, low_cut_hz=10)
        again = run_of(json.loads(json.dumps(through.recipe.run.told())))
        axis = rendering_of(self.studio.store.folder, again.plan).whole()
        self.assertEqual(hashlib.sha256(again.file(axis)).hexdigest(), through.sha)
        # What rings past its end is added to its start, where that is asked for.
        wrapped = print_range(self.tree(), where, RangeHow("wrap", through=True)).loop
        self.assertEqual(wrapped.frames, through.frames)
