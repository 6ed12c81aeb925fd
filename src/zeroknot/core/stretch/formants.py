"""How does a sound keep its colour when its pitch moves?

Reading a recording faster moves everything, the resonances of a throat or a body, too. So the
recording is coloured beforehand: each frame's spectrum is multiplied by its own envelope read at
the frequency it will move to, over the envelope where it is. Any method may then shift it.

Envelope: cepstrally smoothed and raised to the peaks in a few rounds (Röbel & Rodet, "Efficient
spectral envelope estimation and its application to pitch shifting and envelope preservation",
DAFx 2005).
"""

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

from zeroknot.core.stretch.source_view import SourceView
from zeroknot.core.stretch.turning import cut_kernel, overlap_add_kernel

WINDOW_SECONDS = 0.046
OVERLAP = 4
QUEFRENCY_SECONDS = 0.0012  # finer ripples are partials, not resonances
PERIODS_SECONDS = (0.0018, 0.016)  # in which a voice's period is looked for
CLEAR_PERIOD = 9.0  # times the mean of the cepstrum there
PERIOD_SHARE = 0.45
FINEST_SECONDS = (0.001, 0.004)
ROUNDS = 4
MOST_NEPERS = 2.5  # about 22 dB either way
CHUNK = 256
EVERY = 2  # of so many frames one has an envelope of its own; those between lie between two
MEDIAN, SIGMA = 5, 0.5  # over which envelopes they are smoothed: how finely drawn, how high
SMOOTHED_OVER = 10  # frames on either side have a say in one


def with_colour_held(view: SourceView, rate: int, ratio: float) -> SourceView:
    """The view to shift by a frequency ratio so that its spectral envelope stays where it is."""
    if ratio == 1.0 or view.end <= view.start:
        return view
    window = 2 ** round(np.log2(WINDOW_SECONDS * rate))
    length = view.end - view.start
    count = EVERY * max(4, -(-length * OVERLAP // (EVERY * window)))
    centres = np.round(np.arange(count) * length / count).astype(np.int64)
    half = window // 2
    sound = view.read(view.start - half, length + window)
    taper = np.hanning(window + 1)[:-1].astype(np.float32)
    out = np.zeros((sound.shape[0], length + window), np.float32)
    weight = np.zeros((1, length + window), np.float32)
    for k in range(0, count, CHUNK):
        at = centres[k : k + CHUNK]
        # With those around it, that they go over into one another as if all were there at once.
        around = np.arange(k - SMOOTHED_OVER, k + at.size + SMOOTHED_OVER) % count
        frames = np.empty((around.size, sound.shape[0], window), np.float32)
        cut_kernel(sound, centres[around], 1, taper, frames)
        spectra = fft.rfft(frames, axis=2)
        coloured = spectra[SMOOTHED_OVER:-SMOOTHED_OVER]
        coloured *= _gains(spectra, rate, ratio)[:, None]
        overlap_add_kernel(fft.irfft(coloured, n=window, axis=2), taper, at, out)
        overlap_add_kernel(np.broadcast_to(taper, (at.size, 1, window)), taper, at, weight)
    if view.is_circle:
        # What lies before the start and behind the end is the circle's other side.
        for table in (out, weight):
            table[:, half : half + half] += table[:, length + half :]
            table[:, length : length + half] += table[:, :half]
    samples = out[:, half : half + length] / np.maximum(weight[:, half : half + length], 1e-3)
    return SourceView(
        np.asarray(samples, np.float32), view.start, view.end, view.is_circle, view.start
    )


def _gains(spectra: NDArray[np.complex64], rate: int, ratio: float) -> NDArray[np.float32]:
    """What each bin of each frame is multiplied by: float32 [frames − 2 · SMOOTHED_OVER, bins].

    spectra  complex64 [frames, channels, bins], SMOOTHED_OVER more on either side; the first and
             every EVERYth of them has an envelope of its own
    """
    bins = spectra.shape[2]
    there = np.arange(bins) * ratio
    inside = there <= bins - 1
    whole = np.minimum(there.astype(np.int64), bins - 2)
    part = (there - whole).astype(np.float32)
    own = spectra[::EVERY]
    power = (np.square(own.real) + np.square(own.imag)).sum(axis=1)
    envelope = envelopes(power, rate)
    moved = envelope[:, whole] * (1 - part) + envelope[:, np.minimum(whole + 1, bins - 1)] * part
    gains = np.where(inside, moved - envelope, np.float32(0.0))
    gains = ndimage.gaussian_filter1d(gains, SIGMA, axis=0, radius=2)
    gains = np.exp(np.clip(gains, -MOST_NEPERS, MOST_NEPERS))
    made = np.empty((gains.shape[0] - 1, EVERY, bins), np.float32)
    for i in range(EVERY):
        made[:, i] = gains[:-1] + (gains[1:] - gains[:-1]) * np.float32(i / EVERY)
    return made.reshape(-1, bins)[SMOOTHED_OVER : spectra.shape[0] - SMOOTHED_OVER]


def envelopes(power: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    """Logarithms (base e) of the spectral envelopes of power spectra: float32 [frames, bins]."""
    bins = power.shape[1]
    floor = power.max(axis=1, keepdims=True) * 1e-7 + 1e-12
    spectrum = (0.5 * np.log(power + floor)).astype(np.float32)
    kept = _quefrencies(spectrum, rate)[:, None]
    place = np.arange(bins, dtype=np.float32)[None, :]
    lifter = np.where(place < kept, 0.5 + 0.5 * np.cos(np.pi * place / kept), np.float32(0.0))
    target, envelope = spectrum, spectrum
    for _ in range(ROUNDS):
        # A cepstrum of what is real and even is a cosine transform, there and back.
        cepstrum = fft.idct(target, type=1, axis=1)
        envelope = fft.dct(cepstrum * lifter, type=1, axis=1, overwrite_x=True)
        target = np.maximum(spectrum, envelope)
    return np.asarray(envelope, np.float32)


def _quefrencies(spectrum: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    """How finely each frame's envelope is drawn, in cepstral bins.

    The partials of one voice stand a period apart in the cepstrum: just under half of it is the
    finest that does not follow them. Where there is no one period, QUEFRENCY_SECONDS.
    """
    cepstrum = np.abs(fft.idct(spectrum, type=1, axis=1))
    low, high = (round(s * rate) for s in PERIODS_SECONDS)
    part = cepstrum[:, low : min(high, cepstrum.shape[1] - 1)]
    at = part.argmax(axis=1)
    clear = part[np.arange(part.shape[0]), at] > CLEAR_PERIOD * part.mean(axis=1)
    least, most = (s * rate for s in FINEST_SECONDS)
    finest = np.clip(PERIOD_SHARE * (low + at), least, most)
    kept = np.where(clear, finest, max(4, round(QUEFRENCY_SECONDS * rate)))
    return np.asarray(ndimage.median_filter(kept, MEDIAN, mode="nearest"), np.float32)
