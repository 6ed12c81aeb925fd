"""Loops found online: the page asks this server, this server the exchange."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

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


class AskOffer(BaseModel):
    """A loop that was printed here, who made it, and under which licence others may use it."""

    sha: str = Field(max_length=64)
    maker: str = Field("", max_length=200)
    licence: str = Field(max_length=200)


@router.post("/offers", status_code=201)
def offer(studio: StudioDep, ask: AskOffer) -> OnlineLoop:
    return studio.offer(ask.sha, ask.maker, ask.licence)
