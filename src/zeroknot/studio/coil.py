"""What does the coil play? Each of its loops through the song, as if it had always sounded."""

import itertools
from collections.abc import Iterable
from dataclasses import dataclass, replace

from zeroknot.core.mixing.sheet import Event
from zeroknot.core.order.order import LEAST_BEATS, Order
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.document.coil import Slot
from zeroknot.document.project import FARTHEST_BEAT, Clip, Project
from zeroknot.document.strand import Strand
from zeroknot.studio.sheets import SheetMaker

COIL_TRACK = "coil"
JOIN_MS = 5.0  # over which one that is begun anew goes over into itself
MOST_BARS = 512  # that a loop is begun anew in


@dataclass(frozen=True)
class LaidSlot:
    """slot    as the project has it
    strand  as it is played there, at the slot's speed
    events  of the whole song
    plans   that they point to
    made_of what they were made from
    """

    slot: Slot
    strand: Strand
    events: tuple[Event, ...]
    plans: tuple[PassPlan, ...]
    made_of: tuple[object, ...]


def at_speed(strand: Strand, speed: float) -> Strand:
    """A strand so many times as fast, its order with it."""
    if speed == 1.0:
        return strand
    laid = strand.laid_on(strand.span / speed)
    if strand.order is None:
        return laid
    tiles = (
        replace(t, beat=t.beat / speed, beats=max(LEAST_BEATS, t.beats / speed))
        for t in strand.order.tiles
    )
    return laid.changed(order=Order.of(strand.order.beats / speed, tiles))


def laid_coil(
    maker: SheetMaker, end_beat: float, before: Iterable[LaidSlot] = ()
) -> tuple[LaidSlot, ...]:
    """Every slot of a project's coil, up to a beat.

    before  as it was laid the last time: what is as it was is taken over
    """
    known = {laid.slot.id: laid for laid in before}
    found = []
    for slot in maker.project.coil:
        strand = maker.project.strand(slot.strand)
        made_of = slot, strand, maker.loops[strand.loop], end_beat, _time(maker.project)
        earlier = known.get(slot.id)
        if earlier and earlier.made_of == made_of:
            found.append(earlier)
            continue
        played = at_speed(strand, slot.speed)
        events, plans = _events(maker, slot, played, min(end_beat, FARTHEST_BEAT))
        found.append(LaidSlot(slot, played, events, plans, made_of))
    return tuple(found)


def _time(project: Project) -> tuple[object, ...]:
    return project.tempo, project.metres, project.keys, project.song_feel, project.rate


def _events(
    maker: SheetMaker, slot: Slot, strand: Strand, end: float
) -> tuple[tuple[Event, ...], tuple[PassPlan, ...]]:
    clip = Clip(id=slot.id, strand=strand.id, track=COIL_TRACK, beat=0.0, length=end)
    clips = [clip]
    if slot.anew:
        metres = maker.project.metre_map
        lines = [metres.beat_of_bar(bar) for bar in range(1, MOST_BARS + 2)]
        bars = itertools.pairwise(lines)
        clips = [
            clip.changed(
                id=f"{slot.id}.{i}", beat=at, length=min(to, end) - at,
                fade_in_ms=JOIN_MS, fade_out_ms=JOIN_MS,
            )
            for i, (at, to) in enumerate(bars)
            if at < end
        ]  # fmt: skip
    events: list[Event] = []
    plans: dict[str, PassPlan] = {}
    for one in clips:
        laid = maker.laid_as(one, strand)
        events += laid.events
        plans |= {plan.digest: plan for plan in laid.plans}
    return tuple(events), tuple(plans.values())
