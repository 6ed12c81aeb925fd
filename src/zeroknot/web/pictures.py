"""How does a loop look? A ring of spokes, one pass round, is its face; its wave or notes a line.

Drawn here as PNG, twice as many dots as the page has pixels: thousands scroll past, and a dot costs
a browser less than a shape.
"""

import io
import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageColor

Dots = NDArray[np.float64]

# As the palette's --yarn tokens, by day and by night.
YARN_COLOURS = {
    "day": ("#3F5AA6", "#83508F", "#2F8577", "#3E82A8", "#5F7F35", "#A9527F", "#6F6657", "#5B6FC4"),
    "night": ("#8FA4E8", "#C294CE", "#6CC4B4", "#7FBEE0", "#A3C373", "#E095BE", "#B5AA97",
              "#A6B3F2"),
}  # fmt: skip
PAPER, MADDER = "#FFFCF5", "#B4413B"
RING_UNITS, RING_DOTS, FINER = 64.0, 96, 3
INNER, LONGEST, SPOKE = 13.0, 13.0, 2.2
LINE_DOTS = (380, 80)  # width, height
COLUMNS = 95
LEAST = 0.8  # dots: silence is a thin line


def ring_png(sectors: NDArray[np.float32], yarn: int) -> bytes:
    """The sectors (0…1 each) clockwise from the top, the open zero-knot dot there."""
    size = RING_DOTS * FINER
    at = (np.arange(size) + 0.5) * RING_UNITS / size - RING_UNITS / 2
    x, y = np.meshgrid(at, at)
    radius, turn = np.hypot(x, y), np.arctan2(x, -y) % (2 * np.pi)
    width = 2 * np.pi / sectors.size
    sector = np.minimum((turn / width).astype(int), sectors.size - 1)
    aside = np.abs(radius * np.sin(turn - (sector + 0.5) * width))
    outer = INNER + 1.0 + LONGEST * sectors[sector]
    drawn = (aside < SPOKE / 2) & (radius > INNER) & (radius < outer)
    drawn |= np.abs(radius - (INNER - 1.0)) < 1.0
    dots = np.zeros((size, size, 4))
    dots[drawn] = _rgba(YARN_COLOURS["day"][yarn])
    knot = np.hypot(x, y + RING_UNITS / 2 - 4.5)
    dots[knot < 4.4] = _rgba(MADDER)
    dots[knot < 2.4] = _rgba(PAPER)
    return _png(_smoothed(dots))


def wave_png(peaks: NDArray[np.float32], yarn: int, palette: str) -> bytes:
    """The loudest of every column, both ways, against the loudest of all.

    peaks  float32 [bins, 2]: lowest and highest
    """
    width, height = LINE_DOTS
    size = np.abs(peaks).max(axis=1) if peaks.size else np.zeros(1, np.float32)
    edges = np.linspace(0, size.size, COLUMNS + 1).astype(int)
    high = np.asarray([size[a : max(a + 1, b)].max() for a, b in itertools.pairwise(edges)])
    half = np.maximum(LEAST, high / (high.max() or 1.0) * (height / 2 - 2))
    step = width // COLUMNS
    rows = np.abs(np.arange(height) + 0.5 - height / 2)
    dots = np.zeros((height, width, 4))
    for column, tall in enumerate(half):
        dots[rows < tall, column * step : column * step + step - 1] = _rgba(
            YARN_COLOURS[palette][yarn]
        )
    return _png(dots)


def notes_png(
    notes: Sequence[tuple[float, float, int]], seconds: float, yarn: int, palette: str
) -> bytes:
    """Notes as lines, high ones above.

    notes  (start, end, pitch), seconds
    """
    width, height = LINE_DOTS
    pitches = [p for _, _, p in notes] or [60]
    low, high = min(pitches), max(pitches)
    dots = np.zeros((height, width, 4))
    for start, end, pitch in notes:
        top = round(6 + (height - 18) * (high - pitch) / max(1, high - low))
        left = round(width * start / seconds)
        right = max(left + 4, round(width * end / seconds) - 1)
        dots[top : top + 6, left:right] = _rgba(YARN_COLOURS[palette][yarn])
    return _png(dots)


def _rgba(colour: str) -> tuple[int, ...]:
    return ImageColor.getcolor(colour, "RGBA")  # type: ignore[return-value]


def _smoothed(dots: Dots) -> Dots:
    """Every FINER × FINER dots as one, colours weighed by how much of them is there."""
    side = dots.shape[0] // FINER
    blocks = dots.reshape(side, FINER, side, FINER, 4)
    weight = blocks[..., 3:].sum(axis=(1, 3))
    colours = (blocks[..., :3] * blocks[..., 3:]).sum(axis=(1, 3)) / np.maximum(weight, 1.0)
    return np.concatenate([colours, weight / FINER**2], axis=2)


def _png(dots: Dots) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.round(dots).astype(np.uint8), "RGBA").save(out, "PNG")
    return out.getvalue()
