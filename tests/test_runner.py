"""What the runner counts where a browser test fails beside others; what tests remember."""

import contextlib
import io
import unittest

from tests import heard
from tests.browser.harness import with_chunk
from tests.runner import MOST_TRIED_ALONE, Told, try_alone
from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.listening.readings import listen_closely

IN_BROWSER = "tests.browser.test_it.ItTest.test_it"


class HeardTest(StudioTest):
    def test_a_recording_that_comes_again_is_not_listened_to_again(self):
        """Else every test that brings a loop listens anew, and only the clock would tell."""
        listen, calls = heard.incoming.listen_closely, []
        self.assertTrue(hasattr(listen, "is_remembered"))

        def counted(*given):
            calls.append(given)
            return listen_closely(*given)

        heard.incoming.listen_closely = heard.remembered(counted)
        self.addCleanup(setattr, heard.incoming, "listen_closely", listen)
        wav = wav_bytes(rendered("drums_103"), 16)
        for data in (wav, with_chunk(wav, b"junk", b"another file")):
            self.assertIsNotNone(self.bring(data, "drums.wav").sha)
        self.assertEqual(len(calls), 1)


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
