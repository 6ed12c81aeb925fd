"""The scripts' own tests, each as a test here: what needs no browser is tested without one."""

import re
import subprocess
import unittest
from pathlib import Path

HERE = Path(__file__).resolve().parent
LIMIT_SECONDS = 120
# A line of the Test Anything Protocol (TAP 13): "ok 3 - name" or "not ok 3 - name".
LINE = re.compile(r"^(not )?ok \d+ - (.*?)(?: # .*)?$")


class ScriptTest(unittest.TestCase):
    """One test of a script, which has been run already."""

    def __init__(self, file: str = "", name: str = "", trouble: str | None = None):
        super().__init__("runTest")
        self.file, self.name, self.trouble = file, name, trouble

    def id(self):
        return f"tests.js.{self.file}: {self.name}"

    def runTest(self):  # noqa: N802
        if self.trouble is not None:
            self.fail(self.trouble)


def told(file: Path) -> list[ScriptTest]:
    done = subprocess.run(
        ["node", "--test", "--test-reporter=tap", str(file)],
        capture_output=True, text=True, timeout=LIMIT_SECONDS,
    )  # fmt: skip
    name, tests, text = str(file.relative_to(HERE)), [], []
    for line in [*done.stdout.splitlines(), "ok 0 - the end"]:
        found = LINE.match(line)
        if not found:
            text.append(line)
            continue
        if tests:
            tests[-1][2].extend(text)
        tests.append((found[2], bool(found[1]), []))
        text = []
    made = [ScriptTest(name, t, "\n".join(why) if bad else None) for t, bad, why in tests[:-1]]
    if not made:
        made = [ScriptTest(name, "runs", done.stdout + done.stderr)]
    return made


def load_tests(loader, standard, pattern):
    suite = unittest.TestSuite()
    for file in sorted(HERE.rglob("*.test.js")):
        suite.addTests(told(file))
    return suite
