"""How much has each track below 150 Hz, bar by bar, after its own strip?"""

from pathlib import Path

import numpy as np

from zeroknot.core.mixing.desk.low_end import band_powers, level_db, overlap_db
from zeroknot.core.mixing.desk.strip_run import StripRun
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.studio.tasks.rendering import RENDERERS

Levels = dict[str, list[float]]
Overlaps = dict[tuple[str, str], list[float]]


def low_end_of(folder: Path, plan: DeskPlan, lines: tuple[int, ...]) -> tuple[Levels, Overlaps]:
    """dB of each track, and of what masks of each pair, bar by bar.

    lines  song frames of the bar lines, the last one of the end
    """
    powers: dict[str, list[np.ndarray]] = {}
    for track in plan.tracks:
        strip = next(s for s in plan.desk.strips if s.id == track.id)
        run, sound = StripRun(strip, plan.rate), RENDERERS["range"](folder, track.range)
        powers[track.id] = []
        for first, end in zip(lines, lines[1:], strict=False):  # noqa: RUF007
            raw = np.zeros((2, end - first), np.float32)
            a, b = max(first, track.at), min(end, track.at + sound.size)
            if b > a:
                raw[:, a - first : b - first] = sound.frames(a - track.at, b - a)
            filtered = run.filtered(raw, first)
            powers[track.id].append(band_powers(run.finished(filtered, filtered, first), plan.rate))
    levels = {id_: [level_db(float(p.sum())) for p in bars] for id_, bars in powers.items()}
    ids = list(powers)
    overlaps = {
        (one, other): [overlap_db(a, b) for a, b in zip(powers[one], powers[other], strict=True)]
        for i, one in enumerate(ids)
        for other in ids[i + 1 :]
    }
    return levels, overlaps
