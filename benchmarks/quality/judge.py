"""Stretches every loop by every method and every library, and says how near each came.

    python -m benchmarks.quality.judge FOLDER [--seeds 31 32] [--ratios 1.5 2 4 8] [--ours-only]
        [--out results.json]

A folder keeps what was rendered: other ratios want another one.

Tables in Markdown: each method alone, Auto, the libraries; by category, by ratio and by shift; the
cases in which a library came nearer.
"""

import argparse
import json
import os
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from benchmarks.quality.cases import RATIOS, SHIFTS, Played, make
from benchmarks.quality.measures import RATE, Sound, Truth, score
from benchmarks.quality.peers import peers
from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.auto import AUTO, CHOSEN_FROM, Case, choose, why_chosen
from zeroknot.core.stretch.settings import StretchSettings

COLUMNS = ("drums", "tonal", "mix", "shift")
HALF_HELD = 0.5


def read(file: Path) -> Sound:
    return soundfile.read(file, dtype="float32", always_2d=True)[0]


def stretched(
    sound: Sound,
    attacks: Attacks,
    method: str,
    ratio: float,
    settings: StretchSettings,
    semitones: float,
) -> Sound:
    audio = Audio(np.ascontiguousarray(sound.T), RATE)
    plan = plan_ratio(
        source="", rate=RATE, source_frames=audio.frames, duration_ratio=ratio, method=method,
        settings=settings, semitones=semitones,
    )  # fmt: skip
    return Rendering(audio, attacks, plan, threads=1).whole().T


def judged(task: tuple[Path, Played, bool]) -> list[dict[str, Any]]:
    """Every case of one loop."""
    folder, played, ours_only = task
    os.environ.setdefault("OMP_NUM_THREADS", "1")
    source = read(folder / played.source)
    audio = Audio(np.ascontiguousarray(source.T), RATE)
    material = material_of(audio)
    heard = sound_heard(material, audio.seconds)
    attacks = material.attacks
    rows = []
    beside = [] if ours_only else peers()
    wanted = [(float(r), 0, file) for r, file in played.by_ratio.items()]
    wanted += [(1.0, s, played.by_shift[f"{s:+d}"]) for s in SHIFTS if played.by_shift]
    for ratio, shift, file in wanted:
        truth = Truth(read(folder / file), tuple(a * ratio for a in played.attacks))
        case = Case(heard, attacks.seconds.size / audio.seconds, ratio, float(shift))
        chosen = choose(case, StretchSettings())
        made = {}
        settings = StretchSettings(formants=HALF_HELD if shift else 0.0)
        for method in CHOSEN_FROM:
            made[method] = _timed(
                stretched, source, material.everything, method, ratio, settings, float(shift)
            )
        for peer in beside:
            made[peer.name] = (
                _timed(peer.shift, source, shift) if shift else _timed(peer.stretch, source, ratio)
            )
        for name, (sound, seconds) in made.items():
            measured = truth.against(sound)
            rows.append(
                {"loop": played.name, "kind": played.kind, "heard": [heard.kind, heard.confidence],
                 "density": case.density, "column": "shift" if shift else played.category,
                 "ratio": ratio, "shift": shift, "by": name, "score": score(measured),
                 "measured": measured, "cpu": seconds, "seconds": sound.shape[0] / RATE,
                 "peak_db": float(20 * np.log10(np.abs(sound).max() / np.abs(source).max())),
                 "chosen": chosen.method == name, "why": why_chosen(case)}
            )  # fmt: skip
    return rows


def _timed(make_sound: Callable[..., Sound], *given: Any) -> tuple[Sound, float]:
    started = time.process_time()
    sound = np.asarray(make_sound(*given), np.float32)
    return sound, time.process_time() - started


def case_of(row: dict[str, Any]) -> tuple[Any, ...]:
    return row["seed"], row["loop"], row["ratio"], row["shift"]


def table(heads: list[str], lines: list[list[Any]]) -> str:
    out = ["| " + " | ".join(heads) + " |", "|" + "---|" * len(heads)]
    for line in lines:
        cells = [f"{c:.1f}" if isinstance(c, float) else str(c) for c in line]
        out.append("| " + " | ".join(cells) + " |")
    return "\n".join(out) + "\n"


