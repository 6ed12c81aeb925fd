"""Changing loops on the shelf, one or many, and taking it back; hearing them before anything."""

from pydantic import ValidationError

from tests.sounds import audio, rendered, sine
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, NotFoundError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.formats.sets import natural, set_of, stem_and_part
from zeroknot.core.harmony.fit import shift_between
from zeroknot.core.harmony.key import KeyNameError
from zeroknot.store.audio_store import BLOCKS
from zeroknot.store.shelf_query import Query
from zeroknot.studio.audition import Audition, auditioned, match_db
from zeroknot.studio.in_key import key_shift
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo, TakeKey, TakeMetre, TakeTempo
from zeroknot.studio.shelf_edits import (
    Adopt,
    Correct,
    Favour,
    MoveToSet,
    Rename,
    StateKey,
    StateSound,
    Tag,
    Withdraw,
    any_shelf_edit,
)


class ChangesTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.first = self.loop("drums_103")
        self.second = self.loop("bass_97")

    def change(self, edit, *loops):
        return self.studio.shelf.change([x.sha for x in loops], edit)

    def now(self, loop):
        return self.studio.shelf.loop(loop.sha)

    def test_each_change_and_back(self):
        for edit, look, before, after in (
            (Rename(name=" Winch "), lambda x: x.name, "drums_103", "Winch"),
            (MoveToSet(set_name="Quay"), lambda x: x.set_name, "", "Quay"),
            (Tag(add=("warm", " old ")), lambda x: x.tags, (), ("warm", "old")),
            (Favour(favourite=True), lambda x: x.favourite, False, True),
            (StateKey(key="Em"), lambda x: x.key, self.first.key, "E minor"),
            (StateSound(sound="one hit"), lambda x: x.sound, "drums", "one hit"),
            (Correct(bars=4), lambda x: x.reading.bars, 2, 4),
            (Correct(times=2), lambda x: round(x.reading.tempo_bpm), 103, 206),
        ):
            with self.subTest(edit.kind):
                self.assertEqual(look(self.now(self.first)), before)
                done = self.change(edit, self.first)
                self.assertEqual((done.count, look(self.now(self.first))), (1, after))
                self.studio.shelf.take_back(done.id)
                self.assertEqual(look(self.now(self.first)), before)

    def test_many_at_once_are_one_change(self):
        done = self.change(Correct(bars=4), self.first, self.second)
        self.assertEqual(done.count, 2)
        self.assertEqual([self.now(x).reading.bars for x in (self.first, self.second)], [4, 4])
        self.studio.shelf.take_back(done.id)
        self.assertEqual([self.now(x).stated for x in (self.first, self.second)], [None, None])

    def test_taking_back_leaves_what_was_changed_since(self):
        done = self.change(Correct(bars=4), self.first, self.second)
        self.change(Correct(bars=8), self.second)
        back = self.studio.shelf.take_back(done.id)
        self.assertEqual((back.count, back.left_out), (1, 1))
        self.assertIsNone(self.now(self.first).stated)
        self.assertEqual(self.now(self.second).reading.bars, 8)
        # And done again: what was left is left once more.
        self.assertEqual(self.studio.shelf.take_back(back.id).count, 1)
        self.assertEqual([self.now(x).reading.bars for x in (self.first, self.second)], [4, 8])

    def test_of_many_those_that_cannot_are_left_and_counted(self):
        # One bar cannot be counted as half a bar; two bars can be counted as one.
        bars = [self.now(x).reading.bars for x in (self.first, self.second)]
        self.assertEqual(bars, [2, 1])
        done = self.change(Correct(times=0.5), self.first, self.second)
        self.assertEqual((done.count, done.left_out), (1, 1))
        with self.assertRaisesRegex(EditError, "1 bar cannot be counted"):
            self.change(Correct(times=0.5), self.second)

    def test_what_was_heard_stays_beside_what_is_stated(self):
        self.change(Correct(tempo_bpm=90.0), self.first)
        loop = self.now(self.first)
        self.assertAlmostEqual(loop.reading.tempo_bpm, 90.0)
        self.assertEqual(loop.readings[0], self.first.readings[0])
        self.change(Withdraw(), self.first)
        self.assertEqual(self.now(self.first).reading, self.first.reading)

    def test_adopting_the_likeliest_is_no_statement(self):
        self.change(Adopt(index=0), self.first)
        self.assertIsNone(self.now(self.first).stated)

    def test_a_correction_here_leaves_strands_alone(self):
        project = self.studio.projects.create("Old")
        state = self.submit(project, Place(hand=self.first.sha, beat=0))
        self.change(Correct(bars=4), self.first)
        strand = self.studio.projects.state(project).project.strands[0]
        self.assertEqual(strand, state.project.strands[0])
        # A strand made from now on goes by it.
        other = self.studio.projects.create("New")
        state = self.submit(other, Place(hand=self.first.sha, beat=0))
        self.assertEqual(state.project.strands[0].span, 16)

    def test_tags_are_added_once_and_taken_off_whatever_their_case(self):
        self.change(Tag(add=("Warm",)), self.first)
        self.change(Tag(add=("warm", "deep")), self.first)
        self.assertEqual(self.now(self.first).tags, ("warm", "deep"))
        self.change(Tag(remove=("WARM",)), self.first)
        self.assertEqual(self.now(self.first).tags, ("deep",))

    def test_refusals_change_nothing(self):
        before = self.now(self.first)
        for name, edit in {
            "empty name": Rename(name="  \u202e "),
            "long name": Rename(name="x" * 301),
            "no such reading": Adopt(index=99),
            "outside the recording": Correct(downbeat_s=900.0),
        }.items():
            with self.subTest(name), self.assertRaises(EditError):
                self.change(edit, self.first)
        for name, given in {
            "no key": {"kind": "state_key", "key": "H minor"},
            "no sound": {"kind": "state_sound", "sound": "noise"},
            "long tag": {"kind": "tag", "add": ["x" * 61]},
            "no bars": {"kind": "correct", "bars": 0},
        }.items():
            with self.subTest(name), self.assertRaises((ValidationError, KeyNameError)):
                any_shelf_edit.validate_python(given)
        self.assertEqual(self.now(self.first), before)

    def test_searches_are_kept_by_name(self):
        asked = Query(words="dusty", sounds=frozenset({"drums"}), tempo=(80, 100))
        first = self.studio.shelf.keep_search("Breaks", asked)
        other = self.studio.shelf.keep_search("Breaks", Query(words="other"))
        self.assertEqual((first.instead_of, other.instead_of), (None, first.id))
        again = self.studio.shelf.keep_search("Breaks", Query(words="other"))
        self.assertEqual((again.is_new, again.instead_of), (False, None))
        kept = self.studio.shelf.searches()
        self.assertEqual([(s.name, s.query) for s in kept], [("Breaks", '{"words": "other"}')])
        self.studio.shelf.forget_search(kept[0].id)
        self.assertEqual(self.studio.shelf.searches(), [])
        self.studio.shelf.bring_back_search(kept[0].id)
        self.assertEqual(self.studio.shelf.searches(), kept)
        # The one before comes back where the one that took its name goes, and where no other has.
        self.studio.shelf.bring_back_search(first.id, other.id)
        self.assertEqual([s.id for s in self.studio.shelf.searches()], [first.id])
        third = self.studio.shelf.keep_search("Breaks", Query(words="third"))
        for id_, now in (("nobody", None), (first.id, other.id), (first.id, None)):
            with self.assertRaises(NotFoundError):
                self.studio.shelf.bring_back_search(id_, now)
        self.assertEqual([s.id for s in self.studio.shelf.searches()], [third.id])


