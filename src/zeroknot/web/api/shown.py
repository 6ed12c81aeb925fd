"""How does a page see a project? Whole once; from then on what is other since it last asked.

Conventions
-----------
- Every answer has a token. Who gives it back is told what changed since, as long as it is known
  here; who does not, or gives one that is not, is told everything.
- Parts that did not change are the same objects in every answer, so that a large project costs
  what was changed in it.
"""

import secrets
import threading
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from cachetools import LRUCache

from zeroknot.core.loop import Loop
from zeroknot.document.project import Clip, Project
from zeroknot.document.strand import Strand
from zeroknot.studio.placement import Placement
from zeroknot.studio.projects import State
from zeroknot.studio.studio import Studio
from zeroknot.web.api.groove_wire import kept_json
from zeroknot.web.api.wire import clip_json, place_json, project_json, strand_json

MOST_TOKENS = 64  # of pages that are open

Parts = Mapping[str, dict[str, Any]]  # by id, in the project's order


@dataclass(frozen=True, eq=False)
class Shown:
    """What a page was told of a project, and what that was made from."""

    token: str
    project: Project
    loops: Mapping[str, Loop]
    tracks: Parts
    strands: Parts
    clips: Parts

    @classmethod
    def of(cls, project: Project, loops: Mapping[str, Loop], before: "Shown | None") -> "Shown":
        """Taking over what is as it was before."""
        known = (
            {id(track): before.tracks[track.id] for track in before.project.tracks}
            if before
            else {}
        )
        # Of a track that is not the very same it is looked whether it is equal: `difference`.
        tracks = {t.id: known.get(id(t)) or t.model_dump() for t in project.tracks}
        if before and not before.project.is_laid_as(project):
            before = None
        strands: dict[str, dict[str, Any]] = {}
        clips: dict[str, dict[str, Any]] = {}
        fresh: set[str] = set()
        for strand in project.strands:
            if before and _is_known(strand, loops[strand.loop], before):
                strands[strand.id] = before.strands[strand.id]
            else:
                strands[strand.id] = strand_json(project, strand, loops[strand.loop])
                fresh.add(strand.id)
        places = _Places(project, loops)
        for clip in project.clips:
            if before and clip.strand not in fresh and before.project.holds(clip):
                clips[clip.id] = before.clips[clip.id]
            else:
                clips[clip.id] = clip_json(project, clip) | places.of(clip)
        return cls(secrets.token_hex(8), project, dict(loops), tracks, strands, clips)


class ShownProjects:
    """What pages were told last, by token."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._lock = threading.Lock()
        self._told: LRUCache[str, Shown] = LRUCache(MOST_TOKENS)
        self._last: LRUCache[str, Shown] = LRUCache(MOST_TOKENS)  # by project

    def whole(self, state: State) -> Any:
        """Everything of a project."""
        shown = self._shown(state.project)
        return {
            **_head(state, shown),
            "grooves": kept_json(state.project.grooves),
            "tracks": list(shown.tracks.values()),
            "strands": list(shown.strands.values()),
            "clips": list(shown.clips.values()),
        }

    def since(self, state: State, known: str | None) -> Any:
        """What is other since the answer with that token; everything where that is not known."""
        with self._lock:
            before = self._told.get(known) if known else None
        if before is None or before.project.id != state.project.id:
            return self.whole(state)
        shown = self._shown(state.project)
        return {
            **_head(state, shown),
            "since": before.token,
            "grooves": _other_grooves(before.project, state.project),
            "tracks": difference(before.tracks, shown.tracks),
            "strands": difference(before.strands, shown.strands),
            "clips": difference(before.clips, shown.clips),
        }

    def _shown(self, project: Project) -> Shown:
        loops = self._studio.loops.named(project.loops())
        with self._lock:
            last = self._last.get(project.id)
        if last and last.project is project and _are_same(loops, last.loops):
            return last
        shown = Shown.of(project, loops, last)
        with self._lock:
            self._last[project.id] = self._told[shown.token] = shown
        return shown


class _Places:
    """What becomes of clips where they lie: at most once for each strand and tempo."""

    def __init__(self, project: Project, loops: Mapping[str, Loop]):
        self._project, self._loops = project, loops
        self._known: dict[tuple[str, object], dict[str, Any]] = {}

    def of(self, clip: Clip) -> dict[str, Any]:
        strand = self._project.strand(clip.strand)
        placed = Placement.of(
            self._project, strand, self._loops[strand.loop], clip.beat, clip.shift
        )
        key = strand.id, placed.law
        if key not in self._known:
            self._known[key] = place_json(placed)
        return self._known[key]


def difference(before: Parts, now: Parts) -> dict[str, Any]:
    """Parts that are other or new, ids of those that went, and the order where it is another.

    Who takes it drops what went, replaces what is other and puts what is new behind the rest.
    """
    other = [part for id_, part in now.items() if not _equal(before.get(id_), part)]
    gone = [id_ for id_ in before if id_ not in now]
    expected = [id_ for id_ in before if id_ in now] + [id_ for id_ in now if id_ not in before]
    order = list(now)
    return {"set": other, "gone": gone, "order": None if order == expected else order}


def _equal(before: object, now: object) -> bool:
    return before is now or before == now


def _other_grooves(before: Project, now: Project) -> Any:
    is_same = now.grooves is before.grooves or now.grooves == before.grooves
    return None if is_same else kept_json(now.grooves)


def _head(state: State, shown: Shown) -> dict[str, Any]:
    return {"token": shown.token, **project_json(state)}


def _is_known(strand: Strand, loop: Loop, before: Shown) -> bool:
    return before.project.holds(strand) and before.loops.get(strand.loop) is loop


def _are_same(one: Mapping[str, Loop], other: Mapping[str, Loop]) -> bool:
    return len(one) == len(other) and all(other.get(sha) is loop for sha, loop in one.items())
