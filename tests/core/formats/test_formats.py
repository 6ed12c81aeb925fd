import io
import struct
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
import wavinfo
from tinytag import TinyTag

from tests.sounds import RATE, audio, sine
from zeroknot.core.errors import AudioError, FormatError, ZeroKnotError
from zeroknot.core.formats.audio_file import read_audio
from zeroknot.core.formats.claims import claims_in_name, read_claims, without_tempo
from zeroknot.core.formats.loop_file import read_loop_file
from zeroknot.core.formats.riff import LoopMark, WavTags, read_marks, wav_bytes
from zeroknot.core.formats.sniff import sniff


def written(kind, subtype, samples, rate=RATE):
    file = io.BytesIO()
    soundfile.write(file, samples, rate, format=kind, subtype=subtype)
    file.seek(0)
    return file


class Counted(io.BytesIO):
    """Counts how often it is read."""

    reads = 0

    def read(self, size=-1):
        self.reads += 1
        return super().read(size)


class ReadingFilesTest(unittest.TestCase):
    def test_every_kind_depth_and_rate(self):
        tone = sine(330, 0.5)
        for kind, subtype, tolerance in (
            ("WAV", "PCM_U8", 0.01), ("WAV", "PCM_16", 1e-4), ("WAV", "PCM_24", 1e-6),
            ("WAV", "PCM_32", 1e-6), ("WAV", "FLOAT", 1e-7), ("WAV", "DOUBLE", 1e-7),
            ("WAVEX", "PCM_24", 1e-6), ("AIFF", "PCM_16", 1e-4), ("AIFF", "PCM_24", 1e-6),
            ("FLAC", "PCM_16", 1e-4), ("FLAC", "PCM_24", 1e-6),
        ):  # fmt: skip
            for rate in (8_000, 44_100, 192_000):
                for channels in (1, 2):
                    samples = np.repeat(sine(330, 0.1, rate=rate)[:, None], channels, 1)
                    with self.subTest(kind=kind, subtype=subtype, rate=rate, channels=channels):
                        found, sound = read_audio(written(kind, subtype, samples, rate))
                        self.assertEqual(found, kind[:4].lower().replace("wave", "wav"))
                        self.assertEqual((sound.rate, sound.channels), (rate, channels))
                        np.testing.assert_allclose(sound.samples.T, samples, atol=tolerance)
        _, sound = read_audio(written("OGG", "VORBIS", tone))
        self.assertEqual(sound.frames, tone.size)

    def test_encoder_delay_of_an_mp3_is_taken_off(self):
        # A click 0.3 s in: with LAME's delay left in, it would come about 25 ms late.
        samples = np.zeros(RATE)
        samples[round(0.3 * RATE) : round(0.3 * RATE) + 200] = 0.8
        kind, sound = read_audio(written("MP3", "MPEG_LAYER_III", samples))
        self.assertEqual(kind, "mp3")
        first = np.argmax(np.abs(sound.samples[0]) > 0.4) / RATE
        self.assertAlmostEqual(first, 0.3, delta=0.001)
        self.assertEqual(sound.frames, RATE)

    def test_a_recording_that_was_never_ended_is_read_to_its_end(self):
        # A recorder writes both lengths when it ends; until then they are nothing (common practice,
        # no source).
        tone = sine(330, 0.5)
        whole = written("WAV", "PCM_24", tone).getvalue()
        at = whole.index(b"data") + 4
        for length in (0, at - 8):
            never = whole[:4] + struct.pack("<I", length) + whole[8:at] + bytes(4) + whole[at + 4 :]
            _, sound = read_audio(io.BytesIO(never))
            np.testing.assert_allclose(sound.samples[0], tone, atol=1e-6)
        # Silence is no row of empty chunks: what looks for tags and marks goes past it at once.
        silent = written("WAV", "PCM_16", np.zeros(2 * 10**6)).getvalue()
        looked = Counted(silent[:4] + bytes(4) + silent[8:40] + bytes(4) + silent[44:])
        self.assertEqual(read_loop_file(looked, ("silence",)).sound.frames, 2 * 10**6)
        self.assertLess(looked.reads, 2_000)
        # What says of the whole file how long it is holds no samples, whatever follows.
        other = whole[:at] + bytes(4) + whole[at + 4 :]
        with self.assertRaisesRegex(FormatError, "holds no samples"):
            read_audio(io.BytesIO(other))

    def test_refusals_say_why(self):
        good = written("WAV", "PCM_16", sine(330, 0.1)).getvalue()
        three = written("WAV", "PCM_16", np.zeros((100, 3))).getvalue()
        nan = written("WAV", "FLOAT", np.array([0.0, np.nan])).getvalue()
        # A header that announces 31 minutes of 8-bit mono at 8 kHz over no data worth the name.
        size = 31 * 60 * 8000
        head = b"RIFF" + struct.pack("<I", size + 36) + b"WAVEfmt " + struct.pack(
            "<IHHIIHH", 16, 1, 1, 8000, 8000, 1, 8) + b"data" + struct.pack("<I", size)  # fmt: skip
        for name, data, words in (
            ("empty", b"", "empty"),
            ("text", b"just some words, no sound", "neither an audio file"),
            ("midi", b"MThd\0\0\0\6\0\0\0\1\0\x60", "MIDI"),
            ("truncated header", good[:20], "cut off"),
            ("flac cut in its header", b"fLaC\0\0\0\x22\x10", "cut off"),
            ("no samples", good[:44], "no samples"),
            ("three channels", three, "3 channels"),
            ("not a number", nan, "not a finite number"),
            ("too long", head + b"\x80" * size, "31.0 minutes"),
            ("too slow", written("WAV", "PCM_16", np.zeros(9), 4_000).getvalue(), "4000 Hz"),
        ):
            with self.subTest(name), self.assertRaisesRegex(ZeroKnotError, words):
                read_audio(io.BytesIO(data))

    def test_a_file_over_3_gb_is_refused_before_it_is_read(self):
        with tempfile.TemporaryFile() as file:
            file.write(written("WAV", "PCM_16", np.zeros(9)).getvalue())
            file.truncate(3 * 10**9 + 1)
            with self.assertRaisesRegex(FormatError, "up to 3 GB"):
                read_audio(file)

    def test_a_file_cut_off_in_its_samples_is_read_with_a_warning(self):
        good = written("WAV", "PCM_16", sine(330, 0.5)).getvalue()
        for name, data, frames, warnings in (
            ("whole", good, 22_050, 0),
            ("cut", good[: 44 + 2 * 9_000], 9_000, 1),
            ("length never written", good[:40] + b"\xff" * 4 + good[44:], 22_050, 0),
        ):
            with self.subTest(name):
                read = read_loop_file(io.BytesIO(data), ("a",))
                self.assertEqual((read.sound.frames, len(read.warnings)), (frames, warnings))

    def test_sniffing_winds_back(self):
        file = written("FLAC", "PCM_16", np.zeros(9))
        self.assertEqual(sniff(file), "flac")
        self.assertEqual(file.tell(), 0)


