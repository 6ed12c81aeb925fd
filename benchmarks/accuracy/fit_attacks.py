"""Fits the network that tells attacks: python -m benchmarks.accuracy.fit_attacks FOLDER..."""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.learn import fit, in_rows, logistic, nearly
from zeroknot.core.audio import Audio
from zeroknot.core.listening.attacks import (
    TRUSTED_SECONDS,
    attack_features,
    candidates,
    envelopes,
    is_silent,
    starts_of_rise,
    timing_rows,
)  # fmt: skip
from zeroknot.core.listening.network import WEIGHTS
from zeroknot.core.listening.picture import picture_of

NEAR_SECONDS = 0.025


def read(file: Path) -> Audio:
    samples, rate = soundfile.read(file, dtype="float32", always_2d=True)
    return Audio(np.ascontiguousarray(samples.T), rate)


def loops(folders: list[Path]) -> list[tuple[Path, dict]]:
    return [
        (folder / t["file"], t)
        for folder in folders
        for t in json.loads((folder / "truth.json").read_text())
    ]


def rows_of(loop: tuple[Path, dict]) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Features, whether each is an attack, and how late the found moment is."""
    file, truth = loop
    if truth["onsets_s"] is None:
        return None
    sound = read(file)
    if is_silent(sound):
        return None
    picture = picture_of(sound)
    at = candidates(picture)
    levels = envelopes(sound)
    rows = attack_features(picture, levels, sound.rate, at)
    seconds, _ = starts_of_rise(levels, sound.rate, at * picture.hop_seconds)
    wanted = np.asarray(truth["onsets_s"])
    is_one = np.zeros(at.size, np.float32)
    late = np.full(at.size, np.nan)
    free = set(range(at.size))
    for moment in wanted:
        near = [i for i in free if abs(seconds[i] - moment) < NEAR_SECONDS]
        if near:
            best = max(near, key=lambda i: rows[i, 1])
            free.discard(best)
            is_one[best], late[best] = 1.0, seconds[best] - moment
    return rows, is_one, late, seconds - at * picture.hop_seconds


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--kept", type=Path, help="file that keeps the rows between runs")
    given = parser.parse_args()
    if given.kept and given.kept.exists():
        with np.load(given.kept) as old:
            rows, is_one, late, shift = (old[k] for k in "abcd")
    else:
        with ProcessPoolExecutor(2) as pool:
            found = [r for r in pool.map(rows_of, loops(given.folders), chunksize=8) if r]
        rows, is_one, late, shift = (np.concatenate([f[k] for f in found]) for k in range(4))
        if given.kept:
            np.savez(given.kept, a=rows, b=is_one, c=late, d=shift)
    print(
        f"{rows.shape}, {is_one.mean():.2f} are attacks; the waveform's rise is late, ms:", ms(late)
    )

    def say(epoch: int, loss: float, _: object) -> None:
        if epoch % 10 == 9:
            print(epoch, round(loss, 4), flush=True)

    fitted = fit(
        rows, in_rows(rows.shape[0], 512), logistic(is_one), units=96, epochs=36, decay=3e-4,
        say=say,
    )  # fmt: skip
    fitted.save(WEIGHTS / "attacks.npz")
    real = np.isfinite(late)
    inputs = timing_rows(rows[real], shift[real])
    wanted = (shift - late)[real].astype(np.float32) * 1000
    times = fit(
        inputs, in_rows(wanted.size, 512), nearly(wanted), units=24, epochs=20, decay=1e-4,
        rate=5e-3, say=say,
    )  # fmt: skip
    times.save(WEIGHTS / "attack-times.npz")
    expected = times.scores(inputs)
    print("expectation is late, ms:", ms((expected - wanted) / 1000))
    seen = shift[real] * 1000
    chosen = np.where(np.abs(seen - expected) < 1000 * TRUSTED_SECONDS, seen, expected)
    print("both together:", ms((chosen - wanted) / 1000),
          "within 10 ms:", round(float(np.mean(np.abs(chosen - wanted) < 10)), 3))  # fmt: skip


def ms(seconds: np.ndarray) -> list[float]:
    return np.round(np.nanpercentile(seconds, (5, 25, 50, 75, 95)) * 1000, 2).tolist()


if __name__ == "__main__":
    main()
