"""What does a page play of a project? Its sheet: whole once, then what is other.

As with `web.api.shown`: every sheet has a token, and who gives it back is told what changed since.
"""

import secrets
import threading
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from cachetools import LRUCache

from zeroknot.core.loop import Loop
from zeroknot.core.mixing.desk.sound import PLAIN
from zeroknot.core.mixing.desk.strip import Desk, Strip
from zeroknot.core.mixing.sheet import Event
from zeroknot.core.render.any_plan import PassPlan, channels_of
from zeroknot.core.render.room_plan import RoomPlan
from zeroknot.core.timeline.grid import pulses
from zeroknot.document.project import NEW_TRACK_DB, Project
from zeroknot.document.strand import Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.audition import Audition, auditioned, match_db
from zeroknot.studio.coil import COIL_TRACK, LaidSlot, laid_coil
from zeroknot.studio.desk import desk_of_project, sent_by
from zeroknot.studio.hand import in_hand
from zeroknot.studio.renders import Renders
from zeroknot.studio.sheets import HAND_TRACK, SheetMaker, gain

BARS_BEYOND_END = 64
MOST_TOKENS = 32  # of pages that are open
_SLACK_BEATS = 1e-6


@dataclass(frozen=True, eq=False)
class SongSheet:
    """A sheet as it was told, and what it was made from."""

    token: str
    maker: SheetMaker
    hand_events: tuple[Event, ...]
    coil: tuple[LaidSlot, ...]
    grid: tuple[str, int, int]  # what the table of pulses depends on
    desk: Desk


class SongSheets:
    """Sheets that pages have, by token."""

    def __init__(self, loops: LoopStore, renders: Renders):
        self._loops, self._renders = loops, renders
        self._lock = threading.Lock()
        self._told: LRUCache[str, SongSheet] = LRUCache(MOST_TOKENS)
        self._last: LRUCache[str, SheetMaker] = LRUCache(MOST_TOKENS)  # by project

    def told(
        self, project: Project, hand_name: str | None, audition: Audition, known: str | None = None
    ) -> dict[str, Any]:
        """What is other since the sheet with the token `known`; all of it where that is not known.

        hand_name  what is in hand and heard with the rest
        audition   how it is heard
        """
        with self._lock:
            before, last = self._told.get(known or ""), self._last.get(project.id)
        hand = in_hand(project, self._loops, hand_name) if hand_name else None
        if hand:
            hand = auditioned(project, hand, audition)
            if hand.is_new:  # its id is another each time, and nothing goes by it
                hand = replace(hand, strand=hand.strand.changed(id=HAND_TRACK))
        loops = self._loops.named(project.loops() | set(hand.strand.sources if hand else ()))
        maker = SheetMaker(project, loops, last)
        last_bar = project.last_bar + BARS_BEYOND_END
        end_beat = project.metre_map.beat_of_bar(last_bar + 1)
        level = match_db(hand.loop, audition) if hand else 0.0
        hand_events = maker.hand(hand.strand, end_beat, gain(level)) if hand else ()
        coil = laid_coil(maker, end_beat, before.coil if before else ())
        for laid in coil:
            maker.plans |= {plan.digest: plan for plan in laid.plans}
        self._renders.know(maker.plans)
        first_frame = min((e.at for laid in maker.laid.values() for e in laid.events), default=0)
        first_beat = project.tempo_map.beat_of_second(first_frame / project.rate)
        first_bar = min(1, project.metre_map.bar_of_beat(first_beat))
        grid = time_key(project), first_bar, last_bar
        desk = with_hand(desk_of_project(project), project, hand.strand if hand else None, coil)
        if desk.sends("room"):
            room = RoomPlan(desk.room.size, project.rate)
            self._renders.know({room.digest: room})
        sheet = SongSheet(secrets.token_hex(8), maker, hand_events, coil, grid, desk)
        with self._lock:
            self._told[sheet.token], self._last[project.id] = sheet, maker
        if before is not None and before.maker.project.id == project.id:
            return {**_head(sheet, first_frame), **_since(before, sheet)}
        return {**_head(sheet, first_frame), **_whole(sheet)}


def _head(sheet: SongSheet, first_frame: int) -> dict[str, Any]:
    project, laid = sheet.maker.project, sheet.maker.laid
    ends = (e.at + e.frames for one in laid.values() for e in one.events)
    return {
        "token": sheet.token,
        "rate": project.rate,
        "first_frame": first_frame,
        "end_frame": max(ends, default=0),
        "last_bar": project.last_bar,
        "close_frame": _close_frame(project),
        "time_key": sheet.grid[0],
    }


