"""How does a stretch of the song become sound through its desk? From front to back, in pieces."""

from collections.abc import Mapping

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.desk_run import DeskRun, MasterRun
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.range_plan import EDGE_SECONDS

PIECE_FRAMES = 4 * BLOCK_FRAMES


class DeskRendering(InBlocks):
    """Read from front to back it remembers where it is; read from elsewhere it begins anew.

    tracks  renderings of the tracks' ranges, by id
    """

    def __init__(self, plan: DeskPlan, tracks: Mapping[str, InBlocks]):
        self.plan, self._tracks = plan, tracks
        self._ats = {t.id: t.at for t in plan.tracks}
        self._kept = np.zeros((2, 0), np.float32)
        self._edge = round(EDGE_SECONDS * plan.rate)
        self._begin()

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def whole(self) -> Samples:
        """float32 [2, size]"""
        return self.frames(0, self.size)

    def frames(self, first: int, count: int) -> Samples:
        """float32 [2, count]: axis frames from `first` on."""
        if first < self._at - self._kept.shape[1]:
            self._begin()
        while self._at < first + count:
            self._on()
            self._kept = self._kept[:, max(0, self._kept.shape[1] - (self._at - first)) :]
        begin = first - (self._at - self._kept.shape[1])
        return np.ascontiguousarray(self._kept[:, begin : begin + count])

    def _begin(self) -> None:
        desk = self.plan.desk
        self._desk = DeskRun(desk, self.plan.rate, self.plan.heard)
        self._master = MasterRun(desk, self.plan.rate) if self.plan.whole else None
        self._late = self._master.lead if self._master else 0
        self._run = -self.plan.skipped  # axis frame of the next that goes in
        self._at = 0  # one past the last that came out
        self._kept = np.zeros((2, 0), np.float32)

    def _on(self) -> None:
        """A piece further."""
        plan, begin = self.plan, self._run
        sounds = {id_: self._sound(id_, begin) for id_ in self._tracks}
        sums = self._desk.run(sounds, plan.at + begin, PIECE_FRAMES)
        out = np.sum([getattr(sums, name) for name in plan.parts], axis=0)
        piece = self._master.run(out, plan.at + begin) if self._master else out.astype(np.float32)
        self._run += PIECE_FRAMES
        # The master's ceiling looks ahead: so much comes out later, and in its place.
        last = self._run - self._late
        piece = piece[:, max(0, piece.shape[1] - max(0, last)) :]
        if plan.skipped and self._at < self._edge:  # it is cut there
            rise = np.arange(self._at, self._at + piece.shape[1]) / self._edge
            piece = piece * np.minimum(1.0, rise).astype(np.float32)
        self._kept = np.concatenate([self._kept, piece], axis=1)
        self._at = max(0, last)

    def _sound(self, id_: str, begin: int) -> Samples:
        """float32 [2, PIECE_FRAMES] of a track from an axis frame on; silence outside of it."""
        track, out = self._tracks[id_], np.zeros((2, PIECE_FRAMES), np.float32)
        first = self.plan.at + begin - self._ats[id_]
        a, b = max(0, first), min(track.size, first + PIECE_FRAMES)
        if b > a:
            out[:, a - first : b - first] = track.frames(a, b - a)
        return out
