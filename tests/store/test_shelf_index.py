"""Searching the shelf: words, facets, what fits, order; and that the index keeps up."""

import tempfile
import time
import unittest
from dataclasses import replace
from pathlib import Path

from sqlalchemy import insert

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.loop import Loop
from zeroknot.core.recipe.recipe import Recipe
from zeroknot.store.codec import facts_columns
from zeroknot.store.database import opened_database
from zeroknot.store.loops import LoopStore
from zeroknot.store.shelf_index import ShelfIndex
from zeroknot.store.shelf_query import Asked, ProjectTime, Query, taken_apart
from zeroknot.store.tables import FactsRow

AT_100 = ProjectTime(bpm=100, pulses_per_bar=4, beats_per_pulse=1.0, key="D minor")


def loop(number, name, **given):
    """A loop as it would be heard: bars of 4/4 at a tempo, or unread where bars is None."""
    bars, tempo = given.pop("bars", 2), given.pop("tempo", 100.0)
    seconds = given.pop("seconds", bars * 240 / tempo if bars else 3.0)
    readings = (Reading(bars, 4, tempo, 0.0, seconds, 0.9),) if bars else ()
    key, sound = given.pop("key", None), given.pop("sound", "drums")
    return Loop(
        sha=f"{number:064x}", name=name, set_name=given.pop("set_name", ""),
        file_kind=given.pop("file_kind", "wav"), seconds=seconds, rate=44_100, channels=2,
        frames=round(seconds * 44_100), claims=Claims(),
        hearing=Hearing(
            sounding=(0.0, seconds), readings=readings, sound=SoundReading(sound, 0.9),
            key=KeyReading(key, 0.9 if key else 0.0),
        ),
        warnings=(), stated=None, recipe=given.pop("recipe", None),
        added_at=f"2026-01-01T00:00:{number:02d}.000000+00:00", on_shelf=True, **given,
    )  # fmt: skip


LOOPS = (
    loop(1, "Dusty break 10", set_name="Quay", tempo=92.0, tags=("warm", "old")),
    loop(2, "Dusty break 9", set_name="Quay", tempo=100.0, favourite=True),
    loop(3, "Foghorn", tempo=50.0, bars=4, sound="bass", key="D minor"),
    loop(4, "Lamp chords", tempo=140.0, bars=8, sound="chords", key="F major"),
    loop(5, "Wall clap", bars=None, seconds=0.4, sound="one hit"),
    loop(6, "Tide arp", file_kind="midi", tempo=180.0, sound="line", key="E minor"),
    loop(7, "Gull", bars=None, seconds=9.0, sound="pad", key="G♯ minor"),
    loop(
        8,
        "Dusty offshoot",
        tempo=100.0,
        recipe=Recipe(kind="print", parents=(), key="D minor"),
        sound="chords",
    ),
)


class StoreTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.engine = opened_database(Path(folder.name) / "a.sqlite")
        self.addCleanup(self.engine.dispose)
        self.store = LoopStore(self.engine)


