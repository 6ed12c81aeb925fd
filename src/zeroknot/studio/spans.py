"""Which stretch of the song is meant, and what sounds there?"""

from dataclasses import dataclass
from typing import Any

from zeroknot.core.errors import EditError
from zeroknot.core.render.span_plan import SpanPlan, plan_span
from zeroknot.document.project import Clip, Project
from zeroknot.document.stored import strand_told
from zeroknot.document.strand import Strand
from zeroknot.store.loops import LoopStore
from zeroknot.studio.sheets import SheetMaker

LONGEST_SECONDS = 1800.0  # as long as a take may be
MOST_NAMED = 3  # loops that are told by name
_SLACK = 1e-6  # beats


@dataclass(frozen=True)
class Span:
    """start, end  beats of the song
    tracks        ids of those that are meant; all where None
    """

    start: float
    end: float
    tracks: tuple[str, ...] | None = None

    def clips(self, project: Project) -> list[Clip]:
        """Those that are heard in it, in order."""
        solo = any(track.solo for track in project.tracks)
        meant = {
            t.id for t in project.tracks
            if not t.muted and (t.solo or not solo) and (self.tracks is None or t.id in self.tracks)
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


def parts_of(project: Project, span: Span) -> dict[str, Any]:
    """What a stretch is made of, as JSON holds it: strands, and clips from its first bar line on,
    cut at its edges. `core` carries it in the recipe; it is laid again from that."""
    clips = span.clips(project)
    names = {id_: i for i, id_ in enumerate(dict.fromkeys(c.strand for c in clips))}
    told = []
    for clip in clips:
        start, end = max(clip.beat, span.start), min(project.clip_end(clip), span.end)
        is_cut = start > clip.beat + _SLACK or end < project.clip_end(clip) - _SLACK
        cut = {"length": end - start, "slip": clip.slip + start - clip.beat} if is_cut else {}
        own = clip.changed(beat=start - span.start, **cut).model_dump(mode="json", exclude={"id"})
        track = project.track(clip.track)
        told.append({**own, "strand": names[clip.strand], "track_name": track.name})
    return {
        "beats": span.end - span.start,
        "strands": [strand_told(project.strand(id_)) for id_ in names],
        "clips": told,
    }


def plan_of_span(project: Project, loops: LoopStore, span: Span) -> SpanPlan:
    """The plan of all that sounds there. Raises EditError where that is nothing, or too long."""
    refuse_too_long(project, span)
    maker = SheetMaker(project, loops.named(project.loops()))
    first, end = (project.tempo_map.frame_of_beat(b, project.rate) for b in (span.start, span.end))
    return plan_span(maker.arrangement(), maker.plans, first, end, span.tracks)


def refuse_too_long(project: Project, span: Span) -> None:
    """Raises EditError where there is nothing of it, or more than can be held."""
    if not span.end > span.start + _SLACK:
        raise EditError("that stretch ends where it begins")
    second_of = project.tempo_map.second_of_beat
    if second_of(span.end) - second_of(span.start) > LONGEST_SECONDS:
        raise EditError(f"that is longer than {LONGEST_SECONDS / 60:.0f} minutes")
