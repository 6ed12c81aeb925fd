"""Fits what Auto chooses by and how strain is told: python -m benchmarks.quality.fit_choice

    RESULTS... (of judge --out) [--apart SEED]

Ridge regression of what each method reached. Of a seed kept apart it is said what share of the best
method's score Auto reaches, and how strain ranks the distances.
"""

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
from scipy import stats

from benchmarks.quality.judge import case_of
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.stretch import auto, strain
from zeroknot.core.stretch.auto import CHOSEN_FROM, Case
from zeroknot.core.stretch.settings import StretchSettings

PLACE = Path(auto.__file__).parent


def case_from(row: dict[str, Any]) -> Case:
    return Case(SoundReading(*row["heard"]), row["density"], row["ratio"], float(row["shift"]))


def ridge(x: np.ndarray, y: np.ndarray, decay: float) -> np.ndarray:
    return np.linalg.solve(x.T @ x + decay * np.eye(x.shape[1]), x.T @ y)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("results", type=Path, nargs="+")
    parser.add_argument("--apart", type=int)
    given = parser.parse_args()
    rows = [r for f in given.results for r in json.loads(f.read_text()) if r["by"] in CHOSEN_FROM]
    learnt = [r for r in rows if r["seed"] != given.apart]
    by_case: dict[Any, dict[str, dict[str, Any]]] = {}
    for r in learnt:
        by_case.setdefault(case_of(r), {})[r["by"]] = r
    # How much better or worse than the case's own mean: hard cases are hard for all.
    x = np.asarray([list(auto.features(case_from(c["weave"])).values()) for c in by_case.values()])
    table = np.asarray([[c[m]["score"] for m in CHOSEN_FROM] for c in by_case.values()])
    table -= table.mean(axis=1, keepdims=True)
    weights = {
        m: dict(zip(auto.NAMES, np.round(ridge(x, table[:, i], 2.0), 3).tolist(), strict=True))
        for i, m in enumerate(CHOSEN_FROM)
    }
    (PLACE / "auto.json").write_text(json.dumps(weights, indent=1) + "\n")
    names = list(strain.features(case_from(learnt[0]), "weave"))
    x = np.asarray([list(strain.features(case_from(r), r["by"]).values()) for r in learnt])
    fitted = ridge(x, np.asarray([1.0 - r["score"] / 100.0 for r in learnt]), 0.3)
    (PLACE / "strain.json").write_text(
        json.dumps(dict(zip(names, np.round(fitted, 4).tolist(), strict=True)), indent=1) + "\n"
    )
    for cache in (auto._weights, strain._weights):
        cache.cache_clear()
    apart = [r for r in rows if r["seed"] == given.apart] or learnt
    say_choice(apart)
    say_strain(apart)


def say_choice(rows: list[dict[str, Any]]) -> None:
    by_case: dict[Any, dict[str, dict[str, Any]]] = {}
    for r in rows:
        by_case.setdefault(case_of(r), {})[r["by"]] = r
    shares, columns = [], {}
    for c in by_case.values():
        case = case_from(c["weave"])
        chosen = auto.choose(case, StretchSettings()).method
        shares.append(c[chosen]["score"] / max(c[m]["score"] for m in CHOSEN_FROM))
        for name in (*CHOSEN_FROM, "auto"):
            score = c[chosen if name == "auto" else name]["score"]
            columns.setdefault(c["weave"]["column"], {}).setdefault(name, []).append(score)
    print(f"Auto: {np.mean(shares):.4f} of the best of each case, at least {min(shares):.3f}")
    for column, scores in columns.items():
        print("  ", column, {n: round(float(np.mean(s)), 1) for n, s in scores.items()})


def say_strain(rows: list[dict[str, Any]]) -> None:
    told = np.asarray([strain.strain_of(case_from(r), r["by"]) for r in rows])
    distance = np.asarray([100 - r["score"] for r in rows])
    print(f"strain: rank correlation {stats.spearmanr(told, distance)[0]:.3f} over all")
    for ratio in sorted({r["ratio"] for r in rows}):
        of = np.asarray([r["ratio"] == ratio and r["shift"] == 0 for r in rows])
        if of.any():
            print(f"   at {ratio:g}: {stats.spearmanr(told[of], distance[of])[0]:.3f}")
    for shift in sorted({r["shift"] for r in rows} - {0}):
        of = np.asarray([r["shift"] == shift for r in rows])
        print(f"   shifted {shift:+d}: {stats.spearmanr(told[of], distance[of])[0]:.3f}")


if __name__ == "__main__":
    main()
