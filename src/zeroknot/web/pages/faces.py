"""What does a project look like in the list? Its strip in small, and what a person knows it by."""

from dataclasses import dataclass

from zeroknot.document.project import Project
from zeroknot.store.revision import ProjectEntry
from zeroknot.studio.studio import Studio
from zeroknot.web.filters import bpm

WIDTH, HEIGHT = 480.0, 44.0
LEAST_BARS = 8
ROW = 7.0


@dataclass(frozen=True)
class Bar:
    """A clip in the strip, in its own units."""

    x: float
    y: float
    width: float
    height: float
    yarn: int
    is_muted: bool


@dataclass(frozen=True)
class Face:
    """A line in the list of projects.

    strip   clips over WIDTH × HEIGHT
    loops   how many it plays
    tempo   "96", or "80–158" where it moves
    """

    id: str
    name: str
    opened_at: str
    loops: int
    bars: int
    tempo: str
    metre: str
    key: str | None
    strip: tuple[Bar, ...]


def face_of(studio: Studio, entry: ProjectEntry) -> Face:
    project = studio.projects.state(entry.id).project
    tempos = [point.bpm for point in project.tempo]
    low, high = min(tempos), max(tempos)
    return Face(
        id=entry.id,
        name=entry.name,
        opened_at=entry.opened_at,
        loops=len(project.loops()),
        bars=project.last_bar if project.clips else 0,
        tempo=bpm(low) if low == high else f"{bpm(low)}–{bpm(high)}",
        metre=str(project.metre_map.metre_at(1)),
        key=project.key,
        strip=tuple(_strip(project)),
    )


def _strip(project: Project) -> list[Bar]:
    metres = project.metre_map
    end = metres.beat_of_bar(max(LEAST_BARS, project.last_bar) + 1)
    rows = {track.id: i for i, track in enumerate(project.tracks)}
    yarns = {strand.id: strand.yarn for strand in project.strands}
    quiet = {track.id for track in project.tracks if track.muted}
    step = min(ROW, HEIGHT / max(1, len(rows)))
    return [
        Bar(
            x=round(clip.beat / end * WIDTH, 1),
            y=round(rows[clip.track] * step, 1),
            width=round(max(2.0, project.clip_length(clip) / end * WIDTH - 1), 1),
            height=round(max(1.0, step - 1.5), 1),
            yarn=yarns[clip.strand],
            is_muted=clip.muted or clip.track in quiet,
        )
        for clip in project.clips
    ]
