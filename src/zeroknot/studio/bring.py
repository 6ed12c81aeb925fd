"""How do files come onto the shelf? In the background, one by one; a bad one stops no other.

What is on its way is kept in the database: after a crash it goes on where it was. A recording has
its place by content before its row says that it is done, and the hash is noted before that, so that
nothing is lost or doubled wherever the power goes.
"""

import filecmp
import os
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable, Iterable
from concurrent.futures import CancelledError, Future
from dataclasses import asdict, replace
from datetime import UTC, datetime
from functools import cache, partial
from pathlib import Path, PurePosixPath
from typing import Any

from zeroknot.core.errors import EditError, NotFoundError, ZeroKnotError
from zeroknot.core.formats.archive import is_hidden
from zeroknot.core.listening.company import Company
from zeroknot.core.listening.hearing import VERSION as LISTENING_VERSION
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims
from zeroknot.core.loop import Loop
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.company import CompanyStore
from zeroknot.store.incoming import (
    DONE,
    DOUBLE,
    OPENED,
    REFUSED,
    WAITING,
    Incoming,
    IncomingStore,
)
from zeroknot.store.jobs import Job
from zeroknot.store.likenesses import LikenessStore
from zeroknot.store.loops import LoopStore
from zeroknot.store.room import NO_ROOM, is_no_room
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.executors import Executors
from zeroknot.studio.incoming_names import (
    LONGEST_NAME,
    file_name,
    names_of,
    readable,
    set_name_of,
)
from zeroknot.studio.listened import Listened

SAID_EVERY_SECONDS = 0.15
CANCELLED = "cancelled"
FOUND_AGAIN, NAMED_BY = "found again", 8
JOB = "bring"


