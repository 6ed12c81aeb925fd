"""Grooves as MIDI files: what is written is what others read, and what is read again."""

import io
import random
import unittest

import mido
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from zeroknot.core.errors import FormatError, GrooveError
from zeroknot.core.formats.groove_midi import read_groove, write_groove
from zeroknot.core.groove.groove import GRIDS, Groove, Step, swing

TICK_SHARE = 1 / 960

accents = st.floats(-12, 11.8)
steps = st.lists(
    st.builds(Step, offset=st.floats(-0.38, 0.38), accent_db=accents), min_size=4, max_size=32
)


def notes_of(data):
    """(quarter, note, velocity) of every note on, as mido reads it."""
    file = mido.MidiFile(file=io.BytesIO(data))
    now, found = 0, []
    for event in mido.merge_tracks(file.tracks):
        now += event.time
        if event.type == "note_on" and event.velocity:
            found.append((now / file.ticks_per_beat, event.note, event.velocity))
    return found


class WriteTest(unittest.TestCase):
    def test_mido_reads_one_note_a_step_behind_an_empty_bar(self):
        row = (Step(-0.1), Step(0.2, 6.0), Step(hits=0), Step(0.0, -6.0))
        groove = Groove("Feel", 4, row, low=row, high=row)
        found = notes_of(write_groove(groove))
        self.assertEqual(len(found), 6)
        self.assertEqual({note for _, note, _ in found}, {36, 42})
        self.assertAlmostEqual(found[0][0], 4.0 - 0.025, delta=TICK_SHARE)
        # 40 dB a decade: 6 dB is a velocity times 10^(6/40).
        low = [velocity for _, note, velocity in found if note == 36]
        self.assertEqual(low, [64, round(64 * 10**0.15), round(64 * 10**-0.15)])

    def test_a_swing_is_written_and_read_to_the_tick(self):
        for per_beat in GRIDS:
            groove = swing(62.0, per_beat)
            made = read_groove(io.BytesIO(write_groove(groove)))
            with self.subTest(per_beat=per_beat):
                self.assertEqual((made.per_beat, made.registers), (per_beat, ()))
                self.assertEqual(made.name, "Swing 62 %")

    @settings(max_examples=50, deadline=None)
    @given(st.sampled_from([2, 3, 4, 5, 6]), steps, st.booleans())
    def test_what_is_written_is_read_again(self, per_beat, row, is_apart):
        row = tuple(row[: len(row) // per_beat * per_beat or None])
        count = -(-len(row) // per_beat) * per_beat
        row = (*row, *(Step() for _ in range(count - len(row))))
        rows = {"low": row, "high": row[::-1]} if is_apart else {}
        try:
            groove = Groove("Ünïcode ok", per_beat, row).with_rows(rows)
        except GrooveError:
            assume(False)
        made = read_groove(io.BytesIO(write_groove(groove)))
        self.assertEqual((made.per_beat, len(made.steps)), (per_beat, len(row)))
        self.assertEqual(made.registers, groove.registers)
        for register in groove.registers or (None,):
            for a, b in zip(groove.of(register), made.of(register), strict=True):
                self.assertAlmostEqual(a.offset, b.offset, delta=TICK_SHARE * per_beat)
                self.assertAlmostEqual(a.accent_db, b.accent_db, delta=0.5)


class ReadTest(unittest.TestCase):
    def written(self, notes, channel=9, tempo=None, tail=()):
        track = mido.MidiTrack()
        if tempo:
            track.append(mido.MetaMessage("set_tempo", tempo=tempo))
        now = 0
        events = [(round(q * 480), "note_on", n, v) for q, n, v in notes]
        events += [(at + 40, "note_off", n, 0) for at, _, n, _ in events]
        for at, kind, note, velocity in sorted(events):
            track.append(
                mido.Message(kind, note=note, velocity=velocity, channel=channel, time=at - now)
            )
            now = at
        track.extend(tail)
        out = io.BytesIO()
        mido.MidiFile(type=0, ticks_per_beat=480, tracks=[track]).save(file=out)
        return io.BytesIO(out.getvalue())

    def test_a_file_of_another_making_says_its_grid_by_its_notes(self):
        chance = random.Random(2)
        for tempo in (None, 400_000, 900_000):
            notes = [
                (i / 4 + (0.04 if i % 2 else 0.0), 42, 100 if i % 4 == 0 else 60)
                for i in range(32) if i % 8 == 0 or chance.random() < 0.8
            ]  # fmt: skip
            made = read_groove(self.written(notes, tempo=tempo), "Found")
            with self.subTest(tempo=tempo):
                self.assertEqual((made.per_beat, made.beats, made.name), (4, 8.0, "Found"))
                late = [s.offset for s in made.steps[1::2] if s.hits]
                self.assertAlmostEqual(sum(late) / len(late), 0.16, delta=0.01)
                loud = made.steps[0].accent_db - min(s.accent_db for s in made.steps if s.hits)
                self.assertAlmostEqual(loud, 40 * 0.22185, delta=0.1)  # log10(100 / 60)

    def test_what_holds_none_is_a_sentence(self):
        many = [(i * 4.0, 42, 80) for i in range(80)]
        change = (mido.MetaMessage("set_tempo", tempo=300_000),)
        for file in (
            self.written([]), io.BytesIO(b"no midi"), self.written(many),
            self.written([(0, 42, 80), (1, 42, 80)], tempo=500_000, tail=change),
        ):  # fmt: skip
            with self.assertRaises(FormatError):
                read_groove(file)


if __name__ == "__main__":
    unittest.main()
