"""What does shifting the tones alone bring, and at what cost? Mixes with drums, shifted.

    python -m benchmarks.apart.judge FOLDER [--seeds 51 52 53]

The wanted sound is the same notes played so many semitones higher, with the very same drums. Each
way is scored as stretches are (benchmarks/quality/measures): Weave's shift of the whole, ours
apart, apart by medians (librosa), and what parts that are known exactly would give. Then the hits
alone: by how many cents are they off the drums that were played?
"""

import argparse
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.accuracy.compose import Spec
from benchmarks.accuracy.render import RATE, SOUNDFONTS
from benchmarks.apart.stems import BARS, Played
from benchmarks.quality.judge import HALF_HELD, stretched, table
from benchmarks.quality.measures import Sound, Truth, score
from zeroknot.core.apart.apart import tones_of
from zeroknot.core.audio import Audio
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.stretch.settings import StretchSettings

SHIFTS = (-7, -5, -4, -2, -1, 1, 2, 4, 5, 7)
KINDS = (
    ("funk", ("drums", "bass", "chords", "line"), "funk",
     {"drums": 8, "bass": 33, "chords": 4, "line": 26}),
    ("pads", ("drums", "bass", "pad", "voice"), "floor",
     {"drums": 24, "bass": 38, "pad": 50, "voice": 52}),
    ("arpeggio", ("drums", "bass", "chords", "arp"), "rock",
     {"drums": 0, "bass": 34, "chords": 27, "arp": 11}),
    ("break and organ", ("drums", "chords"), "broken", {"drums": 16, "chords": 16}),
    ("machine and piano", ("drums", "chords", "bass"), "trap",
     {"drums": 25, "chords": 0, "bass": 38}),
    ("hand drums and guitar", ("percussion", "chords"), "clave", {"drums": 0, "chords": 24}),
    ("jazz", ("drums", "bass", "line"), "swing16", {"drums": 40, "bass": 32, "line": 65}),
)  # fmt: skip
BALANCES_DB = (0.0, -4.0, 4.0)  # of the hits, by seed
Tones = Callable[[Sound, Sound], Sound]  # of (mix, its true tones): what is taken for tones


def ours(mix: Sound, tones: Sound) -> Sound:
    return tones_of(Audio(np.ascontiguousarray(mix.T), RATE)).T


def by_medians(mix: Sound, tones: Sound) -> Sound:
    import librosa

    channels = [librosa.effects.harmonic(np.ascontiguousarray(c), margin=1.0) for c in mix.T]
    return np.stack(channels, axis=1)


def known(mix: Sound, tones: Sound) -> Sound:
    return tones


WAYS: dict[str, Tones | None] = {
    "all of it (Weave)": None, "apart": ours, "apart by medians (librosa)": by_medians,
    "parts known exactly": known,
}  # fmt: skip


def cases(folder: Path, seed: int) -> list[Path]:
    """The mixes of a seed: their parts, by shift, in files; made where they are not there yet."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    found = []
    for i, (_, content, feel, programs) in enumerate(KINDS):
        spec = Spec(
            content=content, metre="4/4", feel=feel, bars=BARS, tempo=float(rng.uniform(84, 124)),
            key=(int(rng.integers(12)), bool(rng.random() < 0.5)), sparse=False, pickup=0.0,
            seed=int(rng.integers(2**31)),
        )  # fmt: skip
        swing = float(rng.uniform(0.54, 0.62)) if feel == "swing16" else 0.5
        file = folder / f"{seed}-{i}.npz"
        found.append(file)
        if file.exists():
            continue
        soundfont = SOUNDFONTS[(i + seed) % len(SOUNDFONTS)]
        played = Played(spec, programs, soundfont, folder, swing)
        tones = {s: played.part(False, s) for s in (0, *SHIFTS)}
        hits = played.part(True)
        # Drums that are far softer than the rest come halfway up; then the balance of the seed.
        level = np.sqrt((tones[0] ** 2).mean() / (hits**2).mean())
        hits *= (0.25 * level**0.5 + 0.75) * 10 ** (BALANCES_DB[seed % len(BALANCES_DB)] / 20)
        gain = 0.7 / max(np.abs(t + hits).max() for t in tones.values())
        np.savez(
            file, hits=(hits * gain).astype(np.float32), attacks=np.asarray(played.attacks),
            **{f"{s:+d}": (t * gain).astype(np.float32) for s, t in tones.items()},
        )  # fmt: skip
    return found


def judged(file: Path) -> list[tuple[str, str, int, float]]:
    """(loop, way, shift, score) of one mix; shift 0 stands for cents by which its hits are off."""
    kept = np.load(file)
    hits, name = kept["hits"], KINDS[int(file.stem.split("-")[1])][0]
    mix = kept["+0"] + hits
    material = material_of(Audio(np.ascontiguousarray(mix.T), RATE))
    heard = sound_heard(material, mix.shape[0] / RATE)
    rows = [(name, f"heard as {heard.kind}", 0, 0.0)]
    settings = StretchSettings(formants=HALF_HELD)
    for way, tones_by in WAYS.items():
        tones = mix if tones_by is None else np.asarray(tones_by(mix, kept["+0"]), np.float32)
        for shift in SHIFTS:
            truth = Truth(kept[f"{shift:+d}"] + hits, tuple(kept["attacks"]))
            attacks = material.everything
            moved = stretched(tones, attacks, "weave", 1.0, settings, float(shift))
            rows.append((name, way, shift, score(truth.against(moved + mix - tones))))
        if tones_by is not None:
            rows.append((name, way, 0, Truth(hits, ()).against(mix - tones)["tune_cents"]))
    return rows


def report(rows: list[tuple[str, str, int, float]]) -> str:
    def mean(way: str, shift: int, loop: str | None = None) -> float:
        found = [r[3] for r in rows if r[1] == way and r[2] == shift and loop in (None, r[0])]
        return float(np.mean(found))

    whole = next(iter(WAYS))
    lines = [[whole, *(mean(whole, s) for s in SHIFTS), ""]]
    for way in [w for w in WAYS if w != whole]:
        gains = [f"{mean(way, s) - mean(whole, s):+.1f}" for s in SHIFTS]
        off = [r[3] for r in rows if r[1] == way and r[2] == 0]
        lines.append([way, *gains, f"{np.median(off):.0f}; {sum(o > 3 for o in off)} over 3"])
    parts = [table(["score, then gain", *(f"{s:+d}" for s in SHIFTS), "hits off, cents"], lines)]
    loops = [kind[0] for kind in KINDS]
    far = [s for s in SHIFTS if abs(s) >= 4]
    near = [s for s in SHIFTS if abs(s) < 4]
    gained = [
        [loop, *(f"{np.mean([mean('apart', s, loop) - mean(whole, s, loop) for s in some]):+.1f}"
                 for some in (far, near))]
        for loop in loops
    ]  # fmt: skip
    parts.append(table(["apart, by loop", "from 4 on", "below"], gained))
    kinds = [r[1] for r in rows if r[1].startswith("heard")]
    parts.append(", ".join(f"{k}: {kinds.count(k)}" for k in dict.fromkeys(kinds)))
    return "\n".join(parts)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seeds", type=int, nargs="+", default=[51, 52, 53])
    given = parser.parse_args()
    files = [file for seed in given.seeds for file in cases(given.folder, seed)]
    with ProcessPoolExecutor(2) as pool:
        rows = [row for found in pool.map(judged, files) for row in found]
    print(report(rows))


if __name__ == "__main__":
    main()
