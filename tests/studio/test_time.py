"""Tempo that moves, metres that change, strands that keep their own time."""

import asyncio
import io

import numpy as np

from tests.sounds import audio, drum_loop
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, TimeError
from zeroknot.core.formats.midi_tempo import read_time, write_time
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.timeline.metre_map import Metre, MetreChange
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.studio.intents.knots import FollowTempo
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.readings import StateReading
from zeroknot.studio.intents.time import (
    RemoveMetre,
    RemoveTempoPoint,
    SetMetreAt,
    SetSteadyTempo,
    SetTempoPoint,
    TakeTime,
)


class TimeTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("a song")
        item = self.bring(wav_bytes(audio(0.5 * drum_loop(100, 2)), 16), "plates.wav")
        self.sha = item.sha
        self.submit(self.project, Place(hand=self.sha, beat=0, passes=4))
        self.submit(self.project, StateReading(hand=self.sha, bars=2))

    def tree(self):
        return self.studio.projects.state(self.project).project

    def events(self):
        return self.studio.sheet(self.tree()).events

    def test_tempo_points_are_added_changed_moved_and_removed(self):
        self.submit(self.project, SetTempoPoint(beat=8, bpm=120, shape="ramp"))
        self.submit(self.project, SetTempoPoint(beat=16, bpm=90))
        self.submit(self.project, SetTempoPoint(beat=20, bpm=92, was=16))
        points = (TempoPoint(0, 120), TempoPoint(8, 120, "ramp"), TempoPoint(20, 92))
        self.assertEqual(self.tree().tempo, points)
        # Passes lie on their beats by the map, to the frame.
        tempo, rate = self.tree().tempo_map, self.tree().rate
        bodies = [e.at - e.start + self.lead(e) for e in self.events()]
        self.assertEqual(bodies, [tempo.frame_of_beat(8 * k, rate) for k in range(4)])
        self.submit(self.project, RemoveTempoPoint(beat=8))
        self.assertEqual([p.beat for p in self.tree().tempo], [0, 20])
        for intent in (RemoveTempoPoint(beat=0), RemoveTempoPoint(beat=3),
                       SetTempoPoint(beat=4, bpm=100, was=0),
                       SetTempoPoint(beat=4, bpm=100, was=5)):  # fmt: skip
            with self.assertRaises(EditError):
                self.submit(self.project, intent)
        with self.assertRaises(TimeError):
            self.submit(self.project, SetTempoPoint(beat=4, bpm=1000))

    def lead(self, event):
        return self.studio.renders.plan(event.digest).lead_frames

    def test_metres_change_at_bars(self):
        self.submit(self.project, SetMetreAt(bar=3, metre="7/8"))
        self.submit(self.project, SetMetreAt(bar=5, metre="4/4"))
        self.assertEqual(self.tree().metre_map.beat_of_bar(5), 8 + 7)
        self.submit(self.project, RemoveMetre(bar=3))
        self.assertEqual(self.tree().metres, (MetreChange(1, Metre()), MetreChange(5, Metre())))
        with self.assertRaises(EditError):
            self.submit(self.project, RemoveMetre(bar=1))

    def test_a_tempo_map_goes_out_and_comes_in_as_one_step(self):
        self.submit(self.project, SetTempoPoint(beat=8, bpm=120, shape="ramp", bend=1.5))
        self.submit(self.project, SetTempoPoint(beat=24, bpm=150))
        self.submit(self.project, SetMetreAt(bar=4, metre="3/4"))
        before = self.tree()
        data = write_time(before.tempo_map, before.metre_map, before.end_beat)
        self.submit(self.project, SetSteadyTempo(bpm=100))
        time = read_time(io.BytesIO(data))
        state = self.submit(self.project, TakeTime(points=time.points, metres=time.metres))
        self.assertEqual(state.undo, "take tempo map")
        for beat in range(40):
            self.assertAlmostEqual(
                self.tree().tempo_map.second_of_beat(beat), before.tempo_map.second_of_beat(beat),
                delta=2e-4,
            )  # fmt: skip
        self.assertEqual(self.tree().metres, before.metres)

    def test_what_keeps_its_own_time_is_copied_pass_after_pass(self):
        self.submit(self.project, FollowTempo(hand=self.sha, follows=False))
        events = self.events()
        period = round(8 * 0.6 * 44_100)
        self.assertEqual([e.at - e.start + self.lead(e) for e in events],
                         [k * period for k in range(4)])  # fmt: skip
        self.assertEqual(len({e.digest for e in events}), 1)
        plan = self.studio.renders.plan(events[0].digest)
        self.assertEqual(plan.body_frames, period)
        self.assertTrue(plan.time_map.is_copy(44_100))
        # Its length in beats follows the tempo: 4 passes of 4.8 s at 120 BPM.
        clip = self.tree().clips[0]
        self.assertAlmostEqual(self.tree().clip_length(clip), 4 * 4.8 * 2, places=6)
        self.submit(self.project, SetSteadyTempo(bpm=60))
        self.assertAlmostEqual(self.tree().clip_length(clip), 4 * 4.8, places=6)
        # Through a ramp, too: no second more, no second less.
        self.submit(self.project, SetTempoPoint(beat=4, bpm=60, shape="ramp"))
        self.submit(self.project, SetTempoPoint(beat=12, bpm=140))
        tempo = self.tree().tempo_map
        end = tempo.second_of_beat(self.tree().clip_end(clip))
        self.assertAlmostEqual(end, 4 * 4.8, places=6)
        self.submit(self.project, FollowTempo(hand=self.sha, follows=True))
        self.assertEqual(self.tree().clip_length(clip), 32)

    def test_clips_behind_it_are_trimmed_where_it_grows_into_them(self):
        track = self.tree().tracks[0].id
        self.submit(self.project, SetSteadyTempo(bpm=100))
        self.submit(self.project, Place(hand=self.sha, beat=32, track=track))
        self.submit(self.project, FollowTempo(hand=self.sha, follows=False))
        self.assertEqual([c.is_whole for c in self.tree().clips], [True, True])
        self.submit(self.project, SetSteadyTempo(bpm=130))
        first, second = self.tree().clips_on(track)
        self.assertEqual((first.is_whole, self.tree().clip_end(first)), (False, second.beat))

    def test_the_render_is_the_recording(self):
        self.submit(self.project, FollowTempo(hand=self.sha, follows=False))
        event = self.events()[0]
        plan = self.studio.renders.plan(event.digest)
        path = self.studio.renders.block(event.digest, 0)
        block = np.frombuffer(path.read_bytes(), np.float32)
        source = np.frombuffer(
            asyncio.run(self.studio.renders.source_block(self.sha, 44_100, 0, 0)), np.float32
        )
        lead = plan.lead_frames
        np.testing.assert_array_equal(block[lead : lead + 20_000], source[:20_000])
