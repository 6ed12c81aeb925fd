"""Runs every test, modules side by side, and closes with "N passed, N failed, N skipped"."""

import os
import sys
import time
import unittest
import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

ROOT = Path(__file__).resolve().parent
SLOWEST_SHOWN = 10
MOST_TRIED_ALONE = 4
LOADED = (
    "numpy", "scipy.signal", "scipy.ndimage", "numba", "soundfile", "hypothesis", "pydantic",
    "fastapi.testclient", "sqlmodel", "playwright.sync_api",
    "zeroknot.studio.loaded", "zeroknot.web.app", "zeroknot.cli.main", "tests.heard",
    "tests.studio.helper", "tests.web.helper",
)  # fmt: skip
IN_BROWSER = "tests.browser."
BEHIND = 19  # niceness of what has no browser that plays in real time
# Those that take longest begin first, so that none is left alone at the end.
FIRST = (
    "tests.demo", "tests.cli", "tests.studio.test_bringing", "tests.test_tree",
    "tests.web",
)  # fmt: skip

# What a process that ran tests closes at its end.
AT_END: list[Callable[[], object]] = []


@dataclass
class Told:
    """What came of one module."""

    name: str
    passed: int = 0
    failed: dict[str, str] = field(default_factory=dict)
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


def run(names: list[str]) -> list[Told]:
    """All tests of these names, in this process, one name after the other.

    A browser waits now and then for sound to play: what has none uses the time, and gives way.
    """
    if not names[0].startswith(IN_BROWSER):
        os.nice(BEHIND)
    os.environ.setdefault("HYPOTHESIS_STORAGE_DIRECTORY", ".hypothesis")
    told = [_run(name) for name in names]
    while AT_END:
        AT_END.pop()()
    return told


def _run(name: str) -> Told:
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
    return Told(name, result.passed, troubles, skipped, result.times, seconds)


def modules() -> list[str]:
    found = [
        ".".join(path.relative_to(ROOT.parent).with_suffix("").parts)
        for path in sorted(ROOT.rglob("test_*.py"))
    ]
    return sorted(found, key=lambda n: next((i for i, f in enumerate(FIRST) if f in n), len(FIRST)))


def shares(names: list[str], count: int) -> list[list[str]]:
    """What runs in one process each: a module; of those in a browser as many as share one server.

    A server, a browser and what drives it cost seven seconds of computing to start.
    """
    lanes: list[list[str]] = [[] for _ in range(count)]
    weights = [0] * count
    for name in sorted((n for n in names if IN_BROWSER in n), key=_weight, reverse=True):
        lightest = weights.index(min(weights))
        lanes[lightest].append(name)
        weights[lightest] += _weight(name)
    return [*filter(None, lanes), *([n] for n in names if IN_BROWSER not in n)]


def _weight(name: str) -> int:
    path = ROOT.parent.joinpath(*name.split(".")).with_suffix(".py")
    return path.stat().st_size if path.exists() else 0


def try_alone(told: list[Told], run_alone: Callable[[str], Told] | None = None) -> None:
    """A browser test that failed beside others is run once more by itself, and both are told.

    Two browsers, servers and renders at once make a small machine stand still for seconds, which
    sound in real time cannot. Of many that fail none is: that is no accident.
    """
    failed = [(d, name) for d in told for name in d.failed if name.startswith(IN_BROWSER)]
    if not 0 < len(failed) <= MOST_TRIED_ALONE:
        return
    for module, name in failed:
        alone = (run_alone or _in_a_process)(name)
        if alone.passed and not alone.failed:
            del module.failed[name]
            module.passed += 1
            print(f"UNSTEADY: failed beside others, passed alone: {name}", flush=True)
        else:
            print(f"failed alone, too: {name}", *alone.failed.values(), sep="\n", flush=True)


def _in_a_process(name: str) -> Told:
    context = get_context("forkserver")
    with ProcessPoolExecutor(1, mp_context=context, max_tasks_per_child=1) as pool:
        return pool.submit(run, [name]).result()[0]


def main() -> int:
    # What Python's tracker of semaphores says of a pool that is closed would follow the last line.
    os.environ.setdefault("PYTHONWARNINGS", "ignore:resource_tracker:UserWarning")
    names = sys.argv[1:] or modules()
    told: list[Told] = []
    # A process a module: none leans on what another left behind. What most of them load is loaded
    # once, by the process they are forked off.
    context = get_context("forkserver")
    context.set_forkserver_preload(list(LOADED))
    lanes = os.cpu_count() or 1
    with ProcessPoolExecutor(lanes + 1, mp_context=context, max_tasks_per_child=1) as pool:
        futures = {pool.submit(run, share): share for share in shares(names, lanes)}
        for future in as_completed(futures):
            try:
                done = future.result()
            except Exception as error:
                share = " ".join(futures[future])
                done = [Told(share, failed={share: f"\nFAIL: {share}\n{error!r}"})]
            told += done
            for module in done:
                print(f"{module.name}: {module.passed} passed, {module.seconds:.0f} s", flush=True)
                for text in (*module.failed.values(), *module.skipped):
                    print(text, flush=True)
    try_alone(told)
    for seconds, name in sorted((t for d in told for t in d.times), reverse=True)[:SLOWEST_SHOWN]:
        print(f"{seconds:7.2f} s  {name}")
    passed, failed = sum(d.passed for d in told), sum(len(d.failed) for d in told)
    skipped = sum(len(d.skipped) for d in told)
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed else 0
