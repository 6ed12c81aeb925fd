"""By how much must a loop be shifted to be in another key?

Conventions
-----------
- Shifts are semitones in −6…+5; of two that do as well, the smaller one.
- A profile is the energy of each of the twelve pitch classes, C first, in all 1.
- Keys that have the same notes (a minor one and its relative major) count as one another.

The rule: the shift that brings tonic to tonic, or the loop's tonic to that of the key with the same
notes, as is preferred, unless another has so much more of the loop's energy inside the key that its
own key is rather wrong: by more than a leeway, which is wider where somebody says that key than
where it was heard. Where tonic to tonic would bring other notes than the key's (a minor loop into a
major key), or nobody knows the loop's key, the shift with most energy inside.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

from zeroknot.core.harmony.key import SCALES, TONIC_ONLY, Key

SHIFTS = tuple(range(-6, 6))
# Of the energy: two shifts that differ by no more are as good, whatever the loop's own key.
NEAR = 0.01
# The same where its key was heard, and where somebody says it (decision 0039).
HEARD, SAID = 0.06, 0.25
ALIKE = 1  # notes by which two scales on one tonic may differ
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
    profile: tuple[float, ...], key: Key, own: Key | None = None, prefers: Prefers = "tonic",
    leeway: float = HEARD,
) -> int:  # fmt: skip
    """The shift that brings a loop into a key, by the rule above.

    own      the loop's own key, where it has one
    prefers  tonic to tonic, or the loop's tonic to that of the key with the same notes
    leeway   of the energy, that another shift has to have more inside to be taken
    """
    shares = shares_inside(profile, key)
    best = max(SHIFTS, key=lambda n: (round(shares[n], 9), -abs(n)))
    if own is None:
        return best
    ways: tuple[Prefers, ...] = ("tonic", "relative")
    for way in ways if prefers == "tonic" else ways[::-1]:
        wanted = shift_by(own, key, way)
        if shares[wanted] >= shares[best] - leeway_between(own, key, way, leeway):
            return wanted
    return best


def shift_by(own: Key, key: Key, way: Prefers) -> int:
    """The shift that brings tonic to tonic, or to that of the key with the same notes."""
    if way == "tonic":
        return interval(own, key)
    return nearest(_major_pitch_class(key) - _major_pitch_class(own))


def leeway_between(own: Key | None, key: Key, way: Prefers, leeway: float) -> float:
    """What is left of a leeway where a loop's own key is brought into another that way."""
    return leeway if way == "relative" or (own and _are_alike(own, key)) else NEAR


def _are_alike(own: Key, key: Key) -> bool:
    """Do both have the same notes on one tonic, or nearly, and the same third?"""
    if TONIC_ONLY in (own.mode, key.mode):
        return True
    one, other = set(SCALES[own.mode]), set(SCALES[key.mode])
    return own.is_minor == key.is_minor and len(one - other) <= ALIKE


def _major_pitch_class(key: Key) -> int:
    """Tonic of the major key with the same notes."""
    return (key.pitch_class + _TO_MAJOR[key.mode]) % 12
