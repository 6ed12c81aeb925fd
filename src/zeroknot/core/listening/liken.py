"""How is what a loop is like measured?

Conventions as in `likeness.py`.
"""

from functools import lru_cache
from importlib.resources import files

import numpy as np
from scipy import fft

from zeroknot.core.audio import Audio
from zeroknot.core.harmony.tones import tones_along
from zeroknot.core.listening.chroma import Peaks, spectral_peaks, tuning_cents
from zeroknot.core.listening.likeness import (
    BARS,
    HALVES,
    OCTAVES,
    REGISTERS,
    SIZES,
    STEPS,
    TONES,
    Floats,
    Likeness,
)
from zeroknot.core.units import frame

BANDS = 32
LOWEST_HZ, HIGHEST_HZ = 40.0, 15_000.0
WINDOW_SECONDS, HOP_SECONDS = 0.032, 0.010
REGISTERS_HZ = (200.0, 2000.0)  # between low and middle, middle and high
FLOOR_DB = -60.0
STRUCK_SHARE = 0.15  # of the moments, those in which most begins: its attacks
MOST_SECONDS = 30.0  # of a long loop that are listened to
LEARNT = "weights/likeness.npz"
COEFFICIENTS = 14  # of the spectrum's outline (its cosine transform)
QUIET_DB = -45.0  # under the loudest: moments that say nothing of the sound
BEATS = 4  # of a bar whose sixteenths are counted, as its steps say
SOUNDS = 0.02  # of the half bar that sounds most: what has less of tones has none
LOWEST_OCTAVE_HZ = 44.2  # of the bands: 62.5 Hz and up, each an octave (IEC 61260)


def likeness_in(
    sound: Audio, start: float, end: float, bars: int | None, peaks: Peaks | None = None
) -> Likeness:
    """What a body is like.

    start, end  seconds of its one and of its end
    bars        that it has; None where nobody can tell: then it has no rhythm
    peaks       of all of the sound, where they are known
    """
    rate = sound.rate
    first = max(0, frame(start * rate))
    last = min(sound.frames, frame(min(end, start + MOST_SECONDS) * rate))
    part = Audio(np.ascontiguousarray(sound.samples[:, first : max(first + 1, last)]), rate)
    levels, times = _levels(part)
    begins = np.maximum(0.0, np.diff(levels, axis=0, prepend=levels[-1:]))
    own = spectral_peaks(part) if peaks is None else peaks.between(first / rate, last / rate)
    tones, hop = tones_along(own, tuning_cents(own) or 0.0), own.hop_seconds
    bar = (end - start) / bars if bars else 0.0
    return Likeness(
        sound=_projected(_traits(levels, begins)),
        rhythm=_rhythm(begins, times, bar, bars) if bars else np.zeros(SIZES["rhythm"]),
        tone=_unit(tones.sum(axis=0)),
        harmony=_harmony(tones, bar / hop, bars) if bars else np.zeros(SIZES["harmony"]),
        feel=_feel(begins, times, bar / BEATS) if bars else np.zeros(SIZES["feel"]),
        bands=_bands(levels),
    )


def traits_of(sound: Audio) -> Floats:
    """What a sound's projection is made of: float64 [traits]."""
    levels, _ = _levels(sound)
    return _traits(levels, np.maximum(0.0, np.diff(levels, axis=0, prepend=levels[-1:])))


