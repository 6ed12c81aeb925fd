"""What does a person do with the shelf? Look, search, state, rename, take away and put back."""

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Loop
from zeroknot.store.loops import LoopStore
from zeroknot.studio.announcer import Announcer

LONGEST_NAME = 300


class Shelf:
    def __init__(self, loops: LoopStore, announcer: Announcer):
        self._loops, self._announcer = loops, announcer

    def search(self, words: str = "") -> list[Loop]:
        """Loops on the shelf whose name or set has every word."""
        return self._loops.on_shelf(words)

    def loop(self, sha: str) -> Loop:
        return self._loops.get(sha)

    def state(self, sha: str, reading: Reading | None) -> None:
        """The person's own reading; None takes it back. What was heard stays."""
        self._loops.state(sha, reading)
        self._announcer.say("loop", sha=sha)

    def rename(self, sha: str, name: str) -> None:
        name = name.strip()
        if not 0 < len(name) <= LONGEST_NAME:
            raise ZeroKnotError(f"a loop's name has 1 to {LONGEST_NAME} characters")
        self._loops.rename(sha, name)
        self._announcer.say("loop", sha=sha)

    def remove(self, sha: str) -> None:
        """Off the shelf; the recording stays on disk."""
        self._loops.get(sha)
        self._loops.set_on_shelf(sha, False)
        self._announcer.say("shelf")

    def put_back(self, sha: str) -> None:
        self._loops.set_on_shelf(sha, True)
        self._announcer.say("shelf")
