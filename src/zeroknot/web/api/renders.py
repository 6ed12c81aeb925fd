"""Sound in blocks: renders by their digest, recordings by their hash and rate."""

import asyncio
from collections.abc import Coroutine
from typing import Annotated, Any, TypeVar

from fastapi import APIRouter, Header, Path, Request, Response
from starlette.concurrency import run_in_threadpool

from zeroknot.core.overview import PEAK_BINS
from zeroknot.document.coherent import RATES
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.loops import FLOATS, UNCHANGING, Tile

router = APIRouter(prefix="/api")
Index = Annotated[int, Path(ge=0)]
Due = Annotated[int, Header(ge=0, le=3_600_000)]
R = TypeVar("R")


async def while_asked(request: Request, answer: Coroutine[Any, Any, R]) -> R | None:
    """An answer while whoever asked is there; None where they went, and it is cancelled."""
    answering = asyncio.ensure_future(answer)
    leaving = asyncio.ensure_future(_left(request))
    try:
        await asyncio.wait({answering, leaving}, return_when=asyncio.FIRST_COMPLETED)
        return answering.result() if answering.done() else None
    finally:
        for task in (answering, leaving):
            task.cancel()


async def _left(request: Request) -> None:
    while (await request.receive())["type"] != "http.disconnect":
        pass


@router.get("/renders/{digest}/{index}")
async def render_block(
    studio: StudioDep, request: Request, digest: str, index: Index, x_due: Due = 0
) -> Response:
    """float32 planar: the block's frames of one channel after the other.

    x_due  milliseconds from now at which it is heard; what is heard first is rendered first
    """
    data = await while_asked(request, studio.renders.block_in_time(digest, index, x_due / 1000))
    if data is None:
        return Response(status_code=499)  # nobody reads it: whoever asked has gone
    return Response(data, media_type=FLOATS, headers=UNCHANGING)


@router.get("/renders/{digest}/peaks/{frames_per_bin}")
def render_peaks(
    studio: StudioDep, digest: str, frames_per_bin: int, tile: Tile = None
) -> Response:
    nearest = min(PEAK_BINS, key=lambda b: abs(b - frames_per_bin))
    data = studio.renders.peaks(digest, nearest, tile)
    return Response(data, media_type=FLOATS, headers={**UNCHANGING, "x-bin": str(nearest)})


@router.get("/renders/{digest}/loudness/body")
def loudness(studio: StudioDep, digest: str) -> answers.Loudness:
    recorded, fitted = studio.renders.loudness(digest)
    return {"recorded": recorded, "fitted": fitted}


@router.get("/sources/{sha}/{rate}/{index}")
async def source_block(
    studio: StudioDep, request: Request, sha: str, rate: int, index: Index, x_due: Due = 0
) -> Response:
    await run_in_threadpool(studio.shelf.loop, sha)
    if rate not in RATES:
        return Response(status_code=404)
    data = await while_asked(request, studio.renders.source_block(sha, rate, index, x_due / 1000))
    if data is None:
        return Response(status_code=499)
    return Response(data, media_type=FLOATS, headers=UNCHANGING)
