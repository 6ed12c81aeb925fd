"""Projects: list, make, change by intents, undo, redo, play, carry away, bring back."""

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from fastapi import Path as PathValue
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from zeroknot.core.errors import FormatError, NotFoundError
from zeroknot.core.formats.midi_tempo import read_time, write_time
from zeroknot.core.listening.counting import from_taps, tapped_bpm
from zeroknot.core.listening.seams import FoundLoop
from zeroknot.document.edits.any_edit import AskedEdit
from zeroknot.document.strand import LONGEST_NAME
from zeroknot.studio.audition import Audition
from zeroknot.studio.hand import LONGEST_HAND
from zeroknot.studio.intents.any_intent import AnyIntent
from zeroknot.studio.intents.readings import reading_of
from zeroknot.studio.intents.time import TakeTime
from zeroknot.studio.projects import State
from zeroknot.studio.studio import Studio
from zeroknot.studio.takes import RangeFacts, SeamFacts
from zeroknot.web.api import answers
from zeroknot.web.api.deps import Known, Number, ShownDep, StudioDep
from zeroknot.web.api.hand_wire import hand_json, proposals_json
from zeroknot.web.api.incoming import received
from zeroknot.web.api.keeping import made_loop

router = APIRouter(prefix="/api")


class NewProject(BaseModel):
    name: str = Field("Untitled", min_length=1, max_length=300)
    rate: int = 44_100


class VersionName(BaseModel):
    name: str = Field(max_length=LONGEST_NAME)


AnyState = answers.ProjectState | answers.StateChange
RowNumber = Annotated[int, PathValue(ge=0, le=2**53)]
AtBeat = Annotated[float, Query(ge=0, le=100_000)]
AskId = Annotated[str | None, Field(max_length=40)]


class Ask(BaseModel):
    """An intent (or an edit that needs no resolving) and the revision it was made on.

    id     the page's own; sent again, it is done once
    known  the token of the state that the page has: it is told what is other since
    """

    id: AskId = None
    revision: Number
    known: Known = None
    intent: Annotated[AnyIntent | AskedEdit, Field(discriminator="kind")]


class AskBack(BaseModel):
    """Undo or redo, meant for a revision."""

    id: AskId = None
    revision: Number | None = None
    known: Known = None


class AskAudition(BaseModel):
    """How a loop is heard before anything is decided."""

    lay: float = 1.0
    bars: float | None = None
    in_key: bool = False
    matched: bool = False

    def audition(self) -> Audition:
        return Audition(lay=self.lay, bars=self.bars, in_key=self.in_key, matched=self.matched)


class AskSheet(AskAudition):
    hand: str | None = Field(None, max_length=LONGEST_HAND)
    known: Known = None


class AskHandSheet(AskAudition):
    beat: float = Field(0.0, ge=0, le=100_000)
    against: str | None = Field(None, max_length=40)
    order: bool = False
    clicks: str | None = Field(None, max_length=40)


class AskRange(BaseModel):
    start_s: float = Field(ge=0, le=1860)
    end_s: float = Field(ge=0, le=1860)
    bars: int | None = Field(None, ge=1, le=1024)


class AskCrop(AskRange):
    id: str | None = Field(None, max_length=40, description="the page's own: done once")


class AskCount(BaseModel):
    """Seconds of the recording at which somebody tapped."""

    taps: list[Annotated[float, Field(ge=-1e7, le=1e7)]] = Field(max_length=200)


class AskTaps(AskCount):
    beat: float = Field(0.0, ge=0, le=100_000)


class AskTrial(BaseModel):
    intent: Annotated[AnyIntent, Field(discriminator="kind")]
    beat: float = Field(0.0, ge=0, le=100_000)
    with_rest: bool = False
    order: bool = False
    heard: float | None = Field(
        None, ge=0, le=1, description="share of the pass at which the answer will be heard"
    )


class AskPrepare(BaseModel):
    hands: list[str] = Field(max_length=20)
    audition: AskAudition = AskAudition()


@router.get("/projects")
def list_projects(studio: StudioDep, removed: bool = False) -> list[answers.ListedProject]:
    return [
        {"id": p.id, "name": p.name, "opened_at": p.opened_at, "removed": p.removed}
        for p in studio.projects.list(removed)
    ]


@router.post("/projects", status_code=201)
def new_project(studio: StudioDep, new: NewProject) -> answers.NewId:
    return {"id": studio.projects.create(new.name, new.rate)}


@router.post("/demo", status_code=201)
def make_demo(studio: StudioDep, request: Request) -> answers.NewId:
    """The demo project among one's own; its loops come onto the shelf."""
    make = request.app.state.make_demo
    if make is None:
        raise NotFoundError("no demo is made here")
    return {"id": make(studio)}


