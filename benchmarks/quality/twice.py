"""What does it save to make a loop again from its recording, not to stretch what was stretched?

    python -m benchmarks.quality.twice FOLDER [--seeds 31]

Each loop is brought to 0.64 and to 1.5625 times its length: once at once, and in two steps of 0.8
or 1.25 with a print between; each by the method that Auto chooses for that step. Scores as in
`judge`.
"""

import argparse
from pathlib import Path

import numpy as np

from benchmarks.quality import cases
from benchmarks.quality.cases import Played, make
from benchmarks.quality.judge import read, stretched
from benchmarks.quality.measures import RATE, Sound, Truth, score
from zeroknot.core.audio import Audio
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.stretch.auto import Case, choose
from zeroknot.core.stretch.settings import StretchSettings

STEPS = (0.8, 1.25)


def by_auto(source: Sound, ratio: float) -> Sound:
    """As a strand of it would sound: listened to, and by the method that is chosen."""
    audio = Audio(np.ascontiguousarray(source.T, dtype=np.float32), RATE)
    material = material_of(audio)
    heard = sound_heard(material, audio.seconds)
    case = Case(heard, material.attacks.seconds.size / audio.seconds, ratio, 0.0)
    chosen = choose(case, StretchSettings())
    return stretched(source, material.everything, chosen.method, ratio, chosen.settings, 0.0)


def judged(folder: Path, played: Played) -> list[dict[str, float | str]]:
    source = read(folder / played.source)
    rows = []
    for step in STEPS:
        ratio = step * step
        file = played.by_ratio.get(f"{ratio:.2f}")
        if file is None:
            continue
        truth = Truth(read(folder / file), tuple(a * ratio for a in played.attacks))
        once = score(truth.against(by_auto(source, ratio)))
        twice = score(truth.against(by_auto(by_auto(source, step), step)))
        rows.append({"category": played.category, "step": step, "once": once, "twice": twice})
    return rows


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seeds", type=int, nargs="+", default=[31])
    asked = parser.parse_args()
    cases.RATIOS, cases.SHIFTS = tuple(step * step for step in STEPS), ()
    rows = [
        row
        for seed in asked.seeds
        for played in make(asked.folder / f"twice{seed}", seed)
        for row in judged(asked.folder / f"twice{seed}", played)
    ]
    print("| material | step | made again | stretched twice | saved |\n|---|---|---|---|---|")
    for category in ("drums", "tonal", "mix", None):
        for step in STEPS:
            own = [r for r in rows if category in (None, r["category"]) and r["step"] == step]
            once, twice = (float(np.mean([r[k] for r in own])) for k in ("once", "twice"))
            print(
                f"| {category or 'all'} | {step:g} × {step:g} | {once:.1f} | {twice:.1f} "
                f"| {once - twice:+.1f} |"
            )


if __name__ == "__main__":
    main()
