"""What does a person do with the shelf? Find, correct, tag, take away, and take back any of it."""

import json
import time
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from zeroknot.core.errors import EditError
from zeroknot.core.loop import Loop
from zeroknot.document.project import Project
from zeroknot.store.by_name import Kept
from zeroknot.store.jobs import Job
from zeroknot.store.loops import BATCH, Change, Columns, LoopStore, batched
from zeroknot.store.searches import SavedSearch, SearchStore
from zeroknot.store.shelf_index import Found, ShelfIndex
from zeroknot.store.shelf_query import ProjectTime, Query
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.jobs import Jobs, Progress
from zeroknot.studio.shelf_edits import ShelfEdit, any_shelf_edit

MOST_AT_ONCE = 100_000
LONGEST_SEARCH_NAME = 80
CHANGE, TAKE_BACK = "change_shelf", "take_back_shelf"
ROOM_SECONDS = 0.11  # between two steps: whoever waits for the lock looks every 0.1 s


@dataclass(frozen=True)
class ShelfChange:
    """id to take it back by; label in words; how many loops it changed, how many it could not"""

    id: int
    label: str
    count: int
    left_out: int = 0


class Shelf:
    def __init__(self, loops: LoopStore, searches: SearchStore, announcer: Announcer, jobs: Jobs):
        self._loops, self._searches, self._announcer = loops, searches, announcer
        self._jobs = jobs
        self._index = ShelfIndex(loops)
        jobs.learn(CHANGE, self._change_many)
        jobs.learn(TAKE_BACK, self._take_back_many)

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

    def among(self, query: Query, project: Project | None = None) -> frozenset[str]:
        """The same in no order."""
        return self._index.among(query, time_of(project) if project else None)

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

    def change(
        self, shas: Iterable[str], edit: ShelfEdit, asked: str | None = None
    ) -> ShelfChange | Job:
        """Change some loops: one refused alone is a sentence, some of many are left as they are.

        asked    a page's own id for this; asked again, it is done once
        returns  what it did; of many loops the job that does it
        """
        shas = list(dict.fromkeys(shas))
        if not 0 < len(shas) <= MOST_AT_ONCE:
            raise EditError("no loop is chosen" if not shas else "too many loops at once")
        if len(shas) > BATCH:
            said = {"shas": shas, "edit": edit.model_dump(mode="json")}
            return self._jobs.begin(CHANGE, f"{len(shas)} loops: {edit.label()}", said, asked)
        making = _Making(edit, is_alone=len(shas) == 1)
        done, count = self._loops.change(shas, edit.label(), making.changed, _now(), asked)
        self._announcer.say("shelf")
        return ShelfChange(done, edit.label(), count, making.left_out)

    def take_back(self, change: int, asked: str | None = None) -> ShelfChange | Job:
        """Undo a change; the change that this is can be taken back, too. What was changed since is
        left out. Of many loops the job that does it."""
        count = self._loops.size_of_change(change)
        if count > BATCH:
            label = f"{count} loops: taken back"
            return self._jobs.begin(TAKE_BACK, label, {"change": change}, asked)
        done, label, count, left_out = self._loops.take_back(change, _now(), asked)
        self._announcer.say("shelf")
        return ShelfChange(done, label, count, left_out)

    def _change_many(self, job: Job, progress: Progress) -> dict[str, Any]:
        if not job.kept:
            edit: ShelfEdit = any_shelf_edit.validate_python(job.arguments["edit"])
            shas, making = job.arguments["shas"], _Making(edit)
            change = Change()
            planned = 0
            for batch in batched(shas, BATCH):
                part = self._loops.planned(batch, making.changed)
                change.before.update(part.before)
                change.after.update(part.after)
                planned += len(batch)
                progress.step(planned, 2 * len(shas))  # to see what it does is half of it
            self._keep(progress, edit.label(), change, making.left_out)
        return self._done_in_steps(progress)

    def _take_back_many(self, job: Job, progress: Progress) -> dict[str, Any]:
        if not job.kept:
            label, change, left_out = self._loops.planned_back(job.arguments["change"])
            self._keep(progress, label, change, left_out)
        return self._done_in_steps(progress)

    def _keep(self, progress: Progress, label: str, change: Change, left_out: int) -> None:
        """Kept before it is done: then it is gone on with, and can be taken back, from anywhere."""
        number = self._loops.keep_change(label, change, _now())
        progress.keep(id=number, label=label, count=len(change), left_out=left_out)

    def _done_in_steps(self, progress: Progress) -> dict[str, Any]:
        _, change = self._loops.kept_change(progress.job.kept["id"])
        done = 0
        for batch in batched(change.after, BATCH):
            self._loops.do_some(change, batch)
            done += len(batch)
            self._announcer.say("shelf")
            progress.step(len(change) + done, 2 * len(change))
            time.sleep(ROOM_SECONDS)
        return dict(progress.job.kept)

    # ---- searches that are kept

    def searches(self) -> list[SavedSearch]:
        return self._searches.all()

    def keep_search(self, name: str, query: Query) -> Kept:
        """Keep a search under a name; one of that name gives way."""
        name = name.strip()
        if not 0 < len(name) <= LONGEST_SEARCH_NAME:
            raise EditError(f"a search's name has 1 to {LONGEST_SEARCH_NAME} characters")
        kept = self._searches.keep(name, query_json(query), _now())
        self._announcer.say("searches")
        return kept

    def forget_search(self, id_: str) -> None:
        self._searches.forget(id_)
        self._announcer.say("searches")

    def bring_back_search(self, id_: str, instead_of: str | None = None) -> None:
        """As of `by_name.bring_back`."""
        self._searches.bring_back(id_, instead_of)
        self._announcer.say("searches")


class _Making:
    """What an edit makes of loops, and how many it could not change."""

    def __init__(self, edit: ShelfEdit, is_alone: bool = False):
        self._edit, self._is_alone = edit, is_alone
        self.left_out = 0

    def changed(self, loop: Loop) -> Columns:
        try:
            return self._edit.changed(loop)
        except EditError:
            if self._is_alone:
                raise
            self.left_out += 1
            return {}


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
