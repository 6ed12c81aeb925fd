"""What happens when a worker process dies? Its own task is tried once more, and no other knows.

Each worker has one task at a time and a thread here that waits for it: whatever ends the worker, a
deadline or a person who lets go, ends this task alone. A waiting task can be cancelled as ever.
"""

import threading
import time
import traceback
from collections import deque
from collections.abc import Callable
from concurrent.futures import CancelledError, Executor, Future, InvalidStateError
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing.connection import Connection, wait
from multiprocessing.context import BaseContext
from multiprocessing.process import BaseProcess
from typing import Any

from zeroknot.core.errors import ZeroKnotError

MOST_TRIES = 2
FREED_SECONDS = 5.0  # a worker told to end has so long before it is made to
DIED_TWICE = (
    "the process that worked on it ended twice; it may ask for more memory than there is"
)  # fmt: skip


class EndedError(RuntimeError):
    """Nobody is there any more to do it."""

    def __init__(self) -> None:
        super().__init__("the application was ended")


@dataclass
class _Task:
    call: "_Call"
    future: "Future[Any]" = field(default_factory=Future)
    tries: int = 0
    is_let_go: bool = False


class _Call:
    """A function and its arguments, as it travels to a worker."""

    def __init__(self, fn: Callable[..., Any], args: tuple[Any, ...], kwargs: dict[str, Any]):
        self._fn, self._args, self._kwargs = fn, args, kwargs

    def __call__(self) -> Any:
        return self._fn(*self._args, **self._kwargs)


class SturdyPool(Executor):
    """Processes behind the executor's interface.

    context   how processes are started
    start     the first thing in a new worker
    deadline  seconds that a task may take; then its worker is ended and the task has failed
    """

    def __init__(
        self, context: BaseContext, workers: int, start: Callable[..., None] | None = None,
        start_args: tuple[Any, ...] = (), deadline: float = float("inf"),
    ):  # fmt: skip
        self._deadline = deadline
        self._waiting: deque[_Task] = deque()
        self._changed = threading.Condition()
        self._closed = False
        self._workers = [_Worker(context, start, start_args) for _ in range(workers)]
        for worker in self._workers:
            threading.Thread(target=self._keep_busy, args=(worker,), daemon=True).start()

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> "Future[Any]":
        task = _Task(_Call(fn, args, kwargs))
        with self._changed:
            if self._closed:
                raise EndedError
            self._waiting.append(task)
            self._changed.notify()
        return task.future

    def let_go(self, future: "Future[Any]") -> bool:
        """Cancel a task whether it waits or runs; False where it is done."""
        if future.cancel():
            return True
        with self._changed:
            for worker in self._workers:
                task = worker.task
                if task is not None and task.future is future:
                    task.is_let_go = True
                    worker.stop()
                    return True
        return False

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        with self._changed:
            self._closed = True
            left = list(self._waiting)
            self._waiting.clear()
            self._changed.notify_all()
        for task in left:
            with suppress(InvalidStateError):  # it was cancelled in this moment
                task.future.set_exception(EndedError())
        for worker in self._workers:
            if cancel_futures and (running := worker.task) is not None:
                running.is_let_go = True
                worker.end()
            elif worker.task is None or wait:
                worker.idle.wait()
                worker.end()

    # ---- a worker's own thread

    def _keep_busy(self, worker: "_Worker") -> None:
        while (task := self._next(worker)) is not None:
            task.tries += 1
            done = self._done(worker, task)
            with self._changed:
                worker.task = None
                is_left = done is None and self._closed
                if done is None and not self._closed:
                    self._waiting.appendleft(task)
            if done is not None:
                done()
            elif is_left:
                task.future.set_exception(EndedError())
            if task.is_let_go:  # its process is on its way out: no other task is for it
                worker.end()
            worker.idle.set()

    def _next(self, worker: "_Worker") -> _Task | None:
        """The task that waits longest, once there is one; None at the end."""
        while True:
            with self._changed:
                while not self._waiting and not self._closed:
                    self._changed.wait()
                if self._closed:
                    return None
                task = self._waiting.popleft()
                worker.idle.clear()
                worker.task = task
            if task.tries or task.future.set_running_or_notify_cancel():
                return task
            worker.task = None
            worker.idle.set()

    def _done(self, worker: "_Worker", task: _Task) -> Callable[[], None] | None:
        """Have it done; how that is told, or None where it is to be tried again."""
        future = task.future
        try:
            is_well, answer = worker.do(task, self._deadline)
        except TimeoutError:
            words = f"it took more than {self._deadline:g} seconds and was given up"
            return lambda: future.set_exception(ZeroKnotError(words))
        except EOFError:
            if self._closed:
                return lambda: future.set_exception(EndedError())
            if task.is_let_go:
                return lambda: future.set_exception(CancelledError())
            if task.tries < MOST_TRIES:
                return None
            return lambda: future.set_exception(ZeroKnotError(DIED_TWICE))
        except Exception as error:  # what cannot travel
            failed = error
            return lambda: future.set_exception(failed)
        return lambda: (future.set_result if is_well else future.set_exception)(answer)


