"""By how much must a loop be shifted to be in another key?

Conventions
-----------
- Shifts are semitones in −6…+5; of two that do as well, the smaller one.
- A profile is the energy of each of the twelve pitch classes, C first, in all 1.
- Keys that have the same notes (a minor one and its relative major) count as one another.

The rule: the shift with the largest share of the loop's energy inside the key. Where another that
brings tonic to tonic, or the loop's tonic to the relative's, as is preferred, is within 1 % of it,
that one.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

from zeroknot.core.harmony.key import SCALES, TONIC_ONLY, Key

SHIFTS = tuple(range(-6, 6))
NEAR = 0.01  # of the energy: two shifts that differ by no more are as good
Prefers = Literal["tonic", "relative"]
# Semitones from a mode's tonic up to that of the major key with the same notes.
_TO_MAJOR = {
    "major": 0, "minor": 3, "dorian": 10, "phrygian": 8, "lydian": 7, "mixolydian": 5,
    "locrian": 1, "harmonic minor": 3, TONIC_ONLY: 0,
}  # fmt: skip
assert set(_TO_MAJOR) == set(SCALES)


def shift_between(loop_key: str, wanted_key: str) -> int:
    """Semitones from one key's notes to another's. Raises KeyNameError where one is no key."""
    return nearest(
        _major_pitch_class(Key.parse(wanted_key)) - _major_pitch_class(Key.parse(loop_key))
    )


def interval(one: Key, other: Key) -> int:
    """Semitones from one tonic to another, −6…+5."""
    return nearest(other.pitch_class - one.pitch_class)


def nearest(semitones: int) -> int:
    """The same note by the smallest way: −6…+5."""
    return (semitones + 6) % 12 - 6


def shares_inside(profile: Sequence[float], key: Key) -> dict[int, float]:
    """For each shift, how much of the energy is then inside a key: 0…1."""
    weights, total = key.weights, sum(profile)
    if total <= 0:
        return dict.fromkeys(SHIFTS, 0.0)
    return {
        n: sum(energy * weights[(note + n) % 12] for note, energy in enumerate(profile)) / total
        for n in SHIFTS
    }


@lru_cache(maxsize=4096)  # asked of every clip of a song
def shift_into(
    profile: tuple[float, ...], key: Key, own: Key | None = None, prefers: Prefers = "tonic"
) -> int:
    """The shift that brings a loop into a key, by the rule above.

    own      the loop's own key, where it has one
    prefers  tonic to tonic, or the loop's tonic to that of the key with the same notes
    """
    shares = shares_inside(profile, key)
    best = max(SHIFTS, key=lambda n: (round(shares[n], 9), -abs(n)))
    if own is None:
        return best
    tonic = interval(own, key)
    relative = nearest(_major_pitch_class(key) - _major_pitch_class(own))
    for wanted in (tonic, relative) if prefers == "tonic" else (relative, tonic):
        if shares[wanted] >= shares[best] - NEAR:
            return wanted
    return best


def _major_pitch_class(key: Key) -> int:
    """Tonic of the major key with the same notes."""
    return (key.pitch_class + _TO_MAJOR[key.mode]) % 12
