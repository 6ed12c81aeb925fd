"""What happens, told to every open page as server-sent events."""

import json
from collections.abc import AsyncIterator

from fastapi import APIRouter
from sse_starlette import EventSourceResponse, ServerSentEvent

from zeroknot.web.api.deps import StudioDep

router = APIRouter(prefix="/api")


@router.get("/alive", status_code=204)
async def alive() -> None:
    """Whoever heard nothing asks here until the server answers."""


@router.get("/events")
async def events(studio: StudioDep) -> EventSourceResponse:
    async def stream() -> AsyncIterator[ServerSentEvent]:
        queue = studio.announcer.listen()
        try:
            yield ServerSentEvent(json.dumps({"kind": "hello"}))
            while True:
                event = await queue.get()
                if event["kind"] == "closing":
                    return
                yield ServerSentEvent(json.dumps(event))
        finally:
            studio.announcer.leave(queue)

    return EventSourceResponse(stream(), ping=20)