class WritingWavTest(unittest.TestCase):
    sound = audio(np.stack([sine(330, 0.2), -sine(220, 0.2)]))

    def test_read_back_by_libsndfile(self):
        for bits, subtype, tolerance in (
            (16, "PCM_16", 2e-5),
            (24, "PCM_24", 1e-7),
            (32, "FLOAT", 0),
        ):
            with self.subTest(bits):
                data = wav_bytes(self.sound, bits, LoopMark(0, 8820), WavTags(title="t"))
                with soundfile.SoundFile(io.BytesIO(data)) as opened:
                    self.assertEqual(opened.subtype, subtype)
                    samples = opened.read(dtype="float32")
                np.testing.assert_allclose(samples.T, self.sound.samples, atol=tolerance)

    def test_chunks_read_back_by_other_readers(self):
        tags = WavTags(title="Ärger & <b>", tempo_bpm=96.4, key="Dm")
        data = wav_bytes(self.sound, 24, LoopMark(100, 8000), tags)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "a.wav")
            path.write_bytes(data)
            info = wavinfo.WavInfoReader(str(path))
            self.assertEqual((info.fmt.sample_rate, info.fmt.bits_per_sample), (RATE, 24))
            loop = info.smpl.sample_loops[0]
            # 1994 supplement: the end of a loop is the last sample that is played.
            self.assertEqual((loop.start, loop.end), (100, 7999))
            tag = TinyTag.get(path)
        self.assertEqual(tag.title, "Ärger & <b>")
        self.assertEqual(tag.other["bpm"], ["96"])
        self.assertEqual(tag.other["initial_key"], ["Dm"])
        self.assertEqual(read_marks(io.BytesIO(data)).loops, (LoopMark(100, 8000),))

    def test_riff_sizes(self):
        data = wav_bytes(audio(np.zeros((1, 3))), 24)
        # 9 bytes of data are padded to 10: RIFF counts the padding, the chunk does not.
        self.assertEqual(struct.unpack_from("<I", data, 4)[0], len(data) - 8)
        self.assertEqual(struct.unpack_from("<I", data, data.index(b"data") + 4)[0], 9)

    def test_clipping_is_refused_not_done(self):
        loud = audio(np.array([0.0, 1.2]))
        with self.assertRaisesRegex(FormatError, "louder than 0 dBFS"):
            wav_bytes(loud, 24)
        self.assertEqual(soundfile.read(io.BytesIO(wav_bytes(loud, 32)))[0].max(), np.float32(1.2))

    def test_damaged_marks_claim_nothing(self):
        for name, data in (
            ("cut", wav_bytes(self.sound, 16, LoopMark(0, 99))[:-10]),
            ("no loops", wav_bytes(self.sound, 16)),
            ("ends before it starts", wav_bytes(self.sound, 16, LoopMark(50, 20))),
        ):
            with self.subTest(name):
                self.assertEqual(read_marks(io.BytesIO(data)).loops, ())