class _Worker:
    """One process and the way to it; started when there is something to do."""

    def __init__(
        self, context: BaseContext, start: Callable[..., None] | None, start_args: tuple[Any, ...]
    ):
        self._context, self._start, self._start_args = context, start, start_args
        self._process: BaseProcess | None = None
        self._way: Connection | None = None
        self.task: _Task | None = None
        self.idle = threading.Event()
        self.idle.set()

    @property
    def pid(self) -> int | None:
        return self._process.pid if self._process else None

    def do(self, task: _Task, deadline: float) -> tuple[bool, Any]:
        """Whether it went well, and its answer or what was raised.

        Raises EOFError where the process ended, TimeoutError after `deadline` seconds (and ends
        it), and whatever pickling raises.
        """
        process, way = self._ready()
        until = time.monotonic() + deadline
        if task.is_let_go:  # before there was a process to end
            raise EOFError
        try:
            way.send(task.call)
            while not way.poll():
                left = until - time.monotonic()
                if left <= 0:
                    self.end()
                    raise TimeoutError
                if process.sentinel in wait([way, process.sentinel], min(left, 3600.0)):
                    if way.poll():
                        break
                    raise EOFError
            answer: tuple[bool, Any] = way.recv()
        except (BrokenPipeError, ConnectionError, EOFError) as error:
            self.end()
            raise EOFError from error
        return answer

    def stop(self) -> None:
        """Tell the process to end, if there is one."""
        process = self._process
        if process is not None and process.is_alive():
            process.terminate()

    def end(self) -> None:
        """The same, and wait until it has."""
        self.stop()
        process = self._process
        if process is not None and process.is_alive():
            process.join(FREED_SECONDS)
            if process.is_alive():
                process.kill()

    def _ready(self) -> tuple[BaseProcess, Connection]:
        if self._process is None or self._way is None or not self._process.is_alive():
            if self._way is not None:
                self._way.close()
            self._way, far = self._context.Pipe()
            self._process = self._context.Process(  # type: ignore[attr-defined]
                target=_work, args=(far, self._start, self._start_args), daemon=True
            )
            self._process.start()
            far.close()
        return self._process, self._way


def _work(way: Connection, start: Callable[..., None] | None, start_args: tuple[Any, ...]) -> None:
    """In a worker: do what comes, one after the other."""
    if start is not None:
        start(*start_args)
    while True:
        try:
            call = way.recv()
        except (EOFError, OSError):
            return
        try:
            answer = True, call()
        except Exception as error:
            error.add_note(traceback.format_exc())
            answer = False, error
        try:
            way.send(answer)
        except (BrokenPipeError, ConnectionError):
            return
        except Exception as error:  # it cannot travel
            way.send((False, RuntimeError(f"{answer[1]!r}: {error}")))
