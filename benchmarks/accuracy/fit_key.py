"""Fits the networks that tell keys: python -m benchmarks.accuracy.fit_key CORPUS FOLDER...

One for sound (loops rendered here, and pieces of the corpus rendered with the same soundfonts), one
for notes (the corpus alone). What `corpus.is_held_out` says is only measured against.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import mir_eval
import numpy as np

from benchmarks.accuracy.compose import Note
from benchmarks.accuracy.corpus import is_held_out
from benchmarks.accuracy.fit_readings import is_apart
from benchmarks.accuracy.fit_sound import extracted
from benchmarks.accuracy.learn import Fitted, choice, fit, in_groups, together
from benchmarks.accuracy.render import RATE, SOUNDFONTS, Band, Score, Timed
from zeroknot.core.audio import Audio
from zeroknot.core.listening.key import key_rows
from zeroknot.core.listening.key_heard import key_profiles
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import WEIGHTS
from zeroknot.core.listening.notes import SoundedNote, note_profiles

MODES = ("major", "minor")
PROGRAMS = (0, 16, 19, 48, 61, 24, 22, 40, 73, 68)
LONGEST_SECONDS = 40.0


def index_of(key: str) -> int:
    """Of a key as the corpus or a library writes it: pitch class of the tonic, minor keys last."""
    tonic, mode = mir_eval.key.split_key_string(key.replace("♯", "#").replace("♭", "b"))
    return int(tonic) + 12 * MODES.index(mode)


def turned(piece: dict, by: int, tempo: float) -> list[SoundedNote]:
    beat = 60 / tempo
    first = min(a for a, _, _ in piece["notes"])
    return [
        SoundedNote((a - first) * beat, (a - first + max(b, 0.1) * 0.95) * beat, p + by, 90)
        for a, b, p in piece["notes"]
    ]


def rendered_profiles(task) -> list[np.ndarray]:
    """A batch of pieces, played with one soundfont."""
    pieces, font, seed = task
    rng = np.random.default_rng(seed)
    scores = []
    for piece in pieces:
        program = int(rng.choice(PROGRAMS))
        notes = [
            n for n in turned(piece, piece["by"], rng.uniform(84, 132)) if n.start < LONGEST_SECONDS
        ]
        timed = tuple(Timed(n.start, n.end, Note(0, 0, "line", n.pitch, 90)) for n in notes)
        scores.append(Score(timed, {"line": program}, 0.0, max(t.end for t in timed), 0.0))
    band = Band(font, Path("/tmp"))
    found = []
    for score, sound in zip(scores, band.record(scores, reverb=True), strict=True):
        part = sound[: int((score.after + 0.6) * RATE)].astype(np.float32)
        audio = Audio(np.ascontiguousarray(part.T / (np.abs(part).max() + 1e-9)), RATE)
        found.append(key_profiles(material_of(audio)))
    return found


def weighted(fitted: Fitted, profiles: np.ndarray, keys: np.ndarray) -> float:
    """mir_eval's weighted key score: 1, 0.5 a fifth off, 0.3 relative, 0.2 parallel."""
    names = [
        f"{n} {m}"
        for m in MODES
        for n in ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
    ]
    total = 0.0
    for p, k in zip(profiles, keys, strict=True):
        best = int(np.argmax(fitted.scores(key_rows(p))))
        total += mir_eval.key.weighted_score(names[k], names[best])
    return total / max(1, len(keys))


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


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--apart", type=Path, nargs="+", required=True, help="measured on")
    parser.add_argument(
        "--songs", type=Path, nargs="*", default=[], help="cut for their keys (song_keys)"
    )
    parser.add_argument("--kept", type=Path)
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    parser.add_argument("--rendered", type=Path, help="file that keeps the corpus's profiles")
    given = parser.parse_args()
    pieces = json.loads(given.corpus.read_text())
    rng = np.random.default_rng(0)
    for i, piece in enumerate(pieces):
        piece["by"] = int(rng.integers(-5, 7)) if i % 2 else 0
    held = np.asarray([is_held_out(p["name"]) for p in pieces])
    keys = np.asarray(
        [(index_of(p["key"]) % 12 + p["by"]) % 12 + index_of(p["key"]) // 12 * 12 for p in pieces]
    )
    notes = np.stack([note_profiles(turned(p, p["by"], 100.0)) for p in pieces])
    by_notes = fitted_on(notes[~held], keys[~held], epochs=30, units=12, decay=1e-3, networks=1)
    print(f"notes: {int((~held).sum())} learnt, {int(held.sum())} held out")
    for source in sorted({p["source"] for p in pieces}):
        of = held & np.asarray([p["source"] == source for p in pieces])
        print("  ", source, int(of.sum()), round(weighted(by_notes, notes[of], keys[of]), 3))
    given.out.mkdir(parents=True, exist_ok=True)
    by_notes.save(given.out / "key-notes.npz")

    # Rendering is slow: every other piece.
    pieces, held, keys = pieces[::2], held[::2], keys[::2]
    if given.rendered and given.rendered.exists():
        sounded = np.load(given.rendered)
    else:
        batches = [
            (pieces[k : k + 20], SOUNDFONTS[(k // 20) % len(SOUNDFONTS)], k)
            for k in range(0, len(pieces), 20)
        ]
        with ProcessPoolExecutor(2) as pool:
            sounded = np.concatenate([np.stack(b) for b in pool.map(rendered_profiles, batches)])
        if given.rendered:
            np.save(given.rendered, sounded)
    learnt, _, loop_keys, _ = tonal(given.folders, given.kept)
    learnt = np.concatenate([learnt, sounded[~held]])
    loop_keys = np.concatenate([loop_keys, keys[~held]])
    songs, _, song_keys, song_truths = tonal(given.songs, given.kept)
    is_one = np.asarray([is_apart(t, is_last=False) for t in song_truths], bool)
    fitted = []
    # One half of the songs, then the other, counted once and twice; each is measured on the half
    # that it has not heard, and all together ship.
    for heard in (~is_one, is_one) if given.songs else (is_one,):
        half = [
            fitted_on(
                np.concatenate([learnt, *[songs[heard]] * times]),
                np.concatenate([loop_keys, *[song_keys[heard]] * times]),
                epochs=20, units=16, decay=1e-2, networks=3,
            )
            for times in ((1, 2) if given.songs else (0,))
        ]  # fmt: skip
        if given.songs:
            _say("songs not heard", together(half), songs[~heard], song_keys[~heard])
        fitted += half
    by_sound = together(fitted)
    by_sound.save(given.out / "key.npz")
    profiles, cents, loop_keys, truths = tonal(given.apart, given.kept)
    off = np.asarray(
        [abs((c - t["cents"] + 50) % 100 - 50) for c, t in zip(cents, truths, strict=True)]
    )
    print(f"tuning: median {np.nanmedian(off):.2f} cents off, within 10: {np.mean(off < 10):.3f}")
    groups = [("pieces", sounded[held], keys[held])]
    for name in ("world", "content"):
        for value in sorted({t[name] for t in truths}):
            of = np.asarray([t[name] == value for t in truths])
            groups.append((f"{name} {value}", profiles[of], loop_keys[of]))
    for name, some, theirs in [("loops", profiles, loop_keys), *groups]:
        _say(name, by_sound, some, theirs)


def _say(name: str, fitted: Fitted, profiles: np.ndarray, keys: np.ndarray) -> None:
    said, right = np.asarray(
        [_told(fitted, p, k) for p, k in zip(profiles, keys, strict=True)]
    ).T  # fmt: skip
    print(f"{name} {right.size}: weighted {weighted(fitted, profiles, keys):.3f}, right "
          f"{right.mean():.3f}, said {said.mean():.3f}")  # fmt: skip


def tonal(folders: list[Path], kept: Path | None):
    """Of the loops that have a key: profiles, cents, keys, truths."""
    if not folders:
        return np.zeros((0, 8, 12), np.float32), np.zeros(0), np.zeros(0, int), []
    _, profiles, cents, truths = extracted(folders, kept)
    of = np.asarray([t["key"] is not None for t in truths])
    truths = [t for t in truths if t["key"] is not None]
    return profiles[of], cents[of], np.asarray([index_of(t["key"]) for t in truths]), truths


def _told(fitted: Fitted, profiles: np.ndarray, key: int) -> tuple[float, bool]:
    """How surely the likeliest key is said, and whether it is right."""
    scores = fitted.scores(key_rows(profiles))
    share = np.exp(scores - scores.max())
    return float(1 / share.sum()), int(scores.argmax()) == key


if __name__ == "__main__":
    main()