class GivingTest(StudioTest):
    def test_the_project_takes_tempo_metre_and_key_of_a_loop(self):
        loop = self.loop("bass_97")
        self.studio.shelf.change([loop.sha], StateKey(key="A minor"))
        project = self.studio.projects.create("Empty")
        for intent, look, value in (
            (TakeTempo(hand=loop.sha), lambda p: round(p.tempo_map.bpm_at(0), 1), 97.0),
            (TakeMetre(hand=loop.sha), lambda p: str(p.metre_map.metre_at(1)), "4/4"),
            (TakeKey(hand=loop.sha), lambda p: p.key, "A minor"),
        ):
            with self.subTest(intent.kind):
                self.assertEqual(look(self.submit(project, intent).project), value)
        self.studio.shelf.change([loop.sha], StateKey(key=None))
        with self.assertRaisesRegex(EditError, "no key"):
            self.submit(project, TakeKey(hand=loop.sha))


class AuditionTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.item = self.loop("bass_97")
        self.studio.shelf.change([self.item.sha], StateKey(key="A minor"))
        self.project = self.studio.projects.create("Song")
        self.submit(self.project, SetSteadyTempo(bpm=120))

    def heard(self, **asked):
        tree = self.studio.projects.state(self.project).project
        return auditioned(tree, self.studio.hand(tree, self.item.sha), Audition(**asked)).strand

    def test_half_once_double_and_forced_bars(self):
        once = self.heard().span
        for asked, span in (
            ({"lay": 0.5}, once / 2), ({"lay": 2}, 2 * once), ({"bars": 3}, 12), ({}, once),
        ):  # fmt: skip
            with self.subTest(asked):
                self.assertEqual(self.heard(**asked).span, span)
        for asked in ({"lay": 0}, {"bars": 0}, {"bars": 5000}):
            with self.subTest(asked), self.assertRaises(EditError):
                Audition(**asked)

    def test_in_key(self):
        from zeroknot.document.edits.time import SetKeys
        from zeroknot.document.project import KeyChange

        def shift(**asked):
            strand = self.heard(**asked)
            return key_shift(self.studio.projects.state(self.project).project, strand, 0.0)

        self.assertEqual(shift(in_key=True), 0)  # the project has none
        self.submit(self.project, SetKeys(changes=(KeyChange(bar=1, key="C minor"),)))
        # A minor to C minor is three up (nine down).
        self.assertEqual(shift(in_key=True), 3)
        self.assertEqual(shift(), 0)
        self.studio.shelf.change([self.item.sha], StateSound(sound="drums"))
        self.assertEqual(shift(in_key=True), 0)

    def test_an_audition_changes_nothing(self):
        tree = self.studio.projects.state(self.project)
        self.studio.hand_sheet(tree.project, self.item.sha, 0.0, None, Audition(lay=2))
        self.assertEqual(self.studio.projects.state(self.project), tree)
        self.assertEqual(tree.project.strands, ())

    def test_all_are_brought_to_one_loudness(self):
        quiet = wav_bytes(audio(sine(220, 2.0) * 0.12), 24)
        loud = wav_bytes(audio(sine(330, 2.0) * 0.5), 24)
        levels = []
        for i, data in enumerate((quiet, loud)):
            loop = self.studio.shelf.loop(self.bring(data, f"{i}.wav").sha)
            levels.append(loop.hearing.loudness_db + match_db(loop, Audition(matched=True)))
            self.assertEqual(match_db(loop, Audition()), 0.0)
        self.assertAlmostEqual(levels[0], levels[1], delta=0.1)

    def test_what_comes_next_is_rendered_ahead(self):
        tree = self.studio.projects.state(self.project).project
        asked = Audition(lay=1.0)
        self.assertEqual(self.studio.prepare(tree, [self.item.sha, "f" * 64], asked), 1)
        sheet = self.studio.hand_sheet(tree, self.item.sha, 0.0, None, asked)
        blocks = list((self.folder / "cache" / BLOCKS).glob(f"??/{sheet['digest']}/0"))
        self.assertEqual(len(blocks), 1)


