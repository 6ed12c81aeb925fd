"""What can the shelf be asked, and what does it answer?"""

import re
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from zeroknot.core.harmony.key import Key, KeyNameError

Hits = Literal["all", "loops", "hits"]
By = Literal["all", "sound", "rhythm", "tone"]  # what they are alike by
NearBy = Literal["all", "sound", "rhythm", "tone", "fits"]
SORTS = (
    "added", "name", "set", "length", "tempo", "key", "kind", "sound", "change", "favourite",
    "near",
)  # fmt: skip
TEMPO_BIN_BPM = 5
SAME_BPM = 0.5  # a tempo that is asked for is within
LOWEST_BPM, HIGHEST_BPM = 40, 240
_NUMBER = r"(\d{2,3}(?:[.,]\d+)?)"
_RANGE = re.compile(rf"(?:\bbpm\s*)?{_NUMBER}\s*(?:-|–|to)\s*{_NUMBER}(?:\s*bpm\b)?", re.I)
_BPM = re.compile(rf"{_NUMBER}\s*bpm\b|\bbpm\s*{_NUMBER}", re.I)
_BARE = re.compile(rf"(?:^|(?<=\s)){_NUMBER}(?=\s|$)")
_BARS = re.compile(r"(?:^|(?<=\s))(\d{1,3})[\s-]*bars?\b", re.I)
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


@dataclass(frozen=True)
class Near:
    """What is asked for: loops like one, by something; or what goes with what plays at a beat.

    like  hash of the loop they shall be like; "" where it is what fits that is asked for
    """

    like: str
    by: By = "all"
    beat: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Query:
    """words          each must be in name, set, tags, key, sound or kind; "92 bpm", "D minor" too
    kinds, sounds, bars, keys, sets, tags   any of these; empty asks for none in particular
    hits           all, only loops, or only one hits
    tempo          from, to in BPM
    favourite, printed   only those
    taken_off      those that were taken off the shelf, instead of those on it
    stretch_within  percent by which the tempo may have to change, the nearest of half, once, double
    shift_within   semitones
    like, like_by, beat   near to what, as `Near` says; nothing where like_by is None
    among          only these hashes, as `near` found them; in this order where sorted by "near"
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
    taken_off: bool = False
    stretch_within: float | None = None
    shift_within: int | None = None
    like: str = ""
    like_by: NearBy | None = None
    beat: float = 0.0
    among: tuple[str, ...] | None = None
    sort: str = "added"
    descending: bool = False

    @property
    def near(self) -> Near | None:
        """What they shall be near to; None where that is not asked."""
        if self.like_by is None:
            return None
        if self.like_by == "fits":
            return Near("", beat=self.beat)
        return Near(self.like, self.like_by)


@dataclass(frozen=True)
class Asked:
    """Words taken apart: tempo, bars and key are asked for as such.

    bpm   from, to
    bare  a number beside words: the tempo, or part of a name
    """

    words: tuple[str, ...]
    bpm: tuple[float, float] | None = None
    key: str | None = None
    bars: int | None = None
    bare: tuple[str, float] | None = None


def taken_apart(words: str) -> Asked:
    """ "dusty 92 bpm d minor 4 bars" is a word, a tempo, a key and a length; "100-130" a range."""
    bpm = key = bars = bare = None
    found, words = _cut_out(_BARS, words)
    if found:
        bars = int(found[0])
    found, words = _cut_out(_RANGE, words)
    if found:
        low, high = sorted(_bpm(n) for n in found)
        bpm = (low, high)
    else:
        found, words = _cut_out(_BPM, words)
        if found:
            bpm = (_bpm(found[0]) - SAME_BPM, _bpm(found[0]) + SAME_BPM)
    found, words = _cut_out(_KEY, words)
    if found:
        key = _key(f"{found[0]} {found[1].lower()}")
    if bpm is None and len(words.split()) > 1:
        found, words = _cut_out(_BARE, words)
        if found:
            bare = (found[0], _bpm(found[0]))
    rest = []
    for word in words.split():
        named = _key(word) if key is None and _SHORT_KEY.fullmatch(word) else None
        if named:
            key = named
        else:
            rest.append(word.casefold())
    return Asked(tuple(rest), bpm, key, bars, bare)


def _cut_out(pattern: re.Pattern[str], words: str) -> tuple[list[str], str]:
    """The groups of what a pattern finds, and the words without it."""
    match = pattern.search(words)
    if not match:
        return [], words
    rest = words[: match.start()] + " " + words[match.end() :]
    return [group for group in match.groups() if group], rest


def _bpm(text: str) -> float:
    return float(text.replace(",", "."))


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
    taken_off: int = 0
    fits: int = 0
    tempo: tuple[int, ...] = ()  # of each TEMPO_BIN_BPM from LOWEST_BPM on
