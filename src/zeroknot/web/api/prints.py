"""What the song plays, printed: a strand, or a stretch of it, as a new loop on the shelf."""

from fastapi import APIRouter
from pydantic import BaseModel, Field

from zeroknot.document.project import FARTHEST_BEAT
from zeroknot.studio.hand import LONGEST_HAND
from zeroknot.studio.spans import Span
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep

router = APIRouter(prefix="/api")


class PrintAsk(BaseModel):
    hand: str = Field(max_length=LONGEST_HAND)
    seam: str = Field("wrap", max_length=10)
    with_lead: bool = False
    beat: float = Field(0.0, ge=0, le=100_000)


class SpanAsk(BaseModel):
    """start, end  beats of the song; tracks: ids, all where None"""

    start: float = Field(ge=0, le=FARTHEST_BEAT)
    end: float = Field(gt=0, le=FARTHEST_BEAT)
    tracks: list[str] | None = Field(None, max_length=1000)
    seam: str = Field("wrap", max_length=10)
    with_lead: bool = False


@router.post("/projects/{project}/prints", status_code=201)
def print_strand(studio: StudioDep, project: str, ask: PrintAsk) -> answers.MadeLoop:
    tree = studio.projects.state(project).project
    loop = studio.prints.print_strand(tree, ask.hand, ask.seam, ask.with_lead, ask.beat)
    return {"sha": loop.sha, "name": loop.name, "frames": loop.frames, "rate": loop.rate}


@router.post("/projects/{project}/spans", status_code=201)
def print_span(studio: StudioDep, project: str, ask: SpanAsk) -> answers.MadeLoop:
    """A stretch of the song as a new loop on the shelf."""
    tree = studio.projects.state(project).project
    tracks = tuple(ask.tracks) if ask.tracks is not None else None
    loop = studio.prints.print_span(tree, Span(ask.start, ask.end, tracks), ask.seam, ask.with_lead)
    return {"sha": loop.sha, "name": loop.name, "frames": loop.frames, "rate": loop.rate}