class ShelfIndexTest(StoreTest):
    def setUp(self):
        super().setUp()
        for one in LOOPS:
            self.store.add(one)
        self.index = ShelfIndex(self.store)

    def numbers(self, time=None, **asked):
        found = self.index.find(Query(**asked), time)
        self.assertEqual(found.total, len(found.rows))
        return [int(row.sha, 16) for row in found.rows]

    def test_words_tempo_and_key_in_one_line(self):
        for words, wanted in (
            ("dusty", [8, 2, 1]), ("DUSTY break", [2, 1]), ("quay", [2, 1]), ("warm", [1]),
            ("92 bpm", [1]), ("dusty 100bpm", [8, 2]), ("f major", [4]), ("Dm", [8, 3]),
            ("d minor dusty", [8]), ("midi", [6]),
            ("dusty 92", [1]), ("dusty 99-101", [8, 2]), ("nothing", []),
            ("ust", [8, 2, 1]), ("%", []),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertEqual(self.numbers(words=words), wanted)

    def test_words_are_taken_apart(self):
        asked = taken_apart("old 92,5 bpm  F# minor kit")
        self.assertEqual(
            (asked.words, asked.bpm, asked.key), (("old", "kit"), (92.0, 93.0), "F♯ minor")
        )
        for words, bpm in (("bpm 92", (91.5, 92.5)), ("100-130 bpm", (100, 130)),
                           ("130 – 100", (100, 130)), ("bpm 90 to 95", (90, 95))):  # fmt: skip
            with self.subTest(words):
                self.assertEqual(taken_apart(words), Asked((), bpm))
        self.assertEqual(taken_apart("4 bars dusty"), Asked(("dusty",), bars=4))
        self.assertEqual(taken_apart("2-bar"), Asked((), bars=2))
        self.assertEqual(taken_apart("dusty 92").bare, ("92", 92.0))
        # Alone it is the name of something.
        self.assertEqual(taken_apart("808"), Asked(("808",)))
        # A word that only looks like a key is a word.
        self.assertEqual(taken_apart("gm loop").key, "G minor")
        self.assertEqual(taken_apart("amber").words, ("amber",))

    def test_every_facet(self):
        for asked, wanted in (
            ({"kinds": frozenset({"midi"})}, [6]),
            ({"sounds": frozenset({"bass", "pad"})}, [7, 3]),
            ({"bars": frozenset({4, 8})}, [4, 3]),
            ({"keys": frozenset({"D minor"})}, [8, 3]),
            ({"sets": frozenset({"Quay"})}, [2, 1]),
            ({"tags": frozenset({"old"})}, [1]),
            ({"hits": "hits"}, [5]),
            ({"tempo": (90, 100)}, [8, 2, 1]),
            ({"favourite": True}, [2]),
            ({"printed": True}, [8]),
            ({"sounds": frozenset({"drums"}), "tempo": (95, 200)}, [2]),
        ):
            with self.subTest(asked):
                self.assertEqual(self.numbers(**asked), wanted)
        self.assertNotIn(5, self.numbers(hits="loops"))

    def test_what_fits_the_project(self):
        # 92 to 100 is 8.7 %; 50 fits on half its beats; MIDI and one hits fit at any tempo.
        self.assertEqual(self.numbers(AT_100, stretch_within=10), [8, 6, 5, 3, 2, 1])
        self.assertEqual(self.numbers(AT_100, stretch_within=5), [8, 6, 5, 3, 2])
        # F major has D minor's notes; E minor is two down; G♯ minor is six away; drums have none.
        self.assertEqual(self.numbers(AT_100, shift_within=0), [8, 4, 3, 2, 1])
        self.assertEqual(self.numbers(AT_100, shift_within=2), [8, 6, 4, 3, 2, 1])
        self.assertEqual(self.numbers(AT_100, shift_within=6), [8, 7, 6, 4, 3, 2, 1])

    def test_order(self):
        for sort, descending, wanted in (
            ("added", False, [8, 7, 6, 5, 4, 3, 2, 1]),
            ("added", True, [1, 2, 3, 4, 5, 6, 7, 8]),
            # "break 9" before "break 10".
            ("name", False, [2, 1, 8, 3, 7, 4, 6, 5]),
            # What has no tempo comes last either way.
            ("tempo", False, [3, 1, 2, 8, 4, 6, 7, 5]),
            ("tempo", True, [6, 4, 2, 8, 1, 3, 7, 5]),
            ("favourite", False, [2, 1, 8, 3, 7, 4, 6, 5]),
        ):
            with self.subTest(sort=sort, descending=descending):
                self.assertEqual(self.numbers(sort=sort, descending=descending), wanted)
        by_change = self.numbers(AT_100, sort="change")
        self.assertEqual(set(by_change[:3]), {2, 3, 8})

    def test_counts_say_what_each_choice_would_leave(self):
        facets = self.index.find(Query(sounds=frozenset({"drums"}))).facets
        # Of its own facet all are counted, of the others those that are left.
        self.assertEqual(facets.sounds["chords"], 2)
        self.assertEqual(facets.sounds["drums"], 2)
        self.assertEqual(facets.kinds, {"audio": 2})
        self.assertEqual(facets.sets, {"Quay": 2})
        self.assertEqual(facets.tags, {"old": 1, "warm": 1})
        everything = self.index.find(Query()).facets
        self.assertEqual((everything.hits["hits"], everything.favourite, everything.printed),
                         (1, 1, 1))  # fmt: skip
        self.assertEqual(sum(everything.tempo), 6)
        self.assertEqual(everything.tempo[(100 - 40) // 5], 2)

    def test_pages_meet(self):
        whole = [row.sha for row in self.index.find(Query(sort="name")).rows]
        pages = [
            row.sha
            for first in range(0, 9, 3)
            for row in self.index.find(Query(sort="name"), None, first, 3).rows
        ]
        self.assertEqual(pages, whole)
        self.assertEqual(list(self.index.shas(Query(sort="name"))), whole)

    def test_it_keeps_up(self):
        self.index.find(Query())
        self.store.add(loop(9, "New one", tempo=77.0))
        self.assertEqual(self.numbers(words="new"), [9])
        self.store.change([LOOPS[0].sha], "renamed", lambda _: {"name": "Other"}, "now")
        self.assertEqual(self.numbers(words="dusty break"), [2])
        self.assertEqual(self.numbers(words="other"), [1])
        self.store.change([LOOPS[0].sha], "tagged", lambda _: {"tags": '["fresh"]'}, "now")
        self.assertEqual(self.numbers(tags=frozenset({"warm"})), [])
        self.assertEqual(self.numbers(tags=frozenset({"fresh"})), [1])
        self.store.change([LOOPS[1].sha], "off", lambda _: {"on_shelf": False}, "now")
        self.assertNotIn(2, self.numbers())
        self.store.state(LOOPS[2].sha, Reading(2, 4, 25.0, 0.0, 19.2, 1.0))
        self.assertEqual(self.numbers(tempo=(20, 30)), [3])
        # A second index, as after a restart, sees the same.
        again = ShelfIndex(self.store)
        self.assertEqual(again.shas(Query(sort="name")), self.index.shas(Query(sort="name")))

    def test_facts_are_derived_anew_where_they_are_missing(self):
        with self.engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM facts")
        self.assertEqual(len(ShelfIndex(LoopStore(self.engine)).shas(Query())), len(LOOPS))

    def test_a_change_is_taken_back_and_that_again(self):
        sha = LOOPS[3].sha
        change, count = self.store.change([sha], "renamed", lambda _: {"name": "A"}, "now")
        self.assertEqual(count, 1)
        back, label, *_ = self.store.take_back(change, "now")
        self.assertEqual((self.store.get(sha).name, label), ("Lamp chords", "renamed"))
        self.store.take_back(back, "now")
        self.assertEqual(self.store.get(sha).name, "A")

    def test_only_what_is_a_persons_can_be_changed(self):
        with self.assertRaises(ValueError):
            self.store.change([LOOPS[0].sha], "x", lambda _: {"seconds": 1.0}, "now")
        self.assertEqual(self.store.get(LOOPS[0].sha), replace(LOOPS[0]))


class ManyTest(unittest.TestCase):
    ROWS = 50_000

    def test_fifty_thousand_are_searched_and_counted_in_no_time(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        engine = opened_database(Path(folder.name) / "a.sqlite")
        self.addCleanup(engine.dispose)
        kinds = ("drums", "bass", "chords", "line", "pad")
        one = facts_columns(loop(1, "x", tempo=100.0), 1)
        rows = [
            {
                **one, "sha": f"{i:064x}", "stamp": i, "name": f"oak {kinds[i % 5]} {i % 999}",
                "sound": kinds[i % 5], "tempo_bpm": 60.0 + i % 120, "set_name": f"pack {i // 40}",
                "favourite": i % 50 == 0,
            }
            for i in range(1, self.ROWS + 1)
        ]  # fmt: skip
        with engine.begin() as connection:
            connection.execute(insert(FactsRow), rows)
        index = ShelfIndex(LoopStore(engine))
        index.find(Query())
        times = []
        for asked in (
            {"words": "o"}, {"words": "oak drums 7"}, {"words": "oak", "sort": "name"},
            {"sounds": frozenset({"bass"}), "sort": "tempo"}, {"tempo": (90, 120)},
            {"stretch_within": 10.0, "sort": "change"}, {"favourite": True, "words": "drums"},
            {"words": "77 bpm"},
        ) * 3:  # fmt: skip
            began = time.process_time()
            found = index.find(Query(**asked), AT_100, 0, 60)
            times.append(time.process_time() - began)
            self.assertGreater(found.total, 0)
        # 100 ms are wanted of the server at the 95th percentile, alone; here others compute beside.
        self.assertLess(sorted(times)[len(times) // 2], 0.1)
        drums = index.find(Query(words="oak drums"))
        self.assertEqual(drums.total, self.ROWS // 5)
        self.assertEqual(drums.facets.sounds, {"drums": self.ROWS // 5})
        everything = index.find(Query()).facets
        self.assertEqual(sum(everything.tempo), self.ROWS)
        self.assertEqual(everything.favourite, self.ROWS // 50)
