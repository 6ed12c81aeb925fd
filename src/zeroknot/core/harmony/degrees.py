"""How do notes keep their degree where a key becomes another of another mode?

Conventions
-----------
- A table of twelve: semitones that a note of each pitch class moves beside the way from tonic to
  tonic. From minor to major the third moves one up, and so on; what is outside its own scale moves
  with the degree below it.
"""

from zeroknot.core.harmony.key import SCALES, Key

DEGREES = 7


def degrees_kept(own: Key, wanted: Key) -> tuple[int, ...]:
    """For each pitch class of the loop, C first; all 0 where a key has no seven degrees."""
    before, after = SCALES[own.mode], SCALES[wanted.mode]
    found = [0] * 12
    if len(before) != DEGREES or len(after) != DEGREES:
        return tuple(found)
    for step in range(12):
        degree = max(i for i, s in enumerate(before) if s <= step)
        found[(own.pitch_class + step) % 12] = after[degree] - before[degree]
    return tuple(found)
