"""A loop that is on the grid, laid on the grid: what moves? And one that is loosely played?

`python -m benchmarks.grid FOLDER...`

FOLDER holds rendered loops with known onsets (`benchmarks.accuracy.loops FOLDER --seed N`), single
sounds and mixes that went through what real loops go through. Told is how far their true onsets are
from the grid before and after even steps are laid wholly over what was heard of them.
"""

import json
import os
import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from zeroknot.core.audio import Audio
from zeroknot.core.groove.groove import even
from zeroknot.core.groove.hit import at_sensitivity
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.measure import measured
from zeroknot.core.groove.take import grids_of, played_of, taken
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.warp.warp_map import WarpMap

STRAIGHT, LOOSE = 0.0008, 0.03  # seconds off the grid at most, to be called so
NOT_ON_A_GRID = ("drift", "late start", "cut end")
NOTICED_MS = 6.0  # Friberg & Sundberg 1995, as in `core.groove.heard`


def on_a_grid(told: dict[str, Any]) -> tuple[int, float] | None:
    """The steps a beat that its onsets lie on, and how far they are off at most."""
    if told["condition"] in NOT_ON_A_GRID or not told["onsets_s"]:
        return None
    beat = 60.0 / told["tempo_bpm"]
    onsets = np.asarray(told["onsets_s"]) - told["downbeat_s"]
    onsets = onsets[onsets > -0.01]
    if not onsets.size:
        return None
    offs = {n: np.abs(onsets - np.round(onsets * n / beat) * beat / n).max() for n in (4, 3)}
    per_beat = min(offs, key=lambda n: offs[n])
    worst = float(offs[per_beat])
    return (per_beat, worst) if worst < min(LOOSE, 0.2 * beat / per_beat) else None


def off_before_and_after(task: tuple[Path, dict[str, Any]]) -> tuple[str, str, np.ndarray] | None:
    """Straight or loose, the kind of sound, and ms: off before, after, moved by its own groove."""
    folder, told = task
    found = on_a_grid(told)
    if not found:
        return None
    per_beat, worst = found
    samples, rate = soundfile.read(folder / told["file"], always_2d=True, dtype="float32")
    sound = Audio(np.ascontiguousarray(samples.T), rate)
    hits = measured(sound, all_attacks(sound))
    beat_ms = 60_000.0 / told["tempo_bpm"]
    beats = float(told["bars"] * told["beats_per_bar"])
    warp = WarpMap.between(told["downbeat_s"], told["end_s"], beats)
    onsets = [s for s in told["onsets_s"] if told["downbeat_s"] <= s < told["end_s"] - 0.02]
    if len(onsets) < 2 or not hits:
        return None
    before = np.asarray([warp.beat_of_second(s) for s in onsets])
    steps = np.round(before * per_beat) / per_beat
    laid = GrooveLayer(hits, even(per_beat)).over(warp)
    played = played_of(at_sensitivity(hits, SENSITIVITY), warp, 0.0, beats)
    own = GrooveLayer(hits, taken(played, grids_of(played)[0].per_beat, beats)).over(warp)
    after, again = (np.asarray([m.beat_of_second(s) for s in onsets]) for m in (laid, own))
    sound_kind = told["sound"]
    kind = sound_kind if sound_kind == "mixed" else "drums"
    kind = kind if sound_kind in ("mixed", "drums", "percussion") else "tones"
    rows = np.abs(beat_ms * np.stack([before - steps, after - steps, again - before]))
    return "straight" if worst < STRAIGHT else "loose", kind, rows


def main() -> None:
    tasks = [
        (Path(name), told)
        for name in sys.argv[1:]
        for told in json.loads((Path(name) / "truth.json").read_text())
    ]
    groups: dict[tuple[str, str], list[np.ndarray]] = defaultdict(list)
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for found in pool.map(off_before_and_after, tasks, chunksize=8):
            if found:
                groups[found[:2]].append(found[2])
    print("played    of       loops   off before  after, ms   over 6 ms before  after   own groove")
    for (how, kind), rows in sorted(groups.items(), reverse=True):
        off = [float(np.mean([r[i].mean() for r in rows])) for i in range(3)]
        far = [100.0 * float(np.mean([(r[i] > NOTICED_MS).mean() for r in rows])) for i in (0, 1)]
        print(
            f"{how:9} {kind:8} {len(rows):5} {off[0]:12.2f} {off[1]:10.2f} {far[0]:16.1f} % "
            f"{far[1]:6.1f} % {off[2]:9.2f}"
        )


if __name__ == "__main__":
    main()
