"""How well is a loop heard, beside reference libraries in the same run?

    python -m benchmarks.accuracy.measure FOLDER [--seeds 11 12 13 14] [--count 160]
    python -m benchmarks.accuracy.measure FOLDER --made FOLDER... [--alone] [--beside]

Loops are made where the folder has none yet (their seeds are not those of the loops that were
learnt from, and they are played by worlds that were kept apart); or those of folders are taken that
`loops`, `modules` or `songs` made. With --beside only those are taken that other libraries were
asked about, too (`beside`), and their answers are judged in the same way.

Scores as in the field: tempo within 4 % (Accuracy 1, Gouyon et al. 2006), beat F within 70 ms,
attack F within 50 and 10 ms (mir_eval), weighted key score (mir_eval);
"whole" is tempo within 0.1 BPM and the right number of bars, "octave" the same but for a half or a
double; "one" the downbeat within 20 ms.
"""

import argparse
import json
import time
import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import mir_eval
import numpy as np

from benchmarks.accuracy.fit_attacks import read
from benchmarks.accuracy.loops import make, sound_of
from benchmarks.accuracy.render import APART
from zeroknot.core.audio import Audio
from zeroknot.core.listening.readings import listen

DRUMS = {"drums", "percussion"}
MOST_BARS = (1, 2, 4, 8, 16)
Answer = dict[str, object]


def ours(sound: Audio) -> Answer:
    heard = listen(sound)
    best = heard.best
    return {
        "tempo": best.tempo_bpm if best else None, "bars": best.bars if best else None,
        "one": best.downbeat_s if best else None, "beats": list(heard.beats),
        "onsets": list(heard.attack_seconds()), "key": heard.key.key, "cents": heard.key.cents,
        "sound": heard.sound.kind, "confidence": best.confidence if best else 0.0,
    }  # fmt: skip


def by_length(sound: Audio) -> Answer:
    """The plain rule: so many bars of 4/4 that the tempo is nearest to 120."""
    tempos = {b: 240.0 * b / sound.seconds for b in MOST_BARS}
    bars = min(tempos, key=lambda b: abs(np.log2(tempos[b] / 120)))
    beat = 60 / tempos[bars]
    return {
        "tempo": tempos[bars], "bars": bars, "one": 0.0,
        "beats": [i * beat for i in range(4 * bars)],
    }  # fmt: skip


def by_librosa(sound: Audio) -> Answer:
    """Repeated to 16 s before tracking, which does it good; backtracked attacks, bias taken off."""
    import librosa

    mono = sound.mono()
    again = np.tile(mono, max(1, int(np.ceil(16 / sound.seconds))))
    tempo, beats = librosa.beat.beat_track(y=again, sr=sound.rate, units="time")
    tempo = float(np.atleast_1d(tempo)[0])
    bars = max(1, round(sound.seconds * tempo / 240)) if tempo > 0 else None
    onsets = librosa.onset.onset_detect(y=mono, sr=sound.rate, units="time", backtrack=True)
    chroma = librosa.feature.chroma_cqt(y=mono, sr=sound.rate).mean(axis=1)
    beats = [float(b) for b in beats if b < sound.seconds]
    return {
        "tempo": 240 * bars / sound.seconds if bars else None, "bars": bars,
        "one": beats[0] if beats else None, "beats": beats,
        "onsets": [float(o) - 0.0104 for o in onsets], "key": _by_profile(chroma),
        "cents": 100 * float(librosa.estimate_tuning(y=mono, sr=sound.rate)),
    }  # fmt: skip


KRUMHANSL_KESSLER = (
    (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88),
    (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17),
)
NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")


def _by_profile(chroma: np.ndarray) -> str:
    scores = {
        f"{NAMES[t]} {mode}": np.corrcoef(np.roll(profile, t), chroma)[0, 1]
        for mode, profile in zip(("major", "minor"), KRUMHANSL_KESSLER, strict=True)
        for t in range(12)
    }
    return max(scores, key=lambda k: scores[k])


SYSTEMS: dict[str, Callable[[Audio], Answer]] = {
    "Zero Knot": ours, "length, nearest to 120": by_length, "librosa": by_librosa,
}  # fmt: skip


