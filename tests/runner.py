"""Runs every test, modules side by side, and closes with "N passed, N failed, N skipped"."""

import os
import sys
import time
import unittest
import warnings
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

ROOT = Path(__file__).resolve().parent
SLOWEST_SHOWN = 10
LOADED = (
    "numpy", "scipy.signal", "scipy.ndimage", "numba", "soundfile", "hypothesis", "pydantic",
    "fastapi.testclient", "sqlmodel", "playwright.sync_api",
)  # fmt: skip
# Those that take longest begin first, so that none is left alone at the end.
FIRST = (
    "tests.browser", "tests.demo", "tests.cli", "tests.studio.test_bringing", "tests.test_tree",
    "tests.web",
)  # fmt: skip


@dataclass
class Told:
    """What came of one module."""

    passed: int = 0
    failed: list[str] = field(default_factory=list)
    skipped: list[str] = field(default_factory=list)
    times: list[tuple[float, str]] = field(default_factory=list)
    seconds: float = 0.0


class TimedResult(unittest.TestResult):
    """Counts what passed and how long it took."""

    def __init__(self):
        super().__init__()
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


def run(name: str) -> Told:
    """All tests of that name, in this process."""
    os.environ.setdefault("HYPOTHESIS_STORAGE_DIRECTORY", ".hypothesis")
    result = TimedResult()
    began = time.perf_counter()
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        unittest.defaultTestLoader.loadTestsFromName(name).run(result)
    troubles: dict[str, str] = {}
    for test, text in [*result.failures, *result.errors]:
        troubles[test.id()] = troubles.get(test.id(), "") + f"\nFAIL: {test.id()}\n{text}"
    skipped = [f"{test.id()}: {why}" for test, why in result.skipped]
    seconds = time.perf_counter() - began
    return Told(result.passed, list(troubles.values()), skipped, result.times, seconds)


def modules() -> list[str]:
    found = [
        ".".join(path.relative_to(ROOT.parent).with_suffix("").parts)
        for path in sorted(ROOT.rglob("test_*.py"))
    ]
    return sorted(found, key=lambda n: next((i for i, f in enumerate(FIRST) if f in n), len(FIRST)))


def main() -> int:
    names = sys.argv[1:] or modules()
    told: list[Told] = []
    # A process a module: none leans on what another left behind. What most of them load is loaded
    # once, by the process they are forked off.
    context = get_context("forkserver")
    context.set_forkserver_preload(list(LOADED))
    with ProcessPoolExecutor(os.cpu_count(), mp_context=context, max_tasks_per_child=1) as pool:
        futures = {pool.submit(run, name): name for name in names}
        for future in as_completed(futures):
            try:
                done = future.result()
            except Exception as error:
                done = Told(failed=[f"\nFAIL: {futures[future]}\n{error!r}"])
            told.append(done)
            print(f"{futures[future]}: {done.passed} passed, {done.seconds:.0f} s", flush=True)
            for text in (*done.failed, *done.skipped):
                print(text, flush=True)
    for seconds, name in sorted((t for d in told for t in d.times), reverse=True)[:SLOWEST_SHOWN]:
        print(f"{seconds:7.2f} s  {name}")
    passed, failed = sum(d.passed for d in told), sum(len(d.failed) for d in told)
    skipped = sum(len(d.skipped) for d in told)
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed else 0
