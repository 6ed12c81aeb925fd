"""What takes long, and is not waited for: one after another, told, stopped, gone on with.

A job is done by a runner: a function of the job and its progress that returns what came of it. It
tells how far it is after each step; there it may be ended, by a person or because the server goes.
What it has kept by then is given to it again after a restart. Whoever asks under an id of its own
gets the same job however often it asks.
"""

import queue
import threading
import time
import traceback
import uuid
from collections.abc import Callable, Mapping
from dataclasses import asdict, replace
from typing import Any

from zeroknot.core.errors import NotFoundError, ZeroKnotError
from zeroknot.store.jobs import Job, JobStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.sturdy_pool import EndedError

SAID_EVERY_SECONDS = 0.2
NOTED_EVERY_SECONDS = 2.0
LONGEST_STEP_SECONDS = 5.0  # that a stop waits for; what is cut short is done again


class CancelledError(Exception):
    """A person wants no more of it; what is done stays."""


class StoppedError(Exception):
    """The server goes; after a restart it goes on."""


Runner = Callable[[Job, "Progress"], Mapping[str, Any]]


class Progress:
    """How far one job is."""

    def __init__(self, jobs: "Jobs", job: Job):
        self._jobs, self.job = jobs, job
        self._said = self._noted = 0.0

    def step(self, done: int, total: int) -> None:
        """So much is done. Raises CancelledError or StoppedError where it is to end here."""
        self.job = replace(self.job, done=done, total=total)
        self._tell()
        self._jobs.ask_to_go_on(self.job.id)

    def keep(self, **what: Any) -> None:
        """What it takes to go on from here."""
        self.job = replace(self.job, kept={**self.job.kept, **what})
        self._jobs.note(self.job)

    def _tell(self) -> None:
        now = time.monotonic()
        if now - self._noted > NOTED_EVERY_SECONDS:
            self._noted = now
            self._jobs.note(self.job)
        if now - self._said > SAID_EVERY_SECONDS:
            self._said = now
            self._jobs.say(self.job)


class Jobs:
    def __init__(self, store: JobStore, announcer: Announcer):
        self._store, self._announcer = store, announcer
        self._runners: dict[str, Runner] = {}
        self._waiting: queue.SimpleQueue[str | None] = queue.SimpleQueue()
        self._cancelled: set[str] = set()
        self._is_closed = False
        self._thread = threading.Thread(target=self._run, name="jobs", daemon=True)

    def learn(self, kind: str, runner: Runner) -> None:
        """Who does jobs of a kind."""
        self._runners[kind] = runner

    def go_on(self) -> None:
        """Begin to work; first with what a restart left."""
        for job in self._store.active():
            self._waiting.put(job.id)
        self._thread.start()

    def close(self) -> None:
        """End after the step that is being done; it goes on after a restart."""
        self._is_closed = True
        self._waiting.put(None)
        if self._thread.is_alive():
            self._thread.join(LONGEST_STEP_SECONDS)

    def begin(self, kind: str, label: str, arguments: Mapping[str, Any], asked: str | None) -> Job:
        """Do something in the background; returns at once."""
        job = Job(asked or uuid.uuid4().hex[:12], kind, label, arguments)
        job = self._store.add(job)
        if job.state == "waiting":
            self._waiting.put(job.id)
            self.say(job)
        return job

    def job(self, id_: str) -> Job:
        return self._store.get(id_)

    def known(self, id_: str) -> Job | None:
        """The one that was begun under an id; None where there is none."""
        try:
            return self.job(id_)
        except NotFoundError:
            return None

    def active(self) -> list[Job]:
        return self._store.active()

    def cancel(self, id_: str) -> Job:
        """What is done stays done; one that is over stays as it is."""
        job = self.job(id_)
        if not job.is_over:
            self._cancelled.add(id_)
        return job

    def waited(self, id_: str, seconds: float) -> Job:
        """The job once it is over, or as it is by then."""
        end = time.monotonic() + seconds
        while not (job := self.job(id_)).is_over and time.monotonic() < end:
            time.sleep(0.02)
        return job

    # ---- for progress

    def ask_to_go_on(self, id_: str) -> None:
        if self._is_closed:
            raise StoppedError
        if id_ in self._cancelled:
            raise CancelledError

    def note(self, job: Job) -> None:
        self._store.note(job)

    def say(self, job: Job) -> None:
        self._announcer.say("job", job=told(job))

    # ---- working

    def _run(self) -> None:
        while (id_ := self._waiting.get()) is not None:
            if self._is_closed:
                return
            try:
                job = self.job(id_)
                if not job.is_over:
                    self._do(job)
            except Exception:  # it could not even be noted: it is taken up after a restart
                traceback.print_exc()

    def _do(self, job: Job) -> None:
        progress = Progress(self, replace(job, state="running"))
        try:
            self.ask_to_go_on(job.id)
            self.note(progress.job)
            result = self._runners[job.kind](progress.job, progress)
            ended = replace(progress.job, state="done", done=progress.job.total, result=result)
        except (StoppedError, EndedError):
            self.note(replace(progress.job, state="waiting"))
            return
        except CancelledError:
            ended = replace(progress.job, state="cancelled", result=progress.job.kept)
        except ZeroKnotError as error:
            ended = replace(progress.job, state="failed", error=str(error))
        except Exception as error:  # it must not take those that wait along
            ended = replace(progress.job, state="failed", error=f"it could not be done: {error}")
        self._cancelled.discard(job.id)
        self.note(ended)
        self.say(ended)


def told(job: Job) -> Any:
    """As pages hear of it: all but what it needs for itself."""
    return {name: value for name, value in asdict(job).items() if name not in ("arguments", "kept")}
