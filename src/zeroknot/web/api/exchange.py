"""Loops found online: the page asks this server, this server the exchange."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response

from zeroknot.studio.bring import item_json
from zeroknot.studio.exchange import OnlineLoop, OnlinePage
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep

router = APIRouter(prefix="/api/exchange")


@router.get("")
def about(studio: StudioDep) -> answers.Offered:
    """Who is asked, and what it offers."""
    about: Any = studio.exchange.about().model_dump()
    return about | {"host": studio.exchange.host, "tags": studio.exchange.tags()}


@router.get("/loops")
def search(
    studio: StudioDep,
    words: Annotated[str, Query(max_length=300)] = "",
    tag: Annotated[str, Query(max_length=100)] = "",
    first: Annotated[int, Query(ge=0)] = 0,
) -> OnlinePage:
    return studio.exchange.search(words, tag, first)


@router.get("/loops/{id_}/preview")
def preview(studio: StudioDep, id_: str) -> Response:
    return Response(studio.exchange.preview(id_), media_type="application/octet-stream")


@router.post("/bring", status_code=202)
def bring(studio: StudioDep, loop: OnlineLoop) -> answers.BringItem:
    return item_json(studio.exchange.bring(loop))
