"""What is the groove of what was played? Its hits, gathered on the steps of a grid.

Conventions
-----------
- A hit leans on the nearest step within reach; where many fall on one, the strong ones say more.
- Ghosts and the lesser parts of flams say nothing of a step that a full hit falls on.
"""

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.errors import GrooveError
from zeroknot.core.groove.believed import Heard, Looseness
from zeroknot.core.groove.groove import GRIDS, MOST_ACCENT_DB, REACH, Groove, Played, Step, Steps
from zeroknot.core.groove.hit import (
    GHOST_DB,
    REGISTERS,
    Hit,
    Register,
    leader,
    mean_levels,
    rolls,
)
from zeroknot.core.warp.warp_map import WarpMap

# How likely a grid is before anything is heard, natural logarithms; common practice, no source.
PRIORS = {2: 0.0, 4: 0.0, 3: -1.0, 6: -2.0, 8: -2.0, 12: -4.0, 5: -5.0, 7: -6.0}
FINER_COSTS = 0.5  # of what it would cost to say on which of its steps each hit lies
NEAREST_BEATS = 0.004  # hits are heard no more exactly than this: 2.5 ms at 96
LOOSEST_SHARE = 0.15  # of a step: hits that are off by more do not lie on it
STRAY = 0.02  # share of hits that lie anywhere, beforehand
# Shares of a step that every second one may be late; later ones are dotted, so of a finer grid.
SWINGS, LATEST = (0.0, 0.12, 0.24, 0.34), 0.4
ROUNDS = 4
EARLIEST_BEATS = 0.25  # what lies so little before the downbeat may be early on it


@dataclass(frozen=True)
class Explained:
    """A grid that may be meant.

    error_beats  root mean square of how far hits are from its steps, swung ones taken as they are
    left_out     share of the hits that belong to no step
    cost         the lower, the likelier: negative logarithm of its probability
    """

    per_beat: int
    error_beats: float
    left_out: float
    cost: float


def played_of(
    hits: Sequence[Hit], warp: WarpMap, first_beat: float, beats: float
) -> tuple[Played, ...]:
    """Hits of a stretch of a loop as a groove is taken from them.

    hits   rising
    warp   by which they lie
    first_beat, beats  of the stretch, from its downbeat on
    """
    inside = [
        hit for hit in hits
        if -EARLIEST_BEATS <= warp.beat_of_second(hit.second) - first_beat < beats
    ]  # fmt: skip
    means = mean_levels(inside)
    found = []
    for roll in rolls(inside):
        lead = leader(roll)
        for hit in roll:
            accent = hit.level_db - means[hit.register]
            leans = hit is not lead or accent < GHOST_DB
            beat = warp.beat_of_second(hit.second) - first_beat
            doubt = hit.doubt_s * warp.span / warp.body_seconds
            found.append(
                Played(
                    beat, max(hit.strength, 0.01), hit.register, accent, leans, doubt, hit.sureness
                )
            )
    return tuple(found)


def merged(parts: Iterable[Iterable[Played]]) -> tuple[Played, ...]:
    """What several loops play, as one, in order."""
    return tuple(sorted(itertools.chain.from_iterable(parts)))


def grids_of(played: Sequence[Played]) -> list[Explained]:
    """Which grids explain hits, the likeliest first."""
    full = [hit for hit in played if not hit.leans] or list(played)
    if not full:
        raise GrooveError("no hits were heard here that a groove could be taken from")
    return sorted((_explained(full, n) for n in GRIDS), key=lambda e: e.cost)


def fits(per_beat: int, beats: float) -> bool:
    """Do a grid's steps divide so many beats without a rest?"""
    return abs(beats * per_beat - round(beats * per_beat)) < 1e-6


def taken(
    played: Sequence[Played], per_beat: int, beats: float, folded: float = 0.0,
    registers: Sequence[Register] = REGISTERS, name: str = "", origin: str = "",
) -> Groove:  # fmt: skip
    """The groove of hits over so many beats.

    beats      of the stretch that it is taken from
    folded     beats that it is folded to, which `beats` is a whole number of times; 0 keeps it
    registers  that are taken; hits of the others are left
    Raises GrooveError where no hit lies on a step, or the steps do not divide the beats.
    """
    whole = folded or beats
    if not fits(per_beat, whole):
        raise GrooveError(f"{GRIDS.get(per_beat, per_beat)} do not divide {whole:g} beats evenly")
    count = round(whole * per_beat)
    if count < 1 or abs(beats / whole - round(beats / whole)) > 1e-6:
        raise GrooveError(f"{beats:g} beats cannot be folded to {whole:g}")
    kept = tuple(hit for hit in played if hit.register in registers)
    last = beats * per_beat - 0.5

    near = _on_steps(kept, per_beat, last)
    each = [hit for r in REGISTERS for hit in _nearest(h for h in near if h.played.register == r)]
    looseness = Looseness.of([hit.heard for hit in each if not hit.played.leans])

    def gathered(of: Iterable[_Near]) -> Steps:
        found: list[list[_Near]] = [[] for _ in range(count)]
        for hit in _nearest(of):
            found[hit.number % count].append(hit)
        return tuple(_step(hits, looseness) for hits in found)

    steps = gathered(near)
    if not any(step.hits for step in steps):
        raise GrooveError("no hit lies near enough to a step of that grid")
    rows = {r: gathered(h for h in near if h.played.register == r) for r in registers}
    told = {r: row for r, row in rows.items() if any(step.hits for step in row)}
    return Groove(name, per_beat, steps, origin=origin, played=kept).with_rows(told)


