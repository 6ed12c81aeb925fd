"""What takes long: told, ended, gone on with after a restart; and many loops changed that way."""

import contextlib
import io
import random
import threading
import time
import unittest
from unittest import mock

from benchmarks.shelf import made_up
from sqlmodel import Session

from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, NotFoundError
from zeroknot.store import loops
from zeroknot.store.codec import loop_row
from zeroknot.store.facts import derive
from zeroknot.studio import shelf
from zeroknot.studio.shelf_edits import Favour, Tag

SOON = 60.0
COUNT = 1_200


class JobsCase(StudioTest):
    def setUp(self):
        super().setUp()
        self.said = []
        self.studio.announcer.say = lambda kind, **what: self.said.append((kind, what))

    def over(self, job):
        ended = self.studio.jobs.waited(job.id, SOON)
        self.assertTrue(ended.is_over, ended)
        return ended


class JobsTest(JobsCase):
    def test_what_came_of_it_is_told_and_kept(self):
        def count(job, progress):
            for i in range(job.arguments["to"]):
                progress.step(i + 1, job.arguments["to"])
            return {"counted": job.arguments["to"]}

        self.studio.jobs.learn("count", count)
        job = self.studio.jobs.begin("count", "counting", {"to": 5}, "mine")
        ended = self.over(job)
        self.assertEqual((ended.state, ended.done, ended.total), ("done", 5, 5))
        self.assertEqual(ended.result, {"counted": 5})
        # Asked again, it is the same one, and is not done again.
        self.assertEqual(self.studio.jobs.begin("count", "counting", {"to": 5}, "mine"), ended)
        self.assertEqual(self.studio.at_work(), [])
        last = [what["job"] for kind, what in self.said if kind == "job"][-1]
        self.assertEqual((last["state"], last["result"]), ("done", {"counted": 5}))
        self.assertNotIn("arguments", last)

    def test_one_that_fails_says_why_and_the_next_is_done(self):
        def fail(job, progress):
            raise EditError("there is no more room") if job.arguments else ZeroDivisionError("x")

        self.studio.jobs.learn("fail", fail)
        self.studio.jobs.learn("be", lambda job, progress: {})
        begun = [
            self.studio.jobs.begin(kind, "x", {"a": 1} if i else {}, None)
            for i, kind in enumerate(("fail", "fail", "be", "nobody does it"))
        ]
        ended = [self.over(job) for job in begun]
        self.assertEqual([job.state for job in ended], ["failed", "failed", "done", "failed"])
        self.assertEqual(ended[1].error, "there is no more room")
        self.assertTrue(all(job.error for job in ended if job.state == "failed"))

    def test_one_that_cannot_be_noted_takes_no_other_along(self):
        self.studio.jobs.learn("be", lambda job, progress: {})
        note = self.studio.jobs._store.note

        def full(job):
            if job.id == "first":
                raise OSError("no space left")
            note(job)

        with (
            mock.patch.object(self.studio.jobs._store, "note", full),
            contextlib.redirect_stderr(io.StringIO()),
        ):
            first, second = (self.studio.jobs.begin("be", "x", {}, n) for n in ("first", "second"))
            self.assertEqual(self.over(second).state, "done")
        self.assertFalse(self.studio.jobs.job(first.id).is_over)
        self.studio.close()
        self.studio = self.opened()
        self.studio.jobs.learn("be", lambda job, progress: {})
        self.assertTrue(self.over(first).is_over)

    def test_one_that_waits_is_let_go(self):
        going, begun = threading.Event(), threading.Event()

        def wait(job, progress):
            begun.set()
            going.wait(SOON)
            progress.step(1, 2)
            return {}

        self.studio.jobs.learn("wait", wait)
        first, second = (self.studio.jobs.begin("wait", "x", {}, None) for _ in range(2))
        begun.wait(SOON)
        self.studio.let_go(second.id)
        going.set()
        self.assertEqual(self.over(first).state, "done")
        self.assertEqual(self.over(second).state, "cancelled")
        self.studio.let_go(first.id)  # it is over: nothing happens
        self.assertEqual(self.studio.jobs.job(first.id).state, "done")
        with self.assertRaises(NotFoundError):
            self.studio.let_go("nothing")

    def test_files_that_come_in_are_told_as_one(self):
        self.assertEqual(self.studio.bringing.as_job(), [])
        item = self.bring(b"no sound", "x.wav")
        waiting = item.ended("waiting")
        self.studio.bringing._items["a"] = waiting
        [job] = self.studio.at_work()
        self.assertEqual((job.id, job.label, job.done, job.total), (
            "bring", "listening to 2 files", 1, 2))  # fmt: skip
        self.assertEqual(self.studio.let_go("bring").id, "bring")


