"""A pack's page: plain HTML that shows and plays loops from the disk, without a server."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

COLOURS = ("#31488C", "#2B7A6F", "#7A4E8C", "#3F7CA6", "#6B7F3A", "#B05A7A", "#5C6675", "#8A5A3C")
SIZE, RADIUS, LONGEST = 64, 17.0, 11.0
STYLE = """
body{background:#F5EFE3;color:#1D2838;font:15px/1.45 system-ui,sans-serif;margin:32px auto;
max-width:860px;padding:0 20px}
h1{font-size:24px}ul{list-style:none;padding:0;display:grid;gap:12px}
ul>li{background:#FFFCF5;border:1px solid #DCD1BE;border-radius:12px;padding:12px 16px;display:grid;
grid-template-columns:64px 1fr 280px;gap:16px;align-items:center}
small,ol{color:#5C6675;font-size:13px}ol{margin:6px 0 0;padding-left:18px}audio{width:280px}
"""


@dataclass(frozen=True)
class PackLoop:
    """file   of it, beside the page
    about  its tempo, key, length in a few words
    ticks  where round a pass its hits are, and how strong, 0…1 each
    steps  of its recipe
    """

    file: str
    name: str
    about: str
    ticks: Sequence[tuple[float, float]] = ()
    steps: Sequence[str] = ()


def pack_page(title: str, loops: Sequence[PackLoop]) -> str:
    """The whole page as text."""
    rows = "\n".join(_row(loop, i) for i, loop in enumerate(loops))
    count = f"{len(loops)} loop{'' if len(loops) == 1 else 's'}"
    return (
        '<!doctype html>\n<html lang="en"><head><meta charset="utf-8">'
        f"<title>{escape(title)}</title><style>{STYLE}</style></head>\n"
        f"<body><h1>{escape(title)}</h1><p>{count}. Each plays from here, round and round.</p>\n"
        f"<ul>\n{rows}\n</ul></body></html>\n"
    )


def _row(loop: PackLoop, index: int) -> str:
    steps = "".join(f"<li>{escape(step)}</li>" for step in loop.steps)
    recipe = f"<ol>{steps}</ol>" if steps else ""
    source = escape(loop.file, quote=True)
    return (
        f"<li>{_ring(loop.ticks, COLOURS[index % len(COLOURS)])}"
        f"<div><b>{escape(loop.name)}</b><br><small>{escape(loop.about)}</small>{recipe}</div>"
        f'<audio controls loop preload="none" src="{source}"></audio></li>'
    )


def _ring(ticks: Sequence[tuple[float, float]], colour: str) -> str:
    middle = SIZE / 2
    lines = []
    for place, level in ticks:
        angle = 2 * math.pi * place - math.pi / 2
        ends = [
            (middle + r * math.cos(angle), middle + r * math.sin(angle))
            for r in (RADIUS - 3, RADIUS - 1 + LONGEST * level)
        ]
        (x, y), (u, v) = ends
        lines.append(f"M{x:.1f} {y:.1f}L{u:.1f} {v:.1f}")
    return (
        f'<svg viewBox="0 0 {SIZE} {SIZE}" width="{SIZE}" height="{SIZE}" aria-hidden="true" '
        f'fill="none" stroke="{colour}" stroke-width="2"><circle cx="{middle:g}" cy="{middle:g}" '
        f'r="{RADIUS - 5:g}" stroke-width="3.5"/><path d="{"".join(lines)}"/></svg>'
    )
