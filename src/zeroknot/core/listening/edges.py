"""Better edges for what a loop might be: by all its attacks, and by what comes again in it.

A hypothesis that starts or ends where an attack was heard is off by some milliseconds, and with it
the tempo. Beside each of them stand here the same with the edge that the tempo has, and with the
one at which the recording itself comes again.
"""

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.copies import BEFORE, BEHIND, Thin, matches
from zeroknot.core.listening.hypothesis import (
    END_BEAT,
    END_BEYOND,
    END_SEAM,
    START_ATTACK,
    START_BACK,
    START_FILE,
    START_MARK,
    Floats,
    Hypotheses,
)

# Seconds longer a pass may become: an end either way; where sound begins is heard late, and what it
# is heard by must not be left in front of it; an attack amid other sound is heard early, too.
STEADIED_END, STEADIED_START, STEADIED_AMID = (-0.012, 0.015), (-0.002, 0.015), (-0.015, 0.015)
COUNTED_ROOM = 0.004  # of a pass, that its counted end may be off besides
LEAST_HITS = 4.0  # attacks that make a line
MOST_DOUBT_SECONDS = 0.005  # over the whole pass, for a line to be believed
LEAST_ALIKE, LEAST_OFF_SECONDS = 0.5, 0.0003  # of a copy that an edge is moved to


def better_edges(h: Hypotheses, attacks: Attacks, thin: Thin) -> Hypotheses:
    """These, and beside them the same with their edges mended, without doubles.

    Of those that agree within 1 ms the copy's stays, which is the most exact.
    """
    return copied(steadied(h, attacks), thin)


def copied(h: Hypotheses, thin: Thin) -> Hypotheses:
    """The same with the edge at which the recording comes again, then these, without doubles."""
    found = matches(thin, h.start, h.end, h.pulses)
    counted = np.isin(h.end_kind, (END_BEAT, END_BEYOND, END_SEAM))
    exact = h.taken(np.zeros(0, np.int64))
    for place in (BEFORE, BEHIND):
        longer = found.longer[:, place]
        near = (found.best[:, place] > LEAST_ALIKE) & (np.abs(longer) > LEAST_OFF_SECONDS)
        exact = exact.joined(_longer(h, longer, counted).taken(near))
    return exact.joined(h).without_doubles()


def _longer(h: Hypotheses, longer: Floats, counted: NDArray[np.bool_]) -> Hypotheses:
    """Passes that are so many seconds longer: those with a counted end behind, others in front."""
    return replace(
        h, start=np.where(counted, h.start, h.start - longer),
        end=np.where(counted, h.end + longer, h.end),
    )  # fmt: skip


def steadied(h: Hypotheses, attacks: Attacks) -> Hypotheses:
    """These, and beside those with an edge by ear the same with that edge where the tempo has it.

    An instrument speaks a few milliseconds after its note, so a start by ear is late and the tempo
    too fast. All attacks together tell the period without it (they are all as late), and producers
    like whole numbers.
    """
    line = grid_line(h, attacks)
    fitted = h.period * (1.0 + line.slope)
    believed = (line.hits >= LEAST_HITS) & (line.doubt * (h.end - h.start) < MOST_DOUBT_SECONDS)
    counted = np.isin(h.end_kind, (END_BEAT, END_BEYOND, END_SEAM))
    by_ear = counted | ~np.isin(h.start_kind, (START_FILE, START_MARK))
    amid = np.isin(h.start_kind, (START_ATTACK, START_BACK))
    found = h
    for pulse, holds in (
        (fitted, believed),
        (60.0 / np.maximum(1.0, np.round(60.0 / fitted)), believed),
        (60.0 / np.maximum(1.0, np.round(h.tempo)), np.ones(len(h), bool)),
    ):
        longer = h.pulses * pulse - (h.end - h.start)
        least, most = (
            np.where(counted, STEADIED_END[i], np.where(amid, STEADIED_AMID[i], STEADIED_START[i]))
            for i in (0, 1)
        )
        room = np.where(counted, COUNTED_ROOM * (h.end - h.start), 0.0)
        near = holds & by_ear & (longer > least - room) & (longer < most + room)
        found = found.joined(_longer(h, longer, counted).taken(near))
    return found.without_doubles()


@dataclass(frozen=True, eq=False)
class GridLine:
    """How late the attacks are on each hypothesis's grid, as a straight line over the pass.

    at_start  seconds late at the start
    slope     seconds later for every second
    doubt     standard error of the slope
    spread    seconds, standard deviation round the line
    hits      how many attacks (by weight) are near the line
    """

    at_start: Floats
    slope: Floats
    doubt: Floats
    spread: Floats
    hits: Floats


def grid_line(h: Hypotheses, attacks: Attacks) -> GridLine:
    """Weighted least squares, on quarters or thirds of a pulse, whichever more attacks are near."""
    if attacks.seconds.size == 0:
        none = np.zeros(len(h))
        return GridLine(none, none, none, none, none)
    times, strengths = attacks.strongest(400)
    since = times - h.start[:, None]
    inside = (since >= -0.02) & (times < h.end[:, None] - 0.015)
    found = [_line(h, since, np.sqrt(strengths) * inside, parts) for parts in (4, 3)]
    # Chance is near a finer grid more often.
    second = found[1].hits * 4 > found[0].hits * 3.6
    return GridLine(
        *(np.where(second, getattr(found[1], f.name), getattr(found[0], f.name))
          for f in fields(GridLine))
    )  # fmt: skip


def _line(h: Hypotheses, since: Floats, weights: Floats, parts: int) -> GridLine:
    step = h.period[:, None] / parts
    late = since - np.round(since / step) * step
    line = np.zeros_like(late)
    for width in (0.02, 0.008):
        near = weights * np.exp(-0.5 * ((late - line) / width) ** 2)
        total = near.sum(axis=1) + 1e-9
        middle = (near * since).sum(axis=1) / total
        mean = (near * late).sum(axis=1) / total
        x = since - middle[:, None]
        wide = (near * x**2).sum(axis=1) + 1e-9
        slope = (near * x * late).sum(axis=1) / wide
        line = mean[:, None] + slope[:, None] * x
    variance = (near * (late - line) ** 2).sum(axis=1) / total + 0.001**2
    hits = total**2 / ((near**2).sum(axis=1) + 1e-9)
    doubt = np.sqrt(variance / (wide / total) / np.maximum(hits - 2, 1.0))
    return GridLine(mean - slope * middle, slope, doubt, np.sqrt(variance), hits)
