"""Which stretch of the song is meant, and what sounds there?"""

from collections.abc import Collection, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.strip import owner_of
from zeroknot.core.mixing.sheet import TrackLevel
from zeroknot.core.render.desk_plan import BEFORE_SECONDS, DeskPlan, DeskTrack, ring_frames
from zeroknot.core.render.range_plan import RangePlan, plan_range
from zeroknot.document.project import Clip, Project
from zeroknot.document.stored import strand_told
from zeroknot.document.strand import Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.desk import desk_of_project
from zeroknot.studio.sheets import SheetMaker

LONGEST_SECONDS = 1800.0  # of a mix: as long as a take may be
LONGEST_PRINT_SECONDS = 600.0  # of a loop, which is held in memory whole
MOST_NAMED = 3  # loops that are told by name
_SLACK = 1e-6  # beats


@dataclass(frozen=True)
class SongRange:
    """start, end  beats of the song
    tracks        ids of those that are meant; all where None
    by_lines      a muted track is heard where a line of its own says so, as behind the strips
    """

    start: float
    end: float
    tracks: tuple[str, ...] | None = None
    by_lines: bool = False

    def clips(self, project: Project) -> list[Clip]:
        """Those that are heard in it, in order."""
        solo = any(track.solo for track in project.tracks)
        meant = {
            t.id for t in project.tracks
            if (t.solo or not solo) and (self.tracks is None or t.id in self.tracks)
            and (not t.muted or (self.by_lines and any(n.name == "muted" for n in t.lines)))
        }  # fmt: skip
        found = [
            c for c in project.clips
            if not c.muted and c.track in meant
            and c.beat < self.end - _SLACK and project.clip_end(c) > self.start + _SLACK
        ]  # fmt: skip
        return sorted(found, key=lambda c: (c.beat, c.id))

    def strands(self, project: Project) -> list[Strand]:
        """What these are placements of, each once."""
        return [project.strand(id_) for id_ in dict.fromkeys(c.strand for c in self.clips(project))]

    def frames(self, project: Project) -> tuple[int, int]:
        """Song frames of its beginning and its end."""
        frame_of = project.tempo_map.frame_of_beat
        return frame_of(self.start, project.rate), frame_of(self.end, project.rate)

    def first_bar(self, project: Project) -> int:
        return project.metre_map.bar_of_beat(self.start + _SLACK)

    def named(self, project: Project) -> str:
        """ "Keys, bars 5–8": by the track, where it is one, or by the song."""
        names = {project.track(c.track).name for c in self.clips(project)}
        whose = names.pop() if len(names) == 1 else project.name
        first, last = self.first_bar(project), project.metre_map.bar_of_beat(self.end - _SLACK)
        bars = f"bar {first}" if first == last else f"bars {first}–{last}"
        return f"{whose}, {bars}"

    def said(self, project: Project) -> str:
        """ "Lantern Tide, bars 5–8: Keys, Foghorn bass and 2 more" """
        names = list(dict.fromkeys(s.name for s in self.strands(project)))
        more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
        return f"{self.named(project)}: {', '.join(names[:MOST_NAMED])}{more}"


def parts_of(project: Project, where: SongRange) -> dict[str, Any]:
    """What a stretch is made of, as JSON holds it: strands, and clips from its first bar line on,
    cut at its edges. `core` carries it in the recipe; it is laid again from that."""
    told = []
    for clip in where.clips(project):
        start, end = max(clip.beat, where.start), min(project.clip_end(clip), where.end)
        is_cut = start > clip.beat + _SLACK or end < project.clip_end(clip) - _SLACK
        cut = {"length": end - start, "slip": clip.slip + start - clip.beat} if is_cut else {}
        told.append(clip.changed(beat=start, **cut))
    return parts_told(project, told, where.start, where.end)