def judged(truth: dict, answer: Answer, seconds: float) -> dict[str, float]:
    tempo, wanted = answer.get("tempo"), truth["tempo_bpm"]
    scores: dict[str, float] = {"seconds": seconds}
    exact = tempo is not None and abs(tempo - wanted) < 0.1
    scores["tempo"] = float(tempo is not None and abs(tempo - wanted) <= 0.04 * wanted)
    scores["whole"] = float(exact and answer.get("bars") == truth["bars"])
    # As many beats as it is long, counted half or twice as fast.
    scores["octave"] = float(
        tempo is not None
        and any(abs(tempo * times - wanted) < 0.1 * times for times in (0.5, 1, 2))
    )
    one = answer.get("one")
    scores["one"] = float(one is not None and abs(one - truth["downbeat_s"]) <= 0.02)
    scores["beat F"] = _f(truth["beats_s"], answer.get("beats") or [], 0.07)
    if truth["onsets_s"] and "onsets" in answer:
        scores["F 50"] = _f(truth["onsets_s"], answer["onsets"], 0.05)
        scores["F 10"] = _f(truth["onsets_s"], answer["onsets"], 0.01)
    if truth["key"] and "key" in answer:
        said = answer["key"]
        scores["key"] = (
            mir_eval.key.weighted_score(_plain(truth["key"]), _plain(said)) if said else 0.0
        )
        if answer.get("cents") is not None:
            off = abs((float(answer["cents"]) - truth["cents"] + 50) % 100 - 50)
            scores["cents"], scores["within 10"] = off, float(off < 10)
    if "sound" in answer and truth["content"] != "rows":  # what plays in those nobody wrote down
        kind = sound_of(tuple(truth["content"].split("+")))
        scores["sound"] = float(answer["sound"] == kind)
    if "confidence" in answer:
        scores["confidence"] = float(answer["confidence"])
    return scores


def _plain(key: str) -> str:
    return key.replace("♯", "#").replace("♭", "b")


def _f(wanted: list[float], found: list[float], window: float) -> float:
    a, b = np.unique(np.asarray(wanted, float)), np.unique(np.asarray(found, float))
    if not a.size or not b.size:
        return 0.0
    return 2 * len(mir_eval.util.match_events(a, b, window)) / (a.size + b.size)


def measured(
    task: tuple[Path, dict, tuple[str, ...], dict[str, Answer]],
) -> dict[str, dict[str, float]]:
    file, truth, systems, known = task
    sound = read(file)
    found = {}
    for name in systems:
        system = SYSTEMS[name]
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            began = time.process_time()
            answer = system(sound)
        spent = (time.process_time() - began) / sound.seconds * 60
        found[name] = judged(truth, answer, spent)
    for name, answer in known.items():
        found[name] = judged(truth, answer, float(answer["spent"]) / sound.seconds * 60)
    return found


def beside(folder: Path) -> dict[str, dict[str, Answer]]:
    """What other libraries said, by their name and file."""
    files = sorted(folder.glob("beside-*.json"))
    return {f.stem.removeprefix("beside-"): json.loads(f.read_text()) for f in files}


def calibration(sure: np.ndarray, right: np.ndarray) -> tuple[float, float, list[tuple]]:
    """Expected calibration error over ten bins, AUROC, and (bin, loops, said, right) of each."""
    bins = np.clip((sure * 10).astype(int), 0, 9)
    rows = [
        (f"{i * 10}-{i * 10 + 10} %", int(of.sum()), sure[of].mean(), right[of].mean())
        for i in range(10)
        if (of := bins == i).any()
    ]
    error = sum(n * abs(said - true) for _, n, said, true in rows) / sure.size
    yes, no = sure[right == 1], sure[right == 0]
    auroc = np.mean((yes[:, None] > no) + 0.5 * (yes[:, None] == no)) if no.size else 1.0
    return float(error), float(auroc), rows


COLUMNS = (
    "whole",
    "octave",
    "tempo",
    "one",
    "beat F",
    "F 50",
    "F 10",
    "key",
    "within 10",
    "seconds",
)


