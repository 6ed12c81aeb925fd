"""What happens, told to every open page as server-sent events."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

import anyio
from fastapi import APIRouter
from sse_starlette import EventSourceResponse, ServerSentEvent

from zeroknot.web.api.deps import StudioDep

router = APIRouter(prefix="/api")

GOODBYE_SECONDS = 1.0  # within which a stream ends by itself once the server is told to stop


@router.get("/alive", status_code=204)
async def alive() -> None:
    """Whoever heard nothing asks here until the server answers."""


@router.get("/events")
async def events(studio: StudioDep) -> EventSourceResponse:
    """What is said from now on; it ends, as an answer should, when the server is told to stop."""
    stopping = anyio.Event()

    async def stream() -> AsyncIterator[ServerSentEvent]:
        queue = studio.announcer.listen()
        stop = asyncio.create_task(stopping.wait())
        try:
            yield ServerSentEvent(json.dumps({"kind": "hello"}))
            while (event := await _next(queue, stop)) is not None:
                yield ServerSentEvent(json.dumps(event))
        finally:
            stop.cancel()
            studio.announcer.leave(queue)

    return EventSourceResponse(
        stream(), ping=20, shutdown_event=stopping, shutdown_grace_period=GOODBYE_SECONDS
    )


async def _next(
    queue: asyncio.Queue[dict[str, Any]], stop: asyncio.Task[Any]
) -> dict[str, Any] | None:
    """What is said next; None once the server stops."""
    said = asyncio.create_task(queue.get())
    try:
        await asyncio.wait((said, stop), return_when=asyncio.FIRST_COMPLETED)
        return said.result() if said.done() else None
    finally:
        said.cancel()
