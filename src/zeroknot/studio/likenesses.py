"""Which loops sound like one? Measured in the background, once each; then found at once."""

from collections.abc import Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.fitting import Fit, best_fit, fit_of, rough_scores
from zeroknot.core.listening.likeness import SLICES, Likeness
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.document.project import Project
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.likenesses import LikenessStore, Table
from zeroknot.store.loops import LoopStore
from zeroknot.store.shelf_query import By, Near
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import ITSELF, in_hand
from zeroknot.studio.placement import Placement

Vector = NDArray[np.float32]
MOST_AT_ONCE = 64  # measured in the background before the next are asked for
MOST_HEARD = 2048  # renders of recipes that are remembered
MOST_WEIGHED = 200  # of all that may fit, how each goes with the rest
# From how much alike a part is named; of pairs whose sounds are so near three in four are of one
# family of instruments.
WORDS = {
    "sound": (0.6, "sounds alike"), "rhythm": (0.8, "the same rhythm"),
    "tone": (0.8, "the same notes"),
}  # fmt: skip


@dataclass(frozen=True)
class Like:
    """sha   of a loop that is like the one asked about
    alike  −1…1
    why    in words
    """

    sha: str
    alike: float
    why: str


@dataclass(frozen=True)
class Ranked:
    """fit  with what plays; unlike: 0 the same … 2"""

    fit: Fit
    unlike: float


class Likenesses:
    def __init__(
        self, audio: AudioStore, store: LikenessStore, loops: LoopStore, executors: Executors
    ):
        self._audio, self._store = audio, store
        self._loops, self._executors = loops, executors
        self._lock = Lock()
        self._asked: set[str] = set()
        # What recipes make, by the address of the render and the bars that it has.
        self._heard: LRUCache[str, Vector] = LRUCache(MOST_HEARD)

    def near(
        self, project: Project, asked: Near, count: int, shas: frozenset[str]
    ) -> tuple[list[Like], int]:
        """Those of some loops, nearest first; and how many of them nobody measured yet."""
        if asked.like:
            return self.nearest(project, ITSELF + asked.like, asked.by, count, shas)
        return self.fitting(project, asked.beat, count, shas)

    def nearest(
        self, project: Project, name: str, by: By, count: int, shas: frozenset[str]
    ) -> tuple[list[Like], int]:
        """Loops most like what is in hand, of some; and how many of them nobody measured yet.

        name  as of `in_hand`
        """
        vector = self.of(project, name)
        strand = in_hand(project, self._loops, name).strand
        waiting = self._measure(shas)
        table, wanted = self._store.table(), shas - {strand.loop, strand.shelved}
        best = table.nearest(vector, by, count, wanted)
        return [Like(sha, alike, why_alike(vector, table.of(sha))) for sha, alike in best], waiting

    def of(self, project: Project, name: str) -> Vector:
        """What is in hand is like: a loop as it came, or what a recipe makes."""
        hand = in_hand(project, self._loops, name)
        strand = hand.strand
        if strand.printed:
            return self._of_loop(self._loops.get(strand.printed))
        if hand.is_new and strand.cut is None and not project.grew(name.removeprefix(ITSELF)):
            return self._of_loop(hand.loop)
        return self._made_by(project, [name])[name]

    def ranked(
        self, project: Project, names: Sequence[str], beat: float, beside: str
    ) -> dict[str, Ranked]:
        """How each goes with what plays at a beat, and how unlike the one they grew from it is.

        names   of offshoots
        beside  the one they are compared with, as of `in_hand`
        """
        origin = Likeness.unpacked(self.of(project, beside))
        own = in_hand(project, self._loops, beside).strand.loop
        playing = [n for n in _playing(project, beat) if project.strand(n).loop != own]
        others = self._others(project, playing)
        key = project.key_map.key_at(beat)
        found = {}
        for name, vector in self._made_by(project, names).items():
            one = Likeness.unpacked(vector)
            heard = _as_heard(one, in_hand(project, self._loops, name).loop)
            found[name] = Ranked(fit_of(heard, others, key), 1.0 - one.alike(origin))
        return found

    def fitting(
        self, project: Project, beat: float, count: int, shas: frozenset[str], without: str = ""
    ) -> tuple[list[Like], int]:
        """What goes best with all that plays at a beat, brought into its key; and how many of them
        nobody measured yet. Of all those that roughly fit are weighed.

        without  id of a strand that is looked for something in the place of
        """
        waiting = self._measure(shas)
        playing = [name for name in _playing(project, beat) if name != without]
        used = {project.strand(name).loop for name in playing}
        others = self._others(project, playing)
        key = project.key_map.key_at(beat)
        table, wanted = self._store.table(), shas - used
        near = self._nearby(table, others, key, wanted)
        loops = self._loops.named(near)
        tempo = project.tempo_map.bpm_at(beat)
        ranked = []
        for sha in near:
            vector = table.of(sha)
            if vector is not None and sha in loops:
                one, ratio = Likeness.unpacked(vector), _ratio(loops[sha], tempo)
                fit = best_fit(_as_heard(one, loops[sha]), others, key, ratio)
                ranked.append((*fit, sha))
        ranked.sort(key=lambda r: (-r[0].score, r[2]))
        rows = [
            Like(sha, fit.score, ", ".join(w for w in (_shifted(shift), fit.said) if w))
            for fit, shift, sha in ranked[:count]
        ]
        return rows, waiting

    def _others(self, project: Project, playing: Sequence[str]) -> list[Likeness]:
        """What strands that play are like."""
        loops = self._loops.named(project.strand(name).loop for name in playing)
        return [
            _as_heard(Likeness.unpacked(self.of(project, name)), loops[project.strand(name).loop])
            for name in playing
        ]

    def _nearby(
        self, table: Table, others: Sequence[Likeness], key: Key | None, wanted: frozenset[str]
    ) -> list[str]:
        scores = rough_scores(table.vectors, others, key)
        return [sha for sha, _ in table.best(scores, MOST_WEIGHED, wanted)]

    def _made_by(self, project: Project, names: Sequence[str]) -> dict[str, Vector]:
        """What recipes make is like, side by side; each is rendered and listened to once."""
        found: dict[str, Vector] = {}
        waiting: dict[str, tuple[str, Future[Vector]]] = {}
        for name in names:
            hand = in_hand(project, self._loops, name)
            plan = Placement.of(project, hand.strand, hand.loop).heard
            metre = project.metre_map.metre_at(1)
            bars = max(1, round(hand.strand.round_beats / metre.beats_per_bar))
            key = f"{plan.digest} {bars}"
            with self._lock:
                known = self._heard.get(key)
            if known is not None:
                found[name] = known
            else:
                task = self._executors.look("vector_of_plan", self._audio.folder, plan, bars)
                waiting[name] = key, task
        for name, (key, task) in waiting.items():
            found[name] = task.result()
            with self._lock:
                self._heard[key] = found[name]
        return found

    def _of_loop(self, loop: Loop) -> Vector:
        known = self._store.table().of(loop.sha)
        if known is not None:
            return known
        vector: Vector = self._executors.look(*self._task(loop)).result()
        self._store.keep(loop.sha, vector)
        return vector

    def _task(self, loop: Loop) -> tuple[Any, ...]:
        return (
            "vector_of",
            self._audio.folder,
            loop.sha,
            *loop.hearing.body(loop.seconds, loop.stated),
        )

    def soon(self, sha: str) -> None:
        """It is there now: measured in the background, so that it is found when it is asked for."""
        with self._lock:
            is_asked = sha in self._asked
            self._asked.add(sha)
        if not is_asked:
            self._begin(self._loops.get(sha))

    def _measure(self, shas: frozenset[str]) -> int:
        """Those that nobody measured yet, in the background; how many are still missing."""
        missing = self._store.table().missing(shas)
        with self._lock:
            fresh = [sha for sha in missing if sha not in self._asked][:MOST_AT_ONCE]
            self._asked |= set(fresh)
        for loop in self._loops.named(fresh).values():
            self._begin(loop)
        return len(self._store.table().missing(missing)) if missing else 0

    def _begin(self, loop: Loop) -> None:
        future = self._executors.listen(*self._task(loop))
        future.add_done_callback(partial(self._measured, loop.sha))

    def _measured(self, sha: str, future: "Future[Vector]") -> None:
        with self._lock:
            self._asked.discard(sha)
        if not future.cancelled() and future.exception() is None:
            self._store.keep(sha, future.result())