@router.get("/projects/{project}")
def project_state(
    studio: StudioDep, shown: ShownDep, project: str, known: Known = None
) -> AnyState:
    return shown.since(studio.projects.state(project), known)


@router.post("/projects/{project}/intents")
def submit(studio: StudioDep, shown: ShownDep, project: str, ask: Ask) -> AnyState:
    state = studio.projects.submit(project, ask.revision, ask.intent, ask.id)
    return shown.since(state, ask.known)


@router.post("/projects/{project}/undo")
def undo(studio: StudioDep, shown: ShownDep, project: str, ask: AskBack) -> AnyState:
    return shown.since(studio.projects.undo(project, ask.revision, ask.id), ask.known)


@router.post("/projects/{project}/redo")
def redo(studio: StudioDep, shown: ShownDep, project: str, ask: AskBack) -> AnyState:
    return shown.since(studio.projects.redo(project, ask.revision, ask.id), ask.known)


@router.get("/projects/{project}/versions")
def versions(studio: StudioDep, project: str) -> list[answers.Version]:
    """States that can be gone back to: those with a name, and what undo left behind."""
    return [
        answers.Version(
            number=v.number, name=v.name, label=v.label, made_at=v.made_at, edits=v.edits
        )
        for v in studio.projects.versions(project)
    ]


@router.put("/projects/{project}/versions/{number}", status_code=204)
def name_version(studio: StudioDep, project: str, number: RowNumber, ask: VersionName) -> None:
    studio.projects.name_version(project, number, ask.name)


@router.post("/projects/{project}/versions/{number}/beside", status_code=201)
def open_beside(studio: StudioDep, project: str, number: RowNumber) -> answers.NewId:
    """A version as a project of its own."""
    return {"id": studio.projects.beside(project, number)}


@router.post("/projects/{project}/versions/{number}/back")
def go_back(
    studio: StudioDep, shown: ShownDep, project: str, number: RowNumber, ask: AskBack
) -> AnyState:
    """The project becomes what it was then; an edit like any."""
    return shown.since(studio.projects.go_back(project, number, ask.revision, ask.id), ask.known)


@router.post("/projects/{project}/duplicate", status_code=201)
def duplicate(studio: StudioDep, project: str) -> answers.NewId:
    return {"id": studio.projects.duplicate(project)}


@router.post("/projects/{project}/remove", status_code=204)
def remove(studio: StudioDep, project: str) -> None:
    studio.projects.remove(project)


@router.post("/projects/{project}/restore", status_code=204)
def restore(studio: StudioDep, project: str) -> None:
    studio.projects.restore(project)


@router.get("/projects/{project}/sheet")
def play_sheet(
    studio: StudioDep, project: str, ask: Annotated[AskSheet, Query()]
) -> answers.SongSheet | answers.SheetChange:
    state = studio.projects.state(project)
    sheet = studio.play_sheet(state.project, ask.hand, ask.audition(), ask.known)
    return sheet | {"revision": state.revision}


@router.post("/projects/{project}/prepare", status_code=202)
def prepare(studio: StudioDep, project: str, ask: AskPrepare) -> dict[str, int]:
    """What may be heard next: its beginning is rendered behind what is asked for now."""
    tree = studio.projects.state(project).project
    return {"prepared": studio.prepare(tree, ask.hands, ask.audition.audition())}


@router.get("/projects/{project}/hand/{hand}")
def in_hand(studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0) -> answers.Hand:
    tree = studio.projects.state(project).project
    return hand_json(tree, studio.hand(tree, hand), beat)


@router.post("/projects/{project}/hand/{hand}/trial")
def try_out(studio: StudioDep, project: str, hand: str, ask: AskTrial) -> answers.Trial:
    """What an intent would sound like, alone or with the rest; nothing is kept."""
    tree = studio.projects.tried(project, ask.intent)
    if ask.with_rest:
        return {"song": studio.play_sheet(tree, hand) | {"revision": -1}}
    sheet = studio.hand_sheet(tree, hand, ask.beat, order=ask.order)
    if ask.heard is not None:
        studio.renders.begin(sheet["digest"], ask.heard)
    return {"sheet": sheet}


@router.get("/projects/{project}/hand/{hand}/sheet")
def hand_sheet(
    studio: StudioDep, project: str, hand: str, ask: Annotated[AskHandSheet, Query()]
) -> answers.HandSheet:
    tree = studio.projects.state(project).project
    return studio.hand_sheet(
        tree, hand, ask.beat, ask.against, ask.audition(), ask.clicks, ask.order
    )


@router.post("/projects/{project}/hand/{hand}/count")
def count_along(studio: StudioDep, project: str, hand: str, ask: AskCount) -> answers.Counted:
    """What taps along a loop say that it is."""
    tree = studio.projects.state(project).project
    reading = reading_of(tree, studio.hand(tree, hand).strand)
    return {
        "tempo_bpm": tapped_bpm(ask.taps),
        "proposals": proposals_json(from_taps(ask.taps, reading)),
    }


