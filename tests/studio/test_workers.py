import asyncio
import os
import subprocess
import sys
import time
import unittest

from zeroknot.studio.announcer import MOST_WAITING, Announcer
from zeroknot.studio.executors import Executors

ORPHAN = """
import os, signal
from zeroknot.studio.executors import Executors
if __name__ == "__main__":
    executors = Executors.processes(1)
    pool = executors._rendering
    pool.submit(len, "ab").result()
    print(next(iter(pool._processes)), flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
"""


class ExecutorsTest(unittest.TestCase):
    def test_workers_end_with_their_server_however_it_ends(self):
        import tempfile

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
        with self.assertRaises(AttributeError):
            executors.render("no_such_task").result()


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