class SetsTest(StudioTest):
    def test_sets_from_folders_and_names(self):
        for names, wanted in (
            (("Keys 1", "Dusty Pack"), "Dusty Pack"),
            (("Keys 1", "WAV", "Dusty Pack"), "Dusty Pack"),
            (("Keys 1", "loops"), "Keys"), (("winch_break_02",), "winch_break"),
            (("Gull choir part 3",), "Gull choir"), (("Choir B",), "Choir"),
            (("808",), ""), (("drums_103",), ""), (("bass_97",), ""),
            (("break 92bpm",), ""), (("Break 3 92bpm",), "Break"),
            (("Kick",), ""),
        ):  # fmt: skip
            with self.subTest(names):
                self.assertEqual(set_of(names), wanted)
        self.assertEqual(stem_and_part("Keys part 3"), ("Keys", "3"))
        names = ["loop 10", "Loop 2", "loop 1"]
        self.assertEqual(sorted(names, key=natural), ["loop 1", "Loop 2", "loop 10"])

    def test_files_of_one_folder_belong_together(self):
        for name in ("drums_103", "bass_97"):
            self.bring(wav_bytes(rendered(name), 16), f"Quay/loops/{name}.wav")
        self.assertEqual(
            {self.studio.shelf.loop(s).set_name for s in self.studio.shelf.shas(Query())}, {"Quay"}
        )


class KeysTest(StudioTest):
    def test_shift_between_keys(self):
        # Tonics by hand: A minor has C major's notes; D minor F major's. Ties go down (−6).
        for loop, wanted, shift in (
            ("A minor", "C major", 0), ("A minor", "D minor", 5), ("D minor", "A minor", -5),
            ("C major", "D major", 2), ("C major", "B major", -1), ("C major", "F♯ major", -6),
            ("E♭ major", "C minor", 0), ("G major", "A minor", 5),
        ):  # fmt: skip
            with self.subTest(loop=loop, wanted=wanted):
                self.assertEqual(shift_between(loop, wanted), shift)
