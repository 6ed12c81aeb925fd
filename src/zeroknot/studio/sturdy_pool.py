"""What happens when a worker process dies? Its task is tried once more by a new one.

No more tasks than workers are handed on at a time, so that whoever dies takes no waiting task
along, and a waiting task can still be cancelled. They are handed on by a thread of their own: to
start a worker may take seconds, and who asks for something must not wait for that.
"""

import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Any

from zeroknot.core.errors import ZeroKnotError

MOST_TRIES = 2


@dataclass
class _Task:
    future: "Future[Any]"
    work: Callable[[], Any]
    tries: int = 0


class _Call:
    """A function and its arguments, as it travels to a worker."""

    def __init__(self, fn: Callable[..., Any], args: tuple[Any, ...], kwargs: dict[str, Any]):
        self._fn, self._args, self._kwargs = fn, args, kwargs

    def __call__(self) -> Any:
        return self._fn(*self._args, **self._kwargs)


class SturdyPool(Executor):
    """Processes behind the executor's interface.

    make_pool  a fresh pool of that many workers
    """

    def __init__(self, make_pool: Callable[[], ProcessPoolExecutor], workers: int):
        self._make_pool, self._free = make_pool, workers
        self._pool = make_pool()
        self._lock = threading.RLock()
        self._waiting: deque[_Task] = deque()
        self._closed = False
        self._changed = threading.Event()
        threading.Thread(target=self._keep_handing_on, daemon=True).start()

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> "Future[Any]":
        task = _Task(Future(), _Call(fn, args, kwargs))
        with self._lock:
            if self._closed:
                raise RuntimeError("no task is taken after the end")
            self._waiting.append(task)
        self._changed.set()
        return task.future

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        with self._lock:
            self._closed = True
            self._changed.set()
            left = list(self._waiting)
            self._waiting.clear()
        for task in left:  # nobody is there any more to do them
            task.future.cancel()
        self._pool.shutdown(wait=wait, cancel_futures=cancel_futures)

    def _keep_handing_on(self) -> None:
        """Give waiting tasks to free workers, until the end."""
        while not self._closed:
            self._changed.wait()
            self._changed.clear()
            while self._hand_on():
                pass

    def _hand_on(self) -> bool:
        """Give one task to a free worker; whether there was one of each."""
        with self._lock:
            if self._closed or not self._free or not self._waiting:
                return False
            task = self._waiting.popleft()
            if not task.tries and not task.future.set_running_or_notify_cancel():
                return True
            task.tries += 1
            self._free -= 1
            pool = self._pool
        try:
            inner = pool.submit(task.work)
        except BrokenProcessPool:
            with self._lock:
                self._renew(pool)
                pool = self._pool
            inner = pool.submit(task.work)
        except RuntimeError:  # it was shut down a moment ago
            task.future.set_exception(RuntimeError("the application was ended"))
            return False
        inner.add_done_callback(lambda done, t=task, p=pool: self._finish(t, p, done))
        return True

    def _finish(self, task: _Task, pool: ProcessPoolExecutor, done: "Future[Any]") -> None:
        error = None if done.cancelled() else done.exception()
        died = isinstance(error, BrokenProcessPool)
        with self._lock:
            self._free += 1
            if died:
                self._renew(pool)
            if died and task.tries < MOST_TRIES and not self._closed:
                self._waiting.appendleft(task)
                task = None  # type: ignore[assignment]
        if task is not None:
            if done.cancelled():
                task.future.set_exception(RuntimeError("the application was ended"))
            elif died:
                task.future.set_exception(
                    ZeroKnotError(
                        "the process that worked on it ended twice; "
                        "it may ask for more memory than there is"
                    )
                )
            elif error is not None:
                task.future.set_exception(error)
            else:
                task.future.set_result(done.result())
        self._changed.set()

    def _renew(self, broken: ProcessPoolExecutor) -> None:
        if self._pool is broken and not self._closed:
            broken.shutdown(wait=False)
            self._pool = self._make_pool()
