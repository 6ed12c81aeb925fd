"""The voices that play MIDI loops: pitch, partials, level, velocity, release, sides."""

import io
import unittest

import numpy as np

from tests.core.listening.test_midi_reading import midi
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.core.render.plan import plan_as_written, plan_ratio
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.synth.choose import voice_by_pitch, voice_named, voice_said
from zeroknot.core.synth.kit import CHOKED, HITS, hit_seconds
from zeroknot.core.synth.sounding import PARTIALS_UNDER, _partials_kernel, lasts, sounded
from zeroknot.core.synth.voices import VOICES

RATE = 44_100
TONED = [key for key in VOICES if key != "drums"]


def spectrum_db(mono):
    """Level of each Hz-wide bin against the loudest; Blackman-Harris, side lobes under −92 dB."""
    from scipy.signal.windows import blackmanharris

    size = np.abs(np.fft.rfft(mono * blackmanharris(mono.size)))
    return 20 * np.log10(size / size.max() + 1e-12)


class VoicesTest(unittest.TestCase):
    def test_a_note_has_its_pitch(self):
        # MIDI note 69 is 440 Hz (ISO 16), 57 is 220 Hz.
        for voice in TONED:
            for pitch, hertz in ((69, 440.0), (57, 220.0), (45, 110.0)):
                with self.subTest(voice=voice, pitch=pitch):
                    mono = sounded(voice, pitch, 100, RATE, RATE)[:, :RATE].sum(axis=0)
                    level = spectrum_db(mono)
                    near = np.arange(int(hertz * 0.97), int(hertz * 1.03) + 1)
                    found = near[np.argmax(level[near])]
                    self.assertLess(abs(found - hertz), 1.5)
                    # Nothing sounds below it, except where a string's octave is next to it.
                    self.assertLess(level[20 : int(hertz * 0.8)].max(), -60)

    def test_nothing_folds_back(self):
        # A high, hard note of one second: every line of its spectrum is a whole multiple of it.
        for voice in TONED:
            with self.subTest(voice):
                pitch = 93.3  # no divisor of the rate near it
                hertz = 440 * 2 ** ((pitch - 69) / 12)
                sound = sounded(voice, pitch, 127, RATE, RATE)[0, 4410 : 4410 + 32_768]
                level = spectrum_db(sound)
                hz = np.arange(level.size) * RATE / 32_768
                # Copies are detuned by up to 8 cents: lines widen with their number.
                multiple = np.round(hz / hertz)
                off = np.abs(hz - multiple * hertz)
                between = (off > 12 + 0.006 * hz) & (hz > 100)
                self.assertLess(level[between].max(), -75)
                self.assertLess(level[hz > (PARTIALS_UNDER + 0.01) * RATE].max(), -75)

    def test_all_are_as_loud(self):
        # One second of a middle note at the usual velocity, by BS.1770.
        for voice in TONED:
            with self.subTest(voice):
                pitch = 48 if voice == "bass" else 60
                level = loudness(sounded(voice, pitch, 100, RATE, RATE)[:, :RATE], RATE)
                self.assertAlmostEqual(level, -20.0, delta=1.0)

    def test_velocity_sets_level_and_brightness(self):
        for voice in TONED:
            with self.subTest(voice):
                soft, hard = (sounded(voice, 60, v, RATE, RATE)[0] for v in (40, 120))
                # 40 dB a decade: 120 against 40 is 19.1 dB, a bit more for the brighter tone.
                change = 20 * np.log10(np.sqrt(np.mean(hard**2) / np.mean(soft**2)))
                self.assertAlmostEqual(change, 19.1, delta=1.5)
                edges = [np.sum(np.abs(np.diff(s))) / np.sum(np.abs(s)) for s in (soft, hard)]
                self.assertGreater(edges[1], edges[0])

    def test_letting_go_ends_it_without_a_click(self):
        for voice in TONED:
            with self.subTest(voice):
                held = RATE // 2
                sound = sounded(voice, 60, 100, held, RATE)
                ring = sound.shape[1] - held
                self.assertEqual(ring, int(VOICES[voice].ring_seconds * RATE))
                self.assertLess(np.abs(sound[:, -1]).max(), 1e-5)
                steps = np.abs(np.diff(sound, axis=1))
                self.assertLessEqual(steps[:, held:].max(), 1.01 * steps[:, 2000:held].max())

    def test_how_long_a_note_lasts_is_known_without_making_it(self):
        for voice, pitch, held in (("keys", 60.5, 1000), ("pad", 40, 1), ("drums", 36, 1),
                                   ("drums", 46, 3000), ("drums", 46, 90_000)):  # fmt: skip
            with self.subTest(voice=voice, held=held):
                sound = sounded(voice, pitch, 100, held, RATE)
                self.assertEqual(lasts(voice, pitch, held, RATE), sound.shape[1])

    def test_low_is_left_and_high_is_right(self):
        for pitch, louder in ((36, 0), (96, 1)):
            with self.subTest(pitch):
                power = np.square(sounded("plucked", pitch, 100, RATE, RATE)).sum(axis=1)
                self.assertGreater(power[louder], power[1 - louder])

    def test_the_kernel_and_its_python_agree(self):
        rng = np.random.default_rng(4)
        hz, amplitude, phase = rng.uniform(50, 9000, 5), rng.uniform(0, 1, 5), rng.uniform(0, 1, 5)
        fall = np.asarray([0.0, 1.0, 5.0, 20.0, 80.0])
        fast, slow = np.zeros(600), np.zeros(600)
        _partials_kernel(hz, amplitude, fall, phase, RATE, fast)
        _partials_kernel.py_func(hz, amplitude, fall, phase, RATE, slow)
        np.testing.assert_allclose(fast, slow, atol=1e-12)
        # And both are what they claim to be.
        t = np.arange(600)[:, None] / RATE
        told = amplitude * np.exp(-fall * t) * np.sin(2 * np.pi * (hz * t + phase))
        np.testing.assert_allclose(fast, told.sum(axis=1), atol=1e-4)