def _playing(project: Project, beat: float) -> list[str]:
    """Strands that something is heard of at a beat."""
    quiet = {track.id for track in project.tracks if track.muted}
    return sorted(
        {
            c.strand
            for c in project.clips
            if not c.muted and c.track not in quiet and c.beat <= beat < project.clip_end(c)
        }
    )


def _as_heard(one: Likeness, loop: Loop) -> Likeness:
    """What a drum rings at is no note that goes with others, or does not."""
    return one.without_tones if loop.sound in UNPITCHED else one


def _ratio(loop: Loop, tempo: float) -> float | None:
    """Of the song's tempo to the loop's own, if it has one."""
    return tempo / loop.reading.tempo_bpm if loop.reading else None


def _shifted(semitones: int) -> str:
    return f"{semitones:+d} st" if semitones else ""


def measured(folder: Path, loop: Loop) -> Vector:
    """What a loop is like, measured here and now."""
    from zeroknot.studio.tasks.likeness import vector_of  # the workers' part, seldom needed

    return vector_of(folder, loop.sha, *loop.hearing.body(loop.seconds, loop.stated))


def why_alike(one: Vector, other: Vector | None) -> str:
    if other is None:
        return ""
    said = [
        word
        for name, (surely, word) in WORDS.items()
        if _product(one, other, SLICES[name]) >= surely
    ]
    return ", ".join(said) or "near on the whole"


def _product(one: Vector, other: Vector, part: slice) -> float:
    return float(one[part] @ other[part])