@router.post("/projects/{project}/taps")
def tapped(studio: StudioDep, project: str, ask: AskTaps) -> answers.Tapped:
    """The tempo that taps on the pulse come to, in beats a minute."""
    tree = studio.projects.state(project).project
    pulses = tapped_bpm(ask.taps)
    metre = tree.metre_map.metre_at(tree.metre_map.bar_of_beat(ask.beat))
    return {"bpm": None if pulses is None else round(pulses * metre.beats_per_pulse, 1)}


@router.get("/projects/{project}/hand/{hand}/loops")
def loops_in_take(studio: StudioDep, project: str, hand: str) -> list[answers.FoundLoop]:
    """Loops that a take holds, best first."""
    tree = studio.projects.state(project).project
    found = studio.takes.loops_in(tree, hand)
    return [_found_loop(loop) for loop in found]


def _found_loop(loop: FoundLoop) -> Any:
    return asdict(loop) | {"grade": loop.grade}


@router.get("/projects/{project}/hand/{hand}/seam")
def seam_in_hand(studio: StudioDep, project: str, hand: str) -> SeamFacts:
    """How the pass in hand joins the next one."""
    tree = studio.projects.state(project).project
    return studio.takes.seam_of(tree, hand)


@router.get("/projects/{project}/hand/{hand}/range")
def range_in_take(
    studio: StudioDep, project: str, hand: str, ask: Annotated[AskRange, Query()]
) -> RangeFacts:
    """What a stretch of a take comes to."""
    tree = studio.projects.state(project).project
    return studio.takes.range_of(tree, hand, ask.start_s, ask.end_s, ask.bars)


@router.post("/projects/{project}/hand/{hand}/crop", status_code=201)
def crop(studio: StudioDep, project: str, hand: str, ask: AskCrop) -> answers.MadeLoop:
    """A stretch as a new loop on the shelf; the take stays."""
    tree = studio.projects.state(project).project
    return made_loop(studio.takes.crop(tree, hand, ask.start_s, ask.end_s, ask.bars, ask.id))


@router.get("/projects/{project}/tempo.mid")
def tempo_file(studio: StudioDep, project: str) -> Response:
    """The tempo map and the metres as a MIDI file."""
    tree = studio.projects.state(project).project
    data = write_time(tree.tempo_map, tree.metre_map, tree.end_beat)
    return Response(
        data,
        media_type="audio/midi",
        headers={
            "content-disposition": f'attachment; filename="{header_name(tree.name)} tempo.mid"'
        },
    )


@router.put("/projects/{project}/tempo")
async def take_tempo_file(
    studio: StudioDep, shown: ShownDep, project: str, revision: Number, request: Request,
    known: Known = None,
) -> AnyState:  # fmt: skip
    """Take tempo and metres from a MIDI file: one step, undone as one."""
    incoming = await received(request, studio)
    state, notes = await run_in_threadpool(_take_tempo, studio, project, revision, incoming)
    told = await run_in_threadpool(shown.since, state, known)
    return told | {"notes": [*state.notes, *notes]}


def _take_tempo(
    studio: Studio, project: str, revision: int, incoming: Path
) -> tuple[State, tuple[str, ...]]:
    try:
        with incoming.open("rb") as file:
            time = read_time(file)
    finally:
        incoming.unlink(missing_ok=True)
    intent = TakeTime(points=time.points, metres=time.metres)
    return studio.projects.submit(project, revision, intent), tuple(time.notes)


@router.get("/projects/{project}/bundle")
def bundle(studio: StudioDep, project: str) -> Response:
    file = header_name(studio.projects.state(project).project.name)
    written = studio.store.new_incoming()
    with written.open("wb") as target:
        studio.bundles.write(project, target)
    return FileResponse(
        written,
        media_type="application/zip",
        headers={"content-disposition": f'attachment; filename="{file}.zip"'},
        background=BackgroundTask(written.unlink, missing_ok=True),
    )


def header_name(name: str) -> str:
    """A project's name as part of a header and of a file's name anywhere."""
    kept = "".join(c if c.isascii() and (c.isalnum() or c in " -_") else " " for c in name)
    return (" ".join(kept.split()) or "project")[:80]


@router.put("/bundles", status_code=201)
async def bring_bundle(studio: StudioDep, request: Request) -> answers.NewId:
    incoming = await received(request, studio)
    return {"id": await run_in_threadpool(_read_bundle, studio, incoming)}


def _read_bundle(studio: Studio, incoming: Path) -> str:
    try:
        with incoming.open("rb") as file:
            return studio.bundles.read(file)
    except OSError as error:
        raise FormatError("the file could not be read") from error
    finally:
        incoming.unlink(missing_ok=True)