def parts_told(
    project: Project, clips: Sequence[Clip], start: float, end: float
) -> dict[str, Any]:  # fmt: skip
    """Clips of a project as JSON, from a beat on, with all that they are placements of."""
    names = {id_: i for i, id_ in enumerate(dict.fromkeys(c.strand for c in clips))}
    phrases = {p.id: p.name for p in project.phrases}
    found = [
        {
            **clip.model_dump(mode="json", exclude={"id"}),
            "beat": clip.beat - start,
            "strand": names[clip.strand],
            "track_name": project.track(clip.track).name,
            "phrase": phrases.get(clip.phrase or ""),
        }
        for clip in clips
    ]
    return {
        "beats": end - start,
        "strands": [strand_told(project.strand(id_)) for id_ in names],
        "clips": found,
    }


def plan_of_range(
    project: Project,
    loops: LoopStore,
    where: SongRange,
    through: bool = False,
    levels: bool = True,
) -> RangePlan | DeskPlan:
    """The plan of all that sounds there. Raises EditError where that is nothing, or too long.

    through  as it sounds after its strips, with what comes back of room and echo; without the
             master's
    levels   at those of its tracks; else as if all were at 0 dB
    """
    refuse_too_long(project, where, LONGEST_PRINT_SECONDS, "; mix it down instead")
    if not where.clips(project):  # what only rings on from before would have a plan
        raise EditError("nothing sounds there")
    maker = SheetMaker(project, loops.named(project.loops()))
    first, end = where.frames(project)
    if through:
        plan = desk_plan(project, maker, first, end, where.tracks, as_heard=False)
        return replace(plan, whole=False)
    sheet = maker.arrangement()
    if not levels:
        heard = tuple(TrackLevel(t.id, float(t.gain > 0)) for t in sheet.tracks)
        sheet = replace(sheet, tracks=heard)
    return plan_range(sheet, maker.plans, first, end, where.tracks)


def desk_plan(
    project: Project,
    maker: SheetMaker,
    first: int,
    end: int,
    tracks: Collection[str] | None = None,
    as_heard: bool = True,
    only: Collection[str] | None = None,
) -> DeskPlan:
    """The plan of what sounds between two song frames, through the desk.

    tracks  ids of those that are meant; all where None
    only    ids of clips that are meant; all of these tracks where None
    Raises EditError where nothing sounds.
    """
    desk = desk_of_project(project)
    heard = {
        s.id for s in desk.strips
        if not s.is_silent and (tracks is None or owner_of(s.id) in tracks)
    }  # fmt: skip
    keys = {s.key for s in desk.strips if s.id in heard}
    # As a loop of its own it begins from rest; as it is heard, with what rang before it.
    skipped = min(first, round(BEFORE_SECONDS * project.rate)) if as_heard and first > 0 else 0
    sheet = maker.arrangement()
    if only is not None:
        meant = tuple(e for id_ in only if id_ in maker.laid for e in maker.laid[id_].events)
        sheet = replace(sheet, events=tuple(sorted(meant, key=lambda e: (e.at, e.id))))
    sheet = replace(sheet, tracks=tuple(TrackLevel(s.id, 1.0) for s in desk.strips))
    found = []
    for id_ in (s.id for s in desk.strips if s.id in heard | keys):
        with suppress(EditError):  # nothing of it sounds there
            own = plan_range(sheet, maker.plans, first - skipped, end, (id_,), as_heard)
            found.append(DeskTrack(id_, first - skipped - own.lead_frames, own))
    if not any(t.id in heard for t in found):
        raise EditError("nothing sounds there")
    lead = 0 if skipped else max(t.range.lead_frames for t in found if t.id in heard)
    tail = max(t.range.tail_frames for t in found if t.id in heard)
    return DeskPlan(
        rate=project.rate,
        at=first - lead,
        body_frames=end - first,
        tracks=tuple(found),
        desk=desk,
        lead_frames=lead,
        tail_frames=tail + ring_frames(desk, project.rate),
        skipped=skipped,
        heard=None if tracks is None else tuple(sorted(heard)),
    )


def refuse_too_long(
    project: Project, where: SongRange, longest: float = LONGEST_SECONDS, instead: str = ""
) -> None:
    """Raises EditError where there is nothing of it, or more than so many seconds."""
    if not where.end > where.start + _SLACK:
        raise EditError("that range ends where it begins")
    second_of = project.tempo_map.second_of_beat
    if second_of(where.end) - second_of(where.start) > longest:
        raise EditError(f"that is longer than {longest / 60:.0f} minutes{instead}")
