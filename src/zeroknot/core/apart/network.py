"""How likely does what sounds in a bin ring on, by all that lies around it?

A small convolutional network, wide in frequency and time by looking at three coarser pictures of
the same, too (after Ronneberger, Fischer & Brox, "U-Net", 2015). Its weights were fitted by
benchmarks/apart to mixes made there; they ship as arrays beside the code.
"""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numba
import numpy as np

from zeroknot.core.audio import Samples

WEIGHTS = Path(__file__).parent / "weights.npz"
# How much coarser each level is than the one above: in frames, in bins.
COARSER = ((1, 4), (2, 4), (2, 4))
WHOLE = 4  # windows that lie in one of the coarsest
REACH = 32  # windows by which what lies beside has a say, at most; a multiple of WHOLE


@dataclass(frozen=True, eq=False)
class Layer:
    """weights  float32 [out, in, frames, bins]; bias float32 [out]"""

    weights: Samples
    bias: Samples

    def __call__(self, picture: Samples, is_bent: bool = True) -> Samples:
        """float32 [out, frames, bins] of [in, frames, bins]; nothing beyond the edges."""
        _, _, tall, wide = self.weights.shape
        padded = np.pad(picture, ((0, 0), (tall // 2,) * 2, (wide // 2,) * 2))
        out = np.empty((self.bias.size, *picture.shape[1:]), np.float32)
        _convolve_kernel(padded, self.weights, self.bias, is_bent, out)
        return out


@dataclass(frozen=True, eq=False)
class Network:
    """down  two layers a level, from the finest to the coarsest
    up    a level above the coarsest each: what comes from below, and what is made of both
    """

    down: tuple[tuple[Layer, Layer], ...]
    up: tuple[tuple[Layer, Layer], ...]
    last: Layer

    def scores(self, pictures: Samples) -> Samples:
        """Logits of the share that rings: float32 [windows, bins].

        pictures  float32 [pictures, windows, bins], a whole number of WHOLE windows
        """
        levels = []
        seen = pictures
        for i, (one, other) in enumerate(self.down):
            seen = other(one(_coarser(seen, COARSER[i - 1]) if i else seen))
            levels.append(seen)
        for i in range(len(COARSER) - 1, -1, -1):
            below, both = self.up[i]
            seen = both(levels[i] + _finer(below(seen, is_bent=False), COARSER[i]))
        return np.asarray(self.last(seen, is_bent=False)[0])


@cache
def network() -> Network:
    """The shipped network."""
    with np.load(WEIGHTS) as kept:

        def layer(name: str) -> Layer:
            return Layer(
                np.ascontiguousarray(kept[f"{name}.weight"], np.float32),
                np.ascontiguousarray(kept[f"{name}.bias"], np.float32),
            )

        deep = len(COARSER)
        return Network(
            tuple((layer(f"e{i}"), layer(f"e{i}b")) for i in range(deep + 1)),
            tuple((layer(f"u{i}"), layer(f"d{i}")) for i in range(deep)),
            layer("out"),
        )


def _coarser(picture: Samples, by: tuple[int, int]) -> Samples:
    """The largest of every block: float32 [channels, frames/by, bins/by]."""
    channels, frames, bins = picture.shape
    blocks = picture.reshape(channels, frames // by[0], by[0], bins // by[1], by[1])
    return np.asarray(blocks.max(axis=(2, 4)))


def _finer(picture: Samples, by: tuple[int, int]) -> Samples:
    return np.repeat(np.repeat(picture, by[0], axis=1), by[1], axis=2)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _convolve_kernel(padded, weights, bias, is_bent, out):  # type: ignore[no-untyped-def]
    """Weights over the picture and bias, nothing below 0 where it is bent."""
    outs, ins, tall, wide = weights.shape
    frames, bins = out.shape[1:]
    row = np.empty(bins, np.float32)
    for t in range(frames):
        for o in range(outs):
            row[:] = bias[o]
            for c in range(ins):
                for i in range(tall):
                    source = padded[c, t + i]
                    for j in range(wide):
                        weight = weights[o, c, i, j]
                        for k in range(bins):
                            row[k] += weight * source[k + j]
            if is_bent:
                for k in range(bins):
                    row[k] = max(row[k], np.float32(0.0))
            out[o, t] = row
