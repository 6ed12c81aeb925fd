"""The song as files: what it plays, its stems, its loudness, its formats; over stops and edits."""

import time
import zipfile

import numpy as np
import pyloudnorm
import soundfile
from scipy import signal

from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, FormatError, NotFoundError
from zeroknot.core.formats.mix_file import FORMATS, MixHow
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.mixing.mix import mix
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.settings import Settings
from zeroknot.store.jobs import Job
from zeroknot.studio.executors import Executors
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.mixdown import MIX, AskedMix, mix_plan_of
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks.rendering import rendering_of

PLAIN = MixHow("wav32", ceiling_db=None)


class MixesTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("Slate")
        self.do(SetSteadyTempo(bpm=100))
        for name in ("drums_103", "keys_88"):
            item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
            self.do(Place(hand=item.sha, beat=0))

    def do(self, intent):
        return self.submit(self.project, intent)

    def tree(self):
        return self.studio.projects.state(self.project).project

    def asked(self, how=PLAIN, start=0.0, end=16.0, stems="none", bare=False):
        return AskedMix(SongRange(start, end), how, stems, bare)

    def mixed(self, *args, **kwargs):
        """The job that is over, and the file."""
        begun = self.studio.mixdowns.begin(self.tree(), self.asked(*args, **kwargs))
        job = self.studio.jobs.waited(begun.id, 60)
        self.assertEqual((job.state, job.error), ("done", ""))
        return job, self.studio.mixdowns.file(job.id)

    def song(self, frames):
        tree = self.tree()
        maker = SheetMaker(tree, self.studio.loops.named(tree.loops()))
        read = lambda digest, at, count: rendering_of(  # noqa: E731
            self.studio.store.folder, maker.plans[digest]
        ).frames(at, count)
        return mix(maker.arrangement(), read, 0, frames)


