"""How likely does what sounds in a bin ring on, by all that lies around it?

A small convolutional network, wide in frequency and time by looking at three coarser pictures of
the same, too (after Ronneberger, Fischer & Brox, "U-Net", 2015). Its weights were fitted by
benchmarks/apart to mixes made there; they ship as arrays beside the code.
"""

from dataclasses import dataclass
from functools import cache, reduce
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
    """weights  float32 [out, in, frames, bins]: one of each, or as `_convolve_kernel` has them
    bias     float32 [out]
    """

    weights: Samples
    bias: Samples

    def __call__(self, picture: Samples, is_bent: bool = True) -> Samples:
        """float32 [out, frames, bins] of [in, frames, bins]; nothing beyond the edges."""
        _, _, tall, wide = self.weights.shape
        if tall == wide == 1:
            return self._of_points(picture)
        padded = np.pad(picture, ((0, 0), (tall // 2,) * 2, (wide // 2,) * 2))
        out = np.empty((self.bias.size, *picture.shape[1:]), np.float32)
        _convolve_kernel(padded, self.weights, self.bias, is_bent, out)
        return out

    def _of_points(self, picture: Samples) -> Samples:
        """Each point by itself; straight."""
        ins, *extent = picture.shape
        mixed = self.weights[:, :, 0, 0] @ picture.reshape(ins, -1) + self.bias[:, None]
        return np.asarray(mixed.reshape(-1, *extent))


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
    lines = [picture[:, i :: by[0]] for i in range(by[0])]
    points = [line[:, :, k :: by[1]] for line in lines for k in range(by[1])]
    return reduce(np.maximum, points)


def _finer(picture: Samples, by: tuple[int, int]) -> Samples:
    return np.repeat(np.repeat(picture, by[0], axis=1), by[1], axis=2)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _convolve_kernel(padded, weights, bias, is_bent, out):  # type: ignore[no-untyped-def]
    """Weights over the picture and bias, nothing below 0 where it is bent.

    Four of what comes out and three bins of weights at a time: what is read is used twelve times.
    """
    outs, ins, tall, wide = weights.shape  # outs in fours, wide in threes
    frames, bins = out.shape[1:]
    for t in range(frames):
        for o in range(0, outs, 4):
            # Each a row of its own: told apart, they stay near.
            r0, r1 = np.full(bins, bias[o]), np.full(bins, bias[o + 1])
            r2, r3 = np.full(bins, bias[o + 2]), np.full(bins, bias[o + 3])
            for c in range(ins):
                for i in range(tall):
                    for j in range(0, wide, 3):
                        source = padded[c, t + i, j:]
                        a0, a1, a2 = weights[o, c, i, j : j + 3]
                        b0, b1, b2 = weights[o + 1, c, i, j : j + 3]
                        c0, c1, c2 = weights[o + 2, c, i, j : j + 3]
                        d0, d1, d2 = weights[o + 3, c, i, j : j + 3]
                        for k in range(bins):
                            x, y, z = source[k], source[k + 1], source[k + 2]
                            r0[k] += a0 * x + a1 * y + a2 * z
                            r1[k] += b0 * x + b1 * y + b2 * z
                            r2[k] += c0 * x + c1 * y + c2 * z
                            r3[k] += d0 * x + d1 * y + d2 * z
            out[o, t], out[o + 1, t], out[o + 2, t], out[o + 3, t] = r0, r1, r2, r3
    if is_bent:
        flat = out.ravel()
        for n in range(flat.size):
            flat[n] = max(flat[n], np.float32(0.0))
