"""Orders, kits and cuts as files, read back by others.

MIDI by mido, cue points by wavinfo; SFZ by a reader of the tests' own, after the opcodes of the
format as it was published.
"""

import io
import re
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
import soundfile
from wavinfo import WavInfoReader

from tests.core.order.test_order import even
from tests.sounds import audio, sine
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.order_midi import read_order, write_order
from zeroknot.core.formats.riff import Cue, wav_bytes
from zeroknot.core.formats.sfz import write_sfz
from zeroknot.core.order.order import Order, Tile
from zeroknot.core.slicing.kit import cues_of, kit_files, sample_names
from zeroknot.core.slicing.piece import Piece


def regions(text):
    """<region> headers of an SFZ file with the opcodes that hold for each."""
    found, shared = [], {}
    for header, body in re.findall(r"<(\w+)>([^<]*)", text):
        opcodes = dict(re.findall(r"(\w+)=(.+?)(?=\s\w+=|\s*$)", body.strip()))
        if header == "global":
            shared = opcodes
        elif header == "region":
            found.append(shared | opcodes)
    return found


class MidiTest(unittest.TestCase):
    def notes(self, data):
        file = mido.MidiFile(file=io.BytesIO(data))
        self.assertEqual(file.ticks_per_beat, 960)
        at, found = 0, []
        for message in file.tracks[0]:
            at += message.time
            if message.type == "note_on":
                found.append((at, message.note, message.velocity))
        return found, at

    def test_one_note_a_slice_from_c_up_on_exact_ticks(self):
        order = Order.of(4.0, [Tile(0, 0.5, 3), Tile(1 / 3, 1 / 3, 0), Tile(2, 1, 2, gain_db=-12)])
        notes, end = self.notes(write_order(order, range(4), 96.0))
        self.assertEqual(notes, [(0, 39, 100), (320, 36, 100), (1920, 38, 50)])
        self.assertEqual(end, 4 * 960)

    def test_a_roll_is_as_many_notes_and_a_rest_is_none(self):
        order = Order.of(4.0, [Tile(0, 1, 0, hits=4, rise_db=12.0), Tile(2, 1, 1, muted=True)])
        notes, _ = self.notes(write_order(order, range(2), 96.0))
        self.assertEqual([n[0] for n in notes], [0, 240, 480, 720])
        velocities = [n[2] for n in notes]
        self.assertEqual(velocities, sorted(velocities))

    def test_what_is_written_is_read_back(self):
        order = Order.of(8.0, [*even([3, 1, 0, 2], 0.75).tiles, Tile(6, 2, 1, gain_db=-6.0)])
        again = read_order(io.BytesIO(write_order(order, range(4), 131.0)), range(4))
        self.assertEqual(again.beats, 8.0)
        for a, b in zip(order.tiles, again.tiles, strict=True):
            self.assertEqual(a.piece, b.piece)
            self.assertAlmostEqual(a.beat, b.beat, places=5)
            self.assertAlmostEqual(a.beats, b.beats, places=5)
            self.assertAlmostEqual(a.gain_db, b.gain_db, delta=0.2)  # a velocity is a whole number

    def test_notes_of_no_slice_are_left_out_and_none_at_all_is_said(self):
        data = write_order(even([0, 1, 5, 7]), range(8), 120.0)
        self.assertEqual([t.piece for t in read_order(io.BytesIO(data), range(4)).tiles], [0, 1])
        with self.assertRaisesRegex(FormatError, "none of its notes is from 36 to 37"):
            read_order(io.BytesIO(write_order(even([5, 6]), range(8), 120.0)), range(2))
        with self.assertRaisesRegex(FormatError, "128 notes"):
            write_order(even([0]), range(129), 120.0)
        # Of more than 92 the first lies as far below as they need.
        notes, _ = self.notes(write_order(even([0, 127]), range(128), 120.0))
        self.assertEqual([n[1] for n in notes], [0, 127])


class CuesTest(unittest.TestCase):
    def test_cuts_are_cue_points_with_labels(self):
        sound = audio(sine(300, 2.0))
        pieces = (Piece(), Piece(name="Rückschlag"), Piece())
        cues = cues_of((-0.1, 0.5, 1.25), pieces, sound)
        self.assertEqual(cues, [Cue(22050, "Rückschlag"), Cue(55125, "slice 3")])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.wav"
            path.write_bytes(wav_bytes(sound, 24, cues=cues))
            info = WavInfoReader(str(path), info_encoding="utf-8")
            points = [(cue.name, cue.sample_offset) for cue in info.cues.cues]
            labels = [info.cues.label_and_note(name)[0] for name, _ in points]
            self.assertEqual(soundfile.info(path).frames, sound.frames)
        self.assertEqual(points, [(1, 22050), (2, 55125)])
        self.assertEqual(labels[1], "slice 3")


class KitTest(unittest.TestCase):
    def setUp(self):
        self.pieces = (Piece(name="low one"), Piece(), Piece(name="a/b: c"))
        self.pads = ((0, 100), (164, 0), (164, 50))
        self.sound = np.arange(400, dtype=np.float32).reshape(2, 200) / 400

    def test_names_make_no_path_and_silence_has_none(self):
        self.assertEqual(
            sample_names(self.pieces, self.pads), ["1_low_one.wav", None, "3_a_b_c.wav"]
        )

    def test_every_region_names_a_file_that_is_there_and_holds_its_slice(self):
        files = dict(kit_files(self.sound, 44_100, self.pads, self.pieces, "kit"))
        found = regions(files["kit.sfz"].decode())
        self.assertEqual([r["key"] for r in found], ["36", "38"])
        self.assertEqual({r["loop_mode"] for r in found}, {"one_shot"})
        for region, (start, frames) in zip(found, (self.pads[0], self.pads[2]), strict=True):
            self.assertEqual(region["key"], region["pitch_keycenter"])
            samples, rate = soundfile.read(io.BytesIO(files[region["sample"]]), dtype="float32")
            self.assertEqual(rate, 44_100)
            np.testing.assert_array_equal(samples.T, self.sound[:, start : start + frames])

    def test_stopped_when_its_key_is_let_go_and_by_its_choke_group(self):
        pieces = [Piece(held=True), Piece(choke=2), Piece()]
        held, choked, plain = regions(write_sfz(["a.wav", "b.wav", "c.wav"], pieces))
        self.assertEqual((held["loop_mode"], plain["loop_mode"]), ("no_loop", "one_shot"))
        self.assertEqual((choked["group"], choked["off_by"]), ("2", "2"))
        self.assertNotIn("group", plain)
