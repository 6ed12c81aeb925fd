import asyncio
import multiprocessing
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from concurrent.futures import CancelledError
from pathlib import Path

from zeroknot.core.errors import ZeroKnotError
from zeroknot.studio.announcer import MOST_WAITING, Announcer
from zeroknot.studio.executors import Executors
from zeroknot.studio.sturdy_pool import SturdyPool

ORPHAN = """
import os, signal
from zeroknot.studio.executors import Executors
if __name__ == "__main__":
    executors = Executors.processes(1)
    pool = executors._rendering
    pool.submit(len, "ab").result()
    print(pool._workers[0].pid, flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
"""


def noted_sleep(path, seconds):
    with open(path, "a") as log:
        log.write("begun ")
    time.sleep(seconds)


class ExecutorsTest(unittest.TestCase):
    def test_workers_end_with_their_server_however_it_ends(self):
        with tempfile.NamedTemporaryFile("w", suffix=".py") as script:
            script.write(ORPHAN)
            script.flush()
            done = subprocess.run(
                [sys.executable, script.name],
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                text=True,
            )
        worker = int(done.stdout)
        for _ in range(100):
            try:
                os.kill(worker, 0)
            except ProcessLookupError:
                return
            time.sleep(0.05)
        self.fail("the worker outlived its server")

    def test_failures_come_back(self):
        executors = Executors.inline()
        with self.assertRaises(KeyError):
            executors.render("no_such_task").result()


class SturdyPoolTest(unittest.TestCase):
    def setUp(self):
        self.pool = self.pool_of(1)

    def pool_of(self, workers, **said):
        pool = SturdyPool(multiprocessing.get_context("forkserver"), workers, **said)
        self.addCleanup(pool.shutdown)
        return pool

    def test_a_task_that_ends_its_worker_takes_no_other_along(self):
        first = self.pool.submit(len, "ab")
        deadly = self.pool.submit(os._exit, 3)
        others = [self.pool.submit(len, "a" * n) for n in range(5)]
        self.assertEqual(first.result(60), 2)
        with self.assertRaisesRegex(ZeroKnotError, "ended twice"):
            deadly.result(60)
        self.assertEqual([f.result(60) for f in others], [0, 1, 2, 3, 4])
        self.assertEqual(self.pool.submit(len, "abc").result(60), 3)

    def test_only_the_culprit_fails_and_its_neighbour_knows_nothing(self):
        pool = self.pool_of(2)
        with tempfile.NamedTemporaryFile() as log:
            neighbour = pool.submit(noted_sleep, log.name, 2.0)
            while not Path(log.name).read_text():
                time.sleep(0.01)
            deadly = pool.submit(os._exit, 3)
            with self.assertRaisesRegex(ZeroKnotError, "ended twice"):
                deadly.result(60)
            self.assertIsNone(neighbour.result(60))
            self.assertEqual(Path(log.name).read_text(), "begun ")

    def test_what_hangs_is_given_up_and_the_next_is_done(self):
        pool = self.pool_of(1, deadline=1.0)
        with self.assertRaisesRegex(ZeroKnotError, "more than 1 seconds"):
            pool.submit(time.sleep, 600).result(60)
        self.assertEqual(pool.submit(len, "ab").result(60), 2)

    def test_what_runs_can_be_let_go(self):
        slow, next_one = self.pool.submit(time.sleep, 600), self.pool.submit(len, "ab")
        while not slow.running():
            time.sleep(0.001)
        self.assertTrue(self.pool.let_go(slow))
        with self.assertRaises(CancelledError):
            slow.result(60)
        self.assertEqual(next_one.result(60), 2)
        self.assertFalse(self.pool.let_go(next_one))

    def test_what_cannot_travel_is_said(self):
        with self.assertRaisesRegex(Exception, "pickle"):
            self.pool.submit(lambda: 1).result(60)
        with self.assertRaisesRegex(RuntimeError, "pickle"):
            self.pool.submit(threading.Lock).result(60)
        self.assertEqual(self.pool.submit(len, "ab").result(60), 2)

    def test_a_worker_killed_from_outside_does_its_task_again(self):
        self.pool.submit(len, "").result(60)
        worker = self.pool._workers[0].pid
        slow = self.pool.submit(time.sleep, 1.0)
        while not slow.running():
            time.sleep(0.001)
        time.sleep(0.2)
        os.kill(worker, signal.SIGKILL)
        self.assertIsNone(slow.result(60))

    def test_failures_come_back_and_waiting_tasks_can_be_cancelled(self):
        with self.assertRaises(ZeroDivisionError):
            self.pool.submit(divmod, 1, 0).result(60)
        slow = self.pool.submit(time.sleep, 0.5)
        while not slow.running():
            time.sleep(0.001)
        waiting = [self.pool.submit(len, "a") for _ in range(3)]
        self.assertEqual([f.cancel() for f in waiting], [True, True, True])
        self.assertFalse(slow.cancel())
        self.assertEqual(self.pool.submit(len, "ab").result(60), 2)


class AnnouncerTest(unittest.TestCase):
    def test_every_page_hears_until_it_leaves(self):
        async def scene():
            announcer = Announcer()
            one, two = announcer.listen(), announcer.listen()
            announcer.say("shelf", sha="a")
            await asyncio.sleep(0)
            announcer.leave(two)
            announcer.say("loop", sha="b")
            await asyncio.sleep(0)
            return [one.get_nowait(), one.get_nowait()], two.qsize()

        heard, left = asyncio.run(scene())
        self.assertEqual(heard, [{"kind": "shelf", "sha": "a"}, {"kind": "loop", "sha": "b"}])
        self.assertEqual(left, 1)

    def test_a_page_that_does_not_read_holds_nobody_up(self):
        async def scene():
            announcer = Announcer()
            queue = announcer.listen()
            for _ in range(MOST_WAITING + 50):
                announcer.say("shelf")
            await asyncio.sleep(0)
            return queue.qsize()

        self.assertEqual(asyncio.run(scene()), MOST_WAITING)
