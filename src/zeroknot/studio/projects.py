"""What does a person do with projects? Make, open, change, undo, copy, carry away, bring back."""

import threading
import zlib
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

from cachetools import LRUCache
from pydantic import ValidationError

from zeroknot.core.errors import EditError, StaleError, ZeroKnotError
from zeroknot.core.loop import Statement
from zeroknot.document.coherent import RATES
from zeroknot.document.difference import difference
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Project
from zeroknot.document.stored import (
    SCHEMA,
    change_text,
    edit_text,
    edit_value,
    tree_after,
    tree_text,
)
from zeroknot.document.strand import LONGEST_NAME
from zeroknot.store.revision import Moved, ProjectEntry, Revision, Version
from zeroknot.store.revisions import RevisionStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.hand import new_id
from zeroknot.studio.intents.base import Intent
from zeroknot.studio.known import Known

MOST_PARTS = 500_000  # of trees held in memory; those that did not change are shared between them
MOST_NEWEST = 8
PARTS_A_TREE = 2_000  # that it counts for at least


@dataclass(frozen=True)
class State:
    """A project as it is now, and what undo and redo would do.

    moves  how often its head has moved: a later state has more, whichever revision it is
    """

    revision: int
    moves: int
    project: Project
    undo: str | None
    redo: str | None
    notes: tuple[str, ...] = ()


