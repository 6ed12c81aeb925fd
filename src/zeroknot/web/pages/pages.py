"""The pages: a whole one when opened, its inner part when navigated to within."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse
from fastapi.templating import Jinja2Templates

from zeroknot.core.groove.groove import GRIDS
from zeroknot.core.harmony.key import NAMES, SCALES
from zeroknot.core.listening.key import MODES
from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT
from zeroknot.core.overview import RING_SECTORS
from zeroknot.document.project import Project
from zeroknot.store.shelf_query import Query
from zeroknot.studio.studio import Studio
from zeroknot.web.api.deps import ShownDep, StudioDep
from zeroknot.web.api.groove_wire import hand_groove_json
from zeroknot.web.api.hand_wire import hand_json
from zeroknot.web.api.keys import hand_key_json
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

    noun   "shelf", "fit", "groove", "key" or "arrange": template folder, script, rail
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


@router.get("/p/{project}/fit")
def fit_anything(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
    """Without anything in hand: the project's last strand, or the newest loop on the shelf."""
    state = studio.projects.state(project)
    hand = _last_in_hand(studio, state.project)
    if hand:
        return RedirectResponse(paths.fit(project, hand))
    return _shown(request, View("fit", "Fit", shown.whole(state), {"empty": True}))


@router.get("/p/{project}/fit/{hand}")
def fit_page(
    request: Request, studio: StudioDep, shown: ShownDep, project: str, hand: str
) -> Response:
    state = studio.projects.state(project)
    held = studio.hand(state.project, hand)
    data = hand_json(state.project, held)
    return _shown(request, View("fit", f"Fit: {held.strand.name}", shown.whole(state), data, hand))


@router.get("/p/{project}/groove")
def groove_anything(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
    """Without anything in hand, as in Fit."""
    state = studio.projects.state(project)
    hand = _last_in_hand(studio, state.project)
    if hand:
        return RedirectResponse(paths.groove(project, hand))
    return _shown(request, View("groove", "Groove", shown.whole(state), {"empty": True}))


@router.get("/p/{project}/groove/{hand}")
def groove_page(
    request: Request, studio: StudioDep, shown: ShownDep, project: str, hand: str
) -> Response:
    state = studio.projects.state(project)
    held = studio.hand(state.project, hand)
    data = hand_json(state.project, held)
    data |= {"groove": hand_groove_json(state.project, held), "per_beats": GRIDS}
    title = f"Groove: {held.strand.name}"
    return _shown(request, View("groove", title, shown.whole(state), data, hand))


@router.get("/p/{project}/key")
def key_anything(request: Request, studio: StudioDep, shown: ShownDep, project: str) -> Response:
    """Without anything in hand, as in Fit."""
    state = studio.projects.state(project)
    hand = _last_in_hand(studio, state.project)
    if hand:
        return RedirectResponse(paths.key(project, hand))
    return _shown(request, View("key", "Key", shown.whole(state), {"empty": True}))


@router.get("/p/{project}/key/{hand}")
def key_page(
    request: Request, studio: StudioDep, shown: ShownDep, project: str, hand: str
) -> Response:
    state = studio.projects.state(project)
    held = studio.hand(state.project, hand)
    data = hand_json(state.project, held)
    data |= {"in_key": hand_key_json(state.project, held), "modes": list(SCALES)}
    title = f"Key: {held.strand.name}"
    return _shown(request, View("key", title, shown.whole(state), data, hand))


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
