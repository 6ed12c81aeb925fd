"""A practice exchange that loops are found on: it speaks the protocol of docs/exchange.md.

It can be told to be slow and to fail, as the outside is.
"""

import asyncio
import hashlib
import itertools
import time
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

from fastapi import FastAPI, Query, Request, Response
from fastapi.responses import JSONResponse

from zeroknot.standins.exchange_loops import LICENCE, OFFERS, Offer, file_of, preview_of

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
        return {"name": NAME, "version": VERSION, "practice": True}

    @app.get("/exchange/tags")
    def tags() -> list[dict[str, Any]]:
        counted = Counter(tag for offer in OFFERS.values() for tag in offer.tags)
        return [{"tag": tag, "count": count} for tag, count in counted.most_common()]

    @app.get("/exchange/loops")
    def loops(
        words: str = "", tag: str = "", first: int = Query(0, ge=0), count: int = Query(50, le=100)
    ) -> dict[str, Any]:
        found = [o for o in OFFERS.values() if _has(o, words) and (not tag or tag in o.tags)]
        return {"total": len(found), "loops": [_told(o) for o in found[first : first + count]]}

    @app.get("/exchange/loops/{id_}/preview")
    def preview(id_: str) -> Response:
        if id_ not in OFFERS:
            return JSONResponse({"error": "there is no such loop"}, 404)
        return Response(preview_of(id_), media_type="audio/wav")

    @app.get("/exchange/loops/{id_}/file")
    def file(id_: str) -> Response:
        if id_ not in OFFERS:
            return JSONResponse({"error": "there is no such loop"}, 404)
        data = file_of(id_)
        headers = {"x-content-sha256": hashlib.sha256(data).hexdigest()}
        if sky.cut_files:
            data = data[: len(data) // 2]
        if sky.wrong_files:
            data = b"no sound"
            headers["x-content-sha256"] = hashlib.sha256(data).hexdigest()
        return Response(data, media_type="audio/wav", headers=headers)

    return app


def _has(offer: Offer, words: str) -> bool:
    said = " ".join((offer.name, offer.maker, *offer.tags, offer.key or "")).casefold()
    return all(word in said for word in words.casefold().split())


def _told(offer: Offer) -> dict[str, Any]:
    return {
        "id": offer.id,
        "name": offer.name,
        "maker": offer.maker,
        "tags": list(offer.tags),
        "tempo_bpm": offer.tempo_bpm,
        "bars": offer.bars,
        "key": offer.key,
        "seconds": offer.seconds,
        "licence": LICENCE,
        "file_name": f"{offer.name} {offer.tempo_bpm:g}bpm.wav",
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
