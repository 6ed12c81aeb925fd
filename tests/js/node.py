"""Scripts without a page: a function of theirs, evaluated in Node."""

import json
import subprocess
import unittest
from pathlib import Path
from typing import Any

EVALUATOR = Path(__file__).with_name("evaluator.js")


class NodeTest(unittest.TestCase):
    """One Node a class."""

    @classmethod
    def setUpClass(cls):
        cls.node = subprocess.Popen(
            ["node", str(EVALUATOR)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        cls.addClassCleanup(cls.node.wait, 10)
        cls.addClassCleanup(cls.node.stdout.close)
        cls.addClassCleanup(cls.node.stdin.close)

    def evaluate(self, source: str, given: Any = None) -> Any:
        """What a function gives for a value; modules are imported as on the page."""
        self.node.stdin.write(json.dumps({"source": source, "given": given}) + "\n")
        self.node.stdin.flush()
        answer = json.loads(self.node.stdout.readline())
        if "error" in answer:
            self.fail(answer["error"])
        return answer["value"]
