"""How do files come onto the shelf? One by one, in the background; a bad one stops no other."""

import threading
import uuid
from concurrent.futures import Future
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import Any

from zeroknot.core.listening.hearing import VERSION as LISTENING_VERSION
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims
from zeroknot.core.loop import Loop
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.loops import LoopStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.executors import Executors
from zeroknot.studio.listened import Listened

KEPT_ITEMS = 5000
LONGEST_NAME = 300


@dataclass(frozen=True)
class Item:
    """One file on its way in.

    state  "waiting", "listening", "done", "double" (there already) or "refused"
    """

    id: str
    name: str
    state: str
    reason: str = ""
    sha: str = ""


class Bringing:
    def __init__(
        self, store: AudioStore, loops: LoopStore, executors: Executors, announcer: Announcer
    ):
        self._store, self._loops = store, loops
        self._executors, self._announcer = executors, announcer
        self._lock = threading.Lock()
        self._items: dict[str, Item] = {}
        self._futures: dict[str, Future[Listened]] = {}

    def items(self) -> list[Item]:
        """Everything brought in since the start, oldest first."""
        with self._lock:
            return list(self._items.values())

    def begin(self, incoming: Path, name: str) -> Item:
        """Bring in a file that lies in `incoming`; returns at once.

        name  as the person knows it, folders before it: "pack/loops/kick_92bpm.wav"
        """
        parts = [
            p for p in PurePosixPath(name.replace("\\", "/")).parts if p not in ("/", "..", ".")
        ]
        names = (Path(parts[-1]).stem if parts else "loop", *reversed(parts[:-1]))
        item = Item(uuid.uuid4().hex[:12], name[-LONGEST_NAME:] or "loop", "waiting")
        self._note(item)
        future = self._executors.listen("listen_to", self._store.folder, incoming, names)
        self._futures[item.id] = future
        future.add_done_callback(lambda f: self._finish(item, incoming, names, f))
        with self._lock:
            return self._items[item.id]

    def hear_again(self) -> int:
        """Listen once more, in the background, to what an older listening heard; how many."""
        outdated = self._loops.heard_before(LISTENING_VERSION)
        for loop in outdated:
            future = self._executors.listen(
                "listen_again", self._store.folder, loop.sha, loop.claims
            )
            future.add_done_callback(lambda f, loop=loop: self._hear_anew(loop, f))
        return len(outdated)

    def _hear_anew(self, loop: Loop, future: "Future[Hearing]") -> None:
        if future.cancelled() or future.exception() is not None:
            return  # what was heard before stays
        hearing = future.result()
        if loop.recipe is not None:  # a print knows what it is
            hearing = replace(hearing, readings=loop.hearing.readings, beats=loop.hearing.beats)
        self._loops.set_hearing(replace(loop, hearing=hearing))
        self._announcer.say("loop", sha=loop.sha)

    def refuse(self, name: str, reason: str) -> Item:
        """A file that did not even arrive."""
        item = Item(uuid.uuid4().hex[:12], name[-LONGEST_NAME:], "refused", reason)
        self._note(item)
        return item

    def cancel(self) -> int:
        """Let go of what still waits; returns how many files that were."""
        return sum(future.cancel() for future in list(self._futures.values()))

    def forget_finished(self) -> None:
        with self._lock:
            self._items = {
                k: v for k, v in self._items.items() if v.state in ("waiting", "listening")
            }
        self._announcer.say("bring_cleared")

    def _finish(
        self, item: Item, incoming: Path, names: tuple[str, ...], future: Future[Listened]
    ) -> None:
        self._futures.pop(item.id, None)
        try:
            if future.cancelled():
                incoming.unlink(missing_ok=True)
                self._note(replace(item, state="refused", reason="cancelled before its turn"))
                return
            listened = future.result()
            if listened.refusal is not None:
                incoming.unlink(missing_ok=True)
                self._note(replace(item, state="refused", reason=listened.refusal))
                return
            self._store.keep(incoming, listened.sha)
            is_new = self._loops.add(loop_of(listened, names))
            self._note(replace(item, state="done" if is_new else "double", sha=listened.sha))
        except Exception as error:
            incoming.unlink(missing_ok=True)
            self._note(
                replace(item, state="refused", reason=f"it could not be brought in: {error}")
            )
            raise

    def _note(self, item: Item) -> None:
        with self._lock:
            self._items[item.id] = item
            while len(self._items) > KEPT_ITEMS:
                self._items.pop(next(iter(self._items)))
        self._announcer.say("bring", item=item_json(item))


def item_json(item: Item) -> dict[str, Any]:
    return asdict(item)


def loop_of(listened: Listened, names: tuple[str, ...]) -> Loop:
    """The loop that was listened to."""
    return Loop(
        sha=listened.sha,
        name=readable(names[0]),
        set_name=names[1] if len(names) > 1 else "",
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


def readable(name: str) -> str:
    """A file's name as a loop's name: control characters out, never empty, never endless."""
    shown = "".join(c for c in name if c.isprintable()).strip()
    return shown[:LONGEST_NAME] or "loop"