class Projects:
    def __init__(self, revisions: RevisionStore, known: Known, announcer: Announcer):
        self._revisions, self._known, self._announcer = revisions, known, announcer
        self._lock = threading.Lock()
        self._trees: LRUCache[tuple[str, int], Project] = LRUCache(
            MOST_PARTS, getsizeof=lambda t: PARTS_A_TREE + len(t.clips) + len(t.strands)
        )
        self._newest: LRUCache[str, Project] = LRUCache(MOST_NEWEST)  # that was read or made
        self._trees_lock = threading.Lock()

    def list(self, removed: bool = False) -> list[ProjectEntry]:
        return self._revisions.projects(removed)

    def tempo_now(self) -> float | None:
        """The tempo that the project opened last begins with; None where nothing lies in it yet.

        Nor where it cannot be read, or went meanwhile: loops come in all the same.
        """
        projects = self.list()
        if not projects:
            return None
        try:
            tree = self.state(projects[0].id).project
        except (ZeroKnotError, zlib.error, ValueError, LookupError, TypeError):
            return None
        return tree.tempo[0].bpm if tree.clips else None

    def create(self, name: str, rate: int = 44_100) -> str:
        """Make an empty project; returns its id."""
        if rate not in RATES:
            raise ZeroKnotError(f"a project's rate is one of {', '.join(map(str, RATES))} Hz")
        if not name.strip():
            raise ZeroKnotError("a project needs a name")
        project = Project(id=new_id(), name=name.strip()[:300], rate=rate)
        self._revisions.create(project.id, project.name, tree_text(project), SCHEMA)
        return project.id

    def adopt(self, project: Project, label: str) -> str:
        """Take in a whole project under a new id; returns that."""
        taken = project.changed(id=new_id())
        self._revisions.create(taken.id, taken.name, tree_text(taken), SCHEMA, label)
        return taken.id

    def duplicate(self, project: str) -> str:
        """A copy of how it is now, with a history of its own."""
        tree = self.state(project).project
        return self.adopt(tree.changed(name=f"{tree.name[:290]} copy"), "duplicate")

    def remove(self, project: str) -> None:
        self._revisions.set_removed(project, True)

    def restore(self, project: str) -> None:
        self._revisions.set_removed(project, False)

    def opened(self, project: str) -> State:
        self._revisions.mark_opened(project)
        return self.state(project)

    def state(self, project: str) -> State:
        return self._state_of(project)

    def submit(
        self, project: str, revision: int, intent: Intent | Edit, asked: str | None = None
    ) -> State:
        """Resolve an intent and apply its edit; one that changes nothing leaves no step of undo.

        revision  the one it was made on; where the project has moved on and what the edit touches
                  was changed since, StaleError names the edits since
        asked     a page's own id for this; asked again, it is done once
        """
        if isinstance(intent, Intent) and not self._revisions.is_done(asked):
            intent.measure(self.state(project).project, self._known)
        with self._lock:
            if self._revisions.is_done(asked):
                return self.state(project)
            head = self._revisions.head(project)
            base = self._tree(project, head.number)
            statement: Statement | None = None
            with known_failures():
                if isinstance(intent, Edit):
                    edit = intent
                else:
                    resolved = intent.resolve(base, self._known)
                    edit, statement = resolved.edit, resolved.statement
                if revision != head.number:
                    self._refuse_stale(project, revision, head.number, edit)
                tree = edit.apply(base)
                read_back(base, tree)
            if tree == base and statement is None:  # as it was before: no step to take back
                return self._state_of(project)
            self._advance(
                project, head.number, base, tree, edit.label(), edit_text(edit), statement, asked
            )
        loop = statement.loop if statement else None
        return self._announced(project, _notes(base, tree, edit), loop)

    def tried(self, project: str, intent: Intent) -> Project:
        """The project as it would be; nothing is kept."""
        tree = self._tree(project, self._revisions.head(project).number)
        with known_failures():
            return intent.resolve(tree, self._known).edit.apply(tree)

    def before(self, project: str) -> Project | None:
        """The project as it was before its last edit; None where there was none."""
        earlier = self._revisions.before(project)
        return self._tree(project, earlier.number) if earlier else None

    def undo(self, project: str, revision: int | None = None, asked: str | None = None) -> State:
        """Back to the state before the last edit.

        revision  the one it was meant for; where the project has moved on, StaleError names the
                  edits since, and none of them is taken back
        asked     a page's own id for this; asked again, it is done once
        """
        with self._lock:
            if self._revisions.is_done(asked):
                return self.state(project)
            self._refuse_moved_on(project, revision, self._revisions.head(project))
            moved = self._revisions.undo(project, asked)
            if moved is None:
                raise EditError("there is nothing to undo: this is how the project began")
        return self._announced(project, _notes_of_move(moved), moved.loop)

    def redo(self, project: str, revision: int | None = None, asked: str | None = None) -> State:
        """Forward to the newest edit that was taken back here; revision and asked as in undo."""
        with self._lock:
            if self._revisions.is_done(asked):
                return self.state(project)
            self._refuse_moved_on(project, revision, self._revisions.head(project))
            moved = self._revisions.redo(project, asked)
            if moved is None:
                raise EditError("there is nothing to redo")
        return self._announced(project, _notes_of_move(moved), moved.loop)

    def _refuse_moved_on(self, project: str, revision: int | None, head: Revision) -> None:
        if revision is None or revision == head.number:
            return
        labels = [entry.label for entry in self._revisions.edits_since(project, revision)]
        raise StaleError(
            "this was done elsewhere meanwhile: " + ", ".join(labels) + "; nothing was taken back",
            labels,
        )

    def _refuse_stale(self, project: str, revision: int, head: int, edit: Edit) -> None:
        since = self._revisions.edits_since(project, revision)
        touched: set[str] = set()
        for entry in since:
            if entry.edit:
                touched |= edit_value(entry.edit).touches()
        # What made room for something has changed, too, though no edit names it.
        change = difference(self._tree(project, revision), self._tree(project, head))
        touched |= {f"project.{name}" for name in change.get("set", ())}
        for parts in change.get("within", {}).values():
            touched |= {*parts.get("set", ()), *parts.get("within", ()), *parts.get("gone", ())}
        if touched & edit.touches():
            labels = [entry.label for entry in since]
            raise StaleError(
                "this was changed meanwhile (" + ", ".join(labels) + "); look again and repeat it",
                labels,
            )

    def versions(self, project: str) -> tuple[Version, ...]:
        """States with a name, and what undo left behind, newest first."""
        return tuple(self._revisions.versions(project))

    def name_version(self, project: str, number: int, name: str) -> None:
        """Call a state something; an empty name takes its name away."""
        self._revisions.set_name(project, number, name.strip()[:LONGEST_NAME] or None)
        self._announcer.say("versions", project=project)

    def beside(self, project: str, number: int) -> str:
        """A state as a project of its own, to be opened beside; returns its id."""
        entry, tree = self._revisions.revision(project, number), self._tree(project, number)
        called = entry.name or entry.label
        return self.adopt(tree.changed(name=f"{tree.name}: {called}"[:LONGEST_NAME]), "a version")

    def go_back(
        self, project: str, number: int, revision: int | None = None, asked: str | None = None
    ) -> State:
        """Make the project what it was in an earlier state: an edit like any, undone like any.

        revision, asked  as in undo
        """
        with self._lock:
            if self._revisions.is_done(asked):
                return self.state(project)
            head, entry = self._revisions.head(project), self._revisions.revision(project, number)
            self._refuse_moved_on(project, revision, head)
            base, tree = (self._tree(project, n) for n in (head.number, number))
            if tree == base:
                raise EditError("that is how the project is now")
            label = f"back to {entry.name or entry.label}"
            self._advance(project, head.number, base, tree, label, asked=asked)
        return self._announced(project)

    def _advance(
        self, project: str, head: int, base: Project, tree: Project, label: str,
        edit: str | None = None, statement: Statement | None = None, asked: str | None = None,
    ) -> None:  # fmt: skip
        number = self._revisions.advance(
            project, head, tree.name, change_text(base, tree), lambda: tree_text(tree), label,
            written_in=SCHEMA, edit=edit, statement=statement, asked=asked,
        )  # fmt: skip
        if number is None:
            raise StaleError("the project changed in another process; try again", [])
        self._hold(project, number, tree)

    def _announced(
        self, project: str, notes: tuple[str, ...] = (), loop: str | None = None
    ) -> State:
        state = self._state_of(project, notes)
        self._revisions.rename(project, state.project.name)
        self._announcer.say("revision", project=project, revision=state.revision, moves=state.moves)
        if loop:
            self._announcer.say("loop", sha=loop)
        return state

    def _state_of(self, project: str, notes: tuple[str, ...] = ()) -> State:
        now = self._revisions.standing(project)
        tree = self._tree(project, now.head)
        return State(now.head, now.moves, tree, now.undo, now.redo, notes)

    def _tree(self, project: str, number: int) -> Project:
        """A revision's tree. Revisions never change, so what was read once holds."""
        with self._trees_lock:
            known = self._trees.get((project, number))
            held = self._newest.get(project)
        if known is None:
            kept = self._revisions.kept(project, number)
            known = tree_after(kept.tree, kept.changes)
            if held:
                known = known.sharing(held)
            self._hold(project, number, known)
        return known

    def _hold(self, project: str, number: int, tree: Project) -> None:
        with self._trees_lock, suppress(ValueError):  # larger than all that is held
            self._newest[project] = tree
            self._trees[project, number] = tree


