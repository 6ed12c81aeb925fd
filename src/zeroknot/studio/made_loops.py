"""How does a loop that was made here come onto the shelf? Listened to like any other, then kept."""

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.loop import NO_KEY, Loop
from zeroknot.core.recipe.recipe import Recipe
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.loops import LoopStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.bring import loop_of
from zeroknot.studio.executors import Executors
from zeroknot.studio.listened import Listened


class NewLoop(NamedTuple):
    """A loop that was made here, as the shelf has it.

    change  number of the change of the shelf that this was; None where it lay there already
    label   what that was, in words
    """

    loop: Loop
    change: int | None
    label: str


class MadeLoops:
    def __init__(
        self, store: AudioStore, loops: LoopStore, executors: Executors, announcer: Announcer
    ):
        self._store, self._loops = store, loops
        self._executors, self._announcer = executors, announcer
        # Told of each loop that was made: it is laid where a folder is watched, it is compared.
        self.kept: list[Callable[[str], object]] = []

    def listened(self, incoming: Path, name: str, recipe: Recipe, source: Loop) -> Loop:
        """The loop that an incoming file would be; nothing is kept yet.

        source  that it was made from: it belongs to the same set and has no key where
                that has none
        """
        task = ("listen_to", self._store.folder, incoming, ())
        heard: Listened = self._executors.look(*task).result()
        if heard.refusal is not None:
            incoming.unlink(missing_ok=True)
            raise ZeroKnotError(f"the new loop could not be kept: {heard.refusal}")
        return replace(
            loop_of(heard, (name,)),
            set_name=source.set_name,
            stated_key=NO_KEY if source.stated_key == NO_KEY else None,
            recipe=recipe,
            added_at=datetime.now(UTC).isoformat(timespec="microseconds"),
        )

    def keep(self, incoming: Path, made: Loop, how: str, asked: str | None = None) -> NewLoop:
        """Onto the shelf with it.

        how    it was made, in a word: "printed"
        asked  the id under which a page asked for it; asked again, it came onto the shelf once
        """
        label = f"“{made.name}” {how}"
        self._store.keep(incoming, made.sha)
        change = self._loops.make(made, label, made.added_at, asked)
        self._announcer.say("shelf")
        for told in self.kept:
            told(made.sha)
        return NewLoop(self._loops.get(made.sha), change, label)
