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
from benchmarks.accuracy.corpus import PITCH_CLASSES, is_held_out
from benchmarks.accuracy.fit_attacks import loops
from benchmarks.accuracy.fit_sound import extracted
from benchmarks.accuracy.learn import Fitted, choice, fit, in_groups
from benchmarks.accuracy.render import RATE, SOUNDFONTS, Band, Score, Timed
from zeroknot.core.audio import Audio
from zeroknot.core.listening.key import key_profiles, key_rows
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.network import WEIGHTS
from zeroknot.core.listening.notes import SoundedNote, note_profiles

MODES = ("major", "minor")
PROGRAMS = (0, 16, 19, 48, 61, 24, 22, 40, 73, 68)
LONGEST_SECONDS = 40.0


def index_of(key: str) -> int:
    tonic, mode = key.split()
    return PITCH_CLASSES.index(tonic) + 12 * MODES.index(mode)


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


def fitted_on(profiles: np.ndarray, keys: np.ndarray, epochs: int, units: int) -> Fitted:
    rows = np.concatenate([key_rows(p) for p in profiles])
    right = np.zeros(rows.shape[0], bool)
    right[np.arange(keys.size) * 24 + keys] = True
    group = np.repeat(np.arange(keys.size), 24)
    starts = np.arange(keys.size) * 24
    return fit(
        rows, in_groups(starts, np.full(keys.size, 24), 16), choice(right, group),
        units=units, epochs=epochs, decay=1e-3, rate=2e-3,
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--kept", type=Path)
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
    by_notes = fitted_on(notes[~held], keys[~held], 30, 12)
    print(f"notes: {int((~held).sum())} learnt, {int(held.sum())} held out")
    for source in sorted({p["source"] for p in pieces}):
        of = held & np.asarray([p["source"] == source for p in pieces])
        print("  ", source, int(of.sum()), round(weighted(by_notes, notes[of], keys[of]), 3))
    by_notes.save(WEIGHTS / "key-notes.npz")

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
    todo = loops(given.folders)
    _, profiles, cents, which = extracted(todo, given.kept)
    truths = [todo[i][1] for i in which]
    tonal = np.asarray([t["key"] is not None for t in truths])
    loop_keys = np.asarray([index_of(t["key"]) if t["key"] else 0 for t in truths])
    apart = np.arange(len(truths)) >= len(truths) * 4 // 5
    off = np.asarray(
        [abs((c - t["cents"] + 50) % 100 - 50) for c, t in zip(cents, truths, strict=True)]
    )
    print(
        "tuning: median",
        np.nanmedian(off[tonal]).round(2),
        "within 10:",
        np.mean(off[tonal] < 10).round(3),
    )
    learn = tonal & ~apart
    by_sound = fitted_on(
        np.concatenate([profiles[learn], sounded[~held]]),
        np.concatenate([loop_keys[learn], keys[~held]]), 30, 16,
    )  # fmt: skip
    test = tonal & apart
    on_loops = weighted(by_sound, profiles[test], loop_keys[test])
    on_corpus = weighted(by_sound, sounded[held], keys[held])
    print(f"sound: {on_loops:.3f} on {test.sum()} loops, {on_corpus:.3f} on {held.sum()} pieces")
    by_sound.save(WEIGHTS / "key.npz")


if __name__ == "__main__":
    main()
