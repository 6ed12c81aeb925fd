"""Who does the work that takes time? Processes behind the concurrent.futures interface.

Renders somebody waits for have a worker of their own; bringing in runs with low priority.
"""

import multiprocessing
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from typing import Any, TypeVar

from zeroknot.studio import workers

R = TypeVar("R")

LOW_PRIORITY = 10


class Executors:
    """rendering: somebody waits. listening: in the background."""

    def __init__(self, rendering: Executor, listening: Executor):
        self.rendering = rendering
        self.listening = listening

    @classmethod
    def processes(cls, listeners: int) -> "Executors":
        context = multiprocessing.get_context("spawn")
        rendering = ProcessPoolExecutor(
            1, mp_context=context, initializer=workers.start_quietly, initargs=(0,)
        )
        listening = ProcessPoolExecutor(
            listeners, mp_context=context, initializer=workers.start_quietly,
            initargs=(LOW_PRIORITY,),
        )  # fmt: skip
        return cls(rendering, listening)

    @classmethod
    def inline(cls) -> "Executors":
        """Everything at once, in the caller's thread: for commands and tests."""
        return cls(InlineExecutor(), InlineExecutor())

    def warm_up(self) -> None:
        """Pay the first call's cost in the background."""
        self.rendering.submit(workers.warm_up)

    def close(self) -> None:
        for executor in (self.rendering, self.listening):
            executor.shutdown(wait=False, cancel_futures=True)


class InlineExecutor(Executor):
    def submit(self, fn: Callable[..., R], /, *args: Any, **kwargs: Any) -> Future[R]:
        future: Future[R] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except BaseException as error:
            future.set_exception(error)
        return future
