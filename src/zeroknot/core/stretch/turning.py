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
            part, frame = sound[c, starts[n] :], out[n, c]
            for i in range(taper.size):
                frame[i] = part[i * step] * taper[i]


@numba.njit(cache=True, nogil=True)
def peaks_kernel(spectra, first, power, owner):  # type: ignore[no-untyped-def]
    """Power of every bin of a band, and the spectral peak it belongs to; −1 where a frame has none.

    Peaks: no neighbour within two bins is larger. The border between two is the quietest bin.

    spectra      [frames or more, channels, bins], of which the band begins at bin `first`
    power, owner [frames, bins of the band]
    """
    frames, bins = power.shape
    for n in range(frames):
        row, whose = power[n], owner[n]
        row[:] = 0.0
        for c in range(spectra.shape[1]):
            part = spectra[n, c, first:]
            for k in range(bins):
                row[k] += part[k].real * part[k].real + part[k].imag * part[k].imag
        previous = -1
        for k in range(bins):
            p = row[k]
            if p <= 0.0 or (k > 0 and row[k - 1] > p) or (k + 1 < bins and row[k + 1] >= p):
                continue
            if (k > 1 and row[k - 2] > p) or (k + 2 < bins and row[k + 2] >= p):
                continue
            border = 0
            if previous >= 0:
                border, least = previous + 1, row[previous + 1]
                for j in range(previous + 1, k):
                    if row[j] < least:
                        border, least = j, row[j]
            whose[border : k + 1] = k
            whose[max(previous, 0) : border] = previous
            previous = k
        whose[max(previous, 0) :] = previous


@numba.njit(cache=True, nogil=True)
def turn_kernel(  # type: ignore[no-untyped-def]
    spectra, before, first, power, owner, is_new, start, end, share, missing, since, weights, turned
):
    """Turn every frame's peaks so that they go on from the frame before.

    spectra  [frames and more, channels, bins]; the band begins at bin `first`
    before   which of them is one hop before each frame
    weights  of the band's bins; none: the angle that is missing at `end` is written to `missing`,
             and to `since` each bin's share at its last fresh start. With them, that angle is
             turned in along the way, from there on, by each frame's share, and the frames are
             written to `turned`, weighted
    """
    channels = spectra.shape[1]
    frames, bins = power.shape
    measure = weights.size == 0
    turns = np.ones((2, bins), np.complex64)  # of the frame before, and of this
    for n in range(frames):
        last, now = turns[(n + 1) % 2], turns[n % 2]
        now[:] = 1.0
        step = 0.0 if measure or n == 0 else share[n] - share[n - 1]
        k = bins if n <= start or owner[n, 0] < 0 else 0
        while k < bins:
            p = owner[n, k]
            stop = k + 1
            while stop < bins and owner[n, stop] == p:
                stop += 1
            if is_new[n] and power[n, p] > JUMP * power[n - 1, p]:
                if measure:
                    since[k:stop] = share[n]
                k = stop
                continue
            real, imag = 0.0, 0.0
            for c in range(channels):
                a, b = spectra[n - 1, c, first + p] * last[p], spectra[before[n], c, first + p]
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
            now[k:stop] = np.complex64(complex(real, imag))
            k = stop
        if not measure:
            for c in range(channels):
                part, out = spectra[n, c, first:], turned[n, c, first:]
                for k in range(bins):
                    out[k] = part[k] * now[k] * weights[k]
        elif n == end:
            for j in range(bins):
                o = max(0, owner[n, j])
                z = spectra[n, 0, first + o]
                if channels == 2 and power[n, o] > 2 * (z.real * z.real + z.imag * z.imag):
                    z = spectra[n, 1, first + o]
                y = z * now[o]
                # The angle from what came out to what was recorded.
                missing[j] = np.arctan2(
                    z.imag * y.real - z.real * y.imag, z.real * y.real + z.imag * y.imag
                )
            return


@numba.njit(cache=True, nogil=True)
def overlap_add_kernel(frames, taper, starts, total):  # type: ignore[no-untyped-def]
    """Tapered frames added to what is there, each from its start on."""
    count, channels, window = frames.shape
    for n in range(count):
        for c in range(channels):
            part, frame = total[c, starts[n] : starts[n] + window], frames[n, c]
            for i in range(window):
                part[i] += frame[i] * taper[i]