class KitTest(unittest.TestCase):
    def test_every_hit_is_heard_and_ends(self):
        for number in (*HITS, 20, 99):
            with self.subTest(number):
                sound = sounded("drums", number, 100, RATE, RATE)
                peak = np.abs(sound).max()
                self.assertTrue(0.1 < peak < 1.0, peak)
                self.assertLess(np.abs(sound[:, -1]).max(), 1e-3)
                self.assertLessEqual(sound.shape[1], hit_seconds(number) * RATE + 1)
                # The blow is at the beginning.
                loudest = np.argmax(np.abs(sound).max(axis=0))
                self.assertLess(loudest, 0.04 * RATE)

    def test_kick_is_low_and_hat_is_high(self):
        for number, low, high in ((36, 30, 120), (42, 5_000, 17_000), (38, 150, 10_000)):
            with self.subTest(number):
                power = np.abs(np.fft.rfft(sounded("drums", number, 100, RATE, RATE)[0], RATE)) ** 2
                self.assertGreater(power[low:high].sum() / power.sum(), 0.75)

    def test_a_closed_hat_chokes_the_open_one(self):
        self.assertLessEqual({42, 44, 46}, CHOKED)
        file = midi([(0, 0.2, 46, 9), (0.5, 0.7, 42, 9)], 120)  # 0 and 0.25 s
        loop = read_midi(file)
        plan = plan_as_written("", RATE, 2.0)
        choked = NotesRendering(loop, plan).whole()
        alone = NotesRendering(read_midi(midi([(0, 0.2, 46, 9)], 120)), plan).whole()
        at = RATE // 4
        np.testing.assert_array_equal(choked[:, : at - 300], alone[:, : at - 300])
        late = slice(at + 8_000, at + 16_000)  # the closed one lasts 0.16 s
        self.assertGreater(np.abs(alone[:, late]).max(), 0.003)
        self.assertEqual(np.abs(choked[:, late]).max(), 0.0)


