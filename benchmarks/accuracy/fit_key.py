"""Fits the network that tells keys of sounds: python -m benchmarks.accuracy.fit_key LOOPS FOLDER...

LOOPS is made by `note_loops`; those cut from the corpus are rendered with soundfonts. FOLDERs hold
loops made by `loops` and `styles`.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import mir_eval
import numpy as np

from benchmarks.accuracy.compose import Note
from benchmarks.accuracy.fit_readings import is_apart
from benchmarks.accuracy.fit_sound import extracted
from benchmarks.accuracy.learn import Fitted, choice, fit, in_groups, together
from benchmarks.accuracy.note_loops import NoteLoop
from benchmarks.accuracy.render import RATE, Band, Score, Timed
from zeroknot.core.audio import Audio
from zeroknot.core.listening.key import key_rows
from zeroknot.core.listening.key_heard import key_profiles
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import PARTS, WEIGHTS

MODES = ("major", "minor")
CHORALES = "bach"
# General MIDI programs: what plays chorales, what plays tunes, an octave lower at times.
PLAYERS = {
    True: (0, 16, 19, 48, 61, 24, 22, 40, 73, 68),
    False: (0, 4, 11, 22, 24, 26, 40, 52, 53, 56, 57, 65, 66, 68, 71, 73, 75, 80, 81, 91),
}
OCTAVES = (0, 0, 0, -12)
RINGS_SECONDS = (0.0, 0.0, 0.6)  # left on after the last note
LEARNT_FONTS, APART_FONTS = ("fluid", "tim", "muse", "mono"), ("bank", "opl")
BATCH = 20
SONGS_COUNT = 2  # times that a song's loop is learnt from
BEFORE = 0.35  # share of the network that is averaged in


def index_of(key: str) -> int:
    """Of a key as the corpus or a library writes it: pitch class of the tonic, minor keys last."""
    tonic, mode = mir_eval.key.split_key_string(key.replace("♯", "#").replace("♭", "b"))
    return int(tonic) + 12 * MODES.index(mode)


def rendered_profiles(task: tuple[list[NoteLoop], str, int]) -> list[tuple[np.ndarray, int]]:
    """Profiles and keys of a batch of loops, played with one soundfont."""
    loops, font, seed = task
    rng = np.random.default_rng(seed)
    scores = []
    for loop in loops:
        is_chorale = loop.source == CHORALES
        program = int(rng.choice(PLAYERS[is_chorale]))
        octave = 0 if is_chorale else int(rng.choice(OCTAVES))
        timed = tuple(
            Timed(start, start + 0.95 * (end - start), Note(0, 0, "line", pitch + octave, 90))
            for start, end, pitch in loop.notes
        )
        scores.append(Score(timed, {"line": program}, 0.0, max(t.end for t in timed), 0.0))
    sounds = Band(font, Path("/tmp")).record(scores, reverb=bool(seed % 2))
    found = []
    for loop, score, sound in zip(loops, scores, sounds, strict=True):
        part = sound[: int((score.after + rng.choice(RINGS_SECONDS)) * RATE)].astype(np.float32)
        audio = Audio(np.ascontiguousarray(part.T / (np.abs(part).max() + 1e-9)), RATE)
        material = material_of(audio)
        if material.cents is not None:
            found.append((key_profiles(material), index_of(loop.key)))
    return found


def rendered(loops: list[NoteLoop], count: int, fonts: tuple[str, ...], kept: Path | None):
    """Profiles and keys of `count` of the loops; read from a file where they are kept."""
    if kept and kept.exists():
        with np.load(kept) as known:
            return known["profiles"], known["keys"]
    drawn = np.random.default_rng(5).permutation(len(loops))[:count]
    some = [loops[i] for i in drawn]
    tasks = [
        (some[k : k + BATCH], fonts[k // BATCH % len(fonts)], k // BATCH)
        for k in range(0, len(some), BATCH)
    ]
    with ProcessPoolExecutor(2) as pool:
        found = [one for batch in pool.map(rendered_profiles, tasks) for one in batch]
    profiles, keys = np.stack([p for p, _ in found]), np.asarray([k for _, k in found])
    if kept:
        np.savez_compressed(kept, profiles=profiles, keys=keys)
    return profiles, keys


def weighted(told: np.ndarray, keys: np.ndarray) -> float:
    """mir_eval's weighted key score: 1, 0.5 a fifth off, 0.3 relative, 0.2 parallel."""
    names = [
        f"{n} {m}"
        for m in MODES
        for n in ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
    ]
    scores = [
        mir_eval.key.weighted_score(names[k], names[t]) for t, k in zip(told, keys, strict=True)
    ]
    return float(np.mean(scores)) if scores else 0.0


def fitted_on(
    profiles: np.ndarray, keys: np.ndarray, *, epochs: int, units: int, decay: float, networks: int
) -> Fitted:
    """Networks from as many seeds, averaged."""
    rows = np.concatenate([key_rows(p) for p in profiles])
    right = np.zeros(rows.shape[0], bool)
    right[np.arange(keys.size) * 24 + keys] = True
    group = np.repeat(np.arange(keys.size), 24)
    starts = np.arange(keys.size) * 24
    return together([
        fit(
            rows, in_groups(starts, np.full(keys.size, 24), 16), choice(right, group),
            units=units, epochs=epochs, decay=decay, rate=2e-3, seed=seed,
        )
        for seed in range(networks)
    ])  # fmt: skip


