"""What must be rendered before something can be made of it, in steps that may be stopped."""

from collections.abc import Callable, Iterator
from concurrent.futures import Future, wait
from pathlib import Path
from typing import TypeVar

from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.store.audio_store import block_path
from zeroknot.studio.executors import Executors
from zeroknot.studio.jobs import CancelledError, StoppedError

BATCH = 4  # blocks that are rendered between two looks at whether to go on
LOOK_SECONDS = 0.1  # between two looks at whether to go on, while something takes long
Step = Callable[[int, int], None]
T = TypeVar("T")
Batch = tuple[PassPlan, tuple[int, ...]]


class Ahead:
    """step: told how many of how many steps are done; may end it by CancelledError"""

    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors

    def missing(self, plan: DeskPlan) -> Iterator[Batch]:
        """Blocks that the cache does not have, in batches."""
        passes = {one.digest: one for one in plan.passes}
        wanted: dict[str, set[int]] = {digest: set() for digest in passes}
        for track in plan.tracks:
            for placed in track.range.placed:
                last = (placed.start + placed.frames - 1) // BLOCK_FRAMES
                blocks = set(range(placed.start // BLOCK_FRAMES, last + 1))
                wanted[track.range.passes[placed.plan].digest] |= blocks
        for digest, blocks in wanted.items():
            missing = [
                i for i in sorted(blocks) if not block_path(self._folder, digest, i).exists()
            ]
            for at in range(0, len(missing), BATCH):
                yield passes[digest], tuple(missing[at : at + BATCH])

    def render(self, waiting: list[Batch], total: int, step: Step) -> None:
        futures = [
            self._executors.listen("render_blocks", self._folder, plan, indices)
            for plan, indices in waiting
        ]
        try:
            for i, future in enumerate(futures):
                self.waited(future, i, total, step)
        except (CancelledError, StoppedError):
            for future in reversed(futures):
                self._executors.let_go(future)
            raise

    def waited(self, future: "Future[T]", done: int, total: int, step: Step) -> T:
        """What comes of it; asked meanwhile whether to go on, and let go of where not."""
        try:
            while not future.done():
                step(done, total)
                wait([future], LOOK_SECONDS)
        except (CancelledError, StoppedError):
            self._executors.let_go(future)
            raise
        return future.result()
