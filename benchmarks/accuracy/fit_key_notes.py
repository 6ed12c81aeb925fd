"""Fits the network that tells keys from notes: python -m ….fit_key_notes CORPUS LOOPS

CORPUS is made by `corpus`, LOOPS by `note_loops`. Learnt from are whole pieces and loops of several
hands; of each a part is only measured against, with the key finders of music21 beside it.
"""

import argparse
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import mir_eval
import numpy as np

from benchmarks.accuracy.corpus import PITCH_CLASSES, is_held_out
from benchmarks.accuracy.fit_key import MODES, fitted_on, index_of
from benchmarks.accuracy.learn import Fitted
from benchmarks.accuracy.note_loops import NoteLoop
from zeroknot.core.listening.key import key_rows
from zeroknot.core.listening.network import WEIGHTS, Network, network
from zeroknot.core.listening.notes import SoundedNote, note_profiles

EVERY_OTHER = 4  # of loops measured against, that the slow finders of others are asked
WHOLE_TEMPO = 100.0  # BPM of quarters that whole pieces are played at
BINS = np.linspace(0.0, 1.0, 11)


@dataclass(frozen=True)
class Told:
    """Whose notes, in which key they are, and what kind of thing they are."""

    notes: list[SoundedNote]
    key: int
    kinds: tuple[str, ...]
    is_learnt: bool


def turned(piece: dict, by: int) -> list[SoundedNote]:
    """A piece from its first note, so many semitones up."""
    beat = 60 / WHOLE_TEMPO
    first = min(a for a, _, _ in piece["notes"])
    return [
        SoundedNote((a - first) * beat, (a - first + max(b, 0.1) * 0.95) * beat, p + by, 90)
        for a, b, p in piece["notes"]
    ]


def everything(pieces: Sequence[dict], loops: Sequence[NoteLoop]) -> list[Told]:
    rng = np.random.default_rng(0)
    told = []
    for piece in pieces:
        by = int(rng.integers(-5, 7))
        key = index_of(piece["key"])
        told.append(
            Told(
                turned(piece, by), (key + by) % 12 + key // 12 * 12,
                ("whole pieces", f"whole pieces: {piece['source']}"),
                not is_held_out(piece["name"]),
            )
        )  # fmt: skip
    for loop in loops:
        kinds = ("loops", f"loops: {loop.source}", f"{loop.source}, {loop.content}")
        bars = f"{loop.source}, bars {loop.bars}"
        told.append(Told(loop.sounded, index_of(loop.key), (*kinds, bars), loop.is_learnt))
    return told


def beside(told: Sequence[Told]) -> dict[str, list[float]]:
    """What each of music21's key finders gets, weighted."""
    from music21 import analysis, note, stream

    finders: dict[str, Callable] = {
        name: getattr(analysis.discrete, name)
        for name in ("KrumhanslSchmuckler", "AardenEssen", "SimpleWeights", "BellmanBudge",
                     "TemperleyKostkaPayne")
    }  # fmt: skip
    scores: dict[str, list[float]] = {name: [] for name in finders}
    for one in told:
        line = stream.Stream()
        for n in one.notes:
            # A second is a quarter.
            line.insert(n.start, note.Note(n.pitch, quarterLength=max(n.end - n.start, 0.05)))
        for name, finder in finders.items():
            found = finder().getSolution(line)
            other = found.tonic.pitchClass + 12 * MODES.index(found.mode)
            scores[name].append(weighted_score(one.key, other))
    return scores


def named(key: int) -> str:
    return f"{PITCH_CLASSES[key % 12].replace('♯', '#').replace('♭', 'b')} {MODES[key // 12]}"


def weighted_score(right: int, heard: int) -> float:
    return float(mir_eval.key.weighted_score(named(right), named(heard)))


def heard(judge: Fitted | Network, notes: list[SoundedNote]) -> tuple[int, float]:
    """The likeliest key, and how surely it is said."""
    scores = judge.scores(key_rows(note_profiles(notes)))
    return int(scores.argmax()), float(1 / np.exp(scores - scores.max()).sum())


def reported(told: Sequence[Told], judge: Fitted | Network) -> None:
    keys, said = np.asarray([heard(judge, t.notes) for t in told]).T
    scores = np.asarray([weighted_score(t.key, int(k)) for t, k in zip(told, keys, strict=True)])
    right = keys == [t.key for t in told]
    for kind in sorted({k for t in told for k in t.kinds}):
        of = np.asarray([kind in t.kinds for t in told])
        print(f"{kind:34} {of.sum():5d}  weighted {scores[of].mean():.3f}  right "
              f"{right[of].mean():.3f}  said {said[of].mean():.3f}  apart "
              f"{apart(said[of], right[of]):.3f}")  # fmt: skip


def apart(said: np.ndarray, right: np.ndarray) -> float:
    """Calibration error: how far what is said is from what is right, over tenths of surety."""
    bins = np.clip(np.digitize(said, BINS) - 1, 0, BINS.size - 2)
    return float(
        sum(
            abs(said[bins == b].mean() - right[bins == b].mean()) * (bins == b).mean()
            for b in np.unique(bins)
        )
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("loops", type=Path)
    parser.add_argument("--out", type=Path, default=WEIGHTS)
    parser.add_argument("--beside", action="store_true", help="ask music21, too")
    parser.add_argument("--measure", action="store_true", help="what ships, nothing is fitted")
    given = parser.parse_args()
    loops = [NoteLoop(**one) for one in json.loads(given.loops.read_text())]
    told = everything(json.loads(given.corpus.read_text()), loops)
    learnt = [t for t in told if t.is_learnt]
    held = [t for t in told if not t.is_learnt]
    judge: Fitted | Network = network("key-notes")
    if not given.measure:
        profiles = np.stack([note_profiles(t.notes) for t in learnt])
        keys = np.asarray([t.key for t in learnt])
        judge = fitted_on(profiles, keys, epochs=30, units=32, decay=1e-3, networks=2)
        judge.save(given.out / "key-notes.npz")
    print(f"{len(learnt)} learnt from, {len(held)} only measured against")
    reported(held, judge)
    if given.beside:
        some = held[::EVERY_OTHER]
        ours = [weighted_score(t.key, heard(judge, t.notes)[0]) for t in some]
        for name, scores in {"Zero Knot": ours, **beside(some)}.items():
            for kind in sorted({k for t in some for k in t.kinds if k.startswith(("l", "w"))}):
                of = [score for score, t in zip(scores, some, strict=True) if kind in t.kinds]
                print(f"{name:22} {kind:30} {len(of):4d}  weighted {np.mean(of):.3f}")


if __name__ == "__main__":
    main()
