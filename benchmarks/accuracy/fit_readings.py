"""Fits what judges hypotheses: python -m benchmarks.accuracy.fit_readings

Its first word is "first" (a quick network, on everything) or "second" (boosted trees on what the
first leaves; or, to compare, networks or a linear model on the same rows).

Kept apart are the last fifth of the loops that were rendered, every other piece that was written as
rows or recorded, and all of the worlds that are left out: the share of them that is wholly right is
printed by world, and the scores are scaled so that their probabilities hold there.
"""

import argparse
import zlib
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from scipy import optimize

from benchmarks.accuracy.boost import Grown, grow
from benchmarks.accuracy.fit_attacks import loops, read
from benchmarks.accuracy.learn import Fitted, choice, fit, in_groups, together
from zeroknot.core.listening.attacks import is_silent
from zeroknot.core.listening.evidence import evidence, first_evidence
from zeroknot.core.listening.hypotheses import hypotheses
from zeroknot.core.listening.hypothesis import Hypotheses
from zeroknot.core.listening.judge import MOST_JUDGED, worth_judging
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import WEIGHTS

TEMPO_BPM, START_SECONDS = 0.1, 0.02


SONGS = ("agreed", "written")  # worlds that `songs` makes
NEARLY = 0.006  # of the tempo: steadying a start may yet mend it


