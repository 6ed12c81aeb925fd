"""How much has each track below 150 Hz, bar by bar, after its own strip?"""

import itertools
from pathlib import Path

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.desk_run import DeskRun
from zeroknot.core.mixing.desk.low_end import band_powers, level_db, overlap_db
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.studio.tasks.rendering import RENDERERS

Levels = dict[str, list[float]]
Overlaps = dict[tuple[str, str], list[float]]


def low_end_of(folder: Path, plan: DeskPlan, lines: tuple[int, ...]) -> tuple[Levels, Overlaps]:
    """dB of each track, and of what masks of each pair, bar by bar.

    lines  song frames of the bar lines, the last one of the end
    """
    run = DeskRun(plan.desk, plan.rate)
    sounds = {t.id: (t.at, RENDERERS["range"](folder, t.range)) for t in plan.tracks}
    powers: dict[str, list[np.ndarray]] = {id_: [] for id_ in sounds}
    for first, end in itertools.pairwise(lines):
        raw = {id_: _heard(sound, at, first, end) for id_, (at, sound) in sounds.items()}
        for id_, out in run.tracks(raw, first, end - first).items():
            if id_ in powers:
                powers[id_].append(band_powers(out, plan.rate))
    levels = {id_: [level_db(float(p.sum())) for p in bars] for id_, bars in powers.items()}
    ids = list(powers)
    overlaps = {
        (one, other): [overlap_db(a, b) for a, b in zip(powers[one], powers[other], strict=True)]
        for i, one in enumerate(ids)
        for other in ids[i + 1 :]
    }
    return levels, overlaps


def _heard(sound: InBlocks, at: int, first: int, end: int) -> Samples:
    """float32 [2, end − first]: song frames of a range that begins at `at`; silence outside."""
    raw = np.zeros((2, end - first), np.float32)
    a, b = max(first, at), min(end, at + sound.size)
    if b > a:
        raw[:, a - first : b - first] = sound.frames(a - at, b - a)
    return raw
