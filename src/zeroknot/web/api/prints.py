"""What the song plays, out: printed as a new loop on the shelf, or mixed down to files."""

from typing import Annotated, cast

from fastapi import APIRouter
from fastapi import Path as PathValue
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from zeroknot.core.formats.mix_file import CEILING_DB, Format, MixHow
from zeroknot.document.project import FARTHEST_BEAT
from zeroknot.studio.hand import LONGEST_HAND
from zeroknot.studio.jobs import told
from zeroknot.studio.mixdown import AskedMix, Stems
from zeroknot.studio.prints import RangeHow
from zeroknot.studio.song_range import SongRange, parts_told
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.keeping import made_loop

router = APIRouter(prefix="/api")


class PrintAsk(BaseModel):
    hand: str = Field(max_length=LONGEST_HAND)
    seam: str = Field("wrap", max_length=10)
    with_lead: bool = False
    beat: float = Field(0.0, ge=0, le=100_000)
    id: str | None = Field(None, max_length=40, description="the page's own: done once")


class AskWhere(BaseModel):
    """start, end  beats of the song; tracks: ids, all where None"""

    start: float = Field(ge=0, le=FARTHEST_BEAT)
    end: float = Field(gt=0, le=FARTHEST_BEAT)
    tracks: list[str] | None = Field(None, max_length=1000)

    @property
    def where(self) -> SongRange:
        return SongRange(self.start, self.end, None if self.tracks is None else tuple(self.tracks))


class RangeAsk(AskWhere):
    """through: as its tracks sound; levels: at the levels of its tracks
    in_place  to take the place of its pieces: all the rest follows from that
    """

    in_place: bool = False
    seam: str = Field("wrap", max_length=10)
    with_lead: bool = False
    through: bool = False
    levels: bool = True
    id: str | None = Field(None, max_length=40, description="the page's own: done once")


@router.post("/projects/{project}/prints", status_code=201)
def print_strand(studio: StudioDep, project: str, ask: PrintAsk) -> answers.MadeLoop:
    tree = studio.projects.state(project).project
    printed = studio.prints.print_strand(
        tree, ask.hand, ask.seam, ask.with_lead, ask.beat, asked=ask.id
    )
    return made_loop(printed)


@router.post("/projects/{project}/ranges", status_code=201)
def print_range(studio: StudioDep, project: str, ask: RangeAsk) -> answers.MadeLoop:
    """A stretch of the song as a new loop on the shelf."""
    tree = studio.projects.state(project).project
    how = RangeHow(ask.seam, ask.with_lead, ask.through, ask.levels)
    if ask.in_place:
        how = RangeHow.in_place(tree, ask.where)
    return made_loop(studio.prints.print_range(tree, ask.where, how, asked=ask.id))


class CopyAsk(BaseModel):
    clips: list[str] = Field(min_length=1, max_length=4096)


@router.post("/projects/{project}/copied")
def copied(studio: StudioDep, project: str, ask: CopyAsk) -> answers.Copied:
    """Clips with all that they are placements of, to be laid in this project or another."""
    tree = studio.projects.state(project).project
    rows = {track.id: row for row, track in enumerate(tree.tracks)}
    clips = [tree.clip(id_) for id_ in dict.fromkeys(ask.clips)]
    clips.sort(key=lambda c: (rows[c.track], c.beat))
    start = min(c.beat for c in clips)
    told = parts_told(tree, clips, start, max(tree.clip_end(c) for c in clips))
    return cast("answers.Copied", told)


class MixAsk(AskWhere):
    """lufs      integrated loudness that is wanted; as loud as it is where None
    is_held   under a true peak of −1 dB
    stems     of tracks or of phrases, bare: before their effects
    """

    id: str | None = Field(None, max_length=40, description="the page's own: done once")
    stems: Stems = "none"
    bare: bool = False
    format: Format = "wav24"
    lufs: float | None = None
    is_held: bool = True


@router.post("/projects/{project}/mixes", status_code=202)
def mix_down(studio: StudioDep, project: str, ask: MixAsk) -> answers.StartedJob:
    """Mix the song, or a stretch of it, down to a file in the background."""
    tree = studio.projects.state(project).project
    how = MixHow(ask.format, ask.lufs, CEILING_DB if ask.is_held else None)
    asked = AskedMix(ask.where, how, ask.stems, ask.bare)
    return {"job": told(studio.mixdowns.begin(tree, asked, ask.id))}


@router.post("/projects/{project}/low-end", status_code=202)
def low_end(studio: StudioDep, project: str) -> answers.StartedJob:
    """Measure in the background where tracks fight below 150 Hz; what came of it is its result."""
    return {"job": told(studio.low_ends.begin(studio.projects.state(project).project))}


@router.get("/mixes/{job}/file")
def mix_file(studio: StudioDep, job: Annotated[str, PathValue(max_length=64)]) -> FileResponse:
    """What a mix made, to save."""
    file = studio.mixdowns.file(job)
    return FileResponse(file, filename=file.name)