def table(groups: dict[str, list[dict]], name: str, columns: tuple[str, ...]) -> str:
    lines = [
        f"| {name} | n | " + " | ".join(columns) + " |",
        "|---|---" + "|---" * len(columns) + "|",
    ]
    for group, scores in groups.items():
        cells = []
        for column in columns:
            values = [s[column] for s in scores if column in s]
            cells.append(f"{np.mean(values):.3f}" if values else "–")
        lines.append(f"| {group} | {len(scores)} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seeds", type=int, nargs="+", default=[11, 12, 13, 14])
    parser.add_argument("--count", type=int, default=160)
    parser.add_argument("--made", type=Path, nargs="+")
    parser.add_argument("--alone", action="store_true", help="without the library beside it")
    parser.add_argument("--beside", action="store_true", help="what libraries said, too")
    given = parser.parse_args()
    systems = tuple(SYSTEMS)[: 2 if given.alone else None]
    folders = given.made or [given.folder / f"measured-{seed}" for seed in given.seeds]
    tasks = []
    for seed, folder in zip(given.seeds if not given.made else folders, folders, strict=True):
        if not (folder / "truth.json").exists():
            make(folder, int(seed), given.count, APART)
        truths = json.loads((folder / "truth.json").read_text())
        others = beside(folder) if given.beside else {}
        for truth in truths:
            known = {name: said[truth["file"]] for name, said in others.items()
                     if truth["file"] in said}  # fmt: skip
            if len(known) == len(others):
                tasks.append((folder / truth["file"], truth, systems, known))
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(measured, tasks, chunksize=4))
    truths = [t for _, t, *_ in tasks]
    systems += tuple(name for name in results[0] if name not in systems)
    print(table({s: [r[s] for r in results] for s in systems}, "system", COLUMNS), "\n")
    for label, key in (
        ("world", lambda t: t["world"].split()[0]),
        ("condition", lambda t: t["condition"]), ("metre", lambda t: t["metre"]),
        ("bars", lambda t: f"{t['bars']:2d}"),
        ("drums", lambda t: "with" if DRUMS & set(t["content"].split("+")) else "without"),
    ):  # fmt: skip
        names = sorted({key(t) for t in truths})
        lines = [f"| {label} | n | " + " | ".join(systems) + " | octave | tempo | one | beat F |",
                 "|---|---" + "|---" * (len(systems) + 4) + "|"]  # fmt: skip
        for value in names:
            of = [r for r, t in zip(results, truths, strict=True) if key(t) == value]
            cells = [f"{np.mean([r[s]['whole'] for r in of]):.2f}" for s in systems]
            cells += [
                f"{np.mean([r['Zero Knot'][c] for r in of]):.2f}"
                for c in ("octave", "tempo", "one", "beat F")
            ]
            lines.append(f"| {value} | {len(of)} | " + " | ".join(cells) + " |")
        print("\n".join(lines), "\n")
    own = [r["Zero Knot"] for r in results]
    sure, right = (np.asarray([s[k] for s in own]) for k in ("confidence", "whole"))
    error, auroc, rows = calibration(sure, right)
    print(f"Calibration error {error:.3f}, AUROC {auroc:.3f}, {sure.size} loops.\n")
    print("| said | loops | mean said | right |\n|---|---|---|---|")
    for name, n, said, true in rows:
        print(f"| {name} | {n} | {said:.2f} | {true:.2f} |")
    for world in sorted({t["world"].split()[0] for t in truths}):
        of = np.asarray([t["world"].split()[0] == world for t in truths])
        print(f"Calibration error of {world}: {calibration(sure[of], right[of])[0]:.3f}.")
    cents = [s["cents"] for s in own if "cents" in s]
    if cents:
        print(f"\nTuning: median {np.median(cents):.1f} cents off.")
    kinds: dict[str, list[float]] = {}
    for truth, scores in zip(truths, own, strict=True):
        if "sound" in scores:
            kinds.setdefault(sound_of(tuple(truth["content"].split("+"))), []).append(
                scores["sound"]
            )
    for kind, found in {"all": [s for each in kinds.values() for s in each], **kinds}.items():
        if found:
            print(f"Kind of sound, {kind}: {np.mean(found):.2f} of {len(found)} right.")


if __name__ == "__main__":
    main()
