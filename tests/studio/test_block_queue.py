import unittest
from concurrent.futures import Future

from zeroknot.studio.block_queue import BlockQueue


class BlockQueueTest(unittest.TestCase):
    def setUp(self):
        self.now = 100.0
        self.queue = BlockQueue(clock=lambda: self.now)
        self.begun = []
        self.futures = {}

    def ask(self, name, due_in, **how):
        def begin():
            self.begun.append(name)
            self.futures[name] = Future()
            return self.futures[name]

        return self.queue.ask((name, 0), due_in, begin, **how)

    def end(self, name):
        self.futures[name].set_result(None)

    def test_what_is_due_first_is_rendered_first_and_the_newer_among_equals(self):
        self.ask("running", 9)
        for name, due in (("late", 3), ("old", 1), ("soon", 0.2), ("new", 1)):
            self.ask(name, due)
        for name in ("running", "soon", "new", "old", "late"):
            self.assertEqual(self.begun[-1], name)
            self.end(name)
        self.assertEqual(len(self.begun), 5)

    def test_due_counts_from_when_it_was_asked(self):
        self.ask("running", 0)
        self.ask("first", 1)
        self.now += 0.9
        self.ask("second", 0.5)
        self.end("running")
        self.assertEqual(self.begun[-1], "first")

    def test_asked_twice_it_is_one_question_as_urgent_as_the_more_urgent(self):
        self.ask("running", 0)
        one = self.ask("block", 5)
        self.ask("other", 1)
        again = self.ask("block", 0.1)
        self.assertIs(one, again)
        self.end("running")
        self.assertEqual(self.begun, ["running", "block"])
        self.end("block")
        self.assertIsNone(one.future.result(0))

    def test_what_nobody_waits_for_any_more_is_not_rendered(self):
        self.ask("running", 0)
        one, two = self.ask("block", 1), self.ask("block", 1)
        self.queue.leave(one)
        self.assertFalse(two.future.cancelled())
        self.queue.leave(two)
        self.assertTrue(two.future.cancelled())
        self.end("running")
        self.assertEqual(self.begun, ["running"])

    def test_what_is_being_rendered_goes_on_when_its_page_leaves(self):
        running = self.ask("running", 0)
        self.queue.leave(running)
        self.end("running")
        self.assertIsNone(running.future.result(0))

    def test_what_was_begun_ahead_stays_when_a_page_that_asked_leaves(self):
        self.ask("running", 0)
        self.ask("ahead", 1, counts=False)
        self.queue.leave(self.ask("ahead", 0))
        self.end("running")
        self.assertEqual(self.begun, ["running", "ahead"])

    def test_a_failure_reaches_who_waits_and_the_next_is_rendered(self):
        one = self.ask("one", 0)
        self.ask("two", 1)
        self.futures["one"].set_exception(ValueError("no"))
        with self.assertRaisesRegex(ValueError, "no"):
            one.future.result(0)
        self.assertEqual(self.begun, ["one", "two"])
