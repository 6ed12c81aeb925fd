"""What the runner counts where a browser test fails beside others."""

import contextlib
import io
import unittest

from tests.runner import MOST_TRIED_ALONE, Told, try_alone

IN_BROWSER = "tests.browser.test_it.ItTest.test_it"


class RunnerTest(unittest.TestCase):
    def tried(self, names, run_alone):
        told = [Told("one", passed=5, failed=dict.fromkeys(names, "FAIL"))]
        with contextlib.redirect_stdout(io.StringIO()) as said:
            try_alone(told, run_alone)
        return told[0], said.getvalue()

    def test_what_passes_alone_is_counted_and_said(self):
        told, said = self.tried([IN_BROWSER], lambda name: Told(name, passed=1))
        self.assertEqual((told.passed, told.failed), (6, {}))
        self.assertIn(f"UNSTEADY: failed beside others, passed alone: {IN_BROWSER}", said)

    def test_what_fails_twice_has_failed(self):
        told, said = self.tried([IN_BROWSER], lambda name: Told(name, failed={name: "why"}))
        self.assertEqual((told.passed, list(told.failed)), (5, [IN_BROWSER]))
        self.assertIn("why", said)

    def test_what_ran_nothing_has_not_passed(self):
        told, _ = self.tried([IN_BROWSER], Told)
        self.assertEqual(list(told.failed), [IN_BROWSER])

    def test_no_second_try_outside_the_browser_or_for_many(self):
        def run_alone(name):
            raise AssertionError(f"{name} was run again")

        told, _ = self.tried(["tests.core.test_it.ItTest.test_it"], run_alone)
        self.assertEqual(len(told.failed), 1)
        many = [f"{IN_BROWSER}_{i}" for i in range(MOST_TRIED_ALONE + 1)]
        told, _ = self.tried(many, run_alone)
        self.assertEqual(len(told.failed), len(many))
