"""Fits the network that tells kinds of sound: python -m benchmarks.accuracy.fit_sound FOLDER..."""

import argparse
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.accuracy.fit_attacks import loops, read
from benchmarks.accuracy.learn import classes, fit, in_rows
from zeroknot.core.listening.attacks import is_silent
from zeroknot.core.listening.key import key_profiles
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import WEIGHTS
from zeroknot.core.listening.sound_kind import KINDS, sound_features


def rows_of(loop: tuple[Path, dict]):
    """Features of the sound, and what its key is found from (for fit_key)."""
    sound = read(loop[0])
    if is_silent(sound):
        return None
    material = material_of(sound)
    return sound_features(material), key_profiles(material), material.cents


def extracted(todo: list, kept: Path | None):
    if kept and kept.exists():
        with np.load(kept) as old:
            return old["rows"], old["profiles"], old["cents"], old["which"]
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(rows_of, todo, chunksize=4))
    which = np.asarray([i for i, f in enumerate(found) if f is not None])
    rows = np.stack([found[i][0] for i in which])
    profiles = np.stack([found[i][1] for i in which])
    cents = np.asarray([np.nan if found[i][2] is None else found[i][2] for i in which])
    if kept:
        np.savez(kept, rows=rows, profiles=profiles, cents=cents, which=which)
    return rows, profiles, cents, which


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--kept", type=Path)
    given = parser.parse_args()
    todo = loops(given.folders)
    rows, _, _, which = extracted(todo, given.kept)
    names = [todo[i][1]["sound"] for i in which]
    targets = np.asarray([KINDS.index(n) for n in names])
    apart = np.arange(targets.size) >= targets.size * 4 // 5
    learn = np.flatnonzero(~apart)

    def shown(epoch, loss, fitted):
        if epoch % 20 == 19:
            right = fitted.answers(rows[apart]).argmax(axis=1) == targets[apart]
            print(epoch, round(loss, 3), right.mean().round(3))

    fitted = fit(
        rows, lambda rng: [learn[b] for b in in_rows(learn.size, 64)(rng)], classes(targets),
        units=16, epochs=60, decay=3e-4, answers=len(KINDS), say=shown,
    )  # fmt: skip
    answers = fitted.answers(rows[apart]).argmax(axis=1)
    for i, name in enumerate(KINDS):
        of = targets[apart] == i
        print(
            name, int(of.sum()), {KINDS[j]: int((answers[of] == j).sum()) for j in set(answers[of])}
        )
    fitted.save(WEIGHTS / "sound.npz")


if __name__ == "__main__":
    main()
