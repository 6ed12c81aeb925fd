"""How is a loop's face drawn? A ring of spokes, one pass round, the open zero-knot dot on top."""

import math

import numpy as np
from numpy.typing import NDArray

SIZE = 64
YARN_COLOURS = ("#3F5AA6", "#83508F", "#2F8577", "#3E82A8", "#5F7F35", "#A9527F", "#6F6657",
                "#5B6FC4")  # fmt: skip
INNER, LONGEST = 13.0, 13.0


def ring_svg(sectors: NDArray[np.float32], yarn: int) -> str:
    """An SVG picture of the sectors (0…1 each), clockwise from the top."""
    colour, middle = YARN_COLOURS[yarn], SIZE / 2
    spokes = []
    for i, loudness in enumerate(sectors):
        angle = 2 * math.pi * (i + 0.5) / sectors.size
        x, y = math.sin(angle), -math.cos(angle)
        outer = INNER + 1.0 + LONGEST * float(loudness)
        spokes.append(
            f"M{middle + INNER * x:.2f} {middle + INNER * y:.2f}"
            f"L{middle + outer * x:.2f} {middle + outer * y:.2f}"
        )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {SIZE} {SIZE}">'
        f'<path d="{"".join(spokes)}" stroke="{colour}" stroke-width="2.2" fill="none"/>'
        f'<circle cx="{middle}" cy="{middle}" r="{INNER - 1}" fill="none" stroke="{colour}" '
        f'stroke-width="2"/>'
        f'<circle cx="{middle}" cy="4.5" r="3.4" fill="#FFFCF5" stroke="#B4413B" '
        f'stroke-width="2"/></svg>'
    )
