"""Files on their way onto the shelf."""

from ipaddress import ip_address
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from zeroknot.core.errors import FormatError, NotFoundError
from zeroknot.store.incoming import DOUBLE, REFUSED
from zeroknot.studio.bring import item_json
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.incoming import received

router = APIRouter(prefix="/api")
MOST_TROUBLES = 300
MOST_DOUBLES = 3


class Paths(BaseModel):
    paths: list[str] = Field(min_length=1, max_length=10_000)


@router.put("/incoming", status_code=202)
async def take_in(
    studio: StudioDep, request: Request, name: Annotated[str, Query(max_length=4096)]
) -> answers.BringItem:
    """One file's bytes; its name may carry its folders."""
    try:
        incoming = await received(request, studio)
    except FormatError as error:
        return item_json(await run_in_threadpool(studio.bringing.refuse, name, str(error)))
    return item_json(await run_in_threadpool(studio.bringing.begin, incoming, name))


@router.get("/bring")
def how_far(studio: StudioDep) -> answers.HowFar:
    """How many files are in each state; those that were refused and some that were there already,
    newest first."""
    newest = studio.bringing.items()[::-1]
    refused = [i for i in newest if i.state == REFUSED]
    doubles = [i for i in newest if i.state == DOUBLE]
    return {
        "counts": studio.bringing.counts(),
        "refused": [item_json(item) for item in refused[:MOST_TROUBLES]],
        "doubles": [item_json(item) for item in doubles[:MOST_DOUBLES]],
    }


@router.get("/bring/items")
def items(studio: StudioDep) -> list[answers.BringItem]:
    """Everything since the list was cleared, oldest first."""
    return [item_json(item) for item in studio.bringing.items()]


@router.get("/bring/items/{item}")
def item(studio: StudioDep, item: str) -> answers.BringItem:
    return item_json(studio.bringing.item(item))


@router.post("/bring/items/{item}/again", status_code=202)
def again(studio: StudioDep, item: str) -> answers.BringItem:
    """Try a file once more that was refused."""
    return item_json(studio.bringing.again(item))


@router.get("/bring/items/{item}/file")
def refused_file(studio: StudioDep, item: str) -> FileResponse:
    """The bytes of a file that was refused, as they came."""
    kept = studio.bringing.item(item)
    if not (kept.state == REFUSED and kept.is_ours and kept.path.is_file()):
        raise NotFoundError("that file is not kept here (any more)")
    return FileResponse(kept.path, media_type="application/octet-stream", filename=kept.path.name)


@router.post("/bring/paths", status_code=202)
def take_paths(studio: StudioDep, request: Request, paths: Paths) -> list[answers.BringItem]:
    """Files and folders of this machine: only for who sits at it."""
    if request.client is None or not ip_address(request.client.host).is_loopback:
        raise FormatError("only this machine's own commands may name its files")
    return [item_json(i) for i in studio.bringing.begin_paths([Path(p) for p in paths.paths])]


@router.post("/bring/cancel")
def cancel(studio: StudioDep) -> dict[str, int]:
    return {"cancelled": studio.bringing.cancel()}


@router.post("/bring/forget", status_code=204)
def forget(studio: StudioDep) -> None:
    studio.bringing.forget_ended()
