"""How does a loop look in a line? Its wave, or its notes, drawn from what it holds.

Black on nothing: the page uses the picture as a mask and gives it the colour of the palette.
"""

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT = 190, 40
COLUMNS = 95
LEAST = 0.4  # of a pixel: silence is a thin line


def wave_svg(peaks: NDArray[np.float32]) -> str:
    """The loudest of every column, both ways, against the loudest of all.

    peaks  float32 [bins, 2]: lowest and highest
    """
    size = np.abs(peaks).max(axis=1) if peaks.size else np.zeros(1, np.float32)
    edges = np.linspace(0, size.size, COLUMNS + 1).astype(int)
    high = np.asarray([size[a : max(a + 1, b)].max() for a, b in itertools.pairwise(edges)])
    loudest = high.max() or 1.0
    half = np.maximum(LEAST, high / loudest * (HEIGHT / 2 - 1))
    step = WIDTH / COLUMNS
    bars = "".join(
        f"M{(i + 0.5) * step:.1f} {HEIGHT / 2 - h:.1f}V{HEIGHT / 2 + h:.1f}"
        for i, h in enumerate(half)
    )
    return _svg(f'<path d="{bars}" stroke="#000" stroke-width="1.7" fill="none"/>')


def notes_svg(notes: Sequence[tuple[float, float, int]], seconds: float) -> str:
    """Notes as lines, high ones above.

    notes  (start, end, pitch), seconds
    """
    pitches = [p for _, _, p in notes] or [60]
    low, high = min(pitches), max(pitches)
    room = max(1, high - low)
    lines = "".join(
        f"M{WIDTH * a / seconds:.1f} {4 + (HEIGHT - 8) * (high - p) / room:.1f}"
        f"H{max(WIDTH * a / seconds + 2.0, WIDTH * b / seconds):.1f}"
        for a, b, p in notes
    )
    return _svg(f'<path d="{lines}" stroke="#000" stroke-width="2.6" fill="none"/>')


def _svg(inside: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" '
        f'preserveAspectRatio="none">{inside}</svg>'
    )
