"""Where does the recording run at its own speed, however long it becomes?

Around every attack, and from where a sound ends until it has died away.
"""

import numpy as np

from zeroknot.core.stretch.part import LONGEST_PIECE_SECONDS, Part
from zeroknot.core.warp.time_map import Floats

NEAREST_FRAMES = 8.0
DYING_SHARE, DYING_SECONDS = 0.7, 0.15  # of the gap to the next attack, the less of both
END_SHARE, END_SECONDS = 0.2, 0.01  # the same ahead of an end


def zoned_map(
    part: Part,
    ratio: float,
    first: float,
    last: float,
    *,
    after: tuple[float, float],
    before: tuple[float, float],
    clear: float = 0.0,
) -> tuple[Floats, Floats]:
    """The time map with a stretch of slope 1 round every attack, anchor and end of a sound.

    ratio        the output axis is as many times as long
    first, last  output frames between which it is wanted
    after        (share of the gap to the next fixed point, frames) that run on, the less of both
    before       the same ahead of a fixed point
    clear        output frames round an anchor within which other attacks are not kept
    returns      source frames, output frames on that axis: float64 [points] each, rising
    """
    # As far as the next fixed point lies at most.
    reach = 1.5 * LONGEST_PIECE_SECONDS * part.rate + clear
    first, last = first - reach, last + reach
    free = part.clear_of_anchors(part.attack_points) >= clear
    # A circle's last anchor is its first one, a round later.
    anchors = part.anchors[:-1] if part.view.is_circle else part.anchors
    fixed = np.concatenate([anchors, part.attack_points[free]])
    fixed = part.around(fixed[np.argsort(fixed[:, 1], kind="stable")], first, last)
    ends = part.ends(first, last)
    ends = ends[part.clear_of_anchors(ends) >= clear]
    bends = part.around(part.bends, first, last)
    is_end = np.repeat([False, True], [fixed.shape[0], ends.shape[0]])
    fixed = np.concatenate([fixed, ends])
    order = np.argsort(fixed[:, 1], kind="stable")
    fixed, is_end = fixed[order], is_end[order]
    fixed[:, 1] *= ratio
    bends[:, 1] *= ratio
    keep = np.concatenate([[True], (np.diff(fixed, axis=0) > NEAREST_FRAMES).all(axis=1)])
    fixed, is_end = fixed[keep], is_end[keep]
    gaps = np.diff(fixed, axis=0).min(axis=1)
    dying = np.minimum(DYING_SHARE * gaps, DYING_SECONDS * part.rate)
    runs_on = np.where(is_end[:-1], dying, np.minimum(after[0] * gaps, after[1]))
    ending = np.minimum(END_SHARE * gaps, END_SECONDS * part.rate)
    runs_up = np.where(is_end[1:], ending, np.minimum(before[0] * gaps, before[1]))
    zones = [fixed, fixed[:-1] + runs_on[:, None], fixed[1:] - runs_up[:, None]]
    # Bends of the map count where no zone covers them.
    if bends.size and fixed.shape[0] > 1:
        i = np.clip(np.searchsorted(fixed[:, 1], bends[:, 1]) - 1, 0, gaps.size - 1)
        uncovered = (bends > fixed[i] + runs_on[i, None] + NEAREST_FRAMES).all(axis=1)
        uncovered &= (bends < fixed[i + 1] - runs_up[i, None] - NEAREST_FRAMES).all(axis=1)
        zones.append(bends[uncovered])
    points = np.concatenate(zones)
    points = points[np.argsort(points[:, 1], kind="stable")]
    # Outside everything the recording runs at its own speed.
    points = np.concatenate([points[:1] - 1e7, points, points[-1:] + 1e7])
    return points[:, 0], points[:, 1]
