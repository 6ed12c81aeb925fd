"""The watched folder: files come in by themselves, prints go out."""

import os
import unittest
from pathlib import Path
from unittest import mock

import soundfile

from tests.sounds import audio, rendered, sine
from tests.studio.helper import StudioTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio
from zeroknot.studio.watched import PRINTED, Watched


class WatchedTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.watch = self.folder / "in"
        self.watch.mkdir()
        self.watched = self.again()

    def again(self):
        """As after a restart, without its clock."""
        studio = self.studio
        return Watched(self.watch, self.folder, studio.bringing, studio.handing_over)

    def lay(self, name, data=None):
        place = self.watch / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data or wav_bytes(rendered("drums_103"), 16))
        return place

    def test_a_file_comes_in_once_it_is_whole_and_only_once(self):
        place = self.lay("pack/drums_103.wav")
        self.assertEqual(self.watched.look(), 0)  # it may still be written
        place.write_bytes(place.read_bytes()[:-1000])
        os.utime(place, ns=(1, 1))
        self.assertEqual(self.watched.look(), 0)
        self.assertEqual(self.watched.look(), 1)
        self.assertEqual(self.watched.look(), 0)
        self.assertEqual([loop.name for loop in self.on_shelf()], ["drums_103"])
        after = self.again()
        self.assertEqual([after.look(), after.look()], [0, 0])
        # One that was changed is another.
        self.lay("pack/drums_103.wav", wav_bytes(audio(sine(200, 2.0)), 16))
        self.assertEqual([after.look(), after.look()], [0, 1])

    def test_hidden_files_prints_and_what_is_no_sound_are_left(self):
        self.lay(".hidden.wav")
        self.lay(f"{PRINTED}/x.wav")
        self.lay("letter.txt", b"dear")
        self.assertEqual([self.watched.look(), self.watched.look()], [0, 1])
        self.assertEqual(self.on_shelf(), [])  # the letter was refused, with a reason
        (self.watch / "letter.txt").unlink()
        for path in sorted(self.watch.rglob("*"), reverse=True):
            path.unlink() if path.is_file() else path.rmdir()
        self.watch.rmdir()
        self.assertEqual(self.watched.look(), 0)  # a drive that was taken out

    def test_what_is_printed_goes_out_beside_what_is_there(self):
        loop = self.loop()
        first, second = (self.watched.take_out(loop.sha) for _ in range(2))
        self.assertEqual(first.parent, self.watch / PRINTED)
        self.assertNotEqual(first, second)
        self.assertEqual(soundfile.info(second).frames, loop.frames)
        blocked = Path(self.watch / PRINTED)
        for path in blocked.iterdir():
            path.unlink()
        blocked.rmdir()
        blocked.write_text("in the way")
        self.assertIsNone(self.watched.take_out(loop.sha))


class SettingTest(unittest.TestCase):
    def test_an_empty_setting_watches_nothing(self):
        for said, wanted in (("", None), ("in", Path("in"))):
            with mock.patch.dict(os.environ, {"ZEROKNOT_WATCH": said}):
                self.assertEqual(Settings().watch, wanted)


class WithAWatchTest(StudioTest):
    def opened(self):
        studio = Studio(Settings(data=self.folder, watch=self.folder / "in"), Executors.inline())
        self.addCleanup(studio.close)
        return studio

    def test_a_print_lies_in_the_folder(self):
        loop = self.loop()
        project = self.studio.projects.create("P")
        tree = self.studio.projects.state(project).project
        self.studio.prints.print_strand(tree, loop.sha, "wrap", False)
        [out] = (self.folder / "in" / PRINTED).iterdir()
        self.assertEqual(soundfile.info(out).subtype, "FLOAT")
