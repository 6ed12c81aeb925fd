"""Inner loops of Weave: frames are cut out, their peaks found and turned, and laid down again.

Arrays are [frames, channels, bins] of spectra and [frames, channels, samples] of sound.
"""

import numba
import numpy as np

JUMP = 3.0  # energy against the frame before that makes a bin new


@numba.njit(cache=True, nogil=True)
def cut_kernel(sound, starts, step, taper, out):  # type: ignore[no-untyped-def]
    """Frames of every `step`th sample, tapered."""
    for n in range(starts.size):
        for c in range(sound.shape[0]):
            for i in range(taper.size):
                out[n, c, i] = sound[c, starts[n] + i * step] * taper[i]


@numba.njit(cache=True, nogil=True)
def peaks_kernel(now, power, owner):  # type: ignore[no-untyped-def]
    """Power of every bin, and the spectral peak it belongs to; −1 where a frame has none.

    Peaks: no neighbour within two bins is larger. The border between two is the quietest bin.
    """
    frames, channels, bins = now.shape
    for n in range(frames):
        for k in range(bins):
            total = np.float32(0.0)
            for c in range(channels):
                z = now[n, c, k]
                total += z.real * z.real + z.imag * z.imag
            power[n, k] = total
        previous = -1
        for k in range(bins):
            p = power[n, k]
            peak = p > 0.0
            for d in (1, 2):
                if k - d >= 0 and power[n, k - d] > p:
                    peak = False
                if k + d < bins and power[n, k + d] >= p:
                    peak = False
            if not peak:
                continue
            border = 0
            if previous >= 0:
                border, least = previous + 1, power[n, previous + 1]
                for j in range(previous + 1, k):
                    if power[n, j] < least:
                        border, least = j, power[n, j]
            for j in range(border, k + 1):
                owner[n, j] = k
            for j in range(max(previous, 0), border):
                owner[n, j] = previous
            previous = k
        for j in range(max(previous, 0), bins):
            owner[n, j] = previous


@numba.njit(cache=True, nogil=True)
def turn_kernel(  # type: ignore[no-untyped-def]
    now, before, power, owner, is_new, start, end, share, missing, since, turned, measure
):
    """Turn every frame's peaks so that they go on from the frame before.

    With `measure` the angle that is missing at `end` is written to `missing`, and to `since` each
    bin's share at its last fresh start; without it, the angle is turned in along the way, from
    there on, by each frame's share.
    """
    frames, channels, bins = now.shape
    for n in range(frames):
        if n <= start or owner[n, 0] < 0:
            for c in range(channels):
                for k in range(bins):
                    turned[n, c, k] = now[n, c, k]
            if n <= start or not measure or n != end:
                continue
        step = 0.0
        if not measure:
            step = share[n] - share[n - 1]
        k = 0
        while k < bins and owner[n, 0] >= 0:
            p = owner[n, k]
            real, imag = 1.0, 0.0
            if is_new[n] and power[n, p] > JUMP * power[n - 1, p]:
                if measure:
                    j = k
                    while j < bins and owner[n, j] == p:
                        since[j] = share[n]
                        j += 1
            else:
                real, imag = 0.0, 0.0
                for c in range(channels):
                    a, b = turned[n - 1, c, p], before[n, c, p]
                    real += a.real * b.real + a.imag * b.imag
                    imag += a.imag * b.real - a.real * b.imag
                size = np.sqrt(real * real + imag * imag)
                if size > 0.0:
                    real, imag = real / size, imag / size
                else:
                    real, imag = 1.0, 0.0
                if step > 0.0 and share[n - 1] >= since[p]:
                    angle = missing[p] * step / (1.0 - since[p])
                    x, y = np.cos(angle), np.sin(angle)
                    real, imag = real * x - imag * y, real * y + imag * x
            turn = np.complex64(complex(real, imag))
            while k < bins and owner[n, k] == p:
                for c in range(channels):
                    turned[n, c, k] = now[n, c, k] * turn
                k += 1
        if measure and n == end:
            for j in range(bins):
                o = max(0, owner[n, j])
                z = now[n, 0, o]
                y = turned[n, 0, o]
                if channels == 2 and power[n, o] > 2 * (z.real * z.real + z.imag * z.imag):
                    z, y = now[n, 1, o], turned[n, 1, o]
                # The angle from what came out to what was recorded.
                missing[j] = np.arctan2(
                    z.imag * y.real - z.real * y.imag, z.real * y.real + z.imag * y.imag
                )
            return


@numba.njit(cache=True, nogil=True)
def overlap_add_kernel(frames, taper, hop, total):  # type: ignore[no-untyped-def]
    """Tapered frames, `hop` samples apart, added to what is there."""
    count, channels, window = frames.shape
    for n in range(count):
        for c in range(channels):
            for i in range(window):
                total[c, n * hop + i] += frames[n, c, i] * taper[i]
