"""Where do the bars of a take begin? python -m benchmarks.accuracy.takes FILE... [--fit]

FILEs are recorded songs as in `songs` and pieces written as rows as in `modules`: stretches of 35
to 90 s are begun anywhere in them and listened to as takes. With --fit the weights of ACCENTS are
fitted anew, and tried on songs and pieces that are left out in turn.
"""

import argparse
import zlib
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

from benchmarks.accuracy import modules, songs
from benchmarks.accuracy.chain import RATE
from zeroknot.core.audio import Audio
from zeroknot.core.listening.material import Material, material_of
from zeroknot.core.listening.reading import Reading
from zeroknot.core.listening.takes import (
    ACCENTS,
    METRES,
    accents_of,
    beats_of,
    standing_out,
    take_of,
)

SECONDS = (35.0, 90.0)
STRETCHES = 3
SAME_TEMPO, SAME_BEAT = 0.02, 0.12  # of the tempo; of a beat
FEWEST_ROWS = 300
QUIET = 1e-3  # rms
FOLDS, PENALTY, LOOSE = 8, 0.1, 0.02  # of the fit: worlds in turn, of weights, of metres
PLACES = [(metre, phase) for metre in METRES for phase in range(metre)]


@dataclass(frozen=True)
class Heard:
    """One stretch: what is right of what was heard, and what its bars were told by.

    tempo, beats, first, any  are these right, of the first reading and of any
    stands  [places, kinds], as `standing_out`; None where the beats are not right
    place   which of PLACES is right
    """

    world: str
    tempo: bool
    beats: bool
    first: bool
    any: bool
    said: float
    stands: np.ndarray | None
    place: int


def grids_of(file: Path) -> list[tuple[str, np.ndarray, songs.Grid]]:
    """World, sound [frames, 2] and grid of all that is steady in a file."""
    if file.suffix.lower() in (".mod", ".s3m", ".xm", ".it"):
        piece = modules.played(file.read_bytes(), set())
        found = []
        for frames, numbers, row in modules.steady(piece.rows):
            bar = 4 * modules.rows_a_beat(row)
            ends = np.asarray(numbers[:-1])[np.diff(numbers) < 0] + 1
            if len(frames) < FEWEST_ROWS or not ends.size or np.any(ends % bar):
                continue
            first = int(np.argmax(np.asarray(numbers) % bar == 0))
            grid = songs.Grid(frames[first] / RATE, bar / 4 * row / RATE, frames[-1] / RATE, 4)
            found.append((f"piece {file.name}", piece.sound, grid))
        return found
    grid = songs.grid_of(file)
    return [(songs.world_of(file), songs.sound_of_song(file), grid)] if grid else []


def heard(file: Path) -> list[Heard]:
    rng = np.random.default_rng(zlib.crc32(str(file).encode()))
    found = []
    for world, sound, grid in grids_of(file):
        last = min(grid.until, sound.shape[0] / RATE)
        for _ in range(STRETCHES):
            seconds = min(float(rng.uniform(*SECONDS)), last - grid.one - 1.0)
            if seconds < SECONDS[0] - 6.0:
                break
            start = float(rng.uniform(max(0.0, grid.one), max(grid.one, last - seconds)))
            part = sound[int(start * RATE) : int((start + seconds) * RATE)]
            if np.sqrt(np.mean(part**2)) < QUIET:
                continue
            material = material_of(Audio(np.ascontiguousarray(part.T, np.float32), RATE))
            found.append(_judged(world, material, grid, start))
    return found


def _judged(world: str, material: Material, grid: songs.Grid, start: float) -> Heard:
    readings, _ = take_of(material)

    def is_tempo(reading: Reading) -> bool:
        return abs(reading.tempo_bpm * grid.beat / 60.0 - 1.0) < SAME_TEMPO

    def off(reading: Reading, whole: int) -> float:
        beats = (reading.downbeat_s + start - grid.one) / grid.beat
        return float(abs(beats - whole * round(beats / whole)))

    def is_right(reading: Reading) -> bool:
        in_bar = reading.beats_per_bar == grid.in_bar
        return is_tempo(reading) and in_bar and off(reading, grid.in_bar) < SAME_BEAT

    first = readings[0] if readings else None
    tempo = bool(first and is_tempo(first))
    beats = bool(first and tempo and off(first, 1) < SAME_BEAT)
    stands, place = None, 0
    if beats:
        lines = beats_of(material)
        at = np.rint((lines + start - grid.one) / grid.beat).astype(int)
        phase = int(np.bincount((np.arange(at.size) - at) % grid.in_bar).argmax())
        stands = standing_out(accents_of(material, lines))[1]
        place = PLACES.index((grid.in_bar, phase))
    return Heard(
        world, tempo, beats, bool(first and is_right(first)), any(map(is_right, readings)),
        first.confidence if first else 0.0, stands, place,
    )  # fmt: skip


def fitted(stands: np.ndarray, place: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Weights of the kinds, then what each metre has over others: logistic, regularised."""
    usual = np.asarray(list(METRES.values()))
    metre = np.asarray([list(METRES).index(m) for m, _ in PLACES])
    kinds, rows = stands.shape[2], np.arange(place.size)

    def loss(v: np.ndarray) -> float:
        scores = stands @ v[:kinds] + v[kinds:][metre]
        scores -= scores.max(axis=1, keepdims=True)
        told = scores[rows, place] - np.log(np.exp(scores).sum(axis=1))
        apart = v[kinds:] - usual
        return float(
            -(weight * told).mean() + PENALTY * v[:kinds] @ v[:kinds] + LOOSE * apart @ apart
        )

    return minimize(loss, np.concatenate([np.zeros(kinds), usual])).x


def fit(found: list[Heard]) -> None:
    known = [h for h in found if h.stands is not None]
    stands, place = np.stack([h.stands for h in known]), np.asarray([h.place for h in known])
    worlds = np.asarray([h.world for h in known])
    weight = 1.0 / np.asarray([(worlds == w).sum() for w in worlds])
    weight /= weight.mean()
    metre = np.asarray([list(METRES).index(m) for m, _ in PLACES])
    names = np.random.default_rng(0).permutation(np.unique(worlds))
    right = np.zeros(place.size, bool)
    for left_out in np.array_split(names, FOLDS):
        out = np.isin(worlds, left_out)
        v = fitted(stands[~out], place[~out], weight[~out])
        scores = stands[out] @ v[: stands.shape[2]] + v[stands.shape[2] :][metre]
        right[out] = scores.argmax(axis=1) == place[out]
    own = stands @ np.asarray(list(ACCENTS.values())) + np.asarray(list(METRES.values()))[metre]
    print(f"{place.size} stretches, worlds left out in turn {right.mean():.2f},", end=" ")
    print(f"as shipped {np.mean(own.argmax(axis=1) == place):.2f}")
    v = fitted(stands, place, weight)
    print(dict(zip([*ACCENTS, *METRES], v.round(2).tolist(), strict=True)))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("files", type=Path, nargs="+")
    parser.add_argument("--fit", action="store_true")
    given = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        found = [h for told in pool.map(heard, given.files) for h in told]
    print("| | n | tempo | beats | first | any | said |\n|---|---|---|---|---|---|---|")
    for name, is_it in (("songs", False), ("pieces", True)):
        some = [h for h in found if h.world.startswith("piece") == is_it]
        if some:
            means = np.mean([(h.tempo, h.beats, h.first, h.any, h.said) for h in some], axis=0)
            print(f"| {name} | {len(some)} | " + " | ".join(f"{m:.2f}" for m in means) + " |")
    if given.fit:
        fit(found)


if __name__ == "__main__":
    main()
