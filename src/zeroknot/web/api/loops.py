"""A loop: what is known of it, its pictures and files."""

from typing import Annotated, Literal
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.background import BackgroundTask

from zeroknot.core.formats.handed import PATTERN, Format, HandOver, Level
from zeroknot.core.overview import PEAK_BINS, ring
from zeroknot.document.strand import LONGEST_NAME, YARNS
from zeroknot.studio.hand_over import MOST_LOOPS
from zeroknot.studio.prints import Download
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.wire import loop_json
from zeroknot.web.pictures import notes_png, ring_png, wave_png

router = APIRouter(prefix="/api")
UNCHANGING = {"cache-control": "private, max-age=31536000, immutable"}
FLOATS = "application/octet-stream"
MEDIA = {
    "wav": "audio/wav", "flac": "audio/flac", "ogg": "audio/ogg", "aif": "audio/aiff",
    "zip": "application/zip",
}  # fmt: skip
Tile = Annotated[int | None, Query(ge=0, lt=1_000_000)]


@router.get("/loops/{sha}")
def known(studio: StudioDep, sha: str) -> answers.KnownLoop:
    """What is known of a loop, with everything it may be: to correct it in the list."""
    return loop_json(studio.shelf.loop(sha))


@router.get("/loops/{sha}/peaks/{frames_per_bin}")
def peaks(studio: StudioDep, sha: str, frames_per_bin: int, tile: Tile = None) -> Response:
    """Lowest and highest sample of each bin at the file's rate: float32 pairs; all, or one tile."""
    nearest = min(PEAK_BINS, key=lambda b: abs(b - frames_per_bin))
    studio.shelf.loop(sha)
    data = studio.renders.source_peaks(sha, nearest, tile)
    return Response(data, media_type=FLOATS, headers={**UNCHANGING, "x-bin": str(nearest)})


@router.get("/loops/{sha}/notes")
def notes(studio: StudioDep, sha: str) -> list[tuple[float, float, int]]:
    """A MIDI loop's notes: start and end in seconds under the file's own tempo, and pitch."""
    return studio.renders.notes(sha) if studio.shelf.loop(sha).is_midi else []


@router.get("/loops/{sha}/ring.png")
def ring_picture(
    studio: StudioDep,
    sha: str,
    yarn: Annotated[int, Query(ge=0, lt=YARNS)] = 0,
    start: Annotated[float | None, Query(ge=-3600, le=3600, allow_inf_nan=False)] = None,
    end: Annotated[float | None, Query(ge=-3600, le=3600, allow_inf_nan=False)] = None,
) -> Response:
    """One pass as a round fingerprint, the downbeat on top: from start to end in seconds, as a
    strand has them; as the loop is read where they are not given."""
    loop = studio.shelf.loop(sha)
    if start is None or end is None or start >= end:
        reading = loop.reading
        start, end = (reading.downbeat_s, reading.end_s) if reading else (0.0, loop.seconds)
    data = studio.renders.source_peaks(sha, PEAK_BINS[1])
    table = np.frombuffer(data, np.float32).reshape(-1, 2)
    return _picture(ring_png(ring(table, loop.rate / PEAK_BINS[1], start, end), yarn))


@router.get("/loops/{sha}/line.png")
def line_picture(
    studio: StudioDep,
    sha: str,
    yarn: Annotated[int, Query(ge=0, lt=YARNS)] = 0,
    palette: Literal["day", "night"] = "day",
) -> Response:
    """The loop in a line: its wave, or its notes."""
    loop = studio.shelf.loop(sha)
    if loop.is_midi:
        return _picture(notes_png(studio.renders.notes(sha), loop.seconds, yarn, palette))
    data = studio.renders.source_peaks(sha, PEAK_BINS[1])
    return _picture(wave_png(np.frombuffer(data, np.float32).reshape(-1, 2), yarn, palette))


def _picture(png: bytes) -> Response:
    # Its address carries what it was drawn from.
    return Response(png, media_type="image/png", headers=UNCHANGING)


@router.get("/loops/{sha}/file")
def file(studio: StudioDep, sha: str) -> Response:
    """The file as it came, byte for byte."""
    loop = studio.shelf.loop(sha)
    ending = {"midi": "mid", "aiff": "aif"}.get(loop.file_kind, loop.file_kind)
    return FileResponse(studio.store.path(sha), filename=f"{loop.name}.{ending}"[-200:])


class AskFiles(BaseModel):
    """shas  of the loops that are wanted
    pack  title of a pack with a page; files alone where there is none
    """

    model_config = ConfigDict(extra="forbid")

    shas: list[str] = Field(min_length=1, max_length=MOST_LOOPS)
    format: Format = "wav24"
    level: Level = "as_is"
    names: str = Field(PATTERN, min_length=1, max_length=200)
    pack: str | None = Field(None, max_length=LONGEST_NAME)


@router.post("/loops/files")
def files(studio: StudioDep, ask: AskFiles) -> Response:
    """A loop as a file, or several in a ZIP; a header says how far levels were lowered."""
    how = HandOver(ask.format, ask.level, ask.names)
    return _handed(studio.handing_over.files(ask.shas, how, ask.pack))


@router.get("/loops/{sha}/wav")
def wav(studio: StudioDep, sha: str, bits: int = 24) -> Response:
    """The loop as WAV; a header says by how many dB it was lowered so as not to clip."""
    return _handed(studio.handing_over.files([sha], HandOver.wav(bits)))


def _handed(file: Download) -> Response:
    plain = file.name.encode("ascii", "ignore").decode() or "loop.wav"
    return FileResponse(
        file.file,
        media_type=MEDIA[file.name.rpartition(".")[2]],
        headers={
            "content-disposition": (
                f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(file.name)}"
            ),
            "x-lowered-db": f"{file.lowered_db:.2f}",
        },
        background=BackgroundTask(file.file.unlink),
    )
