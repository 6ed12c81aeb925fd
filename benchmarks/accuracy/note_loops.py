"""Loops of notes whose key is known: python -m benchmarks.accuracy.note_loops CORPUS FILE...

Of three hands: cut at the bars of pieces in the corpus (chorales and dance tunes), composed here
(`compose`), and played by a free accompanist from its files of grooves (`styles`). What people
bring as MIDI is a loop of one to eight bars, seldom a piece.
"""

import argparse
import json
import zlib
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.accuracy.compose import Note, compose
from benchmarks.accuracy.corpus import PITCH_CLASSES, is_held_out
from benchmarks.accuracy.fit_readings import is_apart
from benchmarks.accuracy.loops import plan
from benchmarks.accuracy.styles import DRUM_CHANNEL, Piece, grooves_of, piece_drawn
from zeroknot.core.listening.notes import SoundedNote

BARS = (1, 2, 2, 4, 4, 8)
TEMPOS = (66.0, 168.0)  # BPM of quarters
FEWEST_NOTES = 3
EARLY = 0.06  # of a bar: what is played that much before it belongs to it
COMPOSED_TWICE = 2  # composed loops are learnt from by one seed, measured on by another


@dataclass(frozen=True)
class NoteLoop:
    """name     of the piece, the file of grooves or the seed
    source   by whose hand
    content  the roles that are heard
    key      "C♯ minor"
    notes    (start, end, pitch), in seconds from the loop's beginning
    """

    name: str
    source: str
    content: str
    bars: int
    key: str
    is_learnt: bool
    notes: tuple[tuple[float, float, int], ...]

    @property
    def sounded(self) -> list[SoundedNote]:
        return [SoundedNote(start, end, pitch, 90) for start, end, pitch in self.notes]


def key_name(tonic: int, is_minor: bool) -> str:
    return f"{PITCH_CLASSES[tonic % 12]} {'minor' if is_minor else 'major'}"


def of_piece(piece: dict, count: int, seed: int) -> Iterator[NoteLoop]:
    """Cut at bars of a piece of the corpus, each turned by some semitones."""
    rng = np.random.default_rng([seed, zlib.crc32(piece["name"].encode())])
    starts, bar = piece["bars"], piece["bar_quarters"]
    tonic, mode = piece["key"].split()
    for _ in range(count):
        bars = int(rng.choice(BARS))
        full = [
            first
            for first, last in zip(starts, starts[bars:], strict=False)
            if abs(last - first - bars * bar) < 1e-3
        ]
        if not full:
            continue
        first, by = full[int(rng.integers(len(full)))], int(rng.integers(-5, 7))
        quarter = 60 / rng.uniform(*TEMPOS)
        notes = _cut(
            ((a - first, a - first + b, p + by) for a, b, p in piece["notes"]), bars * bar, quarter
        )
        key = key_name(PITCH_CLASSES.index(tonic) + by, mode == "minor")
        if len(notes) >= FEWEST_NOTES:
            yield NoteLoop(
                piece["name"], piece["source"], piece["source"], bars, key,
                not is_held_out(piece["name"]), notes,
            )  # fmt: skip


def composed(seed: int, count: int) -> Iterator[NoteLoop]:
    """By `compose`, what is struck left out."""
    for _, spec in plan(seed, count):
        if spec.key is None:
            continue
        rng = np.random.default_rng(spec.seed)
        played: list[Note] = [
            n for n in compose(spec, rng) if n.role not in ("drums", "percussion")
        ]
        pulse = 60 / spec.tempo
        notes = _cut(((n.at, n.at + n.length, n.pitch) for n in played), float(spec.pulses), pulse)
        roles = dict.fromkeys(n.role for n in played)
        if len(notes) >= FEWEST_NOTES:
            yield NoteLoop(
                f"{seed}/{spec.seed}", "composed", "+".join(roles), spec.bars,
                key_name(*spec.key), bool(seed % COMPOSED_TWICE), notes,
            )  # fmt: skip


def of_grooves(file: Path, count: int, seed: int) -> list[NoteLoop]:
    """Played by the accompanist from one of its files."""
    rng = np.random.default_rng([seed, zlib.crc32(str(file).encode())])
    grooves = grooves_of(file.read_text(errors="replace"))
    found = []
    for _ in range(count if grooves else 0):
        piece = piece_drawn(grooves[int(rng.integers(len(grooves)))], file, rng)
        loop = piece and _of_groove(piece, file)
        if loop:
            found.append(loop)
    return found


def _of_groove(piece: Piece, file: Path) -> NoteLoop | None:
    first = piece.lead * piece.bar_seconds
    lines = [line for line in piece.lines if line.role != "drums"]
    notes = _cut(
        ((a - first, b - first, p) for line in lines for a, b, p in _held(line.events)),
        piece.bars * piece.bar_seconds, 1.0, early=EARLY * piece.bar_seconds,
    )  # fmt: skip
    if len(notes) < FEWEST_NOTES:
        return None
    roles = dict.fromkeys(line.role for line in lines)
    name = f"styles {file.parent.name}/{file.stem}"
    return NoteLoop(
        name, "grooves", "+".join(roles), piece.bars, key_name(piece.tonic, piece.is_minor),
        not is_apart({"world": name}, is_last=False), notes,
    )  # fmt: skip


def _held(events: Sequence[tuple]) -> Iterator[tuple[float, float, int]]:
    """Notes out of (second, order, message): start, end, pitch."""
    held: dict[tuple[int, int], float] = {}
    for second, _, message in sorted(events, key=lambda e: e[:2]):
        if message.type not in ("note_on", "note_off") or message.channel == DRUM_CHANNEL:
            continue
        at = message.channel, message.note
        if at in held:
            yield held.pop(at), second, message.note
        if message.type == "note_on" and message.velocity:
            held[at] = second


def _cut(
    notes: Iterator[tuple[float, float, int]], length: float, unit: float, early: float = 1e-3
) -> tuple[tuple[float, float, int], ...]:
    """What begins from 0 to `length`, both counted in units of so many seconds."""
    return tuple(
        (round(max(start, 0.0) * unit, 4), round(min(end, length) * unit, 4), int(pitch))
        for start, end, pitch in sorted(notes)
        if -early <= start < length - early and end > max(start, 0.0)
    )


def made(
    corpus: Sequence[dict], files: Sequence[Path], *, seed: int, pieces: int, grooves: int, own: int
) -> list[NoteLoop]:
    """pieces, grooves  loops of each piece, of each file; own  composed ones learnt from"""
    loops = [loop for piece in corpus for loop in of_piece(piece, pieces, seed)]
    for which, count in ((1, own), (0, own // 4)):
        loops += composed(COMPOSED_TWICE * seed + which, count)
    with ProcessPoolExecutor(2) as pool:
        for found in pool.map(partial(of_grooves, count=grooves, seed=seed), files):
            loops += found
    return loops


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("corpus", type=Path)
    parser.add_argument("files", type=Path, nargs="+", help="of grooves")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--pieces", type=int, default=6, help="loops of each piece")
    parser.add_argument("--grooves", type=int, default=14, help="loops of each file")
    parser.add_argument("--own", type=int, default=12_000, help="loops composed here")
    given = parser.parse_args()
    loops = made(
        json.loads(given.corpus.read_text()), given.files, seed=given.seed, pieces=given.pieces,
        grooves=given.grooves, own=given.own,
    )  # fmt: skip
    given.out.write_text(json.dumps([asdict(loop) for loop in loops]))
    print(f"{len(loops)} loops")


if __name__ == "__main__":
    main()
