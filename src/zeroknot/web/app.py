"""The web application, put together."""

import threading
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from sqlalchemy.exc import DBAPIError

from zeroknot import __version__
from zeroknot.core.errors import NotFoundError, StaleError, ZeroKnotError
from zeroknot.settings import Settings
from zeroknot.store.room import NO_ROOM, is_no_room
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio
from zeroknot.studio.sturdy_pool import EndedError
from zeroknot.web.api import (
    bring,
    events,
    exchange,
    families,
    grooves,
    jobs,
    keys,
    loops,
    prints,
    projects,
    renders,
    shelf,
    slices,
)
from zeroknot.web.api.shown import ShownProjects
from zeroknot.web.pages import pages
from zeroknot.web.safety import Safety
from zeroknot.web.static_files import ShippedFiles

WARM_UP_AFTER_SECONDS = 0.5


def make_app(
    settings: Settings, executors: Executors | None = None, home: str = "",
    make_demo: Callable[[Studio], str] | None = None,
) -> FastAPI:  # fmt: skip
    """The application on a data folder; executors are processes unless given.

    home       the project that the bare address opens; the list of projects where there is none
    make_demo  makes the demo project in a studio and gives its id; offered where it is given
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        studio = Studio(settings, executors or Executors.processes(settings.workers))
        app.state.shown = ShownProjects(studio)
        app.state.studio, app.state.home, app.state.make_demo = studio, home, make_demo
        # The first page goes before the workers' own start.
        warming = threading.Timer(WARM_UP_AFTER_SECONDS, warm_up, (studio,))
        warming.start()
        yield
        warming.cancel()
        studio.close()

    def warm_up(studio: Studio) -> None:
        studio.shelf.warm_up()
        studio.executors.warm_up()

    app = FastAPI(title="Zero Knot", version=__version__, lifespan=lifespan, docs_url=None,
                  redoc_url=None)  # fmt: skip
    app.add_middleware(Safety, hosts=(settings.host,))
    for module in (
        pages,
        projects,
        prints,
        grooves,
        keys,
        slices,
        families,
        shelf,
        loops,
        bring,
        exchange,
        renders,
        jobs,
        events,
    ):
        app.include_router(module.router)
    app.mount("/static", ShippedFiles(), name="static")

    @app.exception_handler(RequestValidationError)
    def wrong_request(request: Request, error: RequestValidationError) -> Response:
        """What was wrong with it; not what was sent, which JSON may have no word for (NaN)."""
        told = [{"loc": e["loc"], "msg": e["msg"], "type": e["type"]} for e in error.errors()]
        return JSONResponse({"detail": told}, 422)

    @app.exception_handler(ZeroKnotError)
    def known_failure(request: Request, error: ZeroKnotError) -> Response:
        """The one place where a failure a person can mend becomes a sentence."""
        body: dict[str, Any] = {"error": str(error)}
        status = 422
        if isinstance(error, NotFoundError):
            status = 404
        elif isinstance(error, StaleError):
            status, body["since"] = 409, error.since
        return said(request, body, status)

    @app.exception_handler(OSError)
    @app.exception_handler(DBAPIError)
    def not_written(request: Request, error: OSError | DBAPIError) -> Response:
        if not is_no_room(error):
            raise error
        return said(request, {"error": NO_ROOM}, 507)

    def said(request: Request, body: dict[str, Any], status: int) -> Response:
        if request.url.path.startswith("/api/"):
            return JSONResponse(body, status)
        return pages.failure(request, body["error"], status)

    @app.exception_handler(EndedError)
    def ended(request: Request, error: EndedError) -> Response:
        """As something in between would say it; a page asks again once the server is back."""
        return said(request, {"error": str(error)}, 503)

    return app
