"""What can the shelf be asked, and what does it answer?"""

import re
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from zeroknot.core.harmony.key import Key, KeyNameError

Hits = Literal["all", "loops", "hits"]
SORTS = ("added", "name", "set", "length", "tempo", "key", "kind", "sound", "change", "favourite")
TEMPO_BIN_BPM = 5
LOWEST_BPM, HIGHEST_BPM = 40, 240
_BPM = re.compile(r"(\d{2,3}(?:[.,]\d+)?)\s*bpm\b", re.I)
_KEY = re.compile(r"(?:^|(?<=\s))([A-Ga-g][#♯b♭]?)\s*(minor|major|min|maj)(?=\s|$)", re.I)
_SHORT_KEY = re.compile(r"[A-Ga-g][#♯b♭]?m")


class Facts(NamedTuple):
    """A loop as the shelf shows, searches and sorts it; fields as in `tables.FactsRow`."""

    sha: str
    stamp: int
    version: int
    on_shelf: bool
    name: str
    set_name: str
    tags: str
    file_kind: str
    sound: str | None
    key: str | None
    key_confidence: float
    is_key_stated: bool
    bars: int | None
    beats_per_bar: int | None
    tempo_bpm: float | None
    body_s: float | None
    confidence: float
    is_stated: bool
    claimed_bpm: float | None
    seconds: float
    rate: int
    channels: int
    loudness_db: float | None
    favourite: bool
    is_print: bool
    warnings: str
    added_at: str


@dataclass(frozen=True, kw_only=True)
class ProjectTime:
    """What a project has a say in: how long its pulses are, and its key.

    pulses_per_bar   of its metre
    beats_per_pulse  quarter notes
    """

    bpm: float
    pulses_per_bar: int
    beats_per_pulse: float
    key: str | None


@dataclass(frozen=True, kw_only=True)
class Query:
    """words          each must be in name, set, tags, key, sound or kind; "92 bpm", "D minor" too
    kinds, sounds, bars, keys, sets, tags   any of these; empty asks for none in particular
    hits           all, only loops, or only one hits
    tempo          from, to in BPM
    favourite, printed   only those
    stretch_within  percent by which the tempo may have to change, the nearest of half, once, double
    shift_within   semitones
    """

    words: str = ""
    kinds: frozenset[str] = frozenset()
    sounds: frozenset[str] = frozenset()
    bars: frozenset[int] = frozenset()
    keys: frozenset[str] = frozenset()
    sets: frozenset[str] = frozenset()
    tags: frozenset[str] = frozenset()
    hits: Hits = "all"
    tempo: tuple[float, float] | None = None
    favourite: bool = False
    printed: bool = False
    stretch_within: float | None = None
    shift_within: int | None = None
    sort: str = "added"
    descending: bool = False


@dataclass(frozen=True)
class Asked:
    """Words taken apart: tempo and key are asked for as such."""

    words: tuple[str, ...]
    bpm: float | None
    key: str | None


def taken_apart(words: str) -> Asked:
    """ "dusty 92 bpm d minor" is a word, a tempo and a key."""
    bpm = key = None
    match = _BPM.search(words)
    if match:
        bpm = float(match.group(1).replace(",", "."))
        words = words[: match.start()] + " " + words[match.end() :]
    match = _KEY.search(words)
    if match:
        key = _key(f"{match.group(1)} {match.group(2).lower()}")
        words = words[: match.start()] + " " + words[match.end() :]
    rest = []
    for word in words.split():
        named = _key(word) if key is None and _SHORT_KEY.fullmatch(word) else None
        if named:
            key = named
        else:
            rest.append(word.casefold())
    return Asked(tuple(rest), bpm, key)


def _key(text: str) -> str | None:
    try:
        return str(Key.parse(text[0].upper() + text[1:]))
    except KeyNameError:
        return None


@dataclass(frozen=True)
class Facets:
    """How many loops each choice would leave, the other choices as they are."""

    kinds: dict[str, int] = field(default_factory=dict)
    sounds: dict[str, int] = field(default_factory=dict)
    bars: dict[int, int] = field(default_factory=dict)
    keys: dict[str, int] = field(default_factory=dict)
    sets: dict[str, int] = field(default_factory=dict)
    tags: dict[str, int] = field(default_factory=dict)
    hits: dict[str, int] = field(default_factory=dict)
    favourite: int = 0
    printed: int = 0
    fits: int = 0
    tempo: tuple[int, ...] = ()  # of each TEMPO_BIN_BPM from LOWEST_BPM on
