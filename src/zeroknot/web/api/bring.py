"""Files on their way onto the shelf."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from starlette.concurrency import run_in_threadpool

from zeroknot.core.errors import FormatError
from zeroknot.studio.bring import item_json
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.incoming import received

router = APIRouter(prefix="/api")


@router.put("/incoming", status_code=202)
async def take_in(
    studio: StudioDep, request: Request, name: Annotated[str, Query(max_length=4096)]
) -> dict[str, Any]:
    """One file's bytes; its name may carry its folders."""
    try:
        incoming = await received(request, studio)
    except FormatError as error:
        return item_json(studio.bringing.refuse(name, str(error)))
    return item_json(await run_in_threadpool(studio.bringing.begin, incoming, name))


@router.get("/bring")
def items(studio: StudioDep) -> list[dict[str, Any]]:
    return [item_json(item) for item in studio.bringing.items()]


@router.post("/bring/cancel")
def cancel(studio: StudioDep) -> dict[str, int]:
    return {"cancelled": studio.bringing.cancel()}


@router.post("/bring/forget", status_code=204)
def forget(studio: StudioDep) -> None:
    studio.bringing.forget_finished()
