"""What do the filters of a strip let through, and how are they run while they move?

Their responses are those of the Audio EQ Cookbook (Bristow-Johnson, W3C Working Group Note, 2021);
shelves have slope 1, cuts are Butterworth of second or fourth order. They are run as state variable
filters by the trapezoidal rule (Zavalishin, The Art of VA Filter Design, 2012; the mixes of Simper,
Solving the continuous SVF equations using trapezoidal integration, 2013), which have the same
response standing still and stay stable however they are moved.
"""

import itertools
from collections.abc import Callable, Mapping

import numba
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.mixing.desk.strip import STEP, Strip

Floats = NDArray[np.float64]
HIGHEST_SHARE = 0.49  # of the rate that a corner may be
BUTTERWORTH_2 = (0.7071067811865476,)  # Q of each section
BUTTERWORTH_4 = (0.5411961001461969, 1.3065629648763766)
SHELF_Q = 0.7071067811865476
TOO_SMALL = 1e-15  # of a state: what is never heard is nothing, and numbers near zero are slow
SECTIONS = (
    "low_cut0", "low_cut1", "low", "bell1", "bell2", "high", "high_cut0", "high_cut1",
)  # fmt: skip
Values = Mapping[str, Floats]


def sections_of(strip: Strip, values: Values, rate: int) -> dict[str, Floats]:
    """Coefficients of every filter that is on, by its name, in the order they are run.

    values  of each step, float64 [steps], or [1] where it does not move
    returns float64 [steps or 1, 6] each: a1, a2, a3, m0, m1, m2
    """
    found = {}
    if strip.is_on("low_cut_hz"):
        for i, q in enumerate(_cut_of(strip, "low_cut_slope")):
            found[f"low_cut{i}"] = low_cut(values["low_cut_hz"], q, rate)
    if strip.is_on("low_db"):
        found["low"] = low_shelf(values["low_hz"], values["low_db"], rate)
    for name in ("bell1", "bell2"):
        if strip.is_on(f"{name}_db"):
            middle, db, width = (values[f"{name}_{part}"] for part in ("hz", "db", "q"))
            found[name] = bell(middle, db, width, rate)
    if strip.is_on("high_db"):
        found["high"] = high_shelf(values["high_hz"], values["high_db"], rate)
    if strip.is_on("high_cut_hz"):
        for i, q in enumerate(_cut_of(strip, "high_cut_slope")):
            found[f"high_cut{i}"] = high_cut(values["high_cut_hz"], q, rate)
    return found


def _cut_of(strip: Strip, slope: str) -> tuple[float, ...]:
    return BUTTERWORTH_2 if strip.value(slope) < 18 else BUTTERWORTH_4


def _bent(hertz: Floats, rate: int) -> Floats:
    return np.asarray(np.tan(np.pi * np.minimum(hertz, HIGHEST_SHARE * rate) / rate))


def _coefficients(g: Floats, k: Floats | float, mix: Callable[[], tuple]) -> Floats:  # type: ignore[type-arg]
    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    parts = np.broadcast_arrays(a1, a2, g * a2, *mix())
    return np.ascontiguousarray(np.stack(parts, axis=-1), dtype=np.float64)


def low_cut(hertz: Floats, q: float, rate: int) -> Floats:
    """float64 [steps, 6] for corners in Hz, float64 [steps], and one Q."""
    k = 1.0 / q
    return _coefficients(_bent(hertz, rate), k, lambda: (1.0, -k, -1.0))


def high_cut(hertz: Floats, q: float, rate: int) -> Floats:
    """float64 [steps, 6] for corners in Hz, float64 [steps], and one Q."""
    return _coefficients(_bent(hertz, rate), 1.0 / q, lambda: (0.0, 0.0, 1.0))


