"""Who belongs to a loop's family? All it came from, and all that descends from these."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from zeroknot.core.loop import Loop
from zeroknot.document.offshoot import Offshoot
from zeroknot.document.project import Project
from zeroknot.document.steps import Step, steps, steps_of_song, unlike
from zeroknot.document.strand import Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.hand import ITSELF, SHA_DIGITS, in_hand
from zeroknot.studio.prints import descends_from

Kind = Literal["source", "print", "grown"]
MOST_MEMBERS = 2000
SHORT_SAID = 90


@dataclass(frozen=True)
class Member:
    """One of a family.

    id       hash of a loop, or id of an offshoot: what it is in hand by
    kind     "source": it came from outside; "print": made here and kept; "grown": a recipe yet
    parents  ids of members, the first of them the one it is drawn under
    said     what makes it other
    """

    id: str
    kind: Kind
    name: str
    parents: tuple[str, ...]
    said: str = ""
    seed: int | None = None
    favourite: bool = False
    on_shelf: bool = True


@dataclass
class _Known:
    """Everybody there is, by id."""

    members: dict[str, Member] = field(default_factory=dict)
    children: dict[str, list[str]] = field(default_factory=dict)

    def add(self, member: Member) -> None:
        self.members[member.id] = member
        for parent in member.parents:
            self.children.setdefault(parent, []).append(member.id)


def steps_of_print(loop: Loop) -> tuple[Step, ...]:
    """What a stretch of the song was printed from; of other loops nothing."""
    recipe = loop.recipe
    return steps_of_song(recipe.made_by["song"]) if recipe and recipe.is_of_a_song else ()


class Families:
    def __init__(self, loops: LoopStore):
        self._loops = loops

    def of(self, project: Project, name: str) -> list[Member]:
        """The whole family, parents before their children.

        name  of one of it: an offshoot, a loop, or a strand, whose family is that of its loop
        """
        known = self._known(project)
        starts = self._starts(project, name, known)
        found: dict[str, None] = {}
        waiting = self._roots(starts, known)
        while waiting and len(found) < MOST_MEMBERS:
            id_ = waiting.pop(0)
            if id_ in found or id_ not in known.members:
                continue
            found[id_] = None
            waiting += known.children.get(id_, [])
            # What else they came from belongs to the family, too.
            waiting += self._roots(known.members[id_].parents, known)
        return [known.members[id_] for id_ in _in_generations(found, known)]

    def steps(self, project: Project, name: str) -> tuple[Strand, tuple[Step, ...]]:
        """How one was made, in sentences, and the strand that says so."""
        hand = in_hand(project, self._loops, name)
        return hand.strand, (*steps_of_print(hand.loop), *steps(hand.strand))

    def unlike(self, project: Project, one: str, other: str) -> tuple[str, ...]:
        """What is otherwise in the other."""
        strands = [in_hand(project, self._loops, name).strand for name in (one, other)]
        return unlike(*strands)

    def _known(self, project: Project) -> _Known:
        known = _Known()
        kept = {o.kept: o for o in project.offshoots if o.kept}
        made = {m.sha: m for m in self._loops.made()}
        above = {p for m in made.values() for p in m.parents}
        above |= {p for o in project.offshoots for p in o.parents if len(p) == SHA_DIGITS}
        above |= {sha for s in project.strands for sha in s.sources}
        for sha, loop in self._loops.named(above - made.keys()).items():
            known.add(_source(sha, loop))
        for m in made.values():
            grown = kept.get(m.sha)
            if not (m.on_shelf or grown or m.sha in above):
                continue  # taken back, and nothing came of it
            said = grown.said if grown else m.said
            parents = tuple(p for p in m.parents if p != m.sha)
            known.add(
                Member(m.sha, "print", m.name, parents, said[:SHORT_SAID], m.seed, m.favourite,
                       m.on_shelf)
            )  # fmt: skip
        for offshoot in project.offshoots:
            if offshoot.kept not in made:
                known.add(self._grown(project, offshoot))
        return known

    def _grown(self, project: Project, offshoot: Offshoot) -> Member:
        parents = (
            (project.offshoot(p).kept or p) if project.grew(p) else p for p in offshoot.parents
        )
        return Member(
            offshoot.id, "grown", offshoot.name, tuple(dict.fromkeys(parents)),
            offshoot.said[:SHORT_SAID], offshoot.seed, offshoot.favourite, False,
        )  # fmt: skip

    def _starts(self, project: Project, name: str, known: _Known) -> tuple[str, ...]:
        name = name.removeprefix(ITSELF)
        if name in known.members:
            return (name,)
        if len(name) == SHA_DIGITS:
            loop = self._loops.get(name)
            known.add(_source(name, loop))
            return (name,)
        if project.grew(name):
            return (project.offshoot(name).kept or name,)
        return descends_from(project.strand(name))

    def _roots(self, starts: Iterable[str], known: _Known) -> list[str]:
        """The topmost ones above some."""
        found: dict[str, None] = {}
        seen: set[str] = set()
        waiting = list(starts)
        while waiting:
            id_ = waiting.pop()
            if id_ in seen or id_ not in known.members:
                continue
            seen.add(id_)
            above = [p for p in known.members[id_].parents if p in known.members]
            if above:
                waiting += above
            else:
                found[id_] = None
        return list(found)


def _source(sha: str, loop: Loop) -> Member:
    said = "as it came" if loop.recipe is None else "made here"
    return Member(sha, "source", loop.name, (), said, None, loop.favourite, loop.on_shelf)


def _in_generations(ids: Iterable[str], known: _Known) -> list[str]:
    """Parents before their children."""
    left, done = list(ids), dict[str, None]()
    among = set(left)
    while left:
        ready = [
            i for i in left if all(p in done or p not in among for p in known.members[i].parents)
        ]
        for id_ in ready or left[:1]:
            done[id_] = None
        left = [i for i in left if i not in done]
    return list(done)
