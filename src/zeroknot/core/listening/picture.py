"""What does a sound look like to everything that listens?

Made once, in one run over the sound, and shared: how much begins at each moment, how the energy is
spread, and which pitch classes sound.

Conventions
-----------
- Frame n of `rises` looks at the moment n · hop_seconds; so does frame n of the coarser tables at
  their own, longer steps.
- Both channels' energy is added up: out-of-phase stereo does not vanish.
- Long takes are read in chunks; what is kept grows by about 300 kB a minute.

Method: the rise of a log-frequency, log-magnitude spectrum against the maximum of its neighbours
two frames earlier (SuperFlux: Böck & Widmer, "Maximum filter vibrato suppression for onset
detection", DAFx 2013), kept apart in six bands.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.audio import Audio
from zeroknot.core.listening.framing import Framing, magnitudes

HOP_SECONDS = 0.005
WINDOW_SECONDS = 0.0464
LOWEST_HZ, HIGHEST_HZ = 30.0, 16_000.0
BANDS_PER_OCTAVE = 12
BAND_EDGES_HZ = (30.0, 120.0, 300.0, 800.0, 2_500.0, 7_000.0, 16_000.0)
LAG = 2  # frames between which a rise is measured
COARSE = 4  # fine frames a coarse one
COLOURS = 12  # bands of the coarse table
SCALE = 1000.0  # magnitude that counts as loud, before the logarithm

Table = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Picture:
    """rises    float32 [frames, 6]: how much begins in each band
    total    float32 [frames]: how much begins in all of them
    colours  float32 [frames / COARSE, COLOURS]: log energy
    seconds  of the sound
    """

    rises: Table
    total: Table
    colours: Table
    hop_seconds: float
    seconds: float


def picture_of(sound: Audio) -> Picture:
    """The picture of a sound of any length."""
    framing = Framing.for_rate(sound.rate, WINDOW_SECONDS, HOP_SECONDS)
    bank, centres = filterbank(sound.rate, framing.window)
    groups = _groups(centres)
    pool = _pool(centres.size)
    carried: Table | None = None
    rises, totals, colours = [], [], []
    for chunk in zip(*(magnitudes(c, framing) for c in sound.samples), strict=True):
        power = chunk[0] if len(chunk) == 1 else np.sqrt(
            (np.square(chunk[0]) + np.square(chunk[1])) * np.float32(0.5)
        )  # fmt: skip
        bands = np.log10(1.0 + np.float32(SCALE / framing.window) * (power @ bank))
        if carried is None:
            # What sounds from the very first sample begins there.
            carried = np.zeros((LAG, bands.shape[1]), np.float32)
        joined = np.concatenate([carried, bands])
        widened = ndimage.maximum_filter1d(joined[:-LAG], 3, axis=1)
        rise = np.maximum(0.0, bands - widened)
        rises.append(rise @ groups)
        totals.append(rise.mean(axis=1))
        colours.append(bands @ pool)
        carried = joined[-LAG:]
    fine = np.concatenate(colours)
    usable = fine.shape[0] // COARSE * COARSE
    coarse = fine[:usable].reshape(-1, COARSE, COLOURS).mean(axis=1)
    if usable < fine.shape[0]:
        coarse = np.concatenate([coarse, fine[usable:].mean(axis=0, keepdims=True)])
    return Picture(
        np.concatenate(rises).astype(np.float32),
        np.concatenate(totals).astype(np.float32),
        coarse.astype(np.float32),
        framing.hop / sound.rate,
        sound.seconds,
    )


def filterbank(rate: int, window: int) -> tuple[Table, NDArray[np.float64]]:
    """Triangles a semitone apart on a log axis.

    returns  float32 [window / 2 + 1, bands], and each band's centre in Hz
    """
    top = min(HIGHEST_HZ, 0.48 * rate)
    count = int(np.log2(top / LOWEST_HZ) * BANDS_PER_OCTAVE)
    hertz = LOWEST_HZ * 2.0 ** (np.arange(-1, count + 1) / BANDS_PER_OCTAVE)
    bins = np.unique(np.round(hertz * window / rate).astype(int))
    bins = bins[(bins >= 1) & (bins <= window // 2)]
    bank = np.zeros((window // 2 + 1, bins.size - 2), np.float32)
    for i, (a, b, c) in enumerate(zip(bins, bins[1:], bins[2:], strict=False)):
        bank[a : b + 1, i] = np.linspace(0.0, 1.0, b - a + 1)
        bank[b : c + 1, i] = np.linspace(1.0, 0.0, c - b + 1)
    return bank, bins[1:-1] * rate / window


def _groups(centres: NDArray[np.float64]) -> Table:
    """float32 [bands, 6]: the mean of each group of bands; none where the rate is too low."""
    which = np.searchsorted(BAND_EDGES_HZ[1:-1], centres, side="right")
    table = (which[:, None] == np.arange(len(BAND_EDGES_HZ) - 1)).astype(np.float32)
    return np.asarray(table / np.maximum(1.0, table.sum(axis=0)), np.float32)


def _pool(bands: int) -> Table:
    """float32 [bands, COLOURS]: means of neighbouring bands."""
    which = np.arange(bands) * COLOURS // bands
    table = (which[:, None] == np.arange(COLOURS)).astype(np.float32)
    return np.asarray(table / np.maximum(1.0, table.sum(axis=0)), np.float32)
