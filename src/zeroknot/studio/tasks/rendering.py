"""How is a plan rendered, whole or by the block?"""

import os
from collections.abc import Callable
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import numpy as np

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.errors import FormatError
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.overview import TILE_BINS, peaks
from zeroknot.core.render.any_plan import AnyPlan, PassPlan
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.clicks import ClickPlan, ClickRendering
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.desk_rendering import DeskRendering
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.in_chunks import Chunks, InChunks
from zeroknot.core.render.kept_pieces import KeptPieces
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.order_run import OrderRendering
from zeroknot.core.render.parts_run import rendering_of_pass
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.range_plan import RangePlan
from zeroknot.core.render.range_run import RangeRendering
from zeroknot.core.render.reverse import ReversePlan, ReverseRendering
from zeroknot.core.render.room_plan import RoomPlan, RoomRendering
from zeroknot.store.audio_store import block_path, write_whole
from zeroknot.studio.tasks import THREADS_VARIABLE
from zeroknot.studio.tasks.sources import KEPT_OPEN, attacks_of, midi_of, part_at, source_at

MEASURED_SECONDS = 60.0  # of a body; one of half an hour need not be rendered to be matched


def render_block(folder: Path, plan: AnyPlan, index: int) -> None:
    """Render one block and lay it into the cache; done already, it is left alone."""
    place = block_path(folder, plan.digest, index)
    if not place.exists():
        write_whole(place, np.ascontiguousarray(rendering_of(folder, plan).block(index)).tobytes())


def render_whole(folder: Path, plan: PassPlan) -> Samples:
    """Lead, body and tail of a plan: float32 [channels, plan.frames]."""
    return rendering_of(folder, plan).whole()


def render_peaks(
    folder: Path, plan: AnyPlan, frames_per_bin: int, tile: int | None = None
) -> bytes:
    """Peaks of a whole render, or of one tile of it: float32 [bins, 2] as bytes."""
    name = f"peaks-{frames_per_bin}" + ("" if tile is None else f"-{tile}")
    place = block_path(folder, plan.digest, 0).with_name(name)
    if not place.exists():
        first, frames = 0, plan.frames
        if tile is not None:
            first = tile * TILE_BINS * frames_per_bin
            frames = max(0, min(plan.frames - first, TILE_BINS * frames_per_bin))
        if not frames:
            return b""
        sound = Audio(rendering_of(folder, plan).frames(first, frames), plan.rate)
        write_whole(place, peaks(sound, frames_per_bin).tobytes())
    return place.read_bytes()


def body_loudness(folder: Path, plan: PassPlan) -> tuple[float, float]:
    """Loudness in dB of the body (a long one's beginning) as recorded and as fitted."""
    sound = source_at(folder, plan.source, plan.rate)
    frames = min(plan.body_frames, round(MEASURED_SECONDS * plan.rate))
    plan = plan.turned if isinstance(plan, ReversePlan) else plan
    laid = plan.sources[0] if isinstance(plan, OrderPlan) else plan
    stop = float(laid.time_map.source_of(np.asarray([float(min(frames, laid.body_frames))]))[0])
    zero, end = (round(s * plan.rate) for s in (laid.zero_second, stop))
    recorded = sound.samples[:, max(0, zero) : max(1, min(end, sound.frames))]
    fitted = rendering_of(folder, plan).frames(plan.lead_frames, frames)
    return loudness(recorded, plan.rate), loudness(fitted, plan.rate)


@lru_cache(maxsize=KEPT_OPEN)
def rendering_of(folder: Path, plan: AnyPlan) -> InBlocks:
    return RENDERERS[plan.kind](folder, plan)


def _notes(folder: Path, plan: RenderPlan) -> InBlocks:
    midi = midi_of(folder, plan.source)
    if midi is None:
        raise FormatError("this loop is a recording, not MIDI")
    return NotesRendering(midi, plan)


def _pass(folder: Path, plan: RenderPlan) -> InBlocks:
    threads = int(os.environ.get(THREADS_VARIABLE, "2"))
    part = partial(part_at, folder, plan.source, plan.rate)
    return rendering_of_pass(part, attacks_of(folder, plan.source), plan, threads, _kept_pieces())


@lru_cache(maxsize=1)
def _kept_pieces() -> KeptPieces:
    """What plans that differ by a knot have in common."""
    return KeptPieces()


def _order(folder: Path, plan: OrderPlan) -> InBlocks:
    sources = [
        InChunks(rendering_of(folder, source), source.digest, _chunks()) for source in plan.sources
    ]
    return OrderRendering(plan, sources)


def _reverse(folder: Path, plan: ReversePlan) -> InBlocks:
    turned = plan.turned
    return ReverseRendering(plan, InChunks(Kept(folder, turned), turned.digest, _chunks()))


def _range(folder: Path, plan: RangePlan) -> InBlocks:
    """By what the cache holds of its passes: most of it was played before."""
    passes = [InChunks(Kept(folder, one), one.digest, _chunks()) for one in plan.passes]
    return RangeRendering(plan, passes)


class Kept(InBlocks):
    """A render as the cache holds it; what is missing is rendered into it."""

    def __init__(self, folder: Path, plan: AnyPlan):
        self._folder, self._plan = folder, plan

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self._plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        raise NotImplementedError("read by the block")

    def block(self, index: int) -> Samples:
        """Block `index` of the axis: float32 [channels, up to BLOCK_FRAMES]."""
        place = block_path(self._folder, self._plan.digest, index)
        for _ in range(3):  # the cache may be trimmed in this very moment
            try:
                found = np.fromfile(place, np.float32)
                break
            except FileNotFoundError:
                render_block(self._folder, self._plan, index)
        else:
            raise OSError("the cache loses what is laid into it; is the disk full?")
        frames = min(BLOCK_FRAMES, self.size - index * BLOCK_FRAMES)
        return found.reshape(found.size // frames, frames)


@lru_cache(maxsize=1)
def _chunks() -> Chunks:
    """Blocks that orders of the same passes have in common."""
    return Chunks()


def _desk(folder: Path, plan: DeskPlan) -> InBlocks:
    """Begun anew for each reader: it remembers where it is."""
    return DeskRendering(plan, {t.id: _range(folder, t.range) for t in plan.tracks})


def _room(folder: Path, plan: RoomPlan) -> InBlocks:
    return RoomRendering(plan)


def _clicks(folder: Path, plan: ClickPlan) -> InBlocks:
    return ClickRendering(plan)


# Who renders a plan, by its kind.
RENDERERS: dict[str, Callable[[Path, Any], InBlocks]] = {
    "pass": _pass, "notes": _notes, "order": _order, "range": _range, "clicks": _clicks,
    "reverse": _reverse, "desk": _desk, "room": _room,
}  # fmt: skip
