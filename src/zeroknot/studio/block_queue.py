"""Which block is rendered next? What is due first; among equals what was asked for last.

Conventions
-----------
- A question is a block that at least one page waits for; asked for by several it is one question.
- A question nobody waits for any more goes, unless it is being rendered already.
- `due` is a moment of the queue's clock: when the block begins to sound.
"""

import itertools
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any

Key = tuple[str, int]
Clock = Callable[[], float]


@dataclass(eq=False)
class Question:
    """One block on its way: `future` ends when it is there."""

    key: Key
    begin: Callable[[], "Future[Any]"]
    due: float
    number: int
    waiting: int = 0
    is_begun: bool = False
    future: "Future[Any]" = field(default_factory=Future)


class BlockQueue:
    """At most so many are handed to the workers at a time; the rest can still change places."""

    def __init__(self, at_once: int = 1, clock: Clock = time.monotonic):
        self._at_once, self._clock = at_once, clock
        self._lock = threading.Lock()
        self._open: dict[Key, Question] = {}
        self._numbers = itertools.count()
        self._begun = 0

    def ask(
        self, key: Key, due_in: float, begin: Callable[[], "Future[Any]"], counts: bool = True
    ) -> Question:
        """A block that is heard in `due_in` seconds.

        begin   hands it to a worker
        counts  somebody waits for it and will `leave`; else it is rendered come what may
        """
        due = self._clock() + max(0.0, due_in)
        with self._lock:
            question = self._open.get(key)
            if question is None:
                question = Question(key, begin, due, next(self._numbers))
                self._open[key] = question
                if not counts:
                    question.waiting += 1
            question.due = min(question.due, due)
            question.waiting += counts
        self._hand_on()
        return question

    def leave(self, question: Question) -> None:
        """Somebody does not wait any more."""
        with self._lock:
            question.waiting -= 1
            is_left = question.waiting <= 0 and not question.is_begun
            if is_left and self._open.get(question.key) is question:
                del self._open[question.key]
        if is_left:
            question.future.cancel()

    def _hand_on(self) -> None:
        while True:
            with self._lock:
                waiting = [q for q in self._open.values() if not q.is_begun]
                if self._begun >= self._at_once or not waiting:
                    return
                question = min(waiting, key=lambda q: (round(q.due, 2), -q.number))
                question.is_begun = True
                self._begun += 1
            try:
                done = question.begin()
            except Exception as error:
                done = Future()
                done.set_exception(error)
            done.add_done_callback(lambda done, q=question: self._finish(q, done))  # type: ignore[misc]

    def _finish(self, question: Question, done: "Future[Any]") -> None:
        with self._lock:
            self._begun -= 1
            self._open.pop(question.key, None)
        if done.cancelled():
            question.future.cancel()
        elif error := done.exception():
            question.future.set_exception(error)
        else:
            question.future.set_result(done.result())
        self._hand_on()