def read(file: Path) -> Fitted:
    with np.load(file) as kept:
        parts = {name: kept[name] for name in PARTS if name not in ("mean", "spread")}
        return Fitted(kept["mean"], kept["spread"], parts)


def grown(fitted: Fitted, features: int) -> Fitted:
    """One that was told fewer profiles, the first of those there are now: deaf to the others."""
    size, more = fitted.mean.size // 2, (features - fitted.mean.size) // 2

    def wider(rows: np.ndarray, fill: float) -> np.ndarray:
        gap = np.full((more, *rows.shape[1:]), fill, np.float32)
        return np.concatenate([rows[:size], gap, rows[size : 2 * size], gap, rows[2 * size :]])

    wide = {name: wider(fitted.parts[name], 0.0) for name in ("hidden", "straight")}
    return Fitted(wider(fitted.mean, 0.0), wider(fitted.spread, 1.0), fitted.parts | wide)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("loops", type=Path)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--apart", type=Path, nargs="+", required=True, help="measured on")
    parser.add_argument(
        "--songs", type=Path, nargs="*", default=[], help="cut for their keys (song_keys)"
    )
    parser.add_argument("--count", type=int, default=2400, help="loops of the corpus to render")
    parser.add_argument("--kept", type=Path, help="folder that keeps what was extracted")
    parser.add_argument("--onto", type=Path, help="a network before, that is averaged in")
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    given = parser.parse_args()
    loops = [NoteLoop(**one) for one in json.loads(given.loops.read_text())]
    of_corpus = [loop for loop in loops if loop.source not in ("composed", "grooves")]

    def played(is_learnt: bool, count: int, fonts: tuple[str, ...]):
        kept = given.kept and given.kept / f"rendered-{'learnt' if is_learnt else 'apart'}.npz"
        return rendered([p for p in of_corpus if p.is_learnt == is_learnt], count, fonts, kept)

    profiles, keys = played(True, given.count, LEARNT_FONTS)
    learnt, _, loop_keys, _ = tonal(given.folders, given.kept)
    learnt, loop_keys = np.concatenate([learnt, profiles]), np.concatenate([loop_keys, keys])
    songs, _, song_keys, song_truths = tonal(given.songs, given.kept)
    is_one = np.asarray([is_apart(t, is_last=False) for t in song_truths], bool)
    fitted = []
    # One half of the songs, then the other; each is measured on the half that it has not heard, and
    # both together ship.
    for heard in (~is_one, is_one) if given.songs else (is_one,):
        rows = np.concatenate([learnt, *[songs[heard]] * SONGS_COUNT])
        right = np.concatenate([loop_keys, *[song_keys[heard]] * SONGS_COUNT])
        fitted.append(fitted_on(rows, right, epochs=20, units=24, decay=1e-2, networks=3))
        if given.songs:
            _say("songs not heard", fitted[-1], songs[~heard], song_keys[~heard])
    by_ear = together(fitted)
    if given.onto:
        before = grown(read(given.onto), by_ear.mean.size)
        by_ear = together([by_ear, before], (1 - BEFORE, BEFORE))
    by_ear.save(given.out / "key.npz")
    _say("corpus", by_ear, *played(False, given.count // 4, APART_FONTS))
    for folder in given.apart:
        profiles, cents, loop_keys, truths = tonal([folder], given.kept)
        off = [abs((c - t["cents"] + 50) % 100 - 50) for c, t in zip(cents, truths, strict=True)]
        print(f"tuning: median {np.nanmedian(off):.2f} cents off, "
              f"within 10: {np.mean(np.less(off, 10)):.3f}")  # fmt: skip
        _say(str(folder), by_ear, profiles, loop_keys)
        for content in sorted({t["content"] for t in truths}):
            of = np.asarray([t["content"] == content for t in truths])
            _say(f"  {content}", by_ear, profiles[of], loop_keys[of])


def _say(name: str, fitted: Fitted, profiles: np.ndarray, keys: np.ndarray) -> None:
    scores = np.stack([fitted.scores(key_rows(p)) for p in profiles])
    told = scores.argmax(axis=1)
    said = 1 / np.exp(scores - scores.max(axis=1, keepdims=True)).sum(axis=1)
    print(f"{name} {keys.size}: weighted {weighted(told, keys):.3f}, right "
          f"{np.mean(told == keys):.3f}, said {said.mean():.3f}")  # fmt: skip


def tonal(folders: list[Path], kept: Path | None):
    """Of the loops that have a key: profiles, cents, keys, truths."""
    if not folders:
        return np.zeros((0, 12, 12), np.float32), np.zeros(0), np.zeros(0, int), []
    _, profiles, cents, truths = extracted(folders, kept)
    of = np.asarray([t["key"] is not None for t in truths])
    truths = [t for t in truths if t["key"] is not None]
    return profiles[of], cents[of], np.asarray([index_of(t["key"]) for t in truths]), truths


if __name__ == "__main__":
    main()
