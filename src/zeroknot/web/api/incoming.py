"""How does an upload arrive? Streamed to disk, part by part, up to a limit."""

from pathlib import Path

from fastapi import Request

from zeroknot.core.errors import FormatError
from zeroknot.studio.studio import Studio


async def received(request: Request, studio: Studio) -> Path:
    """The request's body as a file in the incoming folder; nothing is left of one too large."""
    limit = studio.settings.largest_upload
    too_large = FormatError(f"the file is over {limit / 1e9:g} GB; cut it into parts first")
    announced = request.headers.get("content-length", "0")
    if announced.isdigit() and int(announced) > limit:
        raise too_large
    incoming = studio.store.new_incoming()
    size = 0
    try:
        with incoming.open("wb") as file:
            async for part in request.stream():
                size += len(part)
                if size > limit:
                    raise too_large
                file.write(part)
    except BaseException:
        incoming.unlink(missing_ok=True)
        raise
    return incoming