class Bringing:
    def __init__(
        self, store: AudioStore, loops: LoopStore, likenesses: LikenessStore,
        incoming: IncomingStore, executors: Executors, announcer: Announcer, most_bytes: int,
        companies: CompanyStore, tempo_now: Callable[[], float | None],
    ):  # fmt: skip
        """tempo_now: of the project that is worked on, None where it has none of its own"""
        self._store, self._loops, self._kept = store, loops, incoming
        self._likenesses = likenesses
        self._executors, self._announcer = executors, announcer
        self._most_bytes = most_bytes
        self._companies, self._tempo_now = companies, tempo_now
        self._lock = threading.Lock()
        self._items: dict[str, Incoming] = {item.id: item for item in incoming.all()}
        self._futures: dict[str, Future[Listened]] = {}
        self._said_at, self._is_saying = 0.0, False
        self._is_closed = False

    def items(self) -> list[Incoming]:
        """Everything that came since the list was last cleared, oldest first."""
        with self._lock:
            return list(self._items.values())

    def item(self, id_: str) -> Incoming:
        with self._lock:
            if id_ not in self._items:
                raise NotFoundError("that file is not in the list (any more)")
            return self._items[id_]

    def counts(self) -> dict[str, int]:
        """How many files are in each state."""
        with self._lock:
            counted = Counter(item.state for item in self._items.values())
        return {state: counted[state] for state in (WAITING, DONE, DOUBLE, REFUSED, OPENED)}

    def as_job(self) -> list[Job]:
        """As one thing that is being done; nothing where no file is on its way."""
        counts = self.counts()
        if not counts[WAITING]:
            return []
        total = sum(counts.values()) - counts[OPENED]
        done = total - counts[WAITING]
        label = f"listening to {total} file{'s' * (total != 1)}"
        return [Job(JOB, JOB, label, {}, "running", done, total)]

    # ---- coming

    def begin(self, incoming: Path, name: str) -> Incoming:
        """Bring in a file of ours that lies in `incoming`; returns at once.

        name  as the person knows it, folders before it: "pack/loops/kick_92bpm.wav"
        """
        item = Incoming(new_id(), name[-LONGEST_NAME:] or "loop", incoming, True)
        self._add([item])
        return self.item(item.id)

    def begin_paths(self, paths: Iterable[Path]) -> list[Incoming]:
        """Bring in files, and whole folders, that lie elsewhere; they stay where they are."""
        items = []
        for path in paths:
            files = sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]
            for file in files:
                name = str(file.relative_to(path.parent)) if path.is_dir() else file.name
                if path.is_dir() and is_hidden(str(file.relative_to(path))):
                    continue
                items.append(Incoming(new_id(), name[-LONGEST_NAME:], file.absolute(), False))
        self._add(items)
        return [self.item(item.id) for item in items]

    def take_up(self, recordings: Iterable[Path]) -> None:
        """Recordings of the data folder that no row knows: the database was put back or lost.

        Each is named by the beginning of its hash.
        """
        self._add([
            Incoming(new_id(), f"{FOUND_AGAIN}/{place.name[:NAMED_BY]}", place, False)
            for place in recordings
        ])  # fmt: skip

    def refuse(self, name: str, reason: str) -> Incoming:
        """A file that did not even arrive."""
        item = Incoming(new_id(), name[-LONGEST_NAME:], Path(), True, REFUSED, reason)
        self._kept.keep([item])
        self._note(item)
        self._forget_older(item)
        return item

    def go_on(self) -> int:
        """After a restart: take up what was on its way; how many files that is."""
        waiting = [item for item in self.items() if item.state == WAITING]
        company_of = cache(self._company_of)
        for item in waiting:
            place = self._store.place_of(item.sha) if item.sha else None
            # Stopped between getting its place and being noted: it comes in once more.
            if item.is_ours and not item.path.exists() and place and place.exists():
                os.link(place, item.path)
        for item in waiting:
            self._submit(item, company_of(set_name_of(names_of(item.name))))
        return len(waiting)

    def cancel(self) -> int:
        """Let go of what waits and of what is listened to; returns how many files that were."""
        with self._lock:
            futures = list(self._futures.values())
        # The last first: else each that is let go makes room for the next to begin.
        return sum(self._executors.let_go(future) for future in reversed(futures))

    def again(self, id_: str) -> Incoming:
        """Try a file once more that was refused. Raises EditError where it is not there."""
        item = self.item(id_)
        if item.state != REFUSED or not item.path.is_file():
            raise EditError(f"{item.name} is not there any more; bring it in anew")
        item = item.ended(WAITING)
        self._end(item)
        self._submit(item, self._company_of(set_name_of(names_of(item.name))))
        return self.item(id_)

    def close(self) -> None:
        """Nothing that ends from now on is noted: what waits is taken up after a restart."""
        self._is_closed = True

    def forget_ended(self) -> None:
        """Clear the list of what is done, and let go of what was set aside."""
        for item in self.items():  # before their rows: no file is left that nobody lists
            if item.state == REFUSED and item.is_ours and item.path.is_file():
                item.path.unlink()
        self._kept.forget_ended()
        with self._lock:
            self._items = {k: v for k, v in self._items.items() if v.state == WAITING}
        self._say()

    def _add(self, items: list[Incoming], opened: Incoming | None = None) -> None:
        self._kept.keep(items, opened)
        with self._lock:
            self._items.update((item.id, item) for item in items)
        company_of = cache(self._company_of)  # of hundreds from one folder it is asked for once
        for item in items:
            if item.state == WAITING:
                self._submit(item, company_of(set_name_of(names_of(item.name))))
        self._say()

    def _submit(self, item: Incoming, company: Company) -> None:
        future = self._executors.listen(
            "take_in", self._store.folder, item.path, names_of(item.name), item.is_ours,
            self._most_bytes, company,
        )  # fmt: skip
        with self._lock:
            self._futures[item.id] = future
        future.add_done_callback(lambda f: self._finish(item, f))

    def _finish(self, item: Incoming, future: "Future[Listened]") -> None:
        with self._lock:
            self._futures.pop(item.id, None)
        if self._is_closed:
            return
        try:
            try:
                listened = future.result()
            except CancelledError:
                self._drop(item)
                self._end(item.ended(REFUSED, CANCELLED))
                return
            if listened.unpacked is not None:
                self._opened(item, listened)
            elif listened.refusal is not None:
                self._refused(item, listened.refusal)
            else:
                self._shelved(item, listened)
        except ZeroKnotError as error:
            self._refused(item, str(error))
        except Exception as error:
            if is_no_room(error):
                self._refused(item, NO_ROOM)
                return
            self._refused(item, f"it could not be brought in: {error}")
            raise

    def _shelved(self, item: Incoming, listened: Listened) -> None:
        ours = listened.copy or item.path
        self._kept.end(replace(item, sha=listened.sha))
        self._store.keep(ours, listened.sha)
        is_new = self._loops.add(loop_of(listened, names_of(item.name)))
        if is_new and listened.likeness is not None:
            self._likenesses.keep(listened.sha, listened.likeness)
        self._end(item.ended(DONE if is_new else DOUBLE, sha=listened.sha))

    def _opened(self, item: Incoming, listened: Listened) -> None:
        folder = PurePosixPath(item.name).with_suffix("")
        inside = []
        for member in listened.unpacked or ():
            name = str(folder / member.name.replace("\\", "/").lstrip("/"))[-LONGEST_NAME:]
            if member.path is None:
                inside.append(Incoming(new_id(), name, Path(), True, REFUSED, member.refusal))
            else:
                inside.append(Incoming(new_id(), name, member.path, True))
        opened = item.ended(OPENED)
        before = {i.name for i in self.items() if i.state == REFUSED}
        self._add(inside, opened)
        for one in inside:
            if one.state == REFUSED and one.name in before:
                self._forget_older(one)
        self._drop(item)
        self._note(opened)

    def _refused(self, item: Incoming, reason: str) -> None:
        if item.is_ours and item.path.is_file():
            item = replace(item, path=self._store.set_aside(item.path, file_name(item.name)))
        item = item.ended(REFUSED, reason)
        self._end(item)
        self._forget_older(item)

    def _forget_older(self, item: Incoming) -> None:
        """The same file, refused again for the same reason, is listed and kept once: as the last.

        Whichever of two that end at once comes here first, the same one stays.
        """
        *older, last = [one for one in self.items() if _is_same(one, item)] or [item]
        for one in older:
            if one.path != last.path:
                self._drop(one)
            self._kept.forget(one.id)
            with self._lock:
                self._items.pop(one.id, None)
        if older:
            self._say()

    def _drop(self, item: Incoming) -> None:
        if item.is_ours and item.path.is_file():
            item.path.unlink(missing_ok=True)

    def _end(self, item: Incoming) -> None:
        self._kept.end(item)
        self._note(item)

    def _note(self, item: Incoming) -> None:
        with self._lock:
            self._items[item.id] = item
        self._say()

    def _say(self) -> None:
        """Tell the pages how far it is, not more often than they can show."""
        with self._lock:
            if self._is_saying:
                return
            wait = self._said_at + SAID_EVERY_SECONDS - time.monotonic()
            self._is_saying = wait > 0
            if not self._is_saying:
                self._said_at = time.monotonic()
        if wait > 0:
            timer = threading.Timer(wait, self._say_late)
            timer.daemon = True
            timer.start()
        else:
            self._announcer.say("bring", counts=self.counts())

    def _say_late(self) -> None:
        with self._lock:
            self._is_saying, self._said_at = False, time.monotonic()
        self._announcer.say("bring", counts=self.counts())

    # ---- hearing again

    def hear_again(self) -> int:
        """Listen once more, in the background, to what an older listening heard; how many."""
        outdated = self._loops.heard_before(LISTENING_VERSION)
        company_of = cache(self._company_of)
        for loop in outdated:
            future = self._executors.listen(
                "listen_again", self._store.folder, loop.sha, loop.claims,
                company_of(loop.set_name).without(loop.sha),
            )  # fmt: skip
            future.add_done_callback(partial(self._hear_anew, loop))
        return len(outdated)

    def _company_of(self, set_name: str) -> Company:
        """What is known here that has a say in how one of a set is read."""
        return replace(self._companies.of(set_name), project_bpm=self._tempo_now())

    def _hear_anew(self, loop: Loop, future: "Future[Hearing]") -> None:
        if self._is_closed or future.cancelled() or future.exception() is not None:
            return  # what was heard before stays
        hearing = future.result()
        if loop.recipe and loop.recipe.knows_its_beats:
            hearing = replace(hearing, readings=loop.hearing.readings, beats=loop.hearing.beats)
        self._loops.set_hearing(replace(loop, hearing=hearing))
        self._announcer.say("loop", sha=loop.sha)


