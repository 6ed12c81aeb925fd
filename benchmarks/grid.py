"""A loop that is on the grid, laid on the grid, or straightened: what moves? And one that is loose?

`python -m benchmarks.grid FOLDER...`

FOLDER holds rendered loops with known onsets (`benchmarks.accuracy.loops FOLDER --seed N`), single
sounds and mixes that went through what real loops go through. Told is how far their true onsets are
from the grid before, after even steps are laid wholly over what was heard of them, and after every
beat is tied; of loops whose tempo drifts the same of their beats.
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
from zeroknot.core.errors import KnotError
from zeroknot.core.groove.groove import even
from zeroknot.core.groove.hit import at_sensitivity
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.measure import measured
from zeroknot.core.groove.take import grids_of, played_of, taken
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks, find_attacks
from zeroknot.core.listening.known_beats import beats_between
from zeroknot.core.warp.straighten import counted, tied, with_layer
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


Found = tuple[str, str, np.ndarray]


def off_before_and_after(task: tuple[Path, dict[str, Any]]) -> Found | None:
    """Straight, loose or drifting; the kind of sound; ms off: float64 [4, onsets or beats].

    Before; laid on even steps; straightened; moved by the loop's own groove.
    """
    folder, told = task
    found = (4, 1.0) if told["condition"] == "drift" else on_a_grid(told)
    if not found:
        return None
    per_beat, worst = found
    samples, rate = soundfile.read(folder / told["file"], always_2d=True, dtype="float32")
    sound = Audio(np.ascontiguousarray(samples.T), rate)
    hits = measured(sound, all_attacks(sound))
    beats = told["bars"] * told["beats_per_bar"]
    warp = WarpMap.between(told["downbeat_s"], told["end_s"], float(beats))
    beat_ms = 1000.0 * warp.body_seconds / beats
    places = told["beats_s"] if told["condition"] == "drift" else told["onsets_s"]
    places = [s for s in places if told["downbeat_s"] <= s < told["end_s"] - 0.02]
    if len(places) < 2 or not hits:
        return None
    before = np.asarray([warp.beat_of_second(s) for s in places])
    wanted = np.round(before * per_beat) / per_beat
    if told["condition"] == "drift":
        wanted = np.arange(len(places), dtype=np.float64)
    played = played_of(at_sensitivity(hits, SENSITIVITY), warp, 0.0, beats)
    own = taken(played, grids_of(played)[0].per_beat, float(beats))
    laid, again = (GrooveLayer(hits, groove).over(warp) for groove in (even(per_beat), own))
    after, tied_to, moved = (
        np.asarray([m.beat_of_second(s) for s in places])
        for m in (laid, straightened(sound, warp, beats), again)
    )
    how = "straight" if worst < STRAIGHT else "drifting" if worst == 1.0 else "loose"
    kind = {"mixed": "mixed", "drums": "drums", "percussion": "drums"}.get(told["sound"], "tones")
    return how, kind, beat_ms * np.abs([before - wanted, after - wanted, tied_to - wanted,
                                        moved - before])  # fmt: skip


def straightened(sound: Audio, base: WarpMap, pulses: int) -> WarpMap:
    """Every beat tied to where it belongs; as it is where there is none to tie."""
    start, end = base.zero.second, base.end.second
    heard = beats_between(find_attacks(sound), start, end, pulses, sound.seconds)
    try:
        return with_layer(base, tied(base, counted(start, end, heard, 1.0), 1))
    except KnotError:
        return base


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
    print("ms off, and over 6 ms:    before          even steps      straightened    own groove")
    for (how, kind), rows in sorted(groups.items(), reverse=True):
        shown = f"{how:9} {kind:6} {len(rows):4}"
        for i in range(3):
            off = float(np.mean([r[i].mean() for r in rows]))
            far = 100.0 * float(np.mean([(r[i] > NOTICED_MS).mean() for r in rows]))
            shown += f"   {off:6.2f} {far:4.1f} %"
        print(f"{shown}   {float(np.mean([r[3].mean() for r in rows])):5.2f}")


if __name__ == "__main__":
    main()