class ChoosingTest(unittest.TestCase):
    def test_channel_program_name_pitch(self):
        # General MIDI: 0 piano, 24 guitar, 33 bass, 48 strings, 56 trumpet, 80 lead, 88 pad.
        for program, voice in (
            (4, "keys"), (24, "plucked"), (33, "bass"), (48, "pad"), (56, "lead"), (80, "lead"),
            (88, "pad"), (45, "plucked"), (12, "plucked"),
        ):  # fmt: skip
            with self.subTest(program=program):
                self.assertEqual(voice_said(program, False, ""), voice)
        self.assertEqual(voice_said(33, True, "Bass"), "drums")
        self.assertEqual(voice_said(None, False, "Sub Bass"), "bass")
        self.assertIsNone(voice_said(0, False, ""))
        for name, voice in (
            ("dusty_keys_92bpm", "keys"), ("DrumLoop", None), ("drum loop 3", "drums"),
            ("Warm-Pad", "pad"), ("tune", None), ("808 line", "bass"),
        ):  # fmt: skip
            with self.subTest(name=name):
                self.assertEqual(voice_named((name,)), voice)
        self.assertEqual(voice_by_pitch([36, 40, 43]), "bass")
        self.assertEqual(voice_by_pitch([60, 64]), "keys")


class NotesRenderingTest(unittest.TestCase):
    def setUp(self):
        # Four quarters at 100: one each 0.6 s, two seconds and four tenths in all.
        notes = [(i, i + 0.9, p, 0) for i, p in enumerate((60, 64, 67, 72))]
        self.loop = read_midi(midi(notes, 100))

    def plan(self, ratio=1.0, semitones=0.0, **settings):
        return plan_ratio(
            source="", rate=RATE, source_frames=round(2.4 * RATE), duration_ratio=ratio,
            method="notes", settings=StretchSettings(**settings), semitones=semitones,
        )  # fmt: skip

    def test_notes_lie_where_the_map_puts_them(self):
        for ratio in (0.5, 1.0, 1.7):
            with self.subTest(ratio):
                sound = NotesRendering(self.loop, self.plan(ratio, voice="plucked")).whole()[0]
                self.assertEqual(sound.size, round(ratio * round(2.4 * RATE)))
                for i in range(4):
                    at = round(ratio * 0.6 * i * RATE)
                    before = np.abs(sound[max(0, at - 200) : at]).max(initial=0)
                    after = np.abs(sound[at : at + 300]).max()
                    self.assertGreater(after, 3 * before)

    def test_shift_moves_notes_and_leaves_drums(self):
        shifted = NotesRendering(self.loop, self.plan(semitones=12)).whole()
        octave = [(i, i + 0.9, p + 12, 0) for i, p in enumerate((60, 64, 67, 72))]
        written = NotesRendering(read_midi(midi(octave, 100)), self.plan()).whole()
        np.testing.assert_array_equal(shifted, written)
        kit = read_midi(midi([(0, 1, 36, 9), (1, 2, 38, 9)], 100))
        np.testing.assert_array_equal(
            NotesRendering(kit, self.plan(semitones=5)).whole(),
            NotesRendering(kit, self.plan()).whole(),
        )

    def test_the_same_in_whatever_order_it_is_asked_for(self):
        rendering = NotesRendering(self.loop, self.plan(1.3))
        whole = rendering.whole()
        parts = [rendering.frames(a, 20_000) for a in (60_000, 0, 40_000, 20_000)]
        together = np.concatenate([parts[1], parts[3], parts[2], parts[0]], axis=1)
        np.testing.assert_array_equal(together, whole[:, :80_000])

    def test_the_pedal_holds_notes(self):
        import mido

        file, track = mido.MidiFile(ticks_per_beat=480), mido.MidiTrack()
        file.tracks.append(track)
        for kind, values, time in (
            ("control_change", {"control": 64, "value": 127}, 0),
            ("note_on", {"note": 60, "velocity": 90}, 0),
            ("note_off", {"note": 60}, 240),
            ("control_change", {"control": 64, "value": 0}, 720),
        ):
            track.append(mido.Message(kind, time=time, **values))
        out = io.BytesIO()
        file.save(file=out)
        out.seek(0)
        note = read_midi(out).notes[0]
        # Let go after half a quarter, held by the pedal to two quarters: one second at 120.
        self.assertEqual((note.start, note.end), (0.0, 1.0))
