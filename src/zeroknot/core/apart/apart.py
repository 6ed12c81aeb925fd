"""What of a mixed recording rings, and what is struck?

Every bin of its spectrum is shared out by how likely it rings; what is not taken for tones is what
is left of the recording, so that both together are the recording itself.

Sources: soft masks over a spectrogram that tell what lies along time from what lies along frequency
(Fitzgerald, "Harmonic/percussive separation using median filtering", 2010), what is neither left
with the hits (Driedger, Müller & Disch, "Extending harmonic-percussive separation", 2014). The
masks are ours: medians were tried, and leak (docs/benchmarks.md).
"""

import math
from collections.abc import Callable
from functools import cache

import numpy as np
from scipy import fft, special

from zeroknot.core.apart.network import REACH, WHOLE, network
from zeroknot.core.apart.parts import Parts, why_not_apart
from zeroknot.core.apart.picture import BINS, OVERLAP, Frames, loudest, pictures, power
from zeroknot.core.audio import Audio, Samples
from zeroknot.core.errors import StretchError

AT_ONCE = 96 * WHOLE  # windows
HIGHEST = 128  # bins at the top of what is looked at: what lies above goes by them
SHARPER = 2.0  # times as sure as the network is
ASKED_SECONDS = 4.0  # in the middle of a mix tell how much of it is struck
FAINTEST = 1e-12
TOWARDS_HITS = 1.0  # a tone left behind is heard less than a drum that is shifted


def tones_of(sound: Audio) -> Samples:
    """What rings: float32 [channels, frames]. The hits are what is left of the recording.

    Raises StretchError where it is longer than LONGEST_SECONDS.
    """
    if why := why_not_apart(sound.seconds):
        raise StretchError(why)
    frames = Frames.at(sound.rate)
    top = _loudest_of(sound.samples, frames)
    # Silence before and behind, so that every sample lies under as many windows.
    samples = np.pad(np.asarray(sound.samples, np.float32), ((0, 0), (frames.size, frames.size)))
    count = -(-samples.shape[1] // frames.hop)
    out = np.zeros((sound.channels, (count + OVERLAP) * frames.hop), np.float32)
    for first in range(0, count, AT_ONCE):
        last = min(count, first + AT_ONCE)
        shares = _shares(samples, frames, first, last, top)
        spectra = frames.spectra(samples, first, last - first) * shares
        windows = fft.irfft(spectra, n=frames.size, axis=2) * (frames.taper / 1.5)
        for i in range(last - first):  # hann² at this overlap sums to 1.5
            at = (first + i) * frames.hop
            out[:, at : at + frames.size] += windows[:, i]
    begin = frames.size + frames.size // 2
    return np.ascontiguousarray(out[:, begin : begin + sound.frames])


def parts_of(sound: Audio) -> Callable[[Parts], Audio]:
    """The recording, its tones and its hits by name, each made once when it is first asked for."""

    @cache
    def part(name: Parts) -> Audio:
        if name == "tones":
            return Audio(tones_of(sound), sound.rate)
        if name == "hits":
            return hits_of(sound, part("tones"))
        return sound

    return part


def hits_of(sound: Audio, tones: Audio) -> Audio:
    """What is struck: what is left of a recording without its tones."""
    return Audio(sound.samples - tones.samples, sound.rate)


def struck_db(sound: Audio, kind: str | None) -> float | None:
    """How much of a mix is struck: dB of its hits over all of it, both brightened.

    kind     of sound; None is told of all but mixes, where nobody asks
    returns  of mixes with drums −5 to 0, of others under −16 (docs/benchmarks.md)
    """
    if kind != "mixed":
        return None
    asked = round(ASKED_SECONDS * sound.rate)
    first = max(0, (sound.frames - asked) // 2)
    some = Audio(sound.samples[:, first : first + asked], sound.rate)
    hits = hits_of(some, Audio(tones_of(some), some.rate))
    struck, whole = (float((np.diff(s.samples, axis=1) ** 2).sum()) for s in (hits, some))
    return 10.0 * math.log10((struck + FAINTEST) / (whole + FAINTEST))


def _loudest_of(samples: Samples, frames: Frames) -> float:
    """Of the whole recording, by every so manyth window."""
    count = -(-samples.shape[1] // frames.hop) + 1
    step = max(1, count // AT_ONCE)
    hop = frames.hop * step
    return loudest(power(frames.spectra(samples, 0, -(-count // step), hop)))


def _shares(samples: Samples, frames: Frames, first: int, last: int, top: float) -> Samples:
    """How much of each bin rings, 0…1: float32 [windows, bins of the window]."""
    begin = max(0, first - REACH)
    count = -(-(last + REACH - begin) // WHOLE) * WHOLE
    seen = pictures(samples, frames, frames.spectra(samples, begin, count), begin, top)
    scores = network().scores(seen)[first - begin : last - begin]
    bins = frames.size // 2 + 1
    above = scores[:, -HIGHEST:].mean(axis=1, keepdims=True)
    full = np.broadcast_to(above, (scores.shape[0], bins)).copy()
    there = min(bins, BINS)
    full[:, :there] = scores[:, :there]
    return np.asarray(special.expit(SHARPER * full - TOWARDS_HITS), np.float32)