def right_ones(h: Hypotheses, truth: dict, share: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Which hypotheses are wholly right, and which have tempo and bars right.

    share  of the tempo that it may be off by, where more than TEMPO_BPM
    """
    most = max(TEMPO_BPM, share * truth["tempo_bpm"])
    length = (np.abs(h.tempo - truth["tempo_bpm"]) < most) & (h.bars == truth["bars"])
    length &= h.metre == truth["beats_per_bar"]
    return length & (np.abs(h.start - truth["downbeat_s"]) < START_SECONDS), length


def rows_of(task: tuple[tuple[Path, dict], str]):
    """Rows of one loop: of everything, quickly told; or of the best of those, in full."""
    (file, truth), step = task
    sound = read(file)
    if is_silent(sound):
        return None
    material = material_of(sound)
    h = hypotheses(
        material.picture, material.attacks, material.sounding, edge=material.edge.seconds
    )
    if not len(h):
        return None
    if step == "second":
        h, first = worth_judging(material, h)
        rows = evidence(material, h, first)
        right, length = right_ones(h, truth)
    else:
        rows = first_evidence(material, h)
        right, length = right_ones(h, truth, NEARLY)
    classes = np.stack([h.tempo, h.bars, h.start, h.metre], axis=1)
    return np.clip(rows, -6e4, 6e4).astype(np.float16), right, length, classes


def extracted(folder: Path, step: str, kept: Path | None) -> tuple:
    """Rows, what is right, sizes of the loops, which are kept apart, and the loops' truths."""
    todo = loops([folder])
    file = kept / f"{step}-{folder.name}.npz" if kept else None
    if file and file.exists():
        with np.load(file) as old:
            rows, right, length, classes, sizes, which = (old[k] for k in "abcdef")
    else:
        with ProcessPoolExecutor(2) as pool:
            found = list(pool.map(rows_of, [(t, step) for t in todo], chunksize=4))
        which = np.asarray([i for i, f in enumerate(found) if f is not None])
        there = [f for f in found if f is not None]
        rows, right, length, classes = (np.concatenate([f[k] for f in there]) for k in range(4))
        sizes = np.asarray([f[0].shape[0] for f in there])
        if file:
            file.parent.mkdir(parents=True, exist_ok=True)
            np.savez(file, a=rows, b=right, c=length, d=classes, e=sizes, f=which)
    apart = np.asarray(
        [is_apart(todo[i][1], n >= sizes.size * 4 // 5) for n, i in enumerate(which)]
    )
    return rows, right, length, classes, sizes, apart, [todo[i][1] for i in which]


def is_apart(truth: dict, is_last: bool) -> bool:
    """Is it only measured against? Of a piece all loops are, or none."""
    world = truth["world"]
    is_piece = world.split()[0] in ("rows", "styles", *SONGS)
    return bool(zlib.crc32(world.encode()) % 2) if is_piece else is_last


def probabilities(fitted: Fitted | Grown, rows: np.ndarray, starts, sizes, scale=1.0):
    for s, n in zip(starts, sizes, strict=True):
        scores = fitted.scores(rows[s : s + n].astype(np.float32)).astype(float) * scale
        weight = np.exp(scores - scores.max())
        yield s, n, weight / weight.sum()


def judged(fitted, data, starts, sizes, scale=1.0):
    """For each loop: is the chosen length right, its probability, was the truth there at all?"""
    rows, _, length, classes = data
    found = []
    for s, n, share in probabilities(fitted, rows, starts, sizes, scale):
        c = classes[s : s + n]
        # The heaviest of a few merged answers: same bars, tempo within 0.1 BPM.
        best, mass = 0, -1.0
        for i in np.argsort(-share)[:12]:
            same = (c[:, 1] == c[i, 1]) & (np.abs(c[:, 0] - c[i, 0]) < TEMPO_BPM)
            if share[same].sum() > mass:
                best, mass = i, float(share[same].sum())
        found.append((bool(length[s + best]), mass, bool(length[s : s + n].any())))
    return np.asarray(found, float)


def averaged(new: Grown, others: list[str]) -> Grown:
    """With others of the shares that FILE=SHARE says; the new one has the rest."""
    named = [other.rsplit("=", 1) for other in others]
    so_far = 1.0 - sum(float(share) for _, share in named)
    for file, share in named:
        total = so_far + float(share)
        new, so_far = new.averaged(Grown.read(Path(file)), so_far / total), total
    return new


def firsts(fitted: Fitted, rows: np.ndarray, starts: np.ndarray, sizes: np.ndarray):
    """Of every loop, the rows that the quick network keeps."""
    for s, n in zip(starts, sizes, strict=True):
        scores = fitted.scores(rows[s : s + n].astype(np.float32))
        yield s + np.argsort(-scores)[:MOST_JUDGED]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("step", choices=("first", "second"))
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--kept", type=Path, help="folder that keeps the rows between runs")
    parser.add_argument("--by", choices=("trees", "networks", "linear"), default="trees")
    parser.add_argument("--rounds", type=int, default=1200, help="trees")
    parser.add_argument("--units", type=int, default=32)
    parser.add_argument("--epochs", type=int, default=24)
    parser.add_argument("--decay", type=float, default=1e-2)
    parser.add_argument("--networks", type=int, default=1, help="fitted from other seeds, averaged")
    parser.add_argument("--all", action="store_true", help="learn from the kept-apart fifth, too")
    parser.add_argument("--scale", type=float, help="of the scores, as found without --all")
    parser.add_argument("--without", nargs="+", default=(), help="worlds that are left out")
    parser.add_argument("--songs-count", type=int, default=1, help="so many times as much")
    parser.add_argument("--seed", type=int, default=0, help="of the trees")
    parser.add_argument(
        "--averaged-with", nargs="+", default=[], metavar="FILE=SHARE",
        help="trees that were fitted before, and their shares; the new ones have the rest",
    )  # fmt: skip
    parser.add_argument("--onto", type=Path, help="trees that new ones are added to")
    parser.add_argument("--rate", type=float, default=0.1, help="of the trees' learning")
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    given = parser.parse_args()
    parts = [extracted(folder, given.step, given.kept) for folder in given.folders]
    rows, right, length, classes, sizes, apart = (
        np.concatenate([p[k] for p in parts]) for k in range(6)
    )
    truths = [t for p in parts for t in p[6]]
    apart |= np.asarray([t["world"] in given.without for t in truths])
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    group = np.repeat(np.arange(sizes.size), sizes)
    has = np.asarray([right[s : s + n].any() for s, n in zip(starts, sizes, strict=True)])
    print(f"{sizes.size} loops, {sizes.mean():.0f} hypotheses each, {rows.shape[1]} features; "
          f"the truth is among them in {has.mean():.3f}")  # fmt: skip
    learn = np.flatnonzero(has & (~apart | given.all))
    is_song = np.asarray([t["world"].split()[0] in SONGS for t in truths])
    learn = np.concatenate([learn, np.repeat(learn[is_song[learn]], given.songs_count - 1)])
    data = (rows, right, length, classes)

    def say(epoch: int, loss: float, fitted: Fitted) -> None:
        if epoch % 6 == 5:
            result = judged(fitted, data, starts[apart], sizes[apart])
            print(epoch, round(loss, 3), "apart", result[:, 0].mean().round(3), flush=True)

    fitted: Fitted | Grown
    if given.step == "second" and given.by == "trees":
        taken = np.concatenate([np.arange(starts[i], starts[i] + sizes[i]) for i in learn])
        fitted = grow(
            rows[taken], right[taken], sizes[learn], rounds=given.rounds, rate=given.rate,
            seed=given.seed, onto=Grown.read(given.onto) if given.onto else None,
        )  # fmt: skip
        fitted = averaged(fitted, given.averaged_with)
    else:
        fitted = together(
            [
                fit(
                    rows, in_groups(starts[learn], sizes[learn], 8), choice(right, group),
                    units=0 if given.by == "linear" else given.units, epochs=given.epochs,
                    decay=given.decay, rate=2e-3, seed=seed, say=say,
                )
                for seed in range(given.networks)
            ]
        )  # fmt: skip

    def off(log_scale: float) -> float:
        r = judged(fitted, data, starts[apart], sizes[apart], float(np.exp(log_scale)))
        p = np.clip(r[:, 1], 0.01, 0.99)
        return float(-np.mean(r[:, 0] * np.log(p) + (1 - r[:, 0]) * np.log(1 - p)))

    scale = given.scale or float(
        np.exp(optimize.minimize_scalar(off, bounds=(-1.5, 0.5), method="bounded").x)
    )
    print("scale", round(scale, 3))
    given.out.mkdir(parents=True, exist_ok=True)
    fitted.save(
        given.out / ("readings.npz" if given.step == "second" else "readings-first.npz"), scale
    )
    if given.step == "first":
        there = [right[i].any() for i in firsts(fitted, rows, starts, sizes)]
        print(f"still there among the first {MOST_JUDGED}: {np.mean(there):.3f}")
    result = judged(fitted, data, starts[apart], sizes[apart], scale)
    truths = [t for t, a in zip(truths, apart, strict=True) if a]
    print("whole, there at all, loops:")
    for t in truths:
        t["world"] = t["world"].split()[0]
    for name in ("world", "condition", "metre", "bars", "content"):
        for value in sorted({str(t[name]) for t in truths}):
            of = np.asarray([str(t[name]) == value for t in truths])
            whole, there = result[of, 0].mean(), result[of, 2].mean()
            print(f"  {name} {value}: {whole:.2f} {there:.2f} {of.sum()}")


if __name__ == "__main__":
    main()
