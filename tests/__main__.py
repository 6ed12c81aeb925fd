"""Runs every test and closes with the line "N passed, N failed, N skipped"."""

import os
import sys
import time
import unittest
import warnings
from pathlib import Path

SLOWEST_SHOWN = 10


class TimedResult(unittest.TextTestResult):
    """Counts what passed and how long it took."""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.passed = 0
        self.times: list[tuple[float, str]] = []

    def startTest(self, test):  # noqa: N802
        self._began = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test):  # noqa: N802
        self.times.append((time.perf_counter() - self._began, test.id()))
        super().stopTest(test)

    def addSuccess(self, test):  # noqa: N802
        self.passed += 1
        super().addSuccess(test)


def main() -> int:
    os.environ.setdefault("HYPOTHESIS_STORAGE_DIRECTORY", ".hypothesis")
    warnings.simplefilter("error")
    root = Path(__file__).resolve().parent
    if len(sys.argv) > 1:
        suite = unittest.defaultTestLoader.loadTestsFromNames(sys.argv[1:])
    else:
        suite = unittest.defaultTestLoader.discover(str(root), top_level_dir=str(root.parent))
    runner = unittest.TextTestRunner(resultclass=TimedResult, verbosity=1, warnings="error")
    result = runner.run(suite)
    for seconds, name in sorted(result.times, reverse=True)[:SLOWEST_SHOWN]:
        print(f"{seconds:7.2f} s  {name}")
    failed = len({t.id() for t, _ in [*result.failures, *result.errors]})
    print(f"{result.passed} passed, {failed} failed, {len(result.skipped)} skipped", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
