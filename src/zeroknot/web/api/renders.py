"""Sound in blocks: renders by their digest, recordings by their hash and rate."""

from typing import Annotated

from fastapi import APIRouter, Path, Response
from fastapi.responses import FileResponse

from zeroknot.core.overview import PEAK_BINS
from zeroknot.studio.projects import RATES
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.loops import FLOATS, UNCHANGING, Tile

router = APIRouter(prefix="/api")
Index = Annotated[int, Path(ge=0)]


@router.get("/renders/{digest}/{index}")
def render_block(studio: StudioDep, digest: str, index: Index) -> Response:
    """float32 planar: the block's frames of one channel after the other."""
    place = studio.renders.block(digest, index)
    return FileResponse(place, media_type=FLOATS, headers=UNCHANGING)


@router.get("/renders/{digest}/peaks/{frames_per_bin}")
def render_peaks(
    studio: StudioDep, digest: str, frames_per_bin: int, tile: Tile = None
) -> Response:
    nearest = min(PEAK_BINS, key=lambda b: abs(b - frames_per_bin))
    data = studio.renders.peaks(digest, nearest, tile)
    return Response(data, media_type=FLOATS, headers={**UNCHANGING, "x-bin": str(nearest)})


@router.get("/renders/{digest}/loudness/body")
def loudness(studio: StudioDep, digest: str) -> dict[str, float]:
    recorded, fitted = studio.renders.loudness(digest)
    return {"recorded": recorded, "fitted": fitted}


@router.get("/sources/{sha}/{rate}/{index}")
def source_block(studio: StudioDep, sha: str, rate: int, index: Index) -> Response:
    studio.shelf.loop(sha)
    if rate not in RATES:
        return Response(status_code=404)
    data = studio.renders.source_block(sha, rate, index)
    return Response(data, media_type=FLOATS, headers=UNCHANGING)
