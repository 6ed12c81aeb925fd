"""Who renders what somebody waits for? One worker, block by block, what is heard first."""

import asyncio
import threading
from collections.abc import Mapping
from concurrent.futures import Future
from contextlib import suppress
from pathlib import Path
from typing import Any

from cachetools import LRUCache

from zeroknot.core.errors import NotFoundError
from zeroknot.core.overview import TILE_BINS
from zeroknot.core.render.any_plan import AnyPlan
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.store.audio_store import block_path, peaks_path
from zeroknot.store.cache import note_use
from zeroknot.store.plans import PlanStore
from zeroknot.studio.block_queue import BlockQueue, Question
from zeroknot.studio.executors import Executors

MOST_PLAN_BYTES = 64 * 1024 * 1024
BYTES_A_PLAN, BYTES_A_KNOT = 1200, 120  # of memory, about
BYTES_A_BIN = 8  # lowest and highest as float32


class Renders:
    """Plans by their digest, and their blocks."""

    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors
        self._lock = threading.Lock()
        self._plans: LRUCache[str, AnyPlan] = LRUCache(MOST_PLAN_BYTES, getsizeof=weight_of)
        self._kept = PlanStore(folder / "cache")
        self._queue = BlockQueue()

    def close(self) -> None:
        self._kept.close()

    def know(self, plans: Mapping[str, AnyPlan]) -> None:
        """Plans that may be asked for by digest from now on, after a restart, too."""
        with self._lock:
            fresh = [(digest, plan) for digest, plan in plans.items() if digest not in self._plans]
            for digest, plan in plans.items():  # those that are played now are dropped last
                self._plans[digest] = plan
        self._kept.keep(fresh)

    def plan(self, digest: str) -> AnyPlan:
        with self._lock:
            known = self._plans.get(digest)
        if known is None:
            known = self._kept.find(digest)
            if known is None:
                raise NotFoundError("no such render is known; ask for the play sheet again")
            with self._lock:
                self._plans[digest] = known
        return known

    def block(self, digest: str, index: int) -> Path:
        """The file of one block, rendered now where it is not there yet."""
        question = self._asked(digest, index, 0.0)
        if question:
            question.future.result()
        return block_path(self._folder, digest, index)

    async def block_in_time(self, digest: str, index: int, due_in: float) -> bytes:
        """Its bytes, for who may stop waiting: cancelled, the question is withdrawn.

        due_in  seconds from now at which the block begins to sound
        """
        while True:
            question = self._asked(digest, index, due_in)
            if question:
                await self._waited(question)
            # The cache may have been trimmed, or deleted, in this moment: then once more.
            with suppress(FileNotFoundError):
                return await asyncio.to_thread(block_path(self._folder, digest, index).read_bytes)

    async def source_block(self, sha: str, rate: int, index: int, due_in: float) -> bytes:
        """A block of a recording at a rate, for who may stop waiting."""

        def begin() -> "Future[bytes]":
            return self._executors.render("source_block", self._folder, sha, rate, index)

        found: bytes = await self._waited(self._queue.ask((f"{sha}/{rate}", index), due_in, begin))
        return found

    async def _waited(self, question: Question) -> Any:
        try:
            # Shielded: others may wait for the same block.
            return await asyncio.shield(asyncio.wrap_future(question.future))
        finally:
            self._queue.leave(question)

    def begin(self, digest: str, share: float) -> None:
        """Render what sounds at a share of the pass, 0 to 1: it is about to be asked for."""
        plan = self.plan(digest)
        index = int((plan.lead_frames + share * (plan.body_frames - 1)) // BLOCK_FRAMES)
        self._asked(digest, index, 0.0, counts=False)

    def _asked(
        self, digest: str, index: int, due_in: float, counts: bool = True
    ) -> Question | None:
        """The question for a block; None where the block is there."""
        plan = self.plan(digest)
        if not 0 <= index < plan.blocks:
            raise NotFoundError(f"this render has no block {index}")
        place = block_path(self._folder, digest, index)
        if place.exists():
            note_use(place.parent)
            return None

        def begin() -> "Future[Any]":
            return self._executors.render("render_block", self._folder, plan, index)

        return self._queue.ask((digest, index), due_in, begin, counts)

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
        told: tuple[float, float] = self._executors.look(
            "body_loudness", self._folder, plan
        ).result()
        return told


def weight_of(plan: AnyPlan) -> int:
    """Bytes of memory that a plan takes, about."""
    return BYTES_A_PLAN + BYTES_A_KNOT * len(plan.knots)
