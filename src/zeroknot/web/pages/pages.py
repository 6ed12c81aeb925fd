"""The pages: a whole one when opened, its inner part when navigated to within."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse
from fastapi.templating import Jinja2Templates

from zeroknot.core.errors import NotFoundError
from zeroknot.core.groove.groove import GRIDS
from zeroknot.core.harmony.key import NAMES, SCALES
from zeroknot.core.listening.key import MODES
from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT
from zeroknot.core.overview import RING_SECTORS
from zeroknot.core.stretch.methods import METHODS
from zeroknot.document.grow import CHANGES
from zeroknot.document.project import Project
from zeroknot.store.shelf_query import Query
from zeroknot.studio.hand import Hand
from zeroknot.studio.studio import Studio
from zeroknot.web.api.deps import ShownDep, StudioDep
from zeroknot.web.api.groove_wire import hand_groove_json
from zeroknot.web.api.hand_wire import hand_json
from zeroknot.web.api.keys import hand_key_json
from zeroknot.web.api.slices import hand_slices_json
from zeroknot.web.api.wire import found_json
from zeroknot.web.filters import FILTERS
from zeroknot.web.pages.faces import face_of
from zeroknot.web.paths import paths
from zeroknot.web.static_files import modules, static_path

router = APIRouter(include_in_schema=False)
templates = Jinja2Templates(
    Path(__file__).parent.parent / "templates",
    context_processors=[lambda request: {"static": static_path()}],
)
templates.env.filters.update(FILTERS)
templates.env.globals["paths"] = paths
templates.env.globals["modules"] = modules
PAGE_ROWS = 60
MOST_FACES = 200
INNER_HEADER = "x-zeroknot-part"


@dataclass(frozen=True)
class View:
    """What a view's template and script are given.

    noun   "shelf", "fit", "groove", "key", "slices", "offshoots" or "arrange": template folder,
           script, rail
    state  the project as `ShownProjects.whole` tells it
    data   what this view alone needs
    """

    noun: str
    title: str
    state: dict[str, Any]
    data: dict[str, Any] = field(default_factory=dict)
    hand: str | None = None


@router.get("/")
def home_page(request: Request, studio: StudioDep) -> Response:
    """The demo opens in its project; else one chooses."""
    home = request.app.state.home
    if any(entry.id == home for entry in studio.projects.list()):
        return RedirectResponse(paths.arrange(home))
    return RedirectResponse(paths.projects)


@router.get("/projects")
def projects_page(request: Request, studio: StudioDep) -> Response:
    faces = [face_of(studio, entry) for entry in studio.projects.list()[:MOST_FACES]]
    removed = studio.projects.list(removed=True)
    return templates.TemplateResponse(
        request, "projects.html", {
            "projects": faces, "removed": removed,
            "has_demo": request.app.state.make_demo is not None,
        },
    )  # fmt: skip


@router.get("/p/{project}")
def project_page(project: str) -> Response:
    return RedirectResponse(paths.shelf(project))


@router.get("/p/{project}/shelf")
def shelf_page(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
    state = studio.projects.opened(project)
    found = studio.shelf.find(Query(), state.project, 0, PAGE_ROWS)
    data = {
        "found": found_json(found, state.project, 0),
        "page_rows": PAGE_ROWS,
        "keys": [f"{name} {mode}" for mode in MODES for name in NAMES],
        "sounds": [*KINDS, ONE_HIT],
        "exchange": studio.exchange.host,
    }
    return _shown(request, View("shelf", "Shelf", shown.whole(state), data))


@dataclass(frozen=True)
class OnHand:
    """A view on what is in hand.

    of  what it alone needs, of the project and of what is in hand
    """

    noun: str
    title: str
    of: Callable[[Project, Hand], dict[str, Any]]


def _nothing_more(project: Project, hand: Hand) -> dict[str, Any]:
    return {}


def _of_groove(project: Project, hand: Hand) -> dict[str, Any]:
    return {"groove": hand_groove_json(project, hand), "per_beats": GRIDS}


def _of_key(project: Project, hand: Hand) -> dict[str, Any]:
    return {"in_key": hand_key_json(project, hand), "modes": list(SCALES)}


def _of_slices(project: Project, hand: Hand) -> dict[str, Any]:
    methods = [{"key": m.key, "name": m.name} for m in METHODS.values()]
    return {"slices": hand_slices_json(project, hand), "methods": methods}


def _of_family(project: Project, hand: Hand) -> dict[str, Any]:
    return {"changes": list(CHANGES)}


ON_HAND = (
    OnHand("fit", "Fit", _nothing_more),
    OnHand("groove", "Groove", _of_groove),
    OnHand("key", "Key", _of_key),
    OnHand("slices", "Slices", _of_slices),
    OnHand("offshoots", "Offshoots", _of_family),
)


def _on_hand_pages(view: OnHand) -> None:
    """Its page; without anything in hand, or with what is gone, the last strand is taken, or the
    newest loop."""

    @router.get(f"/p/{{project}}/{view.noun}", name=f"{view.noun}_anything")
    def anything(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
        state = studio.projects.state(project)
        hand = _last_in_hand(studio, state.project)
        if hand:
            return RedirectResponse(getattr(paths, view.noun)(project, hand))
        empty = View(view.noun, view.title, shown.whole(state), {"empty": True})
        return _shown(request, empty)

    @router.get(f"/p/{{project}}/{view.noun}/{{hand}}", name=f"{view.noun}_page")
    def page(
        request: Request, studio: StudioDep, shown: ShownDep, project: str, hand: str
    ) -> Response:
        state = studio.projects.state(project)
        try:
            held = studio.hand(state.project, hand)
        except NotFoundError:  # undone, or off the shelf, since its address was written
            if hand == _last_in_hand(studio, state.project):
                raise
            return RedirectResponse(getattr(paths, view.noun)(project))
        data = hand_json(state.project, held) | view.of(state.project, held)
        title = f"{view.title}: {held.strand.name}"
        return _shown(request, View(view.noun, title, shown.whole(state), data, hand))


for one in ON_HAND:
    _on_hand_pages(one)


@router.get("/p/{project}/arrange")
def arrange_page(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
    state = studio.projects.state(project)
    return _shown(request, View("arrange", "Arrange", shown.whole(state)))


def failure(request: Request, message: str, status: int) -> Response:
    """A page that says what went wrong and leads back."""
    return templates.TemplateResponse(
        request, "failure.html", {"message": message, "status": status}, status_code=status
    )


def _shown(request: Request, view: View) -> Response:
    inner = request.headers.get(INNER_HEADER) == "view"
    name = f"{view.noun}/view.html" if inner else "frame.html"
    response = templates.TemplateResponse(request, name, {"view": view, "sectors": RING_SECTORS})
    response.headers["cache-control"] = "no-store"
    return response


def _last_in_hand(studio: Studio, project: Project) -> str | None:
    if project.strands:
        return project.strands[-1].id
    return studio.shelf.newest()
