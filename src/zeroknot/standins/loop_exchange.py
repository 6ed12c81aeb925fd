"""A practice exchange that loops are found on: it speaks the protocol of docs/exchange.md.

It can be told to be slow and to fail, as the outside is.
"""

import asyncio
import hashlib
import itertools
import time
from collections import Counter
from dataclasses import dataclass, field
from typing import Annotated, Any

from fastapi import FastAPI, Query, Request, Response
from fastapi.responses import JSONResponse

from zeroknot.standins.exchange_loops import OFFERS, Offer, file_of, preview_of

NAME = "Practice exchange"
VERSION = 1


@dataclass
class Weather:
    """How the outside behaves just now.

    delay_seconds  before every answer
    fail_every     one answer in so many is a 503; 0 for none
    cut_files      files end in the middle
    wrong_files    files hold something else than was promised
    """

    delay_seconds: float = 0.0
    fail_every: int = 0
    cut_files: bool = False
    wrong_files: bool = False
    asked: "itertools.count[int]" = field(default_factory=lambda: itertools.count(1))


def make_exchange(weather: Weather | None = None) -> FastAPI:
    """The exchange as an application of its own."""
    app = FastAPI(title=NAME, docs_url=None, redoc_url=None, openapi_url=None)
    offers: dict[str, Offer | Given] = dict(OFFERS)
    sky = app.state.weather = weather or Weather()

    @app.middleware("http")
    async def be_weathered(request: Request, call_next: Any) -> Response:
        number = next(sky.asked)
        if sky.delay_seconds:
            await asyncio.sleep(sky.delay_seconds)
        if sky.fail_every and number % sky.fail_every == 0:
            return JSONResponse({"error": "the exchange is busy"}, 503)
        response: Response = await call_next(request)
        return response

    @app.get("/exchange")
    def about() -> dict[str, Any]:
        return {"name": NAME, "version": VERSION, "practice": True, "takes": True}

    @app.get("/exchange/tags")
    def tags() -> list[dict[str, Any]]:
        counted = Counter(tag for offer in offers.values() for tag in offer.tags)
        return [{"tag": tag, "count": count} for tag, count in counted.most_common()]

    @app.get("/exchange/loops")
    def loops(
        words: str = "", tag: str = "", first: int = Query(0, ge=0), count: int = Query(50, le=100)
    ) -> dict[str, Any]:
        found = [o for o in offers.values() if _has(o, words) and (not tag or tag in o.tags)]
        return {"total": len(found), "loops": [_told(o) for o in found[first : first + count]]}

    @app.get("/exchange/loops/{id_}/preview")
    def preview(id_: str) -> Response:
        if id_ not in offers:
            return JSONResponse({"error": "there is no such loop"}, 404)
        offer = offers[id_]
        data = offer.data if isinstance(offer, Given) else preview_of(id_)
        return Response(data, media_type="audio/wav")

    @app.get("/exchange/loops/{id_}/file")
    def file(id_: str) -> Response:
        if id_ not in offers:
            return JSONResponse({"error": "there is no such loop"}, 404)
        offer = offers[id_]
        data = offer.data if isinstance(offer, Given) else file_of(id_)
        headers = {"x-content-sha256": hashlib.sha256(data).hexdigest()}
        if sky.cut_files:
            data = data[: len(data) // 2]
        if sky.wrong_files:
            data = b"no sound"
            headers["x-content-sha256"] = hashlib.sha256(data).hexdigest()
        return Response(data, media_type="audio/wav", headers=headers)

    @app.post("/exchange/loops", status_code=201)
    async def take(
        request: Request,
        name: str,
        maker: str = "",
        licence: str = "",
        tempo_bpm: float | None = None,
        bars: int | None = None,
        key: str | None = None,
        seconds: float | None = None,
        file_name: str = "loop.wav",
        tags: Annotated[list[str], Query()] = [],  # noqa: B006  (FastAPI copies it)
    ) -> Response:
        data = await request.body()
        sha = hashlib.sha256(data).hexdigest()
        if request.headers.get("x-content-sha256") != sha:
            return JSONResponse({"error": "the file did not arrive whole"}, 422)
        if not licence:
            return JSONResponse({"error": "under which licence may others use it?"}, 422)
        id_ = f"given-{sha[:12]}"  # offered twice it is one loop
        offers[id_] = Given(
            id=id_, name=name, maker=maker, tags=tuple(tags), tempo_bpm=tempo_bpm, bars=bars,
            key=key, seconds=seconds, licence=licence, file_name=file_name, data=data,
        )  # fmt: skip
        return JSONResponse(_told(offers[id_]), 201)

    return app


@dataclass(frozen=True, kw_only=True)
class Given:
    """A loop that somebody offered here; it is kept as long as the exchange runs."""

    id: str
    name: str
    maker: str
    tags: tuple[str, ...]
    tempo_bpm: float | None
    bars: int | None
    key: str | None
    seconds: float | None
    licence: str
    file_name: str
    data: bytes


def _has(offer: Offer | Given, words: str) -> bool:
    said = " ".join((offer.name, offer.maker, *offer.tags, offer.key or "")).casefold()
    return all(word in said for word in words.casefold().split())


def _told(offer: Offer | Given) -> dict[str, Any]:
    return {
        "id": offer.id,
        "name": offer.name,
        "maker": offer.maker,
        "tags": list(offer.tags),
        "tempo_bpm": offer.tempo_bpm,
        "bars": offer.bars,
        "key": offer.key,
        "seconds": offer.seconds,
        "licence": offer.licence,
        "file_name": offer.file_name,
    }


def run_beside(host: str, port: int) -> str:
    """Start the exchange in this process, beside whatever else runs; gives its address."""
    import threading

    import uvicorn

    server = uvicorn.Server(
        uvicorn.Config(make_exchange(), host=host, port=port, log_level="error")
    )
    threading.Thread(target=server.run, daemon=True).start()
    for _ in range(100):
        if server.started:
            break
        time.sleep(0.05)
    return f"http://{host}:{port}"
