"""Plans on disk, up to a size, those that were known last."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from zeroknot.core.render.plan import plan_ratio
from zeroknot.store import plans
from zeroknot.store.plans import PlanStore


class PlanStoreTest(unittest.TestCase):
    def test_those_known_last_stay_and_what_is_known_again_is_as_new(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        one = plan_ratio(
            source="a", rate=44_100, source_frames=44_100, duration_ratio=1.1, method="weave"
        )
        made = [replace(one, source=f"{i:064x}") for i in range(40)]
        known = [(plan.digest, plan) for plan in made]
        with mock.patch.object(plans, "TRIMMED_EVERY", 1):
            store = PlanStore(Path(folder.name), most_bytes=3_000)
            self.addCleanup(store.close)
            store.keep(known[:1])
            for pair in known[1:]:
                store.keep([pair])
                self.assertIsNotNone(store.find(known[0][0]))
                store.keep(known[:1])  # a song that is played all the while
        left = [digest for digest, _ in known if store.find(digest)]
        self.assertIn(known[0][0], left)
        self.assertIn(known[-1][0], left)
        self.assertLess(len(left), 20)
