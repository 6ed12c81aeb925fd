"""Who does the work that takes time? Processes behind the concurrent.futures interface.

Renders somebody waits for have a worker of their own; bringing in runs with low priority. Tasks
are named, so that the web process never loads what only workers need: that is loaded and compiled
once, by a process that does nothing but fork workers, who share what it holds.
"""

import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future
from multiprocessing.context import BaseContext
from typing import Any, TypeVar

from zeroknot.studio.sturdy_pool import SturdyPool
from zeroknot.studio.tasks import THREADS_VARIABLE
from zeroknot.studio.terminal import leave_it_to_the_server

R = TypeVar("R")

LOW_PRIORITY = 10
BELOW_SOUND = 10
# A task that takes longer hangs: with 30 minutes of sound and a busy machine these are far away.
LONGEST_RENDER_SECONDS = 300.0
LONGEST_LOOK_SECONDS = 1800.0
LONGEST_LISTENING_SECONDS = 1800.0
# What workers find there when they are forked.
LOADED = ("zeroknot.studio.uninterrupted", "zeroknot.studio.loaded")


def run_task(name: str, *args: Any) -> Any:
    """In a worker: run the task of that name."""
    from zeroknot.studio.tasks.table import TASKS

    return TASKS[name](*args)


def start_quietly(niceness: int, threads: int) -> None:
    """In a new worker: others' work goes first where niceness is above 0; no server, no worker."""
    leave_it_to_the_server()
    os.nice(niceness)
    os.environ[THREADS_VARIABLE] = str(threads)
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


class Executors:
    """rendering: somebody waits for sound; looking: for a picture or measure; listening: nobody."""

    def __init__(self, rendering: Executor, looking: Executor, listening: Executor):
        self._rendering = rendering
        self._looking = looking
        self._listening = listening

    def render(self, task: str, *args: Any) -> "Future[Any]":
        """Run a task that somebody waits for."""
        return self._rendering.submit(run_task, task, *args)

    def look(self, task: str, *args: Any) -> "Future[Any]":
        """Run a task that must not hold up the sound."""
        return self._looking.submit(run_task, task, *args)

    def listen(self, task: str, *args: Any) -> "Future[Any]":
        """Run a task in the background."""
        return self._listening.submit(run_task, task, *args)

    def let_go(self, future: "Future[Any]") -> bool:
        """Cancel a task of `listen`, also one that runs; False where it is done."""
        if isinstance(self._listening, SturdyPool):
            return self._listening.let_go(future)
        return future.cancel()

    @classmethod
    def processes(cls, listeners: int) -> "Executors":
        # Before a worker loads NumPy, which may be before its own first line: workers that each
        # take all cores for their sums stand in one another's way.
        for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
            os.environ.setdefault(name, "1")
        return cls(
            _pool(1, niceness=0, threads=2, deadline=LONGEST_RENDER_SECONDS),
            _pool(1, niceness=BELOW_SOUND, threads=1, deadline=LONGEST_LOOK_SECONDS),
            _pool(listeners, LOW_PRIORITY, threads=1, deadline=LONGEST_LISTENING_SECONDS),
        )

    @classmethod
    def inline(cls) -> "Executors":
        """Everything at once, in the caller's thread: for commands and tests."""
        return cls(InlineExecutor(), InlineExecutor(), InlineExecutor())

    def warm_up(self) -> None:
        """Pay the first call's cost in the background; inline there is no background."""
        for executor in (self._rendering, self._looking):
            if not isinstance(executor, InlineExecutor):
                executor.submit(run_task, "warm_up")

    def end_questions(self) -> None:
        """Who waits for sound, a picture or a measure is told that none comes: EndedError.

        A job that does goes on when it is begun again.
        """
        for executor in (self._rendering, self._looking):
            executor.shutdown(wait=False, cancel_futures=True)

    def close(self) -> None:
        for executor in (self._rendering, self._looking, self._listening):
            executor.shutdown(wait=False, cancel_futures=True)


def _pool(workers: int, niceness: int, threads: int, deadline: float) -> SturdyPool:
    return SturdyPool(_context(), workers, start_quietly, (niceness, threads), deadline)


def _context() -> BaseContext:
    """Workers forked off one that has loaded everything; where there is no fork, fresh ones."""
    if "forkserver" not in multiprocessing.get_all_start_methods():
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(list(LOADED))
    return context


class InlineExecutor(Executor):
    def submit(self, fn: Callable[..., R], /, *args: Any, **kwargs: Any) -> Future[R]:
        future: Future[R] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except BaseException as error:
            future.set_exception(error)
        return future