def _notes_of_move(moved: Moved) -> tuple[str, ...]:
    if moved.left_as_stated is None:
        return ()
    return (f"{moved.left_as_stated} was corrected elsewhere since: that reading stays",)


def _notes(before: Project, after: Project, edit: Edit) -> tuple[str, ...]:
    """What happened beside what was asked for: clips trimmed or taken away to make room."""
    named = edit.touches()
    new = {c.id: c for c in after.clips}
    trimmed = sum(
        1 for c in before.clips
        if c.id in new and new[c.id] is not c and c.id not in named
        and before.clip_length(c) > after.clip_length(new[c.id]) + 1e-9
        and not new[c.id].is_whole
    )  # fmt: skip
    gone = sum(
        1 for c in before.clips
        if c.id not in new and not {c.id, c.track, c.strand} & named
    )  # fmt: skip
    notes = []
    if trimmed:
        notes.append(f"{trimmed} clip{'s' * (trimmed != 1)} trimmed to make room")
    if gone:
        notes.append(f"{gone} clip{'s' * (gone != 1)} lay wholly under it and went")
    return tuple(notes)


@contextmanager
def known_failures() -> Iterator[None]:
    """A value out of its bounds becomes a sentence, whoever made it."""
    try:
        yield
    except ValidationError as error:
        first = error.errors()[0]
        where = next((str(p) for p in reversed(first["loc"]) if isinstance(p, str)), "a value")
        raise EditError(f"{where.replace('_', ' ')}: {first['msg']}") from error


def read_back(base: Project, tree: Project) -> None:
    """Nothing is kept that could not be read again: what an edit made is, before it is stored."""
    for name in ("tracks", "strands", "clips", "grooves"):
        known = {id(part) for part in getattr(base, name)}
        for part in getattr(tree, name):
            if id(part) not in known:
                type(part).model_validate_json(part.model_dump_json())
