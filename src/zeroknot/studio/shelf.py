"""What does a person do with the shelf? Find, correct, tag, take away, and take back any of it."""

import json
import uuid
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime

from zeroknot.core.errors import EditError
from zeroknot.core.loop import Loop
from zeroknot.document.project import Project
from zeroknot.store.loops import Columns, LoopStore
from zeroknot.store.searches import SavedSearch, SearchStore
from zeroknot.store.shelf_index import Found, ShelfIndex
from zeroknot.store.shelf_query import ProjectTime, Query
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.shelf_edits import ShelfEdit

MOST_AT_ONCE = 100_000
LONGEST_SEARCH_NAME = 80


@dataclass(frozen=True)
class ShelfChange:
    """id to take it back by; label in words; how many loops it changed, how many it could not"""

    id: int
    label: str
    count: int
    left_out: int = 0


class Shelf:
    def __init__(self, loops: LoopStore, searches: SearchStore, announcer: Announcer):
        self._loops, self._searches, self._announcer = loops, searches, announcer
        self._index = ShelfIndex(loops)

    def find(
        self, query: Query, project: Project | None = None, first: int = 0, count: int = 100
    ) -> Found:
        """One page of what is asked for. A project has a say in what fits it."""
        return self._index.find(query, time_of(project) if project else None, first, count)

    def warm_up(self) -> None:
        """Read the shelf before somebody waits for it."""
        self._index.find(Query(), None, 0, 0)

    def shas(self, query: Query, project: Project | None = None) -> tuple[str, ...]:
        """All that is asked for."""
        return self._index.shas(query, time_of(project) if project else None)

    def named(self, words: str) -> Loop:
        """The newest loop with these words. Raises EditError where there is none."""
        shas = self.shas(Query(words=words))
        if not shas:
            raise EditError(f"no loop has the words {words!r}")
        return self._loops.get(shas[0])

    def loop(self, sha: str) -> Loop:
        return self._loops.get(sha)

    def newest(self) -> str | None:
        return self._loops.newest()

    def change(self, shas: Iterable[str], edit: ShelfEdit, asked: str | None = None) -> ShelfChange:
        """Change some loops: one refused alone is a sentence, some of many are left as they are.

        asked  a page's own id for this; asked again, it is done once
        """
        shas = list(dict.fromkeys(shas))
        if not 0 < len(shas) <= MOST_AT_ONCE:
            raise EditError("no loop is chosen" if not shas else "too many loops at once")
        left_out = 0

        def changed(loop: Loop) -> Columns:
            nonlocal left_out
            try:
                return edit.changed(loop)
            except EditError:
                if len(shas) == 1:
                    raise
                left_out += 1
                return {}

        done, count = self._loops.change(shas, edit.label(), changed, _now(), asked)
        self._announcer.say("shelf")
        return ShelfChange(done, edit.label(), count, left_out)

    def take_back(self, change: int, asked: str | None = None) -> ShelfChange:
        """Undo a change; the change that this is can be taken back, too. What was changed since is
        left out."""
        done, label, count, left_out = self._loops.take_back(change, _now(), asked)
        self._announcer.say("shelf")
        return ShelfChange(done, label, count, left_out)

    # ---- searches that are kept

    def searches(self) -> list[SavedSearch]:
        return self._searches.all()

    def keep_search(self, name: str, query: Query) -> SavedSearch:
        """Keep a search under a name; one of that name is replaced."""
        name = name.strip()
        if not 0 < len(name) <= LONGEST_SEARCH_NAME:
            raise EditError(f"a search's name has 1 to {LONGEST_SEARCH_NAME} characters")
        kept = SavedSearch(uuid.uuid4().hex[:12], name, query_json(query))
        self._searches.keep(kept, _now())
        self._announcer.say("searches")
        return kept

    def forget_search(self, id_: str) -> None:
        self._searches.forget(id_)
        self._announcer.say("searches")


def time_of(project: Project) -> ProjectTime:
    """What of a project decides what fits it: tempo, metre and key of bar 1."""
    metre = project.metre_map.metre_at(1)
    return ProjectTime(
        bpm=project.tempo_map.bpm_at(0.0),
        pulses_per_bar=metre.pulses_per_bar,
        beats_per_pulse=metre.beats_per_pulse,
        key=project.key,
    )


def query_json(query: Query) -> str:
    """What is asked, without what is not."""
    plain = Query()
    said = {
        name: sorted(value) if isinstance(value, frozenset) else value
        for name, value in asdict(query).items()
        if value != getattr(plain, name)
    }
    return json.dumps(said)


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="microseconds")
