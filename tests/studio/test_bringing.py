"""Files, folders and archives on their way in: what is refused by name, and what a crash leaves."""

import io
import os
import struct
import zipfile
import zlib
from concurrent.futures import Future
from pathlib import Path
from unittest.mock import patch

import numpy as np
from sqlmodel import Session, select

from tests.core.listening.test_midi_reading import SIX_EIGHT
from tests.sounds import audio, even_notes, rendered, sine
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.formats.archive import is_hidden
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.listening.reading import Reading
from zeroknot.store.company import CompanyStore
from zeroknot.store.damaged import DATABASE
from zeroknot.store.shelf_query import Query
from zeroknot.store.tables import RevisionRow
from zeroknot.studio.bring import item_json
from zeroknot.studio.executors import InlineExecutor
from zeroknot.studio.incoming_names import names_of
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo


def packed(members, **options):
    """A ZIP archive of (name, bytes)."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, **options) as archive:
        for name, data in members:
            archive.writestr(zipfile.ZipInfo(name), data)
    return out.getvalue()


def tone(hertz):
    return wav_bytes(audio(sine(hertz, 0.6)), 16)


def tone_of(hertz):
    """A short one that dies away: quick to listen to."""
    short = sine(hertz, 0.12) * np.exp(-np.arange(5292) / 900)
    return wav_bytes(audio(short), 16)


class ArchivesTest(StudioTest):
    def states(self):
        return {i.name: (i.state, i.reason) for i in self.studio.bringing.items()}

    def test_an_archive_comes_in_file_by_file(self):
        data = packed([
            ("pack/keys 1.wav", tone(220)), ("pack/keys 2.wav", tone(330)), ("six.mid", SIX_EIGHT),
            ("pack/cover.jpg", b"\xff\xd8\xff\xe0 picture"), ("__MACOSX/pack/._keys 1.wav", b"x"),
            ("pack/.DS_Store", b"x"), ("pack/", b""),
        ])  # fmt: skip
        self.assertEqual(self.bring(data, "Quay.zip").state, "opened")
        states = self.states()
        self.assertEqual(states["Quay/pack/keys 1.wav"][0], "done")
        self.assertEqual(states["Quay/six.mid"][0], "done")
        self.assertEqual(states["Quay/pack/cover.jpg"][0], "refused")
        self.assertEqual(len(states), 5)  # what a system keeps for itself is not even named
        self.assertEqual({x.set_name for x in self.on_shelf()}, {"pack", "Quay"})
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_names_that_lead_out_are_refused_by_name(self):
        data = packed([
            ("../evil.wav", tone(220)), ("a/../../b.wav", tone(221)), ("/etc/c.wav", tone(222)),
            ("..\\d.wav", tone(223)), ("C:\\e.wav", tone(224)), ("good.wav", tone(225)),
        ])  # fmt: skip
        self.bring(data, "x.zip")
        refused = {n: r for n, (s, r) in self.states().items() if s == "refused"}
        self.assertEqual(len(refused), 5)
        self.assertTrue(all("leads out of the archive" in r for r in refused.values()))
        self.assertEqual([x.name for x in self.on_shelf()], ["good"])
        outside = [p for p in self.folder.parent.glob("*.wav")]
        self.assertEqual(outside, [])
        self.bring(data, "x.zip")
        self.assertEqual(self.studio.bringing.counts()["refused"], 5)

    def test_a_bomb_is_refused_before_it_unpacks(self):
        # 10 GB of zeros: a stored entry that says so, without the bytes.
        small = packed([("zeros.wav", b"\0" * 1000)])
        bomb = bytearray(small)
        at = small.index(b"PK\x01\x02")  # central directory: uncompressed size at +24
        struct.pack_into("<I", bomb, at + 24, 4_000_000_000)
        item = self.bring(bytes(bomb), "bomb.zip")
        self.assertEqual(item.state, "refused")
        self.assertIn("would unpack to 4.0 GB", item.reason)
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_an_entry_that_lies_about_its_size_stops_there(self):
        data = bytearray(packed([("zeros.wav", b"\0" * 5_000_000)]))
        for mark, offset in ((b"PK\x01\x02", 24), (b"PK\x03\x04", 22)):
            struct.pack_into("<I", data, data.index(mark) + offset, 1000)
        self.bring(bytes(data), "liar.zip")
        state, reason = self.states()["liar/zeros.wav"]
        self.assertEqual(state, "refused")
        self.assertRegex(reason, "more than the archive says|damaged|not an|neither")
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_an_archive_in_an_archive_stays_inside(self):
        # One that holds itself would never end.
        inner = packed([("deep.wav", tone(440))])
        self.bring(packed([("inner.zip", inner), ("near.wav", tone(441))]), "outer.zip")
        self.assertEqual([x.name for x in self.on_shelf()], ["near"])
        self.assertIn("archive in an archive", self.states()["outer/inner.zip"][1])
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_damage_is_said(self):
        good = packed([("a.wav", tone(220)), ("b.wav", tone(330))])
        for name, data, said in (
            ("cut.zip", good[: len(good) // 2], "damaged or cut off"),
            ("empty.zip", packed([]), "no files"),
        ):
            with self.subTest(name):
                item = self.bring(data, name)
                self.assertEqual(item.state, "refused")
                self.assertIn(said, item.reason)
        broken = bytearray(good)
        start = good.index(b"a.wav") + 20
        broken[start : start + 40] = os.urandom(40)
        self.bring(bytes(broken), "broken.zip")
        states = self.states()
        self.assertEqual(states["broken/a.wav"][0], "refused")
        self.assertEqual(states["broken/b.wav"][0], "done")

    def test_a_locked_entry_is_named(self):
        data = bytearray(packed([("secret.wav", tone(220))]))
        at = data.index(b"PK\x01\x02")
        data[at + 8] |= 1  # bit 0 of the flags: encrypted
        self.bring(bytes(data), "locked.zip")
        self.assertIn("password", self.states()["locked/secret.wav"][1])


class FoldersTest(StudioTest):
    def test_a_folder_comes_in_and_stays_where_it_is(self):
        pack = self.folder / "elsewhere" / "Pack"
        (pack / "sub").mkdir(parents=True)
        (pack / "one.wav").write_bytes(tone(220))
        (pack / "sub" / "two.wav").write_bytes(tone(330))
        (pack / "empty.wav").write_bytes(b"")
        (pack / ".hidden.wav").write_bytes(tone(440))
        (pack / "double.wav").write_bytes(tone(220))
        unreadable = pack / "locked.wav"
        unreadable.symlink_to(pack / "nowhere.wav")
        items = {i.name: i for i in self.studio.bringing.begin_paths([pack])}
        states = {name: item.state for name, item in items.items()}
        self.assertEqual(states["Pack/sub/two.wav"], "done")
        self.assertEqual(sorted(states.values()), ["done", "done", "double", "refused"])
        self.assertIn("empty", items["Pack/empty.wav"].reason)
        self.assertTrue((pack / "one.wav").exists())
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])
        gone = self.studio.bringing.begin_paths([pack / "nowhere.wav"])[0]
        self.assertIn("cannot be read", gone.reason)

    def test_names(self):
        self.assertEqual(names_of("pack/loops/kick 92.wav"), ("kick 92", "loops", "pack"))
        self.assertEqual(names_of("../..\\a.wav"), ("a",))
        for name, hidden in ((".DS_Store", True), ("a/.b/c.wav", True), ("a/b.wav", False),
                             ("../a.wav", False), ("Thumbs.db", True)):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(is_hidden(name), hidden)


class CompanyTest(StudioTest):
    def test_what_was_stated_of_a_pack_has_a_say_in_what_comes_of_it_next(self):
        sound, bpm = even_notes(), 1920 / 11
        alone = self.bring(wav_bytes(sound, 16), "Other pack/Lone bass.wav")
        heard = self.studio.loops.get(alone.sha).hearing.readings
        before = next((r.confidence for r in heard if abs(r.tempo_bpm - bpm) < 0.1), 0.0)
        for i in range(3):
            item = self.bring(tone_of(100 + i), f"Dusty pack/{i}.wav")
            self.studio.loops.state(item.sha, Reading(1, 4, bpm, 0.0, 0.12, 1.0))
        again = self.bring(wav_bytes(sound, 24), "Dusty pack/Bass.wav")
        heard = self.studio.loops.get(again.sha).hearing.readings
        after = next(r for r in heard if abs(r.tempo_bpm - bpm) < 0.1)
        self.assertGreater(after.confidence, before + 0.1)
        self.assertIn("others of Dusty pack that you stated", after.reason)

    def test_what_is_counted_here_is_known_latest_first(self):
        companies = CompanyStore(self.studio._engine)
        item = self.bring(wav_bytes(rendered("drums_103"), 16), "Dusty pack/Plates.wav")
        (heard,) = companies.of("Dusty pack").heard
        self.assertEqual((heard[0], round(heard[1])), (item.sha, 103))
        self.assertEqual(companies.of("Other pack").heard, ())
        self.assertEqual(companies.of("").heard, ())
        # Once it is stated it is a member, and what this person counts in is told to every set.
        self.studio.loops.state(item.sha, Reading(1, 4, 51.5, 0.0, 4.66, 1.0))
        company = companies.of("Dusty pack")
        self.assertEqual((company.heard, company.members[0].tempo_bpm), ((), 51.5))
        self.assertEqual(companies.of("Other pack").habit, ((item.sha, 51.5),))

    def test_a_projects_tempo_has_a_say_once_something_lies_in_it(self):
        self.assertIsNone(self.studio.projects.tempo_now())
        item = self.bring(wav_bytes(rendered("drums_103"), 16), "Plates.wav")
        project = self.studio.projects.create("Late")
        self.studio.projects.opened(project)
        self.assertIsNone(self.studio.projects.tempo_now())
        self.submit(project, Place(hand=item.sha, beat=0))
        self.submit(project, SetSteadyTempo(bpm=87.5))
        self.assertEqual(self.studio.projects.tempo_now(), 87.5)
        self.assertEqual(self.studio.bringing._company_of("").project_bpm, 87.5)

    def test_loops_come_in_beside_a_project_that_cannot_be_read(self):
        project = self.studio.projects.create("Damaged")
        self.studio.projects.opened(project)
        for damage in (b"no tree", zlib.compress(b"{no tree"), zlib.compress(b"{}")):
            with self.subTest(damage), Session(self.studio._engine) as session:
                for row in session.exec(select(RevisionRow)):
                    row.tree = damage
                    session.add(row)
                session.commit()
                self.studio.projects._trees.clear()
                name = f"{len(damage)}.wav"
                self.assertEqual(self.bring(tone_of(200 + len(damage)), name).state, "done")


class HundredsTest(StudioTest):
    def test_hundreds_of_files_and_none_is_lost_or_doubled(self):
        pack = self.folder / "elsewhere" / "Hundreds"
        pack.mkdir(parents=True)
        for i in range(200):
            # Two of them are one file, four are none.
            data = b"dear friend" if i % 50 == 7 else tone_of(440 if i % 100 == 3 else 50 + i)
            (pack / f"hit {i}.wav").write_bytes(data)
        items = self.studio.bringing.begin_paths([pack])
        counts = self.studio.bringing.counts()
        self.assertEqual(len(items), 200)
        self.assertEqual(
            {k: v for k, v in counts.items() if v}, {"done": 195, "double": 1, "refused": 4}
        )
        found = self.studio.shelf.find(Query(hits="hits"))
        self.assertEqual(self.studio.shelf.find(Query()).total, 195)
        self.assertGreater(found.total, 180)
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])
        self.assertEqual(len(list(self.studio.store.audio.glob("??/*"))), 195)


class GoingOnTest(StudioTest):
    """What a restart finds, wherever the power went."""

    def stopped_with(self, **change):
        """A file on its way in, as a crash at some moment leaves it."""
        from zeroknot.store.incoming import Incoming, IncomingStore

        path = self.studio.store.new_incoming()
        data = tone(247)
        item = Incoming("abc", "pack/late.wav", path, True, **change.pop("item", {}))
        IncomingStore(self.studio._engine).keep([item])
        if change.get("has_place"):
            place = self.studio.store.place_of(item.sha)
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(data)
        else:
            path.write_bytes(data)
        self.studio.close()
        return self.opened()

    def test_wherever_it_stopped_it_comes_in_once(self):
        import hashlib

        sha = hashlib.sha256(tone(247)).hexdigest()
        for name, change in {
            "before it was listened to": {},
            "its hash noted, not yet in its place": {"item": {"sha": sha}},
            "in its place, its row not yet there": {"item": {"sha": sha}, "has_place": True},
        }.items():
            with self.subTest(name):
                self.setUp()
                studio = self.stopped_with(**change)
                self.assertEqual(studio.bringing.item("abc").state, "done")
                self.assertEqual(studio.loops.shas(), {sha})
                self.assertTrue(studio.store.path(sha).exists())
                self.assertEqual(list(studio.store.incoming.iterdir()), [])

    def test_recordings_that_no_row_knows_are_not_lost(self):
        """An older database put back, or none: they were swept away as soon as it began."""
        first = self.bring(tone(220), "a.wav").sha
        self.studio.close()
        older = (self.folder / DATABASE).read_bytes()
        second = self.opened()
        later = self.bring(tone(330), "b.wav", second).sha
        second.close()
        for what, database in (("an older one", older), ("none", None)):
            with self.subTest(what):
                for file in self.folder.glob(f"{DATABASE}*"):
                    file.unlink()
                if database:
                    (self.folder / DATABASE).write_bytes(database)
                studio = self.opened()
                self.assertEqual(studio.loops.shas(), {first, later})
                found = studio.shelf.loop(later)
                self.assertEqual((found.name, found.set_name), (later[:8], "found again"))
                self.assertTrue(studio.store.path(later).exists())
                studio.close()

    def test_a_file_that_went_meanwhile_is_named(self):
        from zeroknot.store.incoming import Incoming, IncomingStore

        gone = Incoming("abc", "pack/gone.wav", Path("/nowhere/gone.wav"), False)
        IncomingStore(self.studio._engine).keep([gone])
        self.studio.close()
        item = self.opened().bringing.item("abc")
        self.assertEqual(item.state, "refused")
        self.assertIn("cannot be read", item.reason)

    def test_the_list_outlives_a_restart_until_it_is_cleared(self):
        self.bring(tone(220), "a.wav")
        self.bring(b"no sound", "b.wav")
        self.studio.close()
        studio = self.opened()
        self.assertEqual([i.state for i in studio.bringing.items()], ["done", "refused"])
        studio.bringing.forget_ended()
        self.assertEqual(studio.bringing.items(), [])
        self.assertEqual(self.opened().bringing.items(), [])


class RefusedTest(StudioTest):
    """What could not be brought in is kept until the person says otherwise."""

    def test_its_bytes_are_kept_under_its_name_until_the_list_is_cleared(self):
        item = self.bring(b"no sound", "pack/Rim shot?.wav")
        self.assertEqual(item.state, "refused")
        [kept] = self.studio.store.refused.iterdir()
        self.assertEqual(kept.read_bytes(), b"no sound")
        self.assertRegex(kept.name, r"^\w{6} Rim shot_\.wav$")
        self.assertEqual(item_json(item)["kept"], f"refused/{kept.name}")
        self.studio.close()
        studio = self.opened()
        self.assertEqual(studio.bringing.item(item.id).path, kept)
        studio.bringing.forget_ended()
        self.assertEqual(list(studio.store.refused.iterdir()), [])

    def test_the_same_file_is_listed_and_kept_once_however_often_it_is_tried(self):
        for _ in range(3):
            item = self.bring(b"no sound", "pack/rim.wav")
        late = self.studio.bringing.refuse("huge.wav", "it is larger than 3 GB")
        late = self.studio.bringing.refuse("huge.wav", "it is larger than 3 GB")
        others = [self.bring(b"other bytes", "pack/rim.wav"), self.bring(b"no sound", "rim.wav")]
        listed = [item.id, late.id, *(other.id for other in others)]
        self.assertEqual([i.id for i in self.studio.bringing.items()], listed)
        self.assertEqual(self.studio.bringing.counts()["refused"], 4)
        kept = [i.path for i in (item, *others)]
        self.assertEqual(sorted(self.studio.store.refused.iterdir()), sorted(kept))
        self.studio.close()
        studio = self.opened()
        self.assertEqual([i.id for i in studio.bringing.items()], listed)
        # Tried again where it stands it stays where it stands.
        self.assertEqual(studio.bringing.again(item.id).state, "refused")
        self.assertEqual([i.id for i in studio.bringing.items()], listed)
        self.assertTrue(studio.bringing.item(item.id).path.is_file())

    def test_of_two_tries_that_end_at_once_one_stays(self):
        bringing = self.studio.bringing
        with patch.object(bringing, "_forget_older"):
            items = [self.bring(b"no sound", "rim.wav") for _ in range(2)]
        for item in items:  # each has seen the other end by now
            bringing._forget_older(item)
        self.assertEqual([i.id for i in bringing.items()], [items[-1].id])
        [kept] = self.studio.store.refused.iterdir()
        self.assertEqual(kept, items[-1].path)

    def test_it_is_tried_again_when_what_stood_in_its_way_is_gone(self):
        class Dying(InlineExecutor):
            def submit(self, fn, *args):
                future = Future()
                future.set_exception(ZeroKnotError("the process that worked on it ended twice"))
                return future

        executors, bringing = self.studio.executors, self.studio.bringing
        whole, executors._listening = executors._listening, Dying()
        item = self.bring(tone(220), "a.wav")
        self.assertIn("ended twice", item.reason)
        executors._listening = whole
        self.assertEqual(bringing.again(item.id).state, "done")
        self.assertEqual(list(self.studio.store.refused.iterdir()), [])
        with self.assertRaisesRegex(EditError, "not there any more"):
            bringing.again(item.id)

    def test_a_file_of_the_persons_own_stays_where_it_is(self):
        mine = self.folder / "mine.wav"
        mine.write_bytes(b"no sound")
        [item] = self.studio.bringing.begin_paths([mine])
        self.assertEqual((item.state, item.path), ("refused", mine))
        self.assertEqual((item_json(item)["kept"], item_json(item)["is_there"]), ("", True))
        self.studio.bringing.forget_ended()
        self.assertTrue(mine.exists())


class LoudnessTest(StudioTest):
    def test_it_is_measured_when_a_loop_comes_in(self):
        # EBU Tech 3341: 1 kHz at -23 dBFS in both channels reads -23.0 LUFS.
        tone_ = sine(1000, 20.0, 10 ** (-23 / 20))
        import numpy as np

        from zeroknot.core.audio import Audio

        sound = Audio(np.stack([tone_, tone_]).astype(np.float32), 44_100)
        loop = self.studio.shelf.loop(self.bring(wav_bytes(sound, 32), "t.wav").sha)
        self.assertAlmostEqual(loop.hearing.loudness_db, -23.0, delta=0.1)
        self.assertIsNotNone(self.loop("drums_103").hearing.loudness_db)
