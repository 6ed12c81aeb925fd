import io
import time
import unittest

import mido

from zeroknot.core.errors import FormatError
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.listening.midi_reading import hear_midi, midi_claims

# Standard MIDI Files 1.0, format 0, 96 ticks a quarter: 6/8, 500 000 µs a quarter, then C4 held a
# dotted quarter (144 ticks: 0x81 0x10, a two-byte variable length) twice.
SIX_EIGHT = bytes.fromhex(
    "4d546864 00000006 0000 0001 0060"  # MThd, 6 bytes, format 0, one track, 96 ticks
    "4d54726b 00000025"  # MTrk, 37 bytes
    "00 ff5804 06032408"  # time signature 6/2^3
    "00 ff5103 07a120"  # 500 000 µs a quarter: 120 BPM
    "00 903c40"  # C4 on
    "8110 803c40"  # after 144 ticks: off
    "00 903e40 8110 803e40"  # D4
    "00 ff2f00"  # end of track
)


def midi(notes, tempo=None, metre=None):
    file, track = mido.MidiFile(ticks_per_beat=480), mido.MidiTrack()
    file.tracks.append(track)
    if tempo:
        track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo)))
    if metre:
        track.append(mido.MetaMessage("time_signature", numerator=metre[0], denominator=metre[1]))
    events = sorted(
        e for start, end, pitch, channel in notes
        for e in ((start, 1, pitch, channel), (end, 0, pitch, channel))
    )  # fmt: skip
    last = 0
    for beat, is_on, pitch, channel in events:
        tick = round(beat * 480)
        track.append(
            mido.Message(
                "note_on", note=pitch, velocity=90 * is_on, time=tick - last, channel=channel
            )
        )
        last = tick
    out = io.BytesIO()
    file.save(file=out)
    out.seek(0)
    return out


def heard(file):
    loop = read_midi(file)
    return hear_midi(loop, midi_claims(loop, ()))


class MidiReadingTest(unittest.TestCase):
    def test_bytes_of_the_standard(self):
        self.assertEqual(len(SIX_EIGHT), 14 + 8 + 0x25)
        loop = read_midi(io.BytesIO(SIX_EIGHT))
        self.assertEqual(str(loop.metre), "6/8")
        self.assertEqual(loop.tempo_bpm, 120)
        # A dotted quarter at 120 quarters a minute lasts 0.75 s.
        self.assertEqual(
            [(n.start, n.end, n.pitch) for n in loop.notes], [(0, 0.75, 60), (0.75, 1.5, 62)]
        )
        claims = midi_claims(loop, ())
        hearing = hear_midi(loop, claims)
        # Pulses are dotted quarters: 80 a minute, two a bar.
        self.assertEqual(
            (hearing.best.tempo_bpm, hearing.best.beats_per_bar, hearing.best.bars), (80, 2, 1)
        )
        self.assertEqual(claims.tempo_bpm, 120)

    def test_what_is_no_loop_is_refused_and_many_events_are_read_in_time(self):
        def of_track(body):
            return io.BytesIO(
                b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk"
                + (len(body) + 4).to_bytes(4, "big") + body + b"\0\xff\x2f\0"
            )  # fmt: skip

        tempo, note = b"\x01\xff\x51\x03\x07\xa1\x20", b"\x00\x90\x40\x40\x01\x40\x00"
        began = time.process_time()
        self.assertEqual(len(read_midi(of_track(tempo * 30_000)).tempos), 30_001)
        self.assertLess(time.process_time() - began, 10)  # each compared with all took minutes
        with self.assertRaisesRegex(FormatError, "20001 notes"):
            read_midi(of_track(note * 20_001))
        self.assertEqual(len(read_midi(of_track(note * 20_000)).notes), 20_000)
        with self.assertRaisesRegex(FormatError, "512 kB"):
            read_midi(of_track(tempo * 80_000))

    def test_bars_are_those_the_notes_need(self):
        for name, last, bars in (
            ("exactly four beats", 4.0, 1), ("let go a little late", 4.2, 1),
            ("into the second bar", 5.0, 2), ("four bars, let go early", 15.4, 4),
        ):  # fmt: skip
            with self.subTest(name):
                hearing = heard(midi([(0, 1, 48, 0), (last - 0.5, last, 50, 0)], 92))
                self.assertEqual(hearing.best.bars, bars)
                self.assertAlmostEqual(hearing.best.tempo_bpm, 92, places=3)

    def test_an_idle_tempo_is_believed_less(self):
        notes = [(i, i + 1, 60 + i, 0) for i in range(4)]
        said = heard(midi(notes, 97)).best.confidence
        for name, tempo in (("none", None), ("idle 120", 120)):
            with self.subTest(name):
                self.assertLess(heard(midi(notes, tempo)).best.confidence, said)

    def test_drums_have_no_key_and_an_empty_file_is_said(self):
        hearing = heard(midi([(i, i + 0.2, 36, 9) for i in range(4)], 100))
        self.assertEqual((hearing.key.key, hearing.sound.kind), (None, "drums"))
        hearing = heard(midi([], 100))
        self.assertEqual(hearing.warnings, ("the file holds no notes",))

    def test_damaged_files_are_refused(self):
        for name, data in (("cut in its header", SIX_EIGHT[:9]), ("no track", SIX_EIGHT[:10])):
            with self.subTest(name), self.assertRaisesRegex(FormatError, "cannot be read"):
                read_midi(io.BytesIO(data))
