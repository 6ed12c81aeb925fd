"""How audibly is a place stretched or shifted? 0 is untouched, 1 is nothing like it any more.

What the benchmark's distance (benchmarks/quality, (100 − score) / 100) comes to on the whole for a
kind of sound, a method, a ratio and a shift; fitted there, and held against a seed that nothing
was fitted on.
"""

import json
import math
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT
from zeroknot.core.stretch.auto import CASES_KEPT, CHOSEN_FROM, Case
from zeroknot.core.warp.time_map import TimeMap

HARDLY, SOME, CLEARLY = 0.12, 0.25, 0.4
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Strain:
    """frames  float64 [n + 1], rising: output frames between which a strain holds
    values  float64 [n], 0…1
    """

    frames: Floats
    values: Floats

    @property
    def mean(self) -> float:
        """Over the whole pass, by how long each stretch lasts."""
        return float(np.average(self.values, weights=np.diff(self.frames)))


@lru_cache(maxsize=CASES_KEPT)
def strain_of(case: Case, method: str) -> float:
    """Of one place: 0 where nothing is changed."""
    if method not in CHOSEN_FROM or (case.ratio == 1.0 and case.semitones == 0.0):
        return 0.0
    predicted = float(np.dot(_weights(), list(features(case, method).values())))
    # Fades in with the first per cent, so that a copy and its neighbours agree.
    change = abs(math.log2(case.ratio)) / 0.03 + abs(case.semitones) / 0.5
    return min(max(predicted, 0.0), 1.0) * min(1.0, change)


def strain_along(time_map: TimeMap, rate: int, case: Case, method: str) -> Strain:
    """Along a pass, for every segment of its time map.

    case  of the pass; its ratio is taken from the map
    """
    # A thousandth more or less is not heard, and a take has thousands of knots.
    ratios, which = np.unique(time_map.duration_ratios(rate).round(3), return_inverse=True)
    known = [strain_of(replace(case, ratio=float(ratio)), method) for ratio in ratios]
    values = np.asarray(known)[which]
    return Strain(time_map.frames, values)


def features(case: Case, method: str) -> dict[str, float]:
    """A place in numbers, by name."""
    octaves = math.log2(case.ratio)
    longer, shorter = (min(max(o, 0.0), 3.0) ** 0.7 for o in (octaves, -octaves))
    shifted = min(abs(case.semitones) / 12.0, 2.0) ** 0.5
    changes = {"longer": longer, "shorter": shorter, "shifted": shifted}
    # What a method is good for is another thing for each kind of sound.
    told = {
        "dense": min(case.density / 8.0, 1.5),
        "sure": case.sound.confidence if case.sound.kind else 0.0,
    }
    for kind in (*KINDS, ONE_HIT, None):
        is_it = float(case.sound.kind == kind)
        told |= {f"{kind}": is_it}
        told |= {f"{kind} by {known}": is_it * (method == known) for known in CHOSEN_FROM}
    return {
        **{name: value for name, value in told.items() if " by " not in name},
        **{f"{name} {change}": value * by for name, value in told.items()
           for change, by in changes.items()},
    }  # fmt: skip


@lru_cache(maxsize=1)
def _weights() -> Floats:
    text = files("zeroknot.core.stretch").joinpath("strain.json").read_text()
    return np.asarray(list(json.loads(text).values()))


WORDS = (
    "hardly heard", "heard when listened for", "clearly heard", "much of the sound is lost",
)  # fmt: skip


def level_of(strain: float) -> int:
    """How it will be heard, as an index into WORDS."""
    return sum(bool(strain >= edge) for edge in (HARDLY, SOME, CLEARLY))


def in_words(strain: float) -> str:
    """How it will be heard."""
    return WORDS[level_of(strain)]