def _levels(part: Audio) -> tuple[Floats, Floats]:
    """dB of each mel band under the loudest moment, float64 [moments, bands], and when."""
    rate, mono = part.rate, part.samples.mean(axis=0, dtype=np.float32)
    size, hop = (
        fft.next_fast_len(frame(WINDOW_SECONDS * rate), real=True),
        frame(HOP_SECONDS * rate),
    )
    padded = np.pad(mono, (size // 2, size))
    count = 1 + mono.size // hop
    moments = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop][:count]
    spectrum = fft.rfft(moments * np.hanning(size).astype(np.float32), axis=1)
    power = np.square(spectrum.real) + np.square(spectrum.imag)
    bands = (power @ _triangles(size, rate).T.astype(np.float32)).astype(np.float64)
    loudest = max(float(bands.max(initial=0.0)), 1e-12)
    levels = 10 * np.log10(np.maximum(bands / loudest, 10 ** (FLOOR_DB / 10)))
    return np.asarray(levels), np.arange(count) * hop / rate


def _traits(levels: Floats, begins: Floats) -> Floats:
    """The outline of its spectrum when it is struck and between, how both change, how it moves."""
    struck = begins.sum(axis=1)
    most = np.argsort(struck)[::-1][: max(1, round(STRUCK_SHARE * struck.size))]
    rest = levels.max(axis=1) > QUIET_DB
    rest[most] = False
    outline = fft.dct(levels, axis=1, norm="ortho")[:, :COEFFICIENTS]
    between = outline[rest] if rest.any() else outline
    moves = np.abs(np.diff(outline, axis=0, prepend=outline[:1]))
    total = 10 * np.log10((10 ** (levels / 10)).sum(axis=1))
    steps = np.diff(total, prepend=total[:1])
    peaks = levels.max(axis=1) - np.median(levels, axis=1)
    whole = [
        np.percentile(struck, 95), (total < total.max() - 20).mean(), total.std(), steps.min(),
        peaks.mean(), peaks.std(), np.abs(np.diff(levels, axis=1)).mean(),
        np.percentile(steps, 95), np.median(np.abs(steps)),
    ]  # fmt: skip
    return np.concatenate(
        [
            outline[most].mean(axis=0)[1:], between.mean(axis=0)[1:], between.std(axis=0),
            np.log(1e-3 + moves.mean(axis=0)), np.log(1e-3 + np.median(moves, axis=0)), whole,
        ]
    )  # fmt: skip


@lru_cache(maxsize=1)
def _learnt() -> tuple[Floats, Floats, Floats]:
    with files("zeroknot.core.listening").joinpath(LEARNT).open("rb") as file:
        kept = np.load(file)
        middle, spread, projection = (kept[n] for n in ("middle", "spread", "projection"))
    return middle.astype(np.float64), spread.astype(np.float64), projection.astype(np.float64)


def _projected(traits: Floats) -> Floats:
    middle, spread, projection = _learnt()
    return _unit(3 * np.tanh((traits - middle) / spread / 3) @ projection)


def _rhythm(begins: Floats, times: Floats, bar: float, bars: int) -> Floats:
    edges = _mel_centres(begins.shape[1])
    low, high = REGISTERS_HZ
    registers = (edges < low, (edges >= low) & (edges < high), edges >= high)
    own = min(BARS, bars)
    steps = own * STEPS
    places = np.floor(times / bar * STEPS + 0.5).astype(np.int64) % steps
    found = np.zeros((REGISTERS, BARS * STEPS))
    for i, bins in enumerate(registers):
        strength = begins[:, bins].mean(axis=1) if bins.any() else np.zeros(times.size)
        told = np.zeros(steps)
        np.maximum.at(told, places, strength)
        told = np.maximum(0.0, told - np.median(told))
        found[i] = np.tile(told, BARS // own)[: BARS * STEPS]
        found[i] /= found[i].max() or 1.0
    return _unit(found.ravel())


def _feel(begins: Floats, times: Floats, beat: float) -> Floats:
    parts = SIZES["feel"]
    strength = begins.mean(axis=1)
    told = np.maximum(0.0, strength - np.median(strength))
    places = np.floor(times / beat * parts + 0.5).astype(np.int64) % parts
    found = np.bincount(places, told, minlength=parts)
    # What is a moment's length beside a place counts there, too: a beat's parts are shorter.
    return _unit(found + 0.5 * (np.roll(found, 1) + np.roll(found, -1)))


def _harmony(tones: Floats, bar: float, bars: int) -> Floats:
    """Square roots of what sounds, so that the loudest note does not say all.

    tones  float64 [frames, 12]
    bar    in frames
    """
    own = min(HALVES // 2, bars)
    halves = np.floor(np.arange(tones.shape[0]) / bar * 2).astype(np.int64)
    found = np.zeros((2 * own, TONES))
    np.add.at(found, halves % (2 * own), tones)
    told = found.sum(axis=1, keepdims=True)
    found[told[:, 0] < SOUNDS * told.max(initial=0.0)] = 0.0
    rows = np.sqrt(found)
    rows /= np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-12)
    return _unit(np.resize(rows, (HALVES, TONES)).ravel())


def _bands(levels: Floats) -> Floats:
    """Square roots of the power in each octave."""
    octaves = np.log2(_mel_centres(levels.shape[1]) / LOWEST_OCTAVE_HZ).astype(np.int64)
    power = np.where(levels > FLOOR_DB, 10 ** (levels / 10), 0.0).mean(axis=0)
    found = np.bincount(np.clip(octaves, 0, OCTAVES - 1), power, minlength=OCTAVES)
    return _unit(np.sqrt(found))


def _mel(hertz: float | Floats) -> Floats:
    return np.asarray(2595.0 * np.log10(1 + np.asarray(hertz) / 700.0))


def _mel_edges(highest: float) -> Floats:
    mels = np.linspace(float(_mel(LOWEST_HZ)), float(_mel(highest)), BANDS + 2)
    return np.asarray(700.0 * (10 ** (mels / 2595.0) - 1))


def _mel_centres(bands: int) -> Floats:
    return _mel_edges(HIGHEST_HZ)[1 : bands + 1]


def _triangles(size: int, rate: int) -> Floats:
    """Triangles on the mel scale (O'Shaughnessy 1987): float64 [bands, bins]."""
    hertz = np.arange(size // 2 + 1) * rate / size
    edges = _mel_edges(min(HIGHEST_HZ, 0.45 * rate))
    rising = (hertz - edges[:-2, None]) / (edges[1:-1] - edges[:-2])[:, None]
    falling = (edges[2:, None] - hertz) / (edges[2:] - edges[1:-1])[:, None]
    return np.maximum(0.0, np.minimum(rising, falling))


def _unit(values: Floats) -> Floats:
    length = float(np.linalg.norm(values))
    return values / length if length > 0 else values
