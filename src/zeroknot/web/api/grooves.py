"""Grooves: what one does to what is in hand, those on the shelf, and groove files."""

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from zeroknot.core.errors import FormatError
from zeroknot.core.formats.groove_midi import read_groove, write_groove
from zeroknot.core.groove.groove import Groove, apart
from zeroknot.studio.intents.groove import BringGroove
from zeroknot.studio.projects import State
from zeroknot.web.api import answers
from zeroknot.web.api.deps import Known, Number, ShownDep, StudioDep
from zeroknot.web.api.groove_wire import hand_groove_json, kept_json
from zeroknot.web.api.incoming import received
from zeroknot.web.api.keeping import newly_kept
from zeroknot.web.api.projects import AnyState, AskId, AskTrial, AtBeat, header_name

router = APIRouter(prefix="/api")


class AskBring(BaseModel):
    """A groove of the shelf for the project; as in `Ask`."""

    id: AskId = None
    revision: Number
    known: Known = None


class AskShelve(BaseModel):
    project: str = Field(max_length=40)
    groove: str = Field(max_length=40)


@router.get("/projects/{project}/hand/{hand}/groove")
def groove_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0
) -> answers.HandGroove:
    """What is laid over what is in hand, and every hit before and after."""
    tree = studio.projects.state(project).project
    return hand_groove_json(tree, studio.hand(tree, hand), beat)


@router.post("/projects/{project}/hand/{hand}/groove/trial")
def try_groove(studio: StudioDep, project: str, hand: str, ask: AskTrial) -> answers.HandGroove:
    """The same after an intent; nothing is kept."""
    tree = studio.projects.tried(project, ask.intent)
    return hand_groove_json(tree, studio.hand(tree, hand), ask.beat)


@router.get("/projects/{project}/grooves/{one}/apart/{other}")
def how_far_apart(studio: StudioDep, project: str, one: str, other: str) -> answers.Apart:
    """How far two kept grooves are from one another at the project's tempo."""
    tree = studio.projects.state(project).project
    a, b = (tree.kept_groove(id_).groove for id_ in (one, other))
    found = apart(a, b, tree.tempo_map.bpm_at(0.0))
    return {"ms": found.ms if found else None, "db": found.db if found else None}


@router.get("/projects/{project}/grooves/{groove}/groove.mid")
def groove_file(studio: StudioDep, project: str, groove: str) -> Response:
    """A kept groove as a MIDI file."""
    tree = studio.projects.state(project).project
    kept = tree.kept_groove(groove).groove
    data = write_groove(kept, tree.metre_map.metre_at(1).beats_per_bar)
    return Response(
        data,
        media_type="audio/midi",
        headers={"content-disposition": f'attachment; filename="{header_name(kept.name)}.mid"'},
    )


@router.put("/projects/{project}/grooves")
async def bring_groove_file(
    studio: StudioDep, shown: ShownDep, project: str, revision: Number, request: Request,
    name: Annotated[str, Query(max_length=300)] = "", known: Known = None,
) -> AnyState:  # fmt: skip
    """Keep the groove that a MIDI file holds."""
    incoming = await received(request, studio)
    groove = await run_in_threadpool(_read, incoming, name)
    intent = BringGroove(groove=groove)
    state: State = await run_in_threadpool(studio.projects.submit, project, revision, intent)
    told: AnyState = await run_in_threadpool(shown.since, state, known)
    return told


def _read(incoming: Path, name: str) -> Groove:
    try:
        with incoming.open("rb") as file:
            return read_groove(file, name)
    except OSError as error:
        raise FormatError("the file could not be read") from error
    finally:
        incoming.unlink(missing_ok=True)


@router.get("/grooves")
def shelved_grooves(
    studio: StudioDep, words: Annotated[str, Query(max_length=300)] = ""
) -> list[answers.KeptGroove]:
    """Grooves of the shelf by words in their names, the newest first."""
    found: list[answers.KeptGroove] = kept_json(studio.grooves.find(words))
    return found


@router.post("/grooves", status_code=201)
def shelve_groove(studio: StudioDep, ask: AskShelve) -> answers.NewlyKept:
    """Keep one of a project's for every other."""
    return newly_kept(studio.shelve_groove(ask.project, ask.groove))


@router.delete("/grooves/{groove}", status_code=204)
def unshelve_groove(studio: StudioDep, groove: str) -> None:
    studio.grooves.forget(groove)
    studio.announcer.say("grooves")


@router.post("/grooves/{groove}/back", status_code=204)
def bring_back_groove(studio: StudioDep, groove: str) -> None:
    studio.grooves.bring_back(groove)
    studio.announcer.say("grooves")


@router.post("/projects/{project}/grooves/shelved/{groove}")
def bring_shelved(
    studio: StudioDep, shown: ShownDep, project: str, groove: str, ask: AskBring
) -> AnyState:
    """Keep one of the shelf's in a project."""
    intent = BringGroove(groove=studio.grooves.get(groove))
    return shown.since(studio.projects.submit(project, ask.revision, intent, ask.id), ask.known)