class ClaimsTest(unittest.TestCase):
    def test_a_tempo_is_taken_out_of_a_name(self):
        for name, expected in (
            ("dusty_92bpm_Am", "dusty_Am"),
            ("Break 92.5 BPM", "Break"),
            ("120bpm loop", "loop"),
            ("no tempo at all", "no tempo at all"),
            ("128bpm", "128bpm"),  # nothing else would be left
        ):
            with self.subTest(name):
                self.assertEqual(without_tempo(name), expected)

    def test_names(self):
        # Common practice, no source.
        for name, expected in (
            ("dusty_92bpm_Am", {"tempo_bpm": 92.0, "key": "A minor"}),
            ("Break 92.5 BPM", {"tempo_bpm": 92.5}),
            ("keys_120_F#m_4bars", {"tempo_bpm": 120.0, "key": "F♯ minor", "bars": 4}),
            ("pad Eb maj", {"key": "E♭ major"}),
            ("pack 128", {"tempo_bpm": 128.0}),
            ("take 3", {}),
            ("A quiet day", {}),
            ("loop_07", {}),
            ("2024 session", {}),
        ):
            with self.subTest(name):
                self.assertEqual(claims_in_name(name), expected)

    def test_tags_come_before_names_and_chunks_are_read(self):
        data = wav_bytes(
            WritingWavTest.sound, 24, LoopMark(0, 8820), WavTags(tempo_bpm=140, key="F#m")
        )
        claims = read_claims(io.BytesIO(data), "wav", RATE, ("beat_92bpm", "pack 2bars"))
        self.assertEqual((claims.tempo_bpm, claims.key, claims.bars), (140, "F♯ minor", 2))
        self.assertAlmostEqual(claims.loop_end_s, 0.2)
        self.assertEqual(claims.sources, ("tags", "loop points", "folder name"))

    def test_not_finite_audio_is_an_audio_error(self):
        with self.assertRaises(AudioError):
            read_audio(written("WAV", "FLOAT", np.array([np.inf])))
