"""What does listening start from? All that is made out of a sound once, for all questions."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.attacks import all_attacks, sounding_range
from zeroknot.core.listening.chroma import Peaks, chroma, spectral_peaks, tuning_cents
from zeroknot.core.listening.copies import Edge, Thin, edge_of, thinned
from zeroknot.core.listening.picture import Picture, picture_of
from zeroknot.core.listening.salience import note_weights

Table = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Material:
    """everything  all that may be an attack; `attacks` those that hold as a rule
    cents       tuning against A = 440 Hz; None where no pitch stands out
    chroma      float32 [frames, 12] of `chroma_hop` seconds each
    sounding    first and last second that are not silence
    edge        where the silence in front of it ends
    thin        the sound itself, as `copies` looks at it
    """

    picture: Picture
    everything: Attacks
    peaks: Peaks
    cents: float | None
    chroma: Table
    sounding: tuple[float, float]
    edge: Edge
    thin: Thin

    @property
    def attacks(self) -> Attacks:
        """Attacks that hold at the usual sensitivity."""
        return self.everything.at_sensitivity(SENSITIVITY)

    @cached_property
    def note_weights(self) -> NDArray[np.float64]:
        """How much of each peak is a note of its own: float64 [peaks], as in `salience`."""
        return note_weights(self.peaks)

    @property
    def chroma_hop(self) -> float:
        """Seconds from one chroma to the next."""
        return self.peaks.hop_seconds

    @property
    def peakiness(self) -> float:
        """Share of the energy that stands in peaks: high for tones, low for noise."""
        return self.peaks.peakiness


def material_of(sound: Audio) -> Material:
    """Listen through a sound that is not silent."""
    picture = picture_of(sound)
    peaks = spectral_peaks(sound)
    cents = tuning_cents(peaks)
    sounding = sounding_range(sound)
    return Material(
        picture,
        all_attacks(sound, picture),
        peaks,
        cents,
        chroma(peaks, cents or 0.0),
        sounding,
        edge_of(sound, sounding[0]),
        thinned(sound),
    )
