"""By how much must a loop be shifted to be in another key?

Conventions
-----------
- Shifts are semitones in −6…+5; of two that do as well, the smaller one.
- A minor key and its relative major have the same notes: either counts as the other.
"""

from zeroknot.core.harmony.key import Key


def shift_between(loop_key: str, wanted_key: str) -> int:
    """Semitones from one key's notes to another's. Raises KeyNameError where one is no key."""
    return (_major_pitch_class(wanted_key) - _major_pitch_class(loop_key) + 6) % 12 - 6


def _major_pitch_class(text: str) -> int:
    """Tonic of the major key with the same notes."""
    key = Key.parse(text)
    return (key.pitch_class + (3 if key.mode == "minor" else 0)) % 12
