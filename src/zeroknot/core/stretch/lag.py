"""How long after the beat are a loop's attacks heard, on the whole?

A drum speaks some milliseconds after its note, a flute twenty. That is the sound's own and no part
of the rhythm: played at another tempo it would be as long. Only what all attacks have in common is
told; how far each strays from it is the player's, and grows and shrinks with the tempo.
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LONGEST = 0.03  # seconds
DIVISIONS = tuple(base * 2**k for base in (1, 3) for k in range(9))  # of a loop, that beats fall on
SPACING = (0.09, 0.24)  # seconds between two lines
EARLY = 0.012  # of a line, still that line's
WITHIN = 0.006  # of what they have in common
FEWEST, CLEARLY, MOSTLY = 4, 3.0, 0.4


def common_lag(attacks: Floats, start: float, end: float) -> float:
    """Seconds by which attacks are heard behind even divisions of a loop; 0 where it is not clear.

    attacks     float64 [n] seconds
    start, end  of the loop
    """
    clearest, lag = CLEARLY, 0.0
    for count in DIVISIONS:
        spacing = (end - start) / count
        if not SPACING[0] <= spacing <= SPACING[1]:
            continue
        line = np.round((attacks - start - 0.5 * LONGEST) / spacing)
        behind = attacks - start - line * spacing
        near = (behind > -EARLY) & (behind < LONGEST + WITHIN)
        # Between the beats somebody may swing.
        on_beat = near & (line % (3 if count % 3 == 0 else 2) == 0)
        told = behind[on_beat if on_beat.sum() >= FEWEST else near]
        if told.size < FEWEST:
            continue
        middle = float(np.median(told))
        share = float(np.mean(np.abs(behind - middle) < WITHIN))
        by_chance = 2.0 * WITHIN / spacing
        clear = (share - by_chance) / np.sqrt(by_chance * (1.0 - by_chance) / attacks.size)
        if share >= MOSTLY and clear > clearest:
            clearest, lag = clear, middle
    return min(max(lag, 0.0), LONGEST)
