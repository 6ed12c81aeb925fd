"""The shelf: found, changed, taken back; searches that are kept."""

import json
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Response
from fastapi import Query as QueryParameters
from pydantic import BaseModel, ConfigDict, Field

from zeroknot.core.errors import EditError
from zeroknot.document.project import Project
from zeroknot.store.jobs import Job
from zeroknot.store.searches import SavedSearch
from zeroknot.store.shelf_query import SORTS, Hits, NearBy, Query
from zeroknot.studio.jobs import told
from zeroknot.studio.likenesses import Like
from zeroknot.studio.shelf import ShelfChange
from zeroknot.studio.shelf_edits import AnyShelfEdit
from zeroknot.studio.studio import Studio
from zeroknot.web.api import answers
from zeroknot.web.api.deps import Number, StudioDep
from zeroknot.web.api.keeping import AskToComeBack, newly_kept
from zeroknot.web.api.projects import AtBeat
from zeroknot.web.api.wire import found_json

router = APIRouter(prefix="/api/shelf")
MOST_ROWS = 500
MOST_NEAR = 200


class AskShelf(BaseModel):
    """A search as it stands in an address; what is not given is not asked."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    words: str = Field("", max_length=300)
    kinds: list[str] = []
    sounds: list[str] = []
    bars: list[int] = []
    keys: list[str] = []
    sets: list[str] = []
    tags: list[str] = []
    hits: Hits = "all"
    tempo_from: float | None = None
    tempo_to: float | None = None
    favourite: bool = False
    printed: bool = False
    taken_off: bool = False
    stretch_within: float | None = Field(None, ge=0, le=1000)
    shift_within: int | None = Field(None, ge=0, le=6)
    like: str = Field("", max_length=64, description="the hash of a loop they shall be like")
    like_by: NearBy | None = None
    beat: AtBeat = 0.0
    sort: str = Field("added", max_length=20)
    descending: bool = False

    def query(self) -> Query:
        if self.sort not in SORTS:
            raise EditError(f"the shelf is sorted by one of {', '.join(SORTS)}")
        if self.like_by and self.like_by != "fits" and not self.like:
            raise EditError("name the loop that they shall be like")
        tempo = None
        if self.tempo_from is not None or self.tempo_to is not None:
            tempo = (self.tempo_from or 0.0, self.tempo_to or 1e9)
        return Query(
            words=self.words, kinds=frozenset(self.kinds), sounds=frozenset(self.sounds),
            bars=frozenset(self.bars), keys=frozenset(self.keys), sets=frozenset(self.sets),
            tags=frozenset(self.tags), hits=self.hits, tempo=tempo, favourite=self.favourite,
            printed=self.printed, taken_off=self.taken_off, stretch_within=self.stretch_within,
            shift_within=self.shift_within, like=self.like, like_by=self.like_by, beat=self.beat,
            sort=self.sort, descending=self.descending,
        )  # fmt: skip


class AskPage(AskShelf):
    project: str | None = Field(None, max_length=40)
    first: Number = 0
    count: int = Field(100, ge=0, le=MOST_ROWS)


class AskChange(BaseModel):
    """Which loops: these, or all that a search finds."""

    id: str | None = Field(None, max_length=40, description="the page's own: done once")
    edit: AnyShelfEdit
    shas: list[str] | None = Field(None, max_length=100_000)
    search: AskShelf | None = None
    project: str | None = Field(None, max_length=40)


class AskTakeBack(BaseModel):
    id: str | None = Field(None, max_length=40)


class NewSearch(BaseModel):
    name: str = Field(max_length=300)
    search: AskShelf


@router.get("")
def find(studio: StudioDep, ask: Annotated[AskPage, QueryParameters()]) -> answers.Found:
    project = _project(studio, ask.project)
    query, near, waiting = _asked(studio, ask, project)
    found = studio.shelf.find(query, project, ask.first, ask.count)
    return found_json(found, project, ask.first, near, waiting)


@router.get("/shas")
def shas(studio: StudioDep, ask: Annotated[AskPage, QueryParameters()]) -> list[str]:
    """All that a search finds, in order."""
    project = _project(studio, ask.project)
    return list(studio.shelf.shas(_asked(studio, ask, project)[0], project))


@router.post("/changes", status_code=201)
def change(
    studio: StudioDep, ask: AskChange, response: Response
) -> answers.ShelfChange | answers.StartedJob:
    if ask.search is not None:
        project = _project(studio, ask.project)
        chosen = studio.shelf.shas(_asked(studio, ask.search, project)[0], project)
    else:
        chosen = tuple(ask.shas or ())
    return _change_json(studio.shelf.change(chosen, ask.edit, ask.id), response)


@router.post("/changes/{change}/undo", status_code=201)
def take_back(
    studio: StudioDep, change: Number, ask: AskTakeBack, response: Response
) -> answers.ShelfChange | answers.StartedJob:
    return _change_json(studio.shelf.take_back(change, ask.id), response)


@router.get("/searches")
def searches(studio: StudioDep) -> list[answers.KeptSearch]:
    return [_search_json(search) for search in studio.shelf.searches()]


@router.post("/searches", status_code=201)
def keep_search(studio: StudioDep, new: NewSearch) -> answers.NewlyKept:
    return newly_kept(studio.shelf.keep_search(new.name, new.search.query()))


@router.delete("/searches/{search}", status_code=204)
def forget_search(studio: StudioDep, search: str) -> None:
    studio.shelf.forget_search(search)


@router.post("/searches/{search}/back", status_code=204)
def bring_back_search(studio: StudioDep, search: str, ask: AskToComeBack) -> None:
    studio.shelf.bring_back_search(search, ask.instead_of)


def _asked(
    studio: Studio, ask: AskShelf, project: Project | None
) -> tuple[Query, dict[str, Like], int]:
    """The question, with what is near where that is asked; how near each is; and how many
    nobody has listened to yet."""
    query = ask.query()
    if query.near is None:
        return query, {}, 0
    if project is None:
        raise EditError("what is near is told in a project; open one")
    found, waiting = studio.likenesses.near(
        project, query.near, MOST_NEAR, studio.shelf.among(query, project)
    )
    near = {one.sha: one for one in found}
    return replace(query, among=tuple(near)), near, waiting


def _project(studio: Studio, id_: str | None) -> Project | None:
    return studio.projects.state(id_).project if id_ else None


def _change_json(
    change: ShelfChange | Job, response: Response
) -> answers.ShelfChange | answers.StartedJob:
    if isinstance(change, Job):
        response.status_code = 202
        return {"job": told(change)}
    return {
        "id": change.id, "label": change.label, "count": change.count, "left_out": change.left_out,
    }  # fmt: skip


def _search_json(search: SavedSearch) -> answers.KeptSearch:
    """With what is asked in the names of `AskShelf`."""
    said = json.loads(search.query)
    tempo = said.pop("tempo", None)
    if tempo:
        said |= {"tempo_from": tempo[0], "tempo_to": tempo[1]}
    return {"id": search.id, "name": search.name, "search": said}
