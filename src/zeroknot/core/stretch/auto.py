"""Which method suits a sound, a ratio and a shift, and why?

Each method that keeps a sound is scored by a few numbers of the case; the weights were fitted to
what the methods reached in benchmarks/quality. The two numbers that speak most for the chosen one
against the next are the reason.
"""

import json
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.stretch.settings import StretchSettings

AUTO = "auto"
CHOSEN_FROM = ("strike", "weave", "voice")
GROUPS = {
    "struck": ("drums", "percussion", "one hit"),
    "single": ("bass", "line", "voice"),
    "held": ("chords", "pad"),
    "mixed": ("mixed",),
}
WORDS = {
    "struck": "it may be struck", "single": "it may be one line", "held": "it may be chords",
    "mixed": "it may be a mix",
}  # fmt: skip
HELD_WHEN_SHIFTED = 0.5  # of the resonances: instruments keep about half of theirs


@dataclass(frozen=True)
class Case:
    """What a choice is made by.

    sound      kind and its confidence
    density    attacks a second
    ratio      output / input duration
    semitones  shift
    """

    sound: SoundReading
    density: float
    ratio: float
    semitones: float


@dataclass(frozen=True)
class Choice:
    """method  key in METHODS; settings with what Auto adds; why in a few words"""

    method: str
    settings: StretchSettings
    why: str


def features(case: Case) -> dict[str, float]:
    """The case in numbers, by name."""
    kind, sure = case.sound.kind, case.sound.confidence
    group = {
        name: (sure if kind in kinds else (1.0 - sure) / (len(GROUPS) - 1))
        if kind
        else 1.0 / len(GROUPS)
        for name, kinds in GROUPS.items()
    }
    longer = float(np.clip(np.log2(case.ratio), 0.0, 1.5))
    shorter = float(np.clip(-np.log2(case.ratio), 0.0, 1.5))
    shifted = min(abs(case.semitones) / 12.0, 1.0) ** 0.5
    found = dict(group)
    for name, value in group.items():
        found[f"{name} longer"] = value * longer
        found[f"{name} shorter"] = value * shorter
        if name != "struck":  # a drum that is tuned is no line that is shifted
            found[f"{name} shifted"] = value * shifted
    found["dense"] = min(case.density / 8.0, 1.5)
    return found


NAMES = tuple(features(Case(SoundReading.none(), 0.0, 1.0, 0.0)))


@lru_cache(maxsize=1)
def _weights() -> dict[str, NDArray[np.float64]]:
    text = files("zeroknot.core.stretch").joinpath("auto.json").read_text()
    return {m: np.asarray([w[n] for n in NAMES]) for m, w in json.loads(text).items()}


def choose(case: Case, settings: StretchSettings) -> Choice:
    """The likeliest best method for a case."""
    values = np.asarray(list(features(case).values()))
    said = {m: _weights()[m] * values for m in CHOSEN_FROM}
    ranked = sorted(CHOSEN_FROM, key=lambda m: -float(said[m].sum()))
    first, second = ranked[0], ranked[1]
    by = said[first] - said[second]
    reasons: list[str] = []
    for i in np.argsort(-by):
        words = _in_words(NAMES[int(i)], case)
        if by[i] > 0.0 and words not in reasons and len(reasons) < 2:
            reasons.append(words)
    if case.semitones != 0.0 and first != "strike":
        held = max(settings.formants, HELD_WHEN_SHIFTED)
        settings = replace(settings, formants=held)
    return Choice(first, settings, " and ".join(reasons) or "it does best on the whole")


def _in_words(name: str, case: Case) -> str:
    """ "it is one line", "half as long again", "shifted by +5", "many attacks"."""
    group, _, change = name.partition(" ")
    if change == "shifted":
        return f"shifted by {case.semitones:+g} st"
    if change:
        return f"{case.ratio:.2f} × as long"
    if group == "dense":
        return f"{case.density:.1f} attacks a second"
    kind = case.sound.kind
    if kind and kind in GROUPS[group]:
        return f"it sounds like {kind}"
    return WORDS[group]
