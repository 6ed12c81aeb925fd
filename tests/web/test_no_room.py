"""A disk without room is said in a sentence, whatever wanted to write; nothing that was is lost."""

import errno
import os
import resource
from contextlib import contextmanager
from unittest import mock

import numpy as np
from sqlalchemy import event

from tests.sounds import rendered
from tests.web.helper import WebTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.store import plans
from zeroknot.store.audio_store import write_whole
from zeroknot.store.room import NO_ROOM
from zeroknot.studio.tasks import incoming, sources


class NoRoomTest(WebTest):
    @contextmanager
    def full_database(self):
        """SQLite's own limit: no page more than there are."""
        engine = self.app.state.studio._engine

        def limit(connection, record, proxy, pages=1):
            connection.execute(f"PRAGMA max_page_count = {pages}")

        def no_limit(connection, record, proxy):
            limit(connection, record, proxy, 2**30)

        event.listen(engine, "checkout", limit)
        try:
            yield
        finally:
            event.remove(engine, "checkout", limit)
            event.listen(engine, "checkout", no_limit)

    def test_an_edit_is_refused_and_the_project_is_as_it_was(self):
        project = self.project()
        with self.full_database():
            for bpm in range(90, 190):
                before = self.client.get(f"/api/projects/{project}").json()
                said = self.intent(project, kind="set_steady_tempo", bpm=bpm)
                if said.status_code != 200:
                    break
            self.assertEqual((said.status_code, said.json()), (507, {"error": NO_ROOM}))
            self.assertEqual(self.client.get(f"/api/projects/{project}").json(), before)
        self.assertEqual(self.intent(project, kind="set_steady_tempo", bpm=99).json()["bpm"], 99)

    def test_a_page_says_it_as_a_page(self):
        project = self.project()
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        with mock.patch.object(self.app.state.studio.projects, "opened", side_effect=full):
            page = self.client.get(f"/p/{project}/shelf")
        self.assertEqual(page.status_code, 507)
        self.assertIn("the disk is full", page.text)

    def test_an_upload_leaves_nothing_behind(self):
        there = self.folder / "incoming" / "full"
        there.symlink_to("/dev/full")
        with mock.patch.object(self.app.state.studio.store, "new_incoming", return_value=there):
            said = self.client.put("/api/incoming", params={"name": "a"}, content=b"a" * 100_000)
        self.assertEqual((said.status_code, said.json()), (507, {"error": NO_ROOM}))
        self.assertFalse(there.is_symlink())

    def test_a_file_that_came_is_refused_and_tried_again(self):
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        with mock.patch.object(incoming, "write_peaks", side_effect=full):
            item = self.bring(wav_bytes(rendered("drums_103"), 16), "drums.wav")
        self.assertEqual((item["state"], item["reason"]), ("refused", NO_ROOM))
        self.assertTrue(item["kept"])

    def test_what_is_cut_short_leaves_nothing_beside_it(self):
        """Python ignores the signal of a file that grows too large; writing it fails."""
        samples = np.asfortranarray(np.random.default_rng(1).random((2, 50_000), np.float32))
        whole, made = self.folder / "peaks", lambda: samples
        soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
        resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, hard))
        try:
            with self.assertRaises(OSError):
                write_whole(whole, bytes(200_000))
            with self.assertRaises(OSError) as raised:
                sources._mapped(self.folder, "ab", "one", made)
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
        self.assertEqual(raised.exception.errno, errno.EFBIG)  # why, as for a disk that is full
        self.assertEqual([p for p in self.folder.rglob("*") if p.name.startswith(".")], [])
        np.testing.assert_array_equal(sources._mapped(self.folder, "ab", "one", made), samples)

    def test_a_song_plays_though_its_plans_are_not_kept(self):
        sha, project = self.loop(), self.project()

        def opened(file):
            connection = plans_opened(file)
            connection.execute("PRAGMA max_page_count = 1")
            return connection

        plans_opened, store = plans._opened, self.app.state.studio.renders._kept
        with mock.patch.object(plans, "_opened", opened):
            store._connection.close()
            for bpm in range(90, 100):
                self.intent(project, kind="set_steady_tempo", bpm=bpm)
                sheet = self.client.get(f"/api/projects/{project}/hand/{sha}/sheet")
                self.assertEqual(sheet.status_code, 200)
        block = self.client.get(f"/api/renders/{sheet.json()['digest']}/0")
        self.assertEqual(block.status_code, 200)