def bell(hertz: Floats, db: Floats, q: Floats, rate: int) -> Floats:
    """float64 [steps, 6] for middles in Hz, gains in dB and Qs, float64 [steps] or [1] each."""
    a = 10.0 ** (db / 40.0)
    k = 1.0 / (q * a)
    return _coefficients(_bent(hertz, rate), k, lambda: (1.0, k * (a * a - 1.0), 0.0))


def low_shelf(hertz: Floats, db: Floats, rate: int) -> Floats:
    """float64 [steps, 6] for middles of the slope in Hz and gains in dB, float64 [steps] or [1]."""
    a, k = 10.0 ** (db / 40.0), 1.0 / SHELF_Q
    g = _bent(hertz, rate) / np.sqrt(a)
    return _coefficients(g, k, lambda: (1.0, k * (a - 1.0), a * a - 1.0))


def high_shelf(hertz: Floats, db: Floats, rate: int) -> Floats:
    """float64 [steps, 6] for middles of the slope in Hz and gains in dB, float64 [steps] or [1]."""
    a, k = 10.0 ** (db / 40.0), 1.0 / SHELF_Q
    g = _bent(hertz, rate) * np.sqrt(a)
    return _coefficients(g, k, lambda: (a * a, k * (1.0 - a) * a, 1.0 - a * a))


def run_sections(sound: Floats, sections: Mapping[str, Floats], states: Floats, into: int) -> None:
    """One after another, in place, from the states on that are left in place, too.

    sound     float64 [2, n]
    sections  float64 [steps or 1, 6] each, by names of SECTIONS
    states    float64 [SECTIONS, 2, 2]
    into      frames that the first step has gone already
    """
    for moves, group in itertools.groupby(sections, lambda name: len(sections[name]) > 1):
        names = list(group)
        at = np.asarray([SECTIONS.index(name) for name in names])
        if not moves:
            _run_still(sound, np.concatenate([sections[name] for name in names]), states, at)
            continue
        for i, name in zip(at, names, strict=True):
            _run(sound, sections[name], states[i], into)
    states[np.abs(states) < TOO_SMALL] = 0.0


@numba.njit(cache=True, nogil=True)
def _run_still(sound, sections, states, at):  # type: ignore[no-untyped-def]
    """All of them at each frame: while one waits for its sum, the next goes on with the last."""
    for i in range(sound.shape[1]):
        x, y = sound[0, i], sound[1, i]
        for n in range(at.size):
            a1, a2, a3, m0, m1, m2 = sections[n]
            k = at[n]
            s1, s2 = states[k, 0]
            t1, t2 = states[k, 1]
            v3 = x - s2
            w3 = y - t2
            v1 = a1 * s1 + a2 * v3
            w1 = a1 * t1 + a2 * w3
            v2 = s2 + a2 * s1 + a3 * v3
            w2 = t2 + a2 * t1 + a3 * w3
            states[k, 0, 0], states[k, 0, 1] = 2.0 * v1 - s1, 2.0 * v2 - s2
            states[k, 1, 0], states[k, 1, 1] = 2.0 * w1 - t1, 2.0 * w2 - t2
            x = m0 * x + m1 * v1 + m2 * v2
            y = m0 * y + m1 * w1 + m2 * w2
        sound[0, i], sound[1, i] = x, y


@numba.njit(cache=True, nogil=True)
def _run(sound, coefficients, state, into):  # type: ignore[no-untyped-def]
    for c in range(2):
        s1, s2 = state[c]
        for i in range(sound.shape[1]):
            a1, a2, a3, m0, m1, m2 = coefficients[(into + i) // STEP]
            x = sound[c, i]
            v3 = x - s2
            v1 = a1 * s1 + a2 * v3
            v2 = s2 + a2 * s1 + a3 * v3
            s1, s2 = 2.0 * v1 - s1, 2.0 * v2 - s2
            sound[c, i] = m0 * x + m1 * v1 + m2 * v2
        state[c, 0], state[c, 1] = s1, s2