class ManyLoopsTest(JobsCase):
    """Some thousand loops are changed, and nobody waits long for it."""

    def setUp(self):
        super().setUp()
        chance = random.Random(1)
        rows = [loop_row(made_up(i, chance)) for i in range(COUNT)]
        for row in rows:
            row.favourite, row.tags = False, "[]"
        with Session(self.studio._engine) as session, session.begin():
            session.add_all(rows)
            derive(session, *rows)
        self.shas = [f"{i:064x}" for i in range(COUNT)]

    def favourites(self):
        return sum(facts.favourite for facts in self.studio.loops.facts_since(0))

    def change(self, asked=None):
        return self.studio.shelf.change(self.shas, Favour(favourite=True), asked)

    def test_all_are_changed_and_taken_back_and_that_again(self):
        job = self.change("page's own")
        self.assertEqual(self.change("page's own").id, job.id)
        ended = self.over(job)
        self.assertEqual((ended.state, ended.result["count"]), ("done", COUNT))
        self.assertEqual(self.favourites(), COUNT)
        self.studio.loops.change(self.shas[:3], "x", lambda _: {"favourite": False}, "later")
        back = self.over(self.studio.shelf.take_back(ended.result["id"]))
        self.assertEqual((back.result["count"], back.result["left_out"]), (COUNT - 3, 3))
        self.assertEqual(self.favourites(), 0)
        again = self.over(self.studio.shelf.take_back(back.result["id"]))
        self.assertEqual((again.result["count"], self.favourites()), (COUNT - 3, COUNT - 3))

    def test_what_some_cannot_be_is_left_out(self):
        tags = tuple(f"t{i}" for i in range(40))
        self.studio.shelf.change(self.shas[:2], Tag(add=tags))
        ended = self.over(self.studio.shelf.change(self.shas, Tag(add=("one more",))))
        self.assertEqual((ended.result["count"], ended.result["left_out"]), (COUNT - 2, 2))

    def test_others_write_meanwhile(self):
        waited = []

        def somebody_else(stop):
            while not stop.is_set():
                began = time.perf_counter()
                self.studio.loops.state(self.shas[0], None)
                waited.append(time.perf_counter() - began)

        stop = threading.Event()
        other = threading.Thread(target=somebody_else, args=(stop,))
        other.start()
        began = time.perf_counter()
        self.over(self.change())
        took = time.perf_counter() - began
        stop.set()
        other.join()
        self.assertEqual(self.favourites(), COUNT)
        # In parts: nobody waits for all of it, however slow the machine is.
        self.assertLess(max(waited), 0.6 * took + 0.05)

    def test_after_the_power_went_it_goes_on_where_it_was(self):
        applied, derive_ = [], loops.derive

        def power_goes(session, *rows):
            if len(applied) == 2:
                raise SystemExit  # of this thread alone: no more is noted
            applied.append(len(rows))
            derive_(session, *rows)

        with mock.patch.object(loops, "derive", power_goes):
            job = self.change("page's own")
            self.studio.jobs._thread.join(SOON)
        self.assertEqual(self.favourites(), 2 * loops.BATCH)
        self.assertFalse(self.studio.jobs.job(job.id).is_over)
        self.studio.close()
        self.studio = self.opened()
        ended = self.over(job)
        self.assertEqual((ended.state, ended.result["count"]), ("done", COUNT))
        self.assertEqual(self.favourites(), COUNT)
        # It is one change, and taken back as one; so is what is asked again.
        self.assertEqual(self.change("page's own").result, ended.result)
        self.over(self.studio.shelf.take_back(ended.result["id"]))
        self.assertEqual(self.favourites(), 0)

    def test_a_clean_stop_ends_it_after_a_step_and_it_goes_on(self):
        with mock.patch.object(shelf, "ROOM_SECONDS", 0.3):
            job = self.change()
            while not self.favourites():
                time.sleep(0.01)
            self.studio.close()
        self.assertLess(self.favourites(), COUNT)
        self.studio = self.opened()
        self.assertEqual(self.over(job).state, "done")
        self.assertEqual(self.favourites(), COUNT)

    def test_a_person_ends_it_and_takes_back_what_was_done(self):
        with mock.patch.object(shelf, "ROOM_SECONDS", 0.3):
            job = self.change()
            while not self.favourites():
                time.sleep(0.01)
            self.studio.let_go(job.id)
            ended = self.over(job)
        self.assertEqual(ended.state, "cancelled")
        done = self.favourites()
        self.assertTrue(0 < done < COUNT)
        back = self.over(self.studio.shelf.take_back(ended.result["id"]))
        self.assertEqual((back.result["count"], self.favourites()), (done, 0))

    def test_a_taking_back_that_was_stopped_is_gone_on_with(self):
        change = self.over(self.change()).result["id"]
        with mock.patch.object(shelf, "ROOM_SECONDS", 0.3):
            job = self.studio.shelf.take_back(change)
            while self.favourites() == COUNT:
                time.sleep(0.01)
            self.studio.let_go(job.id)
            self.assertEqual(self.over(job).state, "cancelled")
        left = self.favourites()
        self.assertTrue(0 < left < COUNT)
        rest = self.over(self.studio.shelf.take_back(change))
        self.assertEqual((rest.result["count"], self.favourites()), (left, 0))


if __name__ == "__main__":
    unittest.main()
