import contextlib
import inspect
import io
import json
import signal
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from importlib import import_module
from pathlib import Path

import numpy as np
import soundfile

from tests.core.listening.test_midi_reading import SIX_EIGHT
from tests.sounds import FIXTURES, audio, drum_loop, rendered, sine
from tests.studio.helper import StudioTest
from zeroknot.cli.main import COMMANDS
from zeroknot.cli.start import run as run_command
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.harmony.fit import shares_inside
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.harmony.tones import profile_of
from zeroknot.core.render.seam import seam_between
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo


def run(*arguments, folder=None):
    return subprocess.run(
        [sys.executable, "-c", "from zeroknot.cli.start import run; run()", *map(str, arguments)],
        capture_output=True, text=True, timeout=120, cwd=folder,
    )  # fmt: skip


def run_here(*arguments, folder):
    """The same in this process: without the start of another, for many small questions."""
    out, err = io.StringIO(), io.StringIO()
    status = 0
    with (
        contextlib.chdir(folder),
        unittest.mock.patch.object(sys, "argv", ["zeroknot", *map(str, arguments)]),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            run_command()
        except SystemExit as ended:
            status = ended.code or 0
    return subprocess.CompletedProcess(arguments, status, out.getvalue(), err.getvalue())


class CommandLineTest(unittest.TestCase):
    def test_what_help_says_is_what_the_commands_say(self):
        for name, (module, function, about) in COMMANDS.items():
            with self.subTest(name):
                found = getattr(import_module(f"zeroknot.cli.{module}"), function)
                self.assertEqual(inspect.getdoc(found), about)

    def test_ctrl_c_while_it_loads_ends_it_without_a_word(self):
        begun = subprocess.Popen(
            [sys.executable, "-c", "import signal, sys, time\n"
             # As from a terminal: what starts the tests may have Ctrl+C ignored.
             "signal.signal(signal.SIGINT, signal.default_int_handler)\n"
             "class Slow:\n"
             "    def find_spec(self, name, *rest):\n"
             "        if name == 'typer':\n"
             "            print('loading', flush=True); time.sleep(60)\n"
             "sys.meta_path.insert(0, Slow())\n"
             "from zeroknot.cli.start import run; run()"],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(begun.kill)
        self.assertEqual(begun.stdout.readline(), "loading\n")
        begun.send_signal(signal.SIGINT)
        self.assertEqual(begun.communicate(timeout=30), ("", ""))
        self.assertEqual(begun.returncode, -signal.SIGINT)

    def test_help_loads_nothing_that_takes_long(self):
        loaded = subprocess.run(
            [sys.executable, "-c", "import sys; from zeroknot.cli.start import run\n"
             "try: run()\nexcept SystemExit: pass\n"
             "print([m for m in ('numpy', 'pydantic', 'sqlalchemy') if m in sys.modules])",
             "--help"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        self.assertEqual(loaded.stdout.splitlines()[-1], "[]")

    def test_the_server_loads_no_compiler_and_no_listening(self):
        loaded = subprocess.run(
            [sys.executable, "-c", "import sys, zeroknot.web.app\n"
             "print([m for m in ('numba', 'scipy', 'pyloudnorm') if m in sys.modules])"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        self.assertEqual(loaded.stdout.strip(), "[]")


class CommandsTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_listen_reads_midi_beside_audio(self):
        midi = self.folder / "six.mid"
        midi.write_bytes(SIX_EIGHT)
        done = run("listen", midi, FIXTURES / "drums_103.flac", "--json")
        self.assertEqual(done.returncode, 0)
        notes, sound = json.loads(done.stdout)
        self.assertEqual(set(notes), set(sound))
        # Dotted quarters at 80, two a bar; audio has no key in drums.
        told = [notes[k] for k in ("kind", "tempo_bpm", "beats_per_bar", "bars", "downbeat_s")]
        self.assertEqual(told, ["midi", 80, 2, 1, 0])
        self.assertEqual(notes["onsets_s"], [0, 0.75])
        told = [sound[k] for k in ("kind", "sound", "key", "bars", "beats_per_bar")]
        self.assertEqual(told, ["audio", "drums", None, 2, 4])
        self.assertEqual(len(sound["beats_s"]), 8)

    def test_listen_keeps_its_contract(self):
        silent, bad = self.folder / "silent.wav", self.folder / "bad.wav"
        silent.write_bytes(wav_bytes(audio(np.zeros(44_100)), 16))
        bad.write_bytes(b"RIFF")
        done = run(
            "listen", FIXTURES / "drums_103.flac", silent, bad, self.folder / "none", "--json"
        )
        self.assertEqual(done.returncode, 1)
        good, quiet, broken, missing = json.loads(done.stdout)
        self.assertEqual(
            set(good),
            {
                "file",
                "kind",
                "sound",
                "duration_s",
                "tempo_bpm",
                "tempo_confidence",
                "beats_per_bar",
                "bars",
                "downbeat_s",
                "end_s",
                "beats_s",
                "onsets_s",
                "key",
                "key_confidence",
                "tuning_cents",
                "claims",
                "readings",
                "warnings",
            },
        )
        self.assertAlmostEqual(good["tempo_bpm"], 103, delta=0.1)
        self.assertEqual(len(good["beats_s"]), 8)
        self.assertIsNone(quiet["tempo_bpm"])
        self.assertEqual(quiet["warnings"], ["there is nothing to hear"])
        for entry in (broken, missing):
            self.assertIn(entry["error"], done.stderr)

    def test_fit_writes_exact_lengths(self):
        source, out = FIXTURES / "bass_97.flac", self.folder / "out.wav"
        frames = soundfile.info(source).frames
        for arguments, expected in (
            (("--ratio", 0.8), round(frames * 0.8)),
            # One bar of 4/4 at 120: 88 200 samples. Two of 6/8: 6 quarters, 132 300.
            (("--tempo", 120, "--bars", 1), 88_200),
            (("--tempo", 120, "--bars", 2, "--metre", "6/8"), 132_300),
            (("--tempo", 97, "--from-tempo", 97), frames),
            (("--ratio", 1, "--rate", 48_000), round(frames * 48 / 44.1)),
        ):
            with self.subTest(arguments):
                done = run_here("fit", source, out, *arguments, folder=self.folder)
                self.assertEqual((done.returncode, done.stderr), (0, ""))
                info = soundfile.info(out)
                self.assertEqual((info.frames, info.subtype), (expected, "FLOAT"))

    def test_fit_mends_a_seam(self):
        tone = np.cos(2 * np.pi * 210.3 * np.arange(44_100) / 44_100).astype(np.float32)
        source, out = self.folder / "tone.wav", self.folder / "joined.wav"
        source.write_bytes(wav_bytes(audio(0.4 * tone), 32))
        done = run_here("fit", source, out, "--ratio", 1, "--crossfade", 20, folder=self.folder)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        before, after = (soundfile.read(f, always_2d=True)[0].T for f in (source, out))
        self.assertTrue(seam_between(before, 0, 44_100, 44_100).is_heard)
        self.assertFalse(seam_between(after, 0, 44_100, 44_100).is_heard)
        np.testing.assert_array_equal(before[:, :43_000], after[:, :43_000])

    def test_a_loop_is_brought_into_a_key(self):
        source = FIXTURES / "keys_88.flac"
        own = max(
            (Key(name, mode) for name in NAMES for mode in ("major", "minor")),
            key=lambda key: shares_inside(profile_of(rendered("keys_88")), key)[0],
        )
        wanted = own.shifted(3)
        done = run_here(
            "fit", source, "out.wav", "--ratio", 1, "--to-key", str(wanted), "--from-key", str(own),
            "--json", folder=self.folder,
        )  # fmt: skip
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(json.loads(done.stdout)["semitones"], 3)
        for wrong, status in (
            (("--ratio", 1, "--to-key", "H"), 2), (("--ratio", 1, "--from-key", "Dm"), 2),
        ):  # fmt: skip
            made = run_here("fit", source, "out.wav", *wrong, folder=self.folder)
            self.assertEqual(made.returncode, status)
        drums = self.folder / "still.wav"
        drums.write_bytes(wav_bytes(audio(np.zeros(44_100)), 16))
        made = run_here("fit", drums, "o.wav", "--to-key", "Dm", folder=self.folder)
        self.assertEqual(made.returncode, 1)

    def test_tones_are_shifted_while_hits_stay(self):
        keys, drums = (rendered(name).samples[0] for name in ("keys_88", "drums_103"))
        frames = min(keys.size, drums.size, 3 * 44_100)
        file = self.folder / "yard.wav"
        file.write_bytes(wav_bytes(audio(0.5 * (keys[:frames] + drums[:frames])), 24))
        told = {}
        for name, given in (("apart", ["--tones-only"]), ("whole", [])):
            done = run_here(
                "fit", file, f"{name}.wav", "--semitones", 4, "--method", "weave", "--json", *given,
                folder=self.folder,
            )  # fmt: skip
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            told[name] = json.loads(done.stdout)
            self.assertEqual(told[name]["parts"], name)
        self.assertEqual(told["apart"]["frames"], told["whole"]["frames"])
        self.assertNotEqual(told["apart"]["digest"], told["whole"]["digest"])
        low = {}
        for name in told:
            samples = soundfile.read(self.folder / f"{name}.wav")[0]
            spectrum = np.abs(np.fft.rfft(samples)) ** 2
            low[name] = spectrum[: 75 * frames // 44_100].sum()  # the kick's own octave
        self.assertGreater(low["apart"], 1.2 * low["whole"])
        wrong = run_here("fit", file, "o.wav", "--ratio", 1.2, "--tones-only", folder=self.folder)
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("--tones-only goes with", wrong.stderr)

    def test_a_groove_is_taken_written_and_laid_over_another_file(self):
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            for name, swing in (("straight", 0.5), ("shuffled", 0.64)):
                sound = audio(0.5 * drum_loop(100.0, 2, swing=swing))
                (place / f"{name}.wav").write_bytes(wav_bytes(sound, 24))
            took = run_here(
                "groove",
                "shuffled.wav",
                "--bars",
                2,
                "--fold",
                1,
                "--out",
                "feel.mid",
                "--json",
                folder=folder,
            )
            self.assertEqual(took.returncode, 0, took.stderr)
            told = json.loads(took.stdout)
            self.assertAlmostEqual(told["swing_ratio"], 0.64 / 0.36, delta=0.1)
            self.assertEqual((told["grid"], told["beats"]), ("8ths", 4.0))
            self.assertIn("low", told["registers"])
            fit = ("fit", "straight.wav", "laid.wav", "--tempo", 100, "--bars", 2, "--groove",
                   "feel.mid", "--strength", 95)  # fmt: skip
            done = run_here(*fit, folder=folder)
            self.assertEqual(done.returncode, 0, done.stderr)
            again = run_here(
                "groove", "laid.wav", "--bars", 2, "--fold", 1, "--json", folder=folder
            )
            late = 0.5 + 0.95 * 0.14
            self.assertAlmostEqual(
                json.loads(again.stdout)["swing_ratio"], late / (1 - late), delta=0.1
            )
            plain = run_here("groove", "feel.mid", "--bars", 2, "--grid", "8ths", folder=folder)
            self.assertIn("8ths", plain.stdout)
            for wrong in (
                ("groove", "shuffled.wav", "--bars", 0), ("groove", "shuffled.wav"),
                ("groove", "shuffled.wav", "--bars", 2, "--grid", "9ths"),
                ("groove", "shuffled.wav", "--bars", 3, "--fold", 2),
                ("fit", "straight.wav", "o.wav", "--ratio", 1, "--groove", "feel.mid"),
                (*fit[:-1], 120),
            ):  # fmt: skip
                with self.subTest(wrong):
                    self.assertEqual(run_here(*wrong, folder=folder).returncode, 2)
            for wrong in (("groove", "none.wav", "--bars", 2), (*fit[:-3], "straight.wav")):
                with self.subTest(wrong):
                    self.assertEqual(run_here(*wrong, folder=folder).returncode, 1)

    def test_bad_use_ends_with_2_and_bad_files_with_1(self):
        source = FIXTURES / "bass_97.flac"
        for arguments, status in (
            ((source, "o.wav"), 2),
            ((source, "o.wav", "--ratio", 1, "--tempo", 90), 2),
            ((source, "o.wav", "--ratio", 1, "--method", "stroke"), 2),
            ((source, "o.wav"), 2),
            ((source, "o.wav", "--semitones", 30), 1),
            ((source, "o.xyz", "--ratio", 1), 2),
            ((source, "o.wav", "--ratio", 1, "--seam", "fold"), 2),
            ((source, "o.wav", "--ratio", 1, "--crossfade", -5), 2),
            ((source, "o.wav", "--ratio", 9), 1),
            (("none.wav", "o.wav", "--ratio", 1), 1),
        ):
            with self.subTest(arguments):
                done = run_here("fit", *arguments, folder=self.folder)
                self.assertEqual(done.returncode, status)
                self.assertTrue(done.stderr)
                self.assertNotIn("Traceback", done.stderr)


class SameByCommandTest(StudioTest):
    def test_command_and_application_give_the_same_audio(self):
        # DESIGN: the same loop fitted by command and by browser at equal rates is the same audio.
        data = wav_bytes(rendered("keys_88"), 24)
        item = self.bring(data, "keys.wav")
        project = self.studio.projects.create("Same")
        self.submit(project, SetSteadyTempo(bpm=101.5))
        state = self.submit(project, Place(hand=item.sha, beat=0))
        printed = self.studio.prints.print_strand(state.project, item.sha, "wrap", False).loop
        ours = soundfile.read(self.studio.store.path(printed.sha), dtype="float32")[0]
        source, out = self.folder / "keys.wav", self.folder / "out.wav"
        source.write_bytes(data)
        done = run("fit", source, out, "--tempo", 101.5, "--bars", 2, "--seam", "wrap")
        self.assertEqual(done.returncode, 0, done.stderr)
        np.testing.assert_array_equal(soundfile.read(out, dtype="float32")[0], ours)


class SineTest(unittest.TestCase):
    def test_listening_to_a_tone_claims_nothing_loud(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "tone.wav")
            path.write_bytes(wav_bytes(audio(sine(440, 0.2)), 16))
            done = run("listen", path, "--json")
            self.assertEqual((done.returncode, json.loads(done.stdout)[0]["tempo_bpm"]), (0, None))
