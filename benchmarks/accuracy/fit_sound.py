"""Grows the trees that tell kinds of sound: python -m benchmarks.accuracy.fit_sound FOLDER...

What is in the folders that are kept apart is only measured against, world by world.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.accuracy.boost import grow_classes
from benchmarks.accuracy.fit_attacks import loops, read
from benchmarks.accuracy.loops import sound_of
from zeroknot.core.listening.attacks import is_silent
from zeroknot.core.listening.key_heard import key_profiles
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import WEIGHTS
from zeroknot.core.listening.sound_heard import sound_features
from zeroknot.core.listening.sound_kind import KINDS

EVENED = 0.5


def rows_of(loop: tuple[Path, dict]):
    """Features of the sound, and what its key is found from (for fit_key)."""
    sound = read(loop[0])
    if is_silent(sound):
        return None
    material = material_of(sound)
    return sound_features(material), key_profiles(material), material.cents


def extracted(folders: list[Path], kept: Path | None):
    """float32 rows and key profiles, cents, and the truths, of all loops that sound."""
    parts = [_of_folder(folder, kept) for folder in folders]
    rows, profiles, cents = (np.concatenate([p[k] for p in parts]) for k in range(3))
    return rows, profiles, cents, [t for p in parts for t in p[3]]


def _of_folder(folder: Path, kept: Path | None):
    todo = loops([folder])
    file = kept / f"sound-{folder.name}.npz" if kept else None
    if file and file.exists():
        with np.load(file) as old:
            rows, profiles, cents, which = (old[k] for k in ("rows", "profiles", "cents", "which"))
    else:
        with ProcessPoolExecutor(2) as pool:
            found = list(pool.map(rows_of, todo, chunksize=4))
        which = np.asarray([i for i, f in enumerate(found) if f is not None])
        rows = np.stack([found[i][0] for i in which])
        profiles = np.stack([found[i][1] for i in which])
        cents = np.asarray([np.nan if found[i][2] is None else found[i][2] for i in which])
        if file:
            np.savez(file, rows=rows, profiles=profiles, cents=cents, which=which)
    return rows, profiles, cents, [todo[i][1] for i in which]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--apart", type=Path, nargs="+", required=True, help="measured on")
    parser.add_argument("--kept", type=Path, help="folder that keeps the rows between runs")
    parser.add_argument("--rounds", type=int, default=300)
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    given = parser.parse_args()
    rows, _, _, truths = extracted(given.folders, given.kept)
    targets = np.asarray([KINDS.index(sound_of(tuple(t["content"].split("+")))) for t in truths])
    # How many there are of each is chance here; the rare ones count for more, though not for all.
    weights = (targets.size / len(KINDS) / np.bincount(targets, minlength=len(KINDS))) ** EVENED
    grown = grow_classes(rows, targets, weights, rounds=given.rounds, seed=0)
    given.out.mkdir(parents=True, exist_ok=True)
    grown.save(given.out / "sound.npz")

    rows, _, _, truths = extracted(given.apart, given.kept)
    targets = np.asarray([KINDS.index(sound_of(tuple(t["content"].split("+")))) for t in truths])
    answers = grown.scores(rows)
    share = np.exp(answers - answers.max(axis=1, keepdims=True))
    share /= share.sum(axis=1, keepdims=True)
    best = answers.argmax(axis=1)
    for world in sorted({t["world"] for t in truths}):
        of = np.asarray([t["world"] == world for t in truths])
        right = best[of] == targets[of]
        print(world, int(of.sum()), f"{right.mean():.3f}, said {share[of].max(axis=1).mean():.3f}")
    for i, name in enumerate(KINDS):
        of = targets == i
        to = {KINDS[j]: int((best[of] == j).sum()) for j in np.unique(best[of])}
        print(f"{name} {int(of.sum())}: {(best[of] == i).mean():.2f}", json.dumps(to))


if __name__ == "__main__":
    main()