def mean(rows: list[dict[str, Any]]) -> float:
    return float(np.mean([r["score"] for r in rows])) if rows else float("nan")


def report(rows: list[dict[str, Any]]) -> str:
    rows = rows + [{**r, "by": AUTO} for r in rows if r["chosen"]]
    names = list(dict.fromkeys(r["by"] for r in rows))
    names = [AUTO] + [n for n in names if n != AUTO]
    parts = [
        table(
            ["", *COLUMNS, "worst"],
            [[n, *(mean([r for r in rows if r["by"] == n and r["column"] == c]) for c in COLUMNS),
              min(r["score"] for r in rows if r["by"] == n)] for n in names],
        )
    ]  # fmt: skip
    ratios = sorted({r["ratio"] for r in rows if not r["shift"]})
    for column, values, key in (
        *((c, ratios, "ratio") for c in COLUMNS[:3]),
        ("shift", SHIFTS, "shift"),
    ):
        of = [r for r in rows if r["column"] == column]
        parts.append(
            table(
                [f"{column}, {key}", *(f"{v:+d}" if key == "shift" else f"{v:g}" for v in values)],
                [[n, *(mean([r for r in of if r["by"] == n and r[key] == v]) for v in values)]
                 for n in names],
            )
        )  # fmt: skip
    loops = list(dict.fromkeys(r["loop"] for r in rows))
    parts.append(
        table(
            ["stretched", *names],
            [[lo, *(mean([r for r in rows if r["loop"] == lo and r["by"] == n and not r["shift"]])
                    for n in names)] for lo in loops],
        )
    )  # fmt: skip
    parts.append(_behind(rows))
    return "\n".join(parts)


def _behind(rows: list[dict[str, Any]]) -> str:
    """How Auto stands against the best single method, and where a library came nearer."""
    by_case: dict[tuple[Any, ...], dict[str, dict[str, Any]]] = {}
    for r in rows:
        by_case.setdefault(case_of(r), {})[r["by"]] = r
    share = [c[AUTO]["score"] / max(c[m]["score"] for m in CHOSEN_FROM) for c in by_case.values()]
    lines = [
        f"Auto reaches {100 * np.mean(share):.1f} % of the best method of each case, "
        f"at least {100 * min(share):.1f} %.",
    ]
    libraries = {r["by"] for r in rows} - {AUTO, *CHOSEN_FROM}
    nearer = []
    for case, by in by_case.items():
        there = [by[n] for n in libraries if n in by]
        if there:
            best = max(there, key=lambda r: r["score"])
            gap = best["score"] - by[AUTO]["score"]
            if gap > 0:
                nearer.append((gap, case, best["by"]))
    if libraries:
        lines.append(f"A library came nearer in {len(nearer)} of {len(by_case)} cases:")
        lines += [
            f"- {g:.1f} points, {by}: {case[1:]}" for g, case, by in sorted(nearer)[::-1][:20]
        ]
    return "\n".join(lines) + "\n"


def run(
    folder: Path, seeds: list[int], ours_only: bool, ratios: tuple[float, ...]
) -> list[dict[str, Any]]:
    rows = []
    for seed in seeds:
        place = folder / str(seed)
        tasks = [(place, p, ours_only) for p in make(place, seed, ratios)]
        with ProcessPoolExecutor(2) as pool:
            for found in pool.map(judged, tasks):
                rows += [{**r, "seed": seed} for r in found]
    return rows


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seeds", type=int, nargs="+", default=[31, 32])
    parser.add_argument("--ratios", type=float, nargs="+", default=RATIOS)
    parser.add_argument("--ours-only", action="store_true")
    parser.add_argument("--out", type=Path)
    given = parser.parse_args()
    rows = run(given.folder, given.seeds, given.ours_only, tuple(given.ratios))
    if given.out:
        given.out.write_text(json.dumps(rows))
    print(report(rows))


if __name__ == "__main__":
    main()
