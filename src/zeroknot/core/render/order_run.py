"""How does a new order become sound? Its voices, each a stretch of a source, added up."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.pan import panned
from zeroknot.core.mixing.shape import Corners
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.shaped import Struck, released, shaped, slow_wave
from zeroknot.core.render.voice import Voice
from zeroknot.core.slicing.shape import UNSHAPED
from zeroknot.core.units import gain_of_db

Floats = NDArray[np.float64]
MOST_KEPT_BYTES = 32 * 1024 * 1024  # of shaped pieces


class OrderRendering(InBlocks):
    """An order over renderings of its sources.

    sources  one for each of the plan's, in order
    """

    def __init__(self, plan: OrderPlan, sources: Sequence[InBlocks]):
        self.plan, self._sources = plan, sources
        self._kept: LRUCache[Voice, Samples] = LRUCache(MOST_KEPT_BYTES, lambda s: s.nbytes)

    @property
    def size(self) -> int:
        """Frames of lead, body and tail together."""
        return self.plan.frames

    def frames(self, first: int, count: int) -> Samples:
        """float32 [channels, count]: axis frames from `first` on."""
        plan = self.plan
        begin = first - plan.lead_frames
        out = np.zeros((plan.channels, count), np.float32)
        for voice in plan.voices:
            for shown in _rounds(voice, plan):
                a, b = max(begin, shown.at), min(begin + count, shown.at + shown.frames)
                if b > a:
                    part = self._sounding(voice, a - shown.at + shown.skipped, b - a)
                    out[:, a - begin : b - begin] += part
        return out

    def _sounding(self, voice: Voice, first: int, count: int) -> Samples:
        """float32 [channels, count]: frames of a voice, from its `first` on."""
        if voice.is_shaped:
            sound = self._shaped(voice)[:, first : first + count]
        else:
            sound = self._read(voice, first, count)
        gain = gain_of_db(voice.gain_db) * _fades(voice, first, count)
        return panned(
            sound * gain.astype(np.float32), _pan(voice, first, count), self.plan.channels
        )

    def _read(self, voice: Voice, first: int, count: int) -> Samples:
        """The same before it is shaped, faded and panned."""
        source = self.plan.sources[voice.source]
        start = voice.start + first
        if voice.reverse:
            start = voice.start + voice.frames - first - count
        sound = self._sources[voice.source].frames(source.lead_frames + start, count)
        return sound[:, ::-1] if voice.reverse else sound

    def _shaped(self, voice: Voice) -> Samples:
        """All of a voice that is shaped: a filter has to begin where it begins."""
        key = replace(voice, gain_db=0.0, pan=0.0, fade_out=0)
        if not (voice.cutoff or voice.drive):  # it sounds alike wherever it begins
            key = replace(key, at=0)
        if key not in self._kept:
            whole = self._read(voice, 0, voice.frames)
            before = 0 if voice.reverse else voice.fade_in
            held = voice.frames - voice.release
            frames = voice.at + np.arange(voice.frames)
            struck = Struck(
                before, held, voice.beat, voice.beat_frames,
                _along(voice.cutoff, frames), _along(voice.drive, frames),
            )  # fmt: skip
            self._kept[key] = shaped(whole, voice.shape or UNSHAPED, self.plan.rate, struck)
        return self._kept[key]


def _along(corners: Corners, frames: NDArray[np.int64]) -> Floats | None:
    """float64 [n] at frames of the order; None where there is no line."""
    if not corners:
        return None
    at, values = zip(*corners, strict=True)
    return np.asarray(np.interp(frames, at, values))


@dataclass(frozen=True)
class _Shown:
    """A voice, or the part of it that is heard at the end of the round before.

    at       frame of the order
    skipped  frames of the voice before that
    """

    at: int
    frames: int
    skipped: int = 0


def _rounds(voice: Voice, plan: OrderPlan) -> list[_Shown]:
    if voice.at >= 0 or not voice.fade_in:  # before the one, but not faded in, is the lead
        return [_Shown(voice.at, voice.frames)]
    before = min(-voice.at, voice.frames)
    return [
        _Shown(plan.body_frames - before, before),
        _Shown(0, voice.frames - before, skipped=before),
    ]


def _fades(voice: Voice, first: int, count: int) -> Floats:
    """float64 [count]: raised cosines at its edges, 1 between them."""
    at = np.arange(first, first + count, dtype=np.float64) + 0.5
    gain = np.ones(count)
    if voice.fade_in:
        gain *= _risen(at / voice.fade_in)
    if voice.fade_out:
        gain *= _risen((voice.frames - at) / voice.fade_out)
    if voice.release:
        gain *= released(at - (voice.frames - voice.release), voice.release)
    return gain


def _pan(voice: Voice, first: int, count: int) -> float | Floats:
    if not voice.sway:
        return voice.pan
    beats = voice.beat + np.arange(first, first + count) / voice.beat_frames
    return np.clip(voice.pan + voice.sway * slow_wave(beats, voice.sway_beats), -1.0, 1.0)


def _risen(share: Floats) -> Floats:
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * np.clip(share, 0.0, 1.0)))
