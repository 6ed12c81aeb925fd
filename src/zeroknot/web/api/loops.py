"""The shelf: its rows, pictures and files."""

from typing import Annotated, Any
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from zeroknot.core.overview import PEAK_BINS, ring
from zeroknot.document.project import YARNS
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.wire import row_json
from zeroknot.web.ring import ring_svg

router = APIRouter(prefix="/api")
UNCHANGING = {"cache-control": "private, max-age=31536000, immutable"}
FLOATS = "application/octet-stream"


class NewName(BaseModel):
    name: str = Field(max_length=1000)


@router.get("/shelf")
def shelf(
    studio: StudioDep,
    words: Annotated[str, Query(max_length=300)] = "",
    project: str | None = None,
) -> list[dict[str, Any]]:
    tree = studio.projects.state(project).project if project else None
    return [row_json(loop, tree) for loop in studio.shelf.search(words)]


@router.post("/loops/{sha}/name", status_code=204)
def rename(studio: StudioDep, sha: str, new: NewName) -> None:
    studio.shelf.rename(sha, new.name)


@router.post("/loops/{sha}/remove", status_code=204)
def remove(studio: StudioDep, sha: str) -> None:
    studio.shelf.remove(sha)


@router.post("/loops/{sha}/put-back", status_code=204)
def put_back(studio: StudioDep, sha: str) -> None:
    studio.shelf.put_back(sha)


@router.get("/loops/{sha}/peaks/{frames_per_bin}")
def peaks(studio: StudioDep, sha: str, frames_per_bin: int) -> Response:
    """Lowest and highest sample of each bin at the file's rate: float32 pairs."""
    nearest = min(PEAK_BINS, key=lambda b: abs(b - frames_per_bin))
    studio.shelf.loop(sha)
    data = studio.renders.source_peaks(sha, nearest)
    return Response(data, media_type=FLOATS, headers={**UNCHANGING, "x-bin": str(nearest)})


@router.get("/loops/{sha}/ring.svg")
def ring_picture(
    studio: StudioDep, sha: str, yarn: Annotated[int, Query(ge=0, lt=YARNS)] = 0
) -> Response:
    """One pass as a round fingerprint, the downbeat on top."""
    loop = studio.shelf.loop(sha)
    reading = loop.reading
    start, end = (reading.downbeat_s, reading.end_s) if reading else (0.0, loop.seconds)
    data = studio.renders.source_peaks(sha, PEAK_BINS[1])
    table = np.frombuffer(data, np.float32).reshape(-1, 2)
    svg = ring_svg(ring(table, loop.rate / PEAK_BINS[1], start, end), yarn)
    return Response(svg, media_type="image/svg+xml", headers={"cache-control": "no-cache"})


@router.get("/loops/{sha}/wav")
def wav(studio: StudioDep, sha: str, bits: int = 24) -> Response:
    """The loop as WAV; a header says by how many dB it was lowered so as not to clip."""
    file = studio.prints.wav(sha, bits)
    plain = file.name.encode("ascii", "ignore").decode() or "loop.wav"
    return Response(
        file.data,
        media_type="audio/wav",
        headers={
            "content-disposition": (
                f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(file.name)}"
            ),
            "x-lowered-db": f"{file.lowered_db:.2f}",
        },
    )