def _whole(sheet: SongSheet) -> dict[str, Any]:
    maker = sheet.maker
    return {
        "desk": desk_told(sheet.desk, maker.project.rate),
        "events": list(maker.arrangement().events),
        "hand_events": list(sheet.hand_events),
        "coil": _coil(sheet),
        "pulses": _pulses(sheet),
        "shapes": shapes_of(maker.plans, maker.loops),
    }


def _since(before: SongSheet, now: SongSheet) -> dict[str, Any]:
    then, laid = before.maker.laid, now.maker.laid
    moved = [id_ for id_, one in laid.items() if one is not then.get(id_)]
    events = {e.id: e for id_ in moved for e in laid[id_].events}
    old = {e.id: e for id_ in moved if id_ in then for e in then[id_].events}
    old |= {e.id: e for id_ in then if id_ not in laid for e in then[id_].events}
    known = before.maker.plans
    fresh = {digest: plan for digest, plan in now.maker.plans.items() if digest not in known}
    return {
        "since": before.token,
        "desk": None if now.desk == before.desk else desk_told(now.desk, now.maker.project.rate),
        "events": {
            "set": [event for id_, event in events.items() if old.get(id_) != event],
            "gone": [id_ for id_ in old if id_ not in events],
        },
        "hand_events": (None if now.hand_events == before.hand_events else list(now.hand_events)),
        "coil": None if now.coil == before.coil else _coil(now),
        "pulses": None if now.grid == before.grid else _pulses(now),
        "shapes": shapes_of(fresh, now.maker.loops),
    }


def with_hand(
    desk: Desk, project: Project, hand: Strand | None, coil: tuple[LaidSlot, ...]
) -> Desk:
    """With strips for what slices send that are in hand, or may be as pads, or on the coil."""
    strands = (*project.strands, *([hand] if hand else ()))
    own = [(HAND_TRACK, bus) for strand in strands for bus in sent_by(strand)]
    own += [(COIL_TRACK, bus) for laid in coil for bus in sent_by(laid.strand)]
    # As loud as each sounds there: the coil's loops as a new track does.
    levels = {HAND_TRACK: 0.0, COIL_TRACK: NEW_TRACK_DB}
    strips = tuple(
        Strip.of(track, PLAIN, levels[track]).sending(bus) for track, bus in dict.fromkeys(own)
    )
    return replace(desk, strips=(*desk.strips, *strips)) if strips else desk


def desk_told(desk: Desk, rate: int) -> dict[str, Any]:
    """A desk for the page: with where the room's impulse is, "" where nothing is sent there."""
    room = RoomPlan(desk.room.size, rate)
    return {
        "strips": list(desk.strips),
        "echo": desk.echo,
        "room": {
            "digest": room.digest if desk.sends("room") else "",
            "frames": room.frames,
            "level_db": desk.room.level_db,
        },
        "master": desk.master,
        "ceiling_db": desk.ceiling_db,
    }


def _coil(sheet: SongSheet) -> list[dict[str, Any]]:
    return [
        {
            "slot": laid.slot.id,
            "round": laid.strand.round_beats,
            "anew": laid.slot.anew,
            "events": list(laid.events),
        }
        for laid in sheet.coil
    ]


def _pulses(sheet: SongSheet) -> list[tuple[float, int, int, int]]:
    project = sheet.maker.project
    _, first_bar, last_bar = sheet.grid
    table = pulses(project.tempo_map, project.metre_map, project.rate, first_bar, last_bar)
    return [(p.beat, p.frame, p.bar, p.number) for p in table]


def shapes_of(
    plans: Mapping[str, PassPlan], loops: Mapping[str, Loop]
) -> dict[str, dict[str, int]]:
    """What a player has to know of renders, by digest."""
    return {
        digest: {
            "channels": channels_of(plan, loops[plan.source].channels),
            "frames": plan.frames,
            "lead": plan.lead_frames,
            "body": plan.body_frames,
        }
        for digest, plan in plans.items()
    }


def time_key(project: Project) -> str:
    """The same for the same tempo and metre map: whether a player has to wait for a bar line."""
    tempo = [f"{p.beat} {p.bpm} {p.shape} {p.bend}" for p in project.tempo]
    metre = [f"{c.bar} {c.metre}" for c in project.metres]
    return ", ".join([*tempo, *metre])


def _close_frame(project: Project) -> int:
    """The first bar line at which every clip is over: where the song stops or begins again."""
    metres = project.metre_map
    line = metres.beat_of_bar(metres.bar_of_beat(project.end_beat))
    if line < project.end_beat - _SLACK_BEATS:
        line = metres.beat_of_bar(metres.bar_of_beat(project.end_beat) + 1)
    return project.tempo_map.frame_of_beat(line, project.rate)
