"""What leaves beside a mix: notes of MIDI tracks, stems of phrases, stems before their effects."""

import io
import zipfile

import mido
import numpy as np
import soundfile

from tests.core.listening.test_midi_reading import midi
from tests.studio.test_midi_loops import LINE
from tests.studio.test_mixdown import MixesTest
from zeroknot.core.formats.midi_tempo import read_time
from zeroknot.document.desk import LinePoint
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.document.edits.desk import ChangeSound, SetLine
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.studio.intents.clips import ReverseClips, SplitClips
from zeroknot.studio.intents.cutting import CutUp
from zeroknot.studio.intents.ordering import DealOrder
from zeroknot.studio.intents.phrases import GroupClips
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetTempoPoint


class OutTest(MixesTest):
    def packed(self, **asked):
        _, file = self.mixed(**asked)
        with zipfile.ZipFile(file) as packed:
            return {name: packed.read(name) for name in packed.namelist()}

    def sounds(self, files):
        return {
            name: soundfile.read(io.BytesIO(data))[0]
            for name, data in files.items()
            if name.endswith(".wav")
        }


class NotesTest(OutTest):
    def setUp(self):
        super().setUp()
        item = self.bring(midi(LINE, 84).getvalue(), "line.mid")
        self.do(Place(hand=item.sha, beat=4.0))
        self.track = self.tree().tracks[-1].id
        self.clip = self.tree().clips_on(self.track)[0].id

    def notes(self):
        """(beat, beats, pitch) as another library reads them, by the file's own ticks."""
        data = self.packed(stems="tracks")["notes.mid"]
        file = mido.MidiFile(file=io.BytesIO(data))
        self.assertEqual(file.type, 1)
        self.assertEqual(len(file.tracks), 2)  # tempo and the one that has notes
        found, open_, tick = [], {}, 0
        for event in file.tracks[1]:
            tick += event.time
            if event.type == "note_on":
                open_[event.note] = tick
            elif event.type == "note_off":
                start = open_.pop(event.note)
                per = file.ticks_per_beat
                found.append((start / per, (tick - start) / per, event.note))
        self.assertEqual(open_, {})
        return sorted(found)

    def test_notes_lie_on_the_beats_of_the_song_over_a_ramp_too(self):
        wanted = [(4 + start, end - start, pitch) for start, end, pitch, _ in LINE]
        for ramp in (False, True):
            if ramp:
                self.do(SetTempoPoint(beat=0.0, bpm=90.0, shape="ramp"))
                self.do(SetTempoPoint(beat=16.0, bpm=130.0))
            found = self.notes()
            self.assertEqual([n[2] for n in found], [n[2] for n in wanted])
            for (at, long, _), (beat, beats, _) in zip(found, wanted, strict=True):
                self.assertAlmostEqual(at, beat, delta=0.004)
                self.assertAlmostEqual(long, beats, delta=0.01)

    def test_shifted_trimmed_backwards_and_in_a_new_order(self):
        self.do(ChangeClip(clip=self.clip, shift=3.0, length=2.5))
        found = self.notes()
        self.assertEqual([n[2] for n in found], [48, 60, 63])
        self.assertAlmostEqual(found[-1][0] + found[-1][1], 6.5, delta=0.01)  # cut where it ends
        self.do(ChangeClip(clip=self.clip, passes=1))
        self.do(ReverseClips(clips=(self.clip,)))
        backwards = self.notes()
        self.assertEqual([n[2] for n in backwards], [p + 3 for _, _, p, _ in LINE][::-1])
        self.assertAlmostEqual(backwards[0][0], 4 + 8 - 7.8, delta=0.01)
        self.do(ReverseClips(clips=(self.clip,)))
        strand = self.tree().clip(self.clip).strand
        self.do(CutUp(hand=strand, by="equal", count=8))
        self.do(DealOrder(hand=strand, seed=4))
        tiles = self.tree().strand(strand).order.tiles
        dealt = self.notes()
        for tile in tiles:
            if tile.hits == 1 and not tile.muted and not tile.reverse:
                wanted = LINE[tile.pieces[0]][2] + 3 + tile.semitones
                near = [n[2] for n in dealt if abs(n[0] - 4 - tile.beat) < 0.05]
                self.assertIn(wanted, near)

    def test_the_tempo_is_the_songs_and_a_song_of_recordings_has_no_notes(self):
        data = self.packed(stems="tracks")["notes.mid"]
        self.assertEqual(read_time(io.BytesIO(data)).points, self.tree().tempo)
        self.do(ChangeTrack(track=self.track, muted=True))
        self.assertNotIn("notes.mid", self.packed(stems="tracks"))


class StemsTest(OutTest):
    def test_phrases_and_what_is_left_add_up_to_the_mix(self):
        first, second = (self.tree().clips_on(t.id)[0].id for t in self.tree().tracks)
        self.do(SplitClips(clips=(first, second), beats=(4.0,)))
        later = tuple(c.id for c in self.tree().clips if c.beat == 4.0)
        self.do(GroupClips(clips=later, name="Answer"))
        self.do(ChangeSound(track=self.tree().tracks[0].id, values={"room_db": -12.0}))
        files = self.packed(stems="phrases")
        sounds = self.sounds(files)
        whole = sounds.pop("Slate.wav")
        self.assertEqual(
            sorted(sounds),
            ["01 Answer.wav", "02 drums_103.wav", "03 keys_88.wav", "Room.wav"],
        )
        self.assertEqual({s.shape for s in sounds.values()}, {whole.shape})
        self.assertLess(np.abs(sum(sounds.values()) - whole).max(), 3e-6)
        answer = sounds["01 Answer.wav"]
        self.assertLess(np.abs(answer[: round(3.9 * 26_460)]).max(), 1e-9)
        self.assertGreater(np.abs(answer[round(4.1 * 26_460) :]).max(), 0.01)

    def test_before_their_effects_they_are_at_their_levels_and_nothing_else(self):
        drums, keys = self.tree().tracks
        plain = self.sounds(self.packed(stems="tracks"))
        self.do(
            ChangeSound(
                track=drums.id, values={"low_cut_hz": 400.0, "drive_db": 12.0, "echo_db": -6.0}
            )
        )
        line = (LinePoint(beat=0.0, value=500.0),)
        self.do(SetLine(track=keys.id, name="high_cut_hz", points=line))
        found = self.sounds(self.packed(stems="tracks", bare=True))
        self.assertNotIn("Echo.wav", found)
        for name in ("01 drums_103.wav", "02 keys_88.wav"):
            size = min(len(found[name]), len(plain[name]))
            self.assertLess(np.abs(found[name][:size] - plain[name][:size]).max(), 1e-6)
