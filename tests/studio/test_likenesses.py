"""What sounds alike, and what fits here."""

import numpy as np

from tests.core.listening.test_midi_reading import SIX_EIGHT
from tests.studio.family import Family
from zeroknot.studio.intents.key import SetKeyAt
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.shelf_edits import Correct, StateKey


class LikeTest(Family):
    @property
    def likenesses(self):
        return self.studio.likenesses._store

    def test_what_sounds_alike_is_found_and_what_it_is_itself_is_not(self):
        keys, bass = self.another("keys_88"), self.another("bass_97")
        shas = frozenset((self.loop.sha, keys.sha, bass.sha))
        rows, waiting = self.studio.likenesses.nearest(self.tree(), self.hand, "all", 10, shas)
        self.assertEqual(waiting, 0)
        self.assertEqual({r.sha for r in rows}, {keys.sha, bass.sha})
        self.assertGreaterEqual(rows[0].alike, rows[1].alike)
        # One that was grown of it is most like it of all.
        grown = self.grow(count=1, may=("levels",), far=0.1)[0]
        rows, _ = self.studio.likenesses.nearest(self.tree(), grown.id, "sound", 10, shas)
        self.assertNotIn(self.loop.sha, [r.sha for r in rows])
        kept = self.keep(grown)
        rows, _ = self.studio.likenesses.nearest(
            self.tree(), f"~{self.loop.sha}", "sound", 10, shas | {kept.sha}
        )
        self.assertEqual(rows[0].sha, kept.sha)
        self.assertIn("sounds alike", rows[0].why)

    def test_it_is_measured_as_it_comes_in_and_anew_when_it_is_read_otherwise(self):
        table = self.likenesses.table
        coming, midi = self.another("keys_88"), self.bring(SIX_EIGHT, "line.mid")
        for sha in (coming.sha, midi.sha):
            self.assertIsNotNone(table().of(sha))
        asked = frozenset((coming.sha, self.loop.sha))
        before = table().of(coming.sha).copy()
        self.studio.shelf.change([coming.sha], StateKey(key="A minor"))
        self.assertIsNotNone(table().of(coming.sha))  # that has no say in it
        self.studio.shelf.change([coming.sha], Correct(downbeat_s=coming.reading.downbeat_s + 0.1))
        self.assertIsNone(table().of(coming.sha))
        self.studio.likenesses.nearest(self.tree(), self.hand, "all", 10, asked)
        self.assertGreater(np.abs(table().of(coming.sha) - before).max(), 0.01)

    def test_a_print_is_compared_without_being_asked_for(self):
        kept = self.keep(self.grow(count=1)[0])
        self.assertIsNotNone(self.likenesses.table().of(kept.sha))

    def test_what_fits_here_goes_with_what_plays_and_is_none_of_it(self):
        keys, bass = self.another("keys_88"), self.another("bass_97")
        self.do(SetKeyAt(bar=1, key="C major"))
        self.do(Place(hand=keys.sha, beat=0))
        shas = frozenset((self.loop.sha, keys.sha, bass.sha))
        rows, waiting = self.studio.likenesses.fitting(self.tree(), 0.0, 10, shas)
        self.assertEqual(waiting, 0)
        self.assertEqual({r.sha for r in rows}, {self.loop.sha, bass.sha})
        self.assertTrue(all(0 <= r.alike <= 1 for r in rows))
        # The drums are told by when they hit: what they ring at is no chord.
        drums = next(r for r in rows if r.sha == self.loop.sha)
        self.assertNotRegex(drums.why, "chords|clash|key|st")
        # Where nothing plays all there is may fit.
        rows, _ = self.studio.likenesses.fitting(self.tree(), 900.0, 10, shas)
        self.assertEqual(len(rows), 3)

    def test_what_was_grown_is_ranked_by_what_plays(self):
        keys = self.another("keys_88")
        self.do(Place(hand=keys.sha, beat=0))
        grown = self.grow(of=self.loop.sha, count=4)
        names = [o.id for o in grown]
        ranked = self.studio.likenesses.ranked(self.tree(), names, 0.0, f"~{self.loop.sha}")
        self.assertEqual(set(ranked), set(names))
        for one in ranked.values():
            self.assertTrue(0.0 <= one.fit.score <= 1.0)
            self.assertGreater(one.unlike, 0.0)
            self.assertIn("groove", one.fit.reasons)