def item_json(item: Incoming) -> Any:
    """What a page is told; of a refused file, where it was set aside and whether it is there."""
    told = asdict(item)
    del told["path"], told["is_ours"]
    told["is_there"] = item.state == REFUSED and item.path.is_file()
    told["kept"] = f"refused/{item.path.name}" if told["is_there"] and item.is_ours else ""
    return told


def _is_same(one: Incoming, other: Incoming) -> bool:
    """Are both refused, alike in name, reason and bytes?"""
    if (one.name, one.state, one.reason) != (other.name, REFUSED, other.reason):
        return False
    try:
        return one.path == other.path or filecmp.cmp(one.path, other.path, shallow=False)
    except OSError:
        return False  # one of them is gone


def new_id() -> str:
    return uuid.uuid4().hex[:12]


def loop_of(listened: Listened, names: tuple[str, ...]) -> Loop:
    """The loop that was listened to."""
    return Loop(
        sha=listened.sha,
        name=readable(names[0]),
        set_name=set_name_of(names),
        file_kind=listened.file_kind,
        seconds=listened.frames / listened.rate,
        rate=listened.rate,
        channels=listened.channels,
        frames=listened.frames,
        claims=listened.claims or Claims(),
        hearing=listened.hearing,
        warnings=listened.warnings,
        stated=None,
        recipe=None,
        added_at=datetime.now(UTC).isoformat(timespec="microseconds"),
        on_shelf=True,
    )
