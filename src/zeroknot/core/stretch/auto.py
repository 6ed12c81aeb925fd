"""Which method suits a sound, a ratio and a shift, and why?

Each method that keeps a sound is scored by a few numbers of the case; the weights were fitted to
what the methods reached in benchmarks/quality. The two numbers that speak most for the chosen one
against the next are the reason.
"""

import json
import math
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.apart.parts import Parts
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
CASES_KEPT = 8192  # a song's strands are asked for again by each view of it
CLEAR = 0.6  # confidence from which other kinds are no reason
RISKED = 1.0  # points that Voice must promise more: it does great harm to what is no single line
APART_FROM = 1.0  # semitones from which a mix's tones are shifted alone
APART_TO = 0.8  # times as long, up to which its hits are laid apart from its tones
STRUCK_DB = -10.0  # between mixes with drums and others, far from both
HELD_WHEN_SHIFTED = 0.5  # of the resonances: instruments keep about half of theirs


@dataclass(frozen=True)
class Case:
    """What a choice is made by.

    sound      kind and its confidence
    density    attacks a second
    ratio      output / input duration
    semitones  shift
    struck_db  how much of a mix is struck; None where that was not asked
    """

    sound: SoundReading
    density: float
    ratio: float
    semitones: float
    struck_db: float | None = None


@dataclass(frozen=True)
class Choice:
    """method  key in METHODS; settings with what Auto adds; which parts of the recording"""

    method: str
    settings: StretchSettings
    parts: Parts = "whole"


def features(case: Case) -> dict[str, float]:
    """The case in numbers, by name."""
    kind, sure = case.sound.kind, case.sound.confidence
    group = {
        name: (sure if kind in kinds else (1.0 - sure) / (len(GROUPS) - 1))
        if kind
        else 1.0 / len(GROUPS)
        for name, kinds in GROUPS.items()
    }
    octaves = math.log2(case.ratio)
    longer, shorter = (min(max(o, 0.0), 1.5) for o in (octaves, -octaves))
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
def _weights() -> NDArray[np.float64]:
    """float64 [CHOSEN_FROM, NAMES]"""
    text = files("zeroknot.core.stretch").joinpath("auto.json").read_text()
    weights = json.loads(text)
    return np.asarray([[weights[m][n] for n in NAMES] for m in CHOSEN_FROM])


@lru_cache(maxsize=CASES_KEPT)
def choose(case: Case, settings: StretchSettings) -> Choice:
    """The likeliest best method for a case."""
    first = CHOSEN_FROM[_ranked(case, _said(case))[0]]
    if case.semitones != 0.0 and first != "strike":
        settings = replace(settings, formants=max(settings.formants, HELD_WHEN_SHIFTED))
    return Choice(first, settings, "apart" if _pays_apart(case) else "whole")


def _pays_apart(case: Case) -> bool:
    """Does it measure better to lay tones and hits apart? Of a mix in which something is struck."""
    is_struck = case.struck_db is not None and case.struck_db >= STRUCK_DB
    is_mix = case.sound.kind in GROUPS["mixed"]
    is_far = abs(case.semitones) >= APART_FROM or case.ratio <= APART_TO
    return is_mix and is_struck and is_far


def why_chosen(case: Case) -> str:
    """Why `choose` takes that method, in a few words."""
    said = _said(case)
    first, second = _ranked(case, said)[:2]
    by = said[first] - said[second]
    reasons: list[str] = []
    for i in np.argsort(-by):
        name = NAMES[int(i)]
        words = _in_words(name, case)
        speaks = by[i] > 0.0 and not _is_beside(name, case)
        if speaks and words not in reasons and len(reasons) < 2:
            reasons.append(words)
    return " and ".join(reasons) or "it does best on the whole"


def _is_beside(name: str, case: Case) -> bool:
    """Does it speak of a kind that the sound, as was clearly heard, is not?"""
    kinds = GROUPS.get(name.partition(" ")[0])
    is_clear = case.sound.kind is not None and case.sound.confidence >= CLEAR
    return kinds is not None and is_clear and case.sound.kind not in kinds


def _said(case: Case) -> NDArray[np.float64]:
    """What each number of the case says for each method: float64 [CHOSEN_FROM, NAMES]"""
    return _weights() * np.fromiter(features(case).values(), np.float64, len(NAMES))


def _ranked(case: Case, said: NDArray[np.float64]) -> list[int]:
    """Methods by what speaks for them, of equals the earlier one.

    Where hits are laid apart because it becomes shorter, Weave lays the tones: what speaks for
    others there is how they lay hits.
    """
    totals = (said.sum(axis=1) - np.where(np.asarray(CHOSEN_FROM) == "voice", RISKED, 0.0)).tolist()
    lays_tones = case.ratio <= APART_TO and _pays_apart(case)
    return sorted(
        range(len(totals)),
        key=lambda i: (lays_tones and CHOSEN_FROM[i] != "weave", -totals[i]),
    )


def _in_words(name: str, case: Case) -> str:
    """ "it sounds like bass", "bass 1.50 × as long", "shifted by +5 st", "4.0 attacks a second"."""
    group, _, change = name.partition(" ")
    if group == "dense":
        return f"{case.density:.1f} attacks a second"
    kind = case.sound.kind
    is_it = kind is not None and kind in GROUPS[group]
    if change:
        whose = f"{kind} " if is_it else ""
        by = f"shifted by {case.semitones:+g} st"
        return whose + (by if change == "shifted" else f"{case.ratio:.2f} × as long")
    if is_it:
        return f"it sounds like {kind}"
    return WORDS[group]
