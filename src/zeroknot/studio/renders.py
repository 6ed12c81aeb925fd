"""Who renders what somebody waits for? One worker, block by block, what is asked for first."""

import threading
from collections import OrderedDict
from concurrent.futures import Future
from pathlib import Path

from zeroknot.core.errors import NotFoundError
from zeroknot.core.overview import TILE_BINS
from zeroknot.core.render.plan import BLOCK_FRAMES, RenderPlan
from zeroknot.store.audio_store import block_path, peaks_path
from zeroknot.studio.executors import Executors

KEPT_PLANS = 50_000
BYTES_A_BIN = 8  # lowest and highest as float32


class Renders:
    """Plans by their digest, and their blocks."""

    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors
        self._lock = threading.Lock()
        self._plans: OrderedDict[str, RenderPlan] = OrderedDict()
        self._running: dict[tuple[str, int], Future[None]] = {}

    def know(self, plans: dict[str, RenderPlan]) -> None:
        """Plans that may be asked for by digest from now on."""
        with self._lock:
            self._plans.update(plans)
            while len(self._plans) > KEPT_PLANS:
                self._plans.popitem(last=False)

    def plan(self, digest: str) -> RenderPlan:
        with self._lock:
            if digest not in self._plans:
                raise NotFoundError("no such render is known; ask for the play sheet again")
            return self._plans[digest]

    def block(self, digest: str, index: int) -> Path:
        """The file of one block, rendered now where it is not there yet."""
        plan = self.plan(digest)
        if not 0 <= index < plan.blocks:
            raise NotFoundError(f"this render has no block {index}")
        place = block_path(self._folder, digest, index)
        if not place.exists():
            self._begun(plan, index).result()
        return place

    def begin(self, digest: str, share: float) -> None:
        """Render what sounds at a share of the pass, 0 to 1: it is about to be asked for."""
        plan = self.plan(digest)
        index = int((plan.lead_frames + share * (plan.body_frames - 1)) // BLOCK_FRAMES)
        if not block_path(self._folder, digest, index).exists():
            self._begun(plan, index)

    def _begun(self, plan: RenderPlan, index: int) -> "Future[None]":
        """The rendering of a block, which is under way once however many ask for it."""
        key = plan.digest, index
        with self._lock:
            if key in self._running:
                return self._running[key]
            future = self._executors.render("render_block", self._folder, plan, index)
            self._running[key] = future
        future.add_done_callback(lambda _: self._ended(key))
        return future

    def _ended(self, key: tuple[str, int]) -> None:
        with self._lock:
            self._running.pop(key, None)

    def source_peaks(self, sha: str, frames_per_bin: int, tile: int | None = None) -> bytes:
        """Peaks of a recording at its own rate; made anew where the cache was emptied."""
        place = peaks_path(self._folder, sha, frames_per_bin)
        if not place.exists():
            self._executors.look("write_source_peaks", self._folder, sha).result()
        if tile is None:
            return place.read_bytes()
        with place.open("rb") as file:
            file.seek(tile * TILE_BINS * BYTES_A_BIN)
            return file.read(TILE_BINS * BYTES_A_BIN)

    def notes(self, sha: str) -> list[tuple[float, float, int]]:
        """A MIDI loop's notes as (start, end, pitch), seconds."""
        found: list[tuple[float, float, int]] = self._executors.look(
            "notes_of", self._folder, sha
        ).result()
        return found

    def prepare(self, digest: str, blocks: int) -> None:
        """Render a beginning that may soon be asked for, after what is asked for now."""
        plan = self.plan(digest)
        for index in range(min(blocks, plan.blocks)):
            if not block_path(self._folder, digest, index).exists():
                self._executors.look("render_block", self._folder, plan, index)

    def peaks(self, digest: str, frames_per_bin: int, tile: int | None = None) -> bytes:
        """Peaks of a render, or of one tile of it, for which only its blocks are rendered."""
        task, plan = "render_peaks", self.plan(digest)
        found: bytes = self._executors.look(task, self._folder, plan, frames_per_bin, tile).result()
        return found

    def loudness(self, digest: str) -> tuple[float, float]:
        """Loudness of the body as recorded and as fitted."""
        plan = self.plan(digest)
        return self._executors.look("body_loudness", self._folder, plan).result()

    def source_block(self, sha: str, rate: int, index: int) -> bytes:
        return self._executors.render("source_block", self._folder, sha, rate, index).result()