class MixdownTest(MixesTest):
    def test_it_is_what_the_song_plays(self):
        job, file = self.mixed()
        sound, rate = soundfile.read(file, dtype="float32")
        self.assertEqual((rate, file.name), (44_100, "Slate.wav"))
        self.assertEqual(len(sound), job.result["said"]["frames"])
        self.assertGreaterEqual(len(sound), round(16 * 0.6 * rate))
        difference = np.abs(sound.T - self.song(len(sound))).max()
        self.assertLess(20 * np.log10(difference + 1e-12), -120)

    def test_mixed_at_another_time_it_is_the_same_file(self):
        for name in ("wav32", "wav16", "flac"):
            with self.subTest(name):
                first = self.mixed(MixHow(name))[1].read_bytes()
                time.sleep(1.1)  # a file that says when it was written says so by the second
                self.assertEqual(self.mixed(MixHow(name))[1].read_bytes(), first)

    def test_stems_are_as_long_as_the_mix_and_add_up_to_it(self):
        _, file = self.mixed(stems="tracks")
        with zipfile.ZipFile(file) as packed:
            names = packed.namelist()
            sounds = {n: soundfile.read(packed.open(n))[0] for n in names if n.endswith(".wav")}
            credits_ = packed.read("credits.txt").decode()
        self.assertEqual(len(sounds), 3)
        whole = sounds.pop("Slate.wav")
        self.assertEqual({len(s) for s in sounds.values()}, {len(whole)})
        self.assertLess(np.abs(sum(sounds.values()) - whole).max(), 1e-6)
        self.assertIn("keys_88", credits_)
        self.assertIn("BPM", credits_)

    def test_as_loud_as_is_asked_and_under_its_ceiling(self):
        """Read back by pyloudnorm, and by four times as many samples of SciPy's."""
        for lufs in (-14.0, -23.0):
            job, file = self.mixed(MixHow("wav24", lufs=lufs))
            sound, rate = soundfile.read(file)
            read = pyloudnorm.Meter(rate).integrated_loudness(sound)
            self.assertAlmostEqual(read, lufs, delta=0.5 if lufs == -14 else 0.1)
            self.assertAlmostEqual(job.result["said"]["integrated"], read, delta=0.1)
            peak = 20 * np.log10(np.abs(signal.resample_poly(sound, 4, 1)).max())
            self.assertLess(peak, -1.0 + 0.1)

    def test_what_would_be_over_full_scale_is_said(self):
        for track in self.tree().tracks:
            self.do(ChangeTrack(track=track.id, level_db=12.0))
        job, file = self.mixed(MixHow("wav16"))
        told = job.result["said"]
        self.assertGreater(told["over_db"], 3.0)
        self.assertGreater(told["lowered_db"], 3.0)
        self.assertLess(np.abs(soundfile.read(file)[0]).max(), 0.9)

    def test_every_format_holds_it(self):
        song = self.song(60_000)
        for name in FORMATS:
            with self.subTest(name):
                _, file = self.mixed(MixHow(name, ceiling_db=None))
                info = soundfile.info(file)
                self.assertEqual((info.channels, info.samplerate), (2, 44_100))
                if name == "mp3":  # a length of its own
                    continue
                sound = soundfile.read(file, dtype="float32")[0].T[:, :60_000]
                least = {"wav16": 60, "ogg": 12, "wav32": 120}.get(name, 100)
                error = np.sqrt(np.square(sound - song).mean() / np.square(song).mean())
                self.assertGreater(-20 * np.log10(error + 1e-9), least)

    def test_a_stretch_begins_on_its_bar_line_and_rings_out(self):
        _, whole = self.mixed()
        _, part = self.mixed(start=4.0, end=8.0)
        self.assertEqual(part.name, "Slate bar 2.wav")
        song, sound = (soundfile.read(f)[0] for f in (whole, part))
        first, bar = round(4 * 0.6 * 44_100), round(4 * 0.6 * 44_100)
        np.testing.assert_allclose(
            sound[200 : bar - 200], song[first + 200 : first + bar - 200], atol=1e-5
        )

    def test_what_is_changed_afterwards_has_no_say_over_a_stop_and_asked_again_it_is_done_once(
        self,
    ):
        """Written down when it was asked for; the song is changed, then another studio makes it."""
        _, file = self.mixed()
        before = file.read_bytes()
        plan = mix_plan_of(self.tree(), self.studio.loops, self.asked())
        place = self.folder / "mixes" / "waits"
        place.mkdir(parents=True)
        (place / "plan.json").write_text(plan.text)
        self.studio.jobs._store.add(Job("waits", MIX, "mixing", {"place": "waits"}))
        self.do(ChangeTrack(track=self.tree().tracks[0].id, muted=True))
        self.studio.close()
        self.studio = Studio(Settings(data=self.folder), Executors.inline())
        self.addCleanup(self.studio.close)
        job = self.studio.jobs.waited("waits", 60)
        self.assertEqual((job.state, job.error), ("done", ""))
        self.assertEqual(self.studio.mixdowns.file("waits").read_bytes(), before)
        again = self.studio.mixdowns.begin(self.tree(), self.asked(), "waits")
        self.assertEqual(again.state, "done")
        self.assertEqual(self.studio.mixdowns.file("waits").read_bytes(), before)

    def test_nothing_nonsense_and_what_is_gone_are_sentences(self):
        with self.assertRaisesRegex(EditError, "nothing sounds"):
            self.studio.mixdowns.begin(self.tree(), self.asked(start=900.0, end=904.0))
        with self.assertRaisesRegex(FormatError, "a mix is one of"):
            MixHow("wma")
        with self.assertRaisesRegex(FormatError, "between"):
            MixHow(lufs=3.0)
        job, file = self.mixed()
        file.unlink()
        with self.assertRaisesRegex(NotFoundError, "mix it once more"):
            self.studio.mixdowns.file(job.id)
