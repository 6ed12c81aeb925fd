import io
import time
import unittest

import mido
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from zeroknot.core.errors import FormatError
from zeroknot.core.formats.midi_tempo import read_time, write_time
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint

RAMP = TempoMap((
    TempoPoint(0, 80, "ramp"), TempoPoint(32, 158), TempoPoint(48, 120, "ramp", 3.0),
    TempoPoint(64, 60.5),
))  # fmt: skip
METRES = MetreMap((MetreChange(1, Metre(4, 4)), MetreChange(5, Metre(7, 8)),
                   MetreChange(9, Metre(6, 8))))  # fmt: skip


def beats_by_mido(data: bytes, beats: int) -> np.ndarray:
    """When each beat falls, as another reader of MIDI files adds it up."""
    midi = mido.MidiFile(file=io.BytesIO(data))
    events, tick, second, tempo = [(0, 0.0, 500_000)], 0, 0.0, 500_000
    for event in mido.merge_tracks(midi.tracks):
        second += mido.tick2second(event.time, midi.ticks_per_beat, tempo)
        tick += event.time
        if event.type == "set_tempo":
            tempo = event.tempo
            events.append((tick, second, tempo))
    out = []
    for beat in range(beats):
        at, start, micro = next(e for e in reversed(events) if e[0] <= beat * midi.ticks_per_beat)
        out.append(start + mido.tick2second(beat * midi.ticks_per_beat - at,
                                            midi.ticks_per_beat, micro))  # fmt: skip
    return np.asarray(out)


class MidiTempoTest(unittest.TestCase):
    """Source: Standard MIDI Files 1.0 (tempo in microseconds a quarter note), read back by mido."""

    def test_another_reader_finds_every_beat_of_ramps_within_a_tenth_of_a_millisecond(self):
        found = beats_by_mido(write_time(RAMP, METRES, 80), 80)
        wanted = np.asarray([RAMP.second_of_beat(b) for b in range(80)])
        self.assertLess(np.abs(found - wanted).max(), 1e-4)

    def test_round_trip_gives_the_ramps_back(self):
        time = read_time(io.BytesIO(write_time(RAMP, METRES, 80)))
        self.assertEqual(time.metres, METRES.changes)
        self.assertEqual([(p.beat, p.shape) for p in time.points],
                         [(p.beat, p.shape) for p in RAMP.points])  # fmt: skip
        for found, wanted in zip(time.points, RAMP.points, strict=True):
            self.assertAlmostEqual(found.bpm, wanted.bpm, delta=0.01)
            self.assertAlmostEqual(found.bend, wanted.bend, delta=0.05)

    @settings(max_examples=25, deadline=None)
    @given(
        st.lists(st.tuples(st.floats(20, 400), st.sampled_from(["step", "ramp"]),
                           st.floats(-4, 4)), min_size=1, max_size=4),
        st.integers(2, 12),
    )  # fmt: skip
    def test_whatever_goes_out_sounds_the_same_when_it_comes_in(self, points, apart):
        tempo = TempoMap(tuple(
            TempoPoint(float(i * apart), bpm, shape, bend)
            for i, (bpm, shape, bend) in enumerate(points)
        ))  # fmt: skip
        time = read_time(io.BytesIO(write_time(tempo, MetreMap(), 60)))
        again = TempoMap(time.points)
        for beat in np.arange(0, 60, 0.5):
            self.assertAlmostEqual(
                again.second_of_beat(beat), tempo.second_of_beat(beat), delta=0.001
            )

    def test_steps_of_another_program_stay_what_they_are(self):
        track = mido.MidiTrack([
            mido.MetaMessage("set_tempo", tempo=500_000, time=0),
            mido.MetaMessage("time_signature", numerator=3, denominator=4, time=0),
            mido.MetaMessage("set_tempo", tempo=600_000, time=480 * 3),
            mido.MetaMessage("time_signature", numerator=4, denominator=4, time=480),
        ])  # fmt: skip
        file = mido.MidiFile(type=1, ticks_per_beat=480)
        file.tracks.append(track)
        out = io.BytesIO()
        file.save(file=out)
        out.seek(0)
        time = read_time(out)
        self.assertEqual(time.points, (TempoPoint(0, 120), TempoPoint(3, 100)))
        # The second metre stands inside bar 2: it begins with bar 3, and that is said.
        self.assertEqual(time.metres, (MetreChange(1, Metre(3, 4)), MetreChange(3, Metre())))
        self.assertIn("inside a bar", time.notes[0])

    def test_refusals(self):
        plain = mido.MidiFile(type=1)
        plain.tracks.append(mido.MidiTrack([mido.Message("note_on", note=60, velocity=64)]))
        out = io.BytesIO()
        plain.save(file=out)
        slow = mido.MidiFile(type=1)
        slow.tracks.append(mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=6_000_000)]))
        crawling = io.BytesIO()
        slow.save(file=crawling)
        for data, words in {
            b"RIFF....": "not a MIDI file",
            b"MThd\0\0": "damaged or cut off",
            out.getvalue(): "neither a tempo nor a metre",
            crawling.getvalue(): "10 BPM is outside",
            b"MThd" + bytes(5_000_000): "over 4 MB",
        }.items():
            with self.subTest(words), self.assertRaisesRegex(FormatError, words):
                read_time(io.BytesIO(data))


class LongTest(unittest.TestCase):
    """A file whose tempo never stops moving and is no ramp is read in time, as it was written."""

    SECONDS = 5.0  # of computing, beyond which a reader hangs

    def test_steps_that_are_no_ramp_stay_steps(self):
        chance = np.random.default_rng(1)
        file = mido.MidiFile(type=0, ticks_per_beat=480)
        track = mido.MidiTrack()
        file.tracks.append(track)
        rising = 60.0 + np.cumsum(chance.uniform(0.001, 0.2, 3_000))
        for i, bpm in enumerate(rising):
            track.append(
                mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=120 * (i > 0))
            )
        out = io.BytesIO()
        file.save(file=out)
        began = time.process_time()
        found = read_time(io.BytesIO(out.getvalue()))
        self.assertLess(time.process_time() - began, self.SECONDS)
        self.assertGreater(len(found.points), 2_900)
        for i in (0, 1, 1_500, 2_999):
            bpm = TempoMap(found.points).bpm_at(i * 0.25)
            self.assertAlmostEqual(bpm, 60e6 / mido.bpm2tempo(rising[i]), places=6)
