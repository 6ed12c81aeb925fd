"""Loops leave: one, many, a pack."""

import zipfile

import soundfile
from wavinfo import WavInfoReader

from tests.studio.family import Family
from zeroknot.core.errors import NotFoundError, ZeroKnotError
from zeroknot.core.formats.handed import HandOver
from zeroknot.core.recipe.text import read_recipe


class HandOverTest(Family):
    def over(self, shas, how=None, pack=None):
        made = self.studio.handing_over.files(shas, how or HandOver(), pack)
        self.addCleanup(made.file.unlink)
        return made

    def test_one_is_a_file_and_several_are_a_zip(self):
        keys = self.another("keys_88")
        one = self.over([self.loop.sha], HandOver("flac", names="{name} {bpm}"))
        self.assertRegex(one.name, r"^drums \d+(\.\d+)?\.flac$")
        self.assertEqual(soundfile.info(one.file).format, "FLAC")
        many = self.over([self.loop.sha, keys.sha, keys.sha], HandOver("ogg", names="{n}"))
        with zipfile.ZipFile(many.file) as packed:
            self.assertEqual(packed.namelist(), ["01.ogg", "02.ogg"])
        with self.assertRaisesRegex(ZeroKnotError, "nothing is chosen"):
            self.over([])
        with self.assertRaises(NotFoundError):
            self.over(["0" * 64])

    def test_what_was_cut_has_cue_points_where_its_pieces_begin(self):
        """Read back by wavinfo; where energy rises in the file itself there is a hit."""
        grown = self.grow(count=1, may=("order",))[0]
        loop = self.keep(grown)
        order = self.tree().offshoot(grown.id).strand.played
        made = self.over([loop.sha])
        cues = [cue.sample_offset for cue in WavInfoReader(str(made.file)).cues.cues]
        sound, _ = soundfile.read(made.file)
        places = sorted(t.beat / order.beats for t in order.tiles if not t.muted)
        self.assertEqual(len(cues), len(places))
        for cue, place in zip(sorted(cues), places, strict=True):
            self.assertAlmostEqual(cue / len(sound), place, places=3)
        plain = WavInfoReader(str(self.over([self.loop.sha]).file)).cues
        self.assertFalse(plain and plain.cues)

    def test_a_pack_has_a_page_and_the_recipes(self):
        loop = self.keep(self.grow(count=1, may=("order",))[0])
        made = self.over([self.loop.sha, loop.sha], HandOver(), "Family")
        self.assertEqual(made.name, "Family.zip")
        with zipfile.ZipFile(made.file) as packed:
            names = packed.namelist()
            page = packed.read("index.html").decode()
            [recipe] = [n for n in names if n.endswith(".json")]
            written = read_recipe(packed.read(recipe))
        self.assertEqual(written.run, loop.recipe.run)
        for name in names:
            if name.endswith(".wav"):
                self.assertIn(f'src="{name}"', page)
        again = self.over([self.loop.sha, loop.sha], HandOver(), "Family")
        self.assertEqual(again.file.read_bytes(), made.file.read_bytes())