@dataclass(frozen=True)
class _Near:
    """A hit and the number of the step that it belongs to."""

    played: Played
    number: int
    heard: Heard

    @property
    def is_heard(self) -> bool:
        """Was it heard in a recording?"""
        return self.played.doubt > 0.0 and not self.played.leans


def _on_steps(played: Iterable[Played], per_beat: int, last: float) -> list[_Near]:
    """Hits within reach of a step, before the last place."""
    found = []
    for hit in played:
        place = hit.beat * per_beat
        number = math.floor(place + 0.5)
        if -0.5 <= place < last and abs(place - number) <= REACH:
            is_second = number % 2 == 1 and per_beat % 2 == 0
            heard = Heard(place - number, hit.doubt * per_beat, hit.sureness, is_second)
            found.append(_Near(hit, number, heard))
    return found


def _nearest(hits: Iterable[_Near]) -> list[_Near]:
    """Of heard hits on one step the nearest; the others go along with it when it is laid."""
    kept = list(hits)
    nearest: dict[int, _Near] = {}
    for hit in kept:
        other = nearest.get(hit.number)
        if hit.is_heard and (other is None or abs(hit.heard.off) < abs(other.heard.off)):
            nearest[hit.number] = hit
    return [hit for hit in kept if not hit.is_heard or nearest[hit.number] is hit]


def _step(near: list[_Near], looseness: Looseness) -> Step:
    full = [hit for hit in near if not hit.played.leans] or near
    if not full:
        return Step(hits=0)
    weights = np.asarray([hit.played.weight * looseness.belongs(hit.heard) for hit in full])
    weights /= max(float(weights.sum()), 1e-12)
    offs = np.asarray([hit.heard.off for hit in full])
    errors = np.asarray([hit.heard.error for hit in full])
    mean = float(weights @ offs)
    together = Heard(
        mean, math.sqrt(float(weights**2 @ errors)),
        float(weights @ np.asarray([hit.heard.sureness for hit in full])),
        all(hit.heard.is_second for hit in full),
    )  # fmt: skip
    weight = sum(hit.played.weight for hit in full)
    accent = sum(hit.played.accent_db * hit.played.weight for hit in full) / weight
    accent = min(max(accent, -MOST_ACCENT_DB), MOST_ACCENT_DB)
    spread = math.sqrt(float(weights @ (offs - mean) ** 2))
    return Step(looseness.believed(together), accent, spread, len(full))


def _explained(played: Sequence[Played], per_beat: int) -> Explained:
    """How well a grid explains hits: each lies on a step, off by chance, or anywhere.

    Every second step may be late by one amount: a swung grid is no finer one.
    """
    places = np.asarray([hit.beat for hit in played]) * per_beat
    swings = SWINGS if per_beat % 2 == 0 else (0.0,)
    return min((_swung(places, per_beat, late) for late in swings), key=lambda e: e.cost)


def _swung(places: NDArray[np.float64], per_beat: int, late: float) -> Explained:
    """A grid whose second steps are about so late, in shares of a step."""
    loosest = LOOSEST_SHARE
    nearest = NEAREST_BEATS * per_beat
    spread, stray, is_swung = loosest, STRAY, late > 0.0
    for _ in range(ROUNDS):
        off, is_second = _off(places, late)
        density = np.exp(-0.5 * (off / spread) ** 2) / (spread * np.sqrt(2 * np.pi))
        on, anywhere = (1 - stray) * density, stray
        belongs = on / (on + anywhere)
        total = max(float(belongs.sum()), 1e-9)
        stray = min(0.5, max(STRAY, 1.0 - total / places.size))
        if is_swung and (weight := float(belongs[is_second].sum())) > 0:
            late += float((belongs * off)[is_second].sum()) / weight
            late = min(late, LATEST)
            off, is_second = _off(places, late)
        spread = math.sqrt(float((belongs * off**2).sum()) / total)
        spread = min(loosest, max(nearest, spread))
    density = np.exp(-0.5 * (off / spread) ** 2) / (spread * np.sqrt(2 * np.pi))
    likely = np.log((1 - stray) * density + stray)
    # A step is a share of a beat: densities are of beats, and which of the steps costs a little.
    each = math.log(per_beat) * (1.0 - FINER_COSTS)
    cost = -float(likely.sum()) - places.size * each - PRIORS[per_beat]
    cost += 0.5 * math.log(places.size + 1) if is_swung else 0.0
    return Explained(per_beat, spread / per_beat, 1.0 - total / places.size, cost)


def _off(places: NDArray[np.float64], late: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """How far places are from their steps, in steps; which belong to every second one."""
    first = places - 2.0 * np.round(places / 2.0)
    second = places - 1.0 - late
    second = second - 2.0 * np.round(second / 2.0)
    is_second = np.abs(second) < np.abs(first)
    return np.where(is_second, second, first), is_second
