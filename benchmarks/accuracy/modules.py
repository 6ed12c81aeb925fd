"""Real loops with exact rows: pieces written as patterns of samples, cut at their bars.

    python -m benchmarks.accuracy.modules FOLDER --seed N --count N FILE...

FILEs are .mod, .s3m, .xm and .it, which Debian packages of games carry (MODULES); nothing of them
is kept but loops made here. They are played by libopenmpt (Debian: libopenmpt0, BSD) through its C
interface, which says on which row it is; some channels are silenced, so that one piece gives drums,
basses and mixes.

Conventions
-----------
- Rows of one speed and tempo are as long as one another: their times are those of the line through
  where they were seen.
- A beat has four rows, or as many times more or fewer as bring the tempo into COUNTED; a bar four
  beats. People may count otherwise: an octave apart is told apart in what is measured.
"""

import argparse
import ctypes
import json
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.chain import RATE, Rng
from benchmarks.accuracy.conditions import CONDITIONS, Cut, conditioned
from benchmarks.accuracy.loops import SHORTEST_SECONDS, Truth

MODULES = (
    "bb", "biniax2-data", "bomberclone-data", "bugsquish", "ceferino-data", "circuslinux-data",
    "criticalmass-data", "cuyo-data", "dodgindiamond2", "fb-music-high", "flobopuyo",
    "freedroid-data", "gemdropx", "gl-117-data", "gweled", "heroes-sound-tracks", "madbomber-data",
    "monsterz-data",
)  # fmt: skip
COUNTED = (70.0, 170.0)  # BPM
CHUNK = 64  # frames between two looks at the row
LONGEST_SECONDS = 20.0
PIECE_SECONDS = 150.0
BARS = (1, 1, 1, 1, 2, 2, 2, 2, 4, 4, 4, 8)
ROWS = 4  # of a beat, as a rule
QUIET = 0.003  # rms of what is not worth hearing
ENTRIES, SET_MUTE = 16, 10  # of libopenmpt's table of the "interactive" interface


@dataclass(frozen=True)
class Played:
    """A piece, or some of its channels.

    sound  float32 [frames, 2]
    rows   (frame, order, row, frames of a row) of each row that was begun
    """

    sound: np.ndarray
    rows: list[tuple[int, int, int, float]]


def played(data: bytes, silenced: set[int]) -> Played:
    """Play a piece once."""
    lib = _library()
    own = lib.openmpt_module_ext_create_from_memory(
        data, len(data), None, None, None, None, None, None, None
    )
    if not own:
        raise ValueError("no piece")
    module = lib.openmpt_module_ext_get_module(own)
    try:
        table = (ctypes.c_void_p * ENTRIES)()
        lib.openmpt_module_ext_get_interface(own, b"interactive", table, ctypes.sizeof(table))
        kind = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_void_p, ctypes.c_int32, ctypes.c_int)
        mute = kind(table[SET_MUTE])
        for channel in silenced:
            mute(own, channel, 1)
        chunk = np.empty((CHUNK, 2), np.float32)
        parts, rows, before = [], [], (-1, -1)
        at = 0
        while at < PIECE_SECONDS * RATE:
            count = lib.openmpt_module_read_interleaved_float_stereo(
                module, RATE, CHUNK, chunk.ctypes.data
            )
            if not count:
                break
            here = (
                lib.openmpt_module_get_current_order(module),
                lib.openmpt_module_get_current_row(module),
            )
            if here != before:
                ticks = lib.openmpt_module_get_current_speed(module)
                tempo = lib.openmpt_module_get_current_tempo(module)
                rows.append((at, *here, ticks * 2.5 / tempo * RATE))
                before = here
            parts.append(chunk[:count].copy())
            at += count
        return Played(np.concatenate(parts), rows)
    finally:
        lib.openmpt_module_ext_destroy(own)


def channels_of(data: bytes) -> int:
    """How many channels a piece has; 0 where it is none."""
    lib = _library()
    own = lib.openmpt_module_ext_create_from_memory(
        data, len(data), None, None, None, None, None, None, None
    )
    if not own:
        return 0
    count = lib.openmpt_module_get_num_channels(lib.openmpt_module_ext_get_module(own))
    lib.openmpt_module_ext_destroy(own)
    return int(count)


def _library() -> ctypes.CDLL:
    lib = ctypes.CDLL("libopenmpt.so.0")
    pointer, number = ctypes.c_void_p, ctypes.c_int32
    lib.openmpt_module_ext_create_from_memory.restype = pointer
    lib.openmpt_module_ext_create_from_memory.argtypes = [
        ctypes.c_char_p, ctypes.c_size_t, *[pointer] * 7
    ]  # fmt: skip
    lib.openmpt_module_ext_get_module.restype = pointer
    lib.openmpt_module_ext_get_module.argtypes = [pointer]
    lib.openmpt_module_ext_destroy.argtypes = [pointer]
    lib.openmpt_module_ext_get_interface.argtypes = [
        pointer, ctypes.c_char_p, pointer, ctypes.c_size_t
    ]  # fmt: skip
    read = lib.openmpt_module_read_interleaved_float_stereo
    read.restype = ctypes.c_size_t
    read.argtypes = [pointer, number, ctypes.c_size_t, pointer]
    for name in ("current_order", "current_row", "current_speed", "current_tempo", "num_channels"):
        getattr(lib, f"openmpt_module_get_{name}").argtypes = [pointer]
    return lib


def steady(
    rows: list[tuple[int, int, int, float]],
) -> Iterator[tuple[np.ndarray, list[int], float]]:
    """Stretches of one tempo: exact frames of their rows, the rows' numbers, frames of a row.

    A player rounds its ticks to whole frames, or does not: what was seen says how long a row is, a
    straight line through all of them to a hundredth of a frame. What a tempo is written as would be
    off by a tenth of a second after a minute or two.
    """
    first = 0
    for i in range(1, len(rows) + 1):
        goes_on = (
            i < len(rows)
            and rows[i][3] == rows[first][3]
            and abs(rows[i][0] - rows[i - 1][0] - rows[first][3]) < 2 * CHUNK
        )
        if not goes_on:
            if i - first >= 4 * ROWS:
                seen = np.asarray([r[0] for r in rows[first:i]], float) + CHUNK / 2
                places = np.arange(i - first)
                length, begin = (float(v) for v in np.polyfit(places, seen, 1))
                yield begin + length * places, [r[2] for r in rows[first:i]], length
            first = i


def rows_a_beat(row_frames: float) -> int:
    """How many rows people count as a beat."""
    rows = ROWS
    while 60 * RATE / (row_frames * rows) > COUNTED[1]:
        rows *= 2
    while 60 * RATE / (row_frames * rows) < COUNTED[0] and rows > 1:
        rows //= 2
    return rows


def loops_of(file: Path, count: int, seed: int, folder: Path, number: int) -> list[Truth]:
    """Cut `count` loops out of a piece, as files of that folder from a number on."""
    data = file.read_bytes()
    rng = np.random.default_rng([seed, zlib.crc32(file.name.encode())])
    channels = channels_of(data)
    truths: list[Truth] = []
    for turn in range(4):
        silenced: set[int] = set()
        if turn and channels > 1:
            heard = int(rng.integers(1, max(2, channels * 2 // 3 + 1)))
            silenced = set(rng.permutation(channels)[heard:].tolist())
        try:
            piece = played(data, silenced)
        except ValueError:
            return []
        places = list(steady(piece.rows))
        for _ in range(6 * count):
            if not places or len(truths) >= (turn + 1) * count / 4:
                break
            found = _loop(piece, places, rng)
            if found:
                name = f"{number + len(truths):05d}.flac"
                samples, rate, truth = found
                soundfile.write(folder / name, samples, rate, subtype="PCM_16")
                truths.append(Truth(file=name, world=f"rows {file.stem}", **truth))
    return truths


def _loop(
    piece: Played, places: list[tuple[np.ndarray, list[int], float]], rng: Rng
) -> tuple[np.ndarray, int, dict] | None:
    weights = np.asarray([len(p[1]) for p in places], float)
    at, numbers, length = places[int(rng.choice(len(places), p=weights / weights.sum()))]
    beat = rows_a_beat(length)
    bars = int(rng.choice(BARS))
    total = bars * 4 * beat
    bar = 4 * beat
    ones = [
        i
        for i in range(len(numbers) - total)
        if numbers[i] % bar == 0 and _goes_on(numbers[i : i + total], bar)
    ]
    if not ones:
        return None
    one = int(rng.choice(ones))
    return cut_out(piece.sound, at[one], length * beat, beat, bars, 4, rng)


def cut_out(
    sound: np.ndarray, one: float, beat: float, steps: int, bars: int, in_bar: int, rng: Rng
) -> tuple[np.ndarray, int, dict] | None:
    """Some bars of a piece as a file in some condition; None where that cannot be.

    sound      float32 [frames, 2]
    one, beat  frame of its downbeat, frames of a beat
    steps      the smallest step is so manyth of a beat
    returns    samples, rate, and what a Truth says but for its file and world
    """
    names, weights = list(CONDITIONS), np.asarray(list(CONDITIONS.values()), float)
    condition = str(rng.choice(names, p=weights / weights.sum()))
    pickup = int(rng.choice([1, 2, 4, 4, 6, 8, 12])) / 4 if "pickup" in condition else 0.0
    pickup = int(pickup * steps) / steps
    if condition in ("detuned", "jitter", "drift", "sparse"):
        condition = "exact"
    if pickup * beat > one or pickup >= in_bar:
        return None
    first, last = round(one), round(one + bars * in_bar * beat)
    start = round(one - pickup * beat)
    tempo = 60 * RATE / beat
    seconds = (last - first) / RATE
    around = sound[start : last + 2 * RATE].astype(np.float64)
    body = around[: last - start]
    if not SHORTEST_SECONDS < seconds < LONGEST_SECONDS or body.shape[0] < last - start:
        return None
    if min(np.sqrt((q**2).mean()) for q in np.array_split(body, 4)) < QUIET:
        return None
    file = conditioned(
        Cut(around, first - start, last - first, tempo, steps, rings=False), condition, rng
    )
    shift, speed = file.shift, file.speed
    duration = file.samples.shape[0] / file.rate
    beats = [shift + i * beat / RATE / speed for i in range(-int(pickup), bars * in_bar)]
    return file.samples, file.rate, {
        "condition": condition, "content": "rows", "sound": "mixed", "metre": f"{in_bar}/4",
        "feel": "rows", "bars": bars, "beats_per_bar": in_bar, "tempo_bpm": tempo * speed,
        "downbeat_s": shift, "end_s": shift + seconds / speed, "duration_s": duration,
        "beats_s": tuple(b for b in beats if b < duration), "onsets_s": None, "key": None,
        "cents": 0.0, "drift": 0.0, "pickup": pickup,
    }  # fmt: skip


def _goes_on(numbers: list[int], bar: int) -> bool:
    """Do rows follow one another, from pattern to pattern at bar lines only?"""
    return all(
        numbers[i] == numbers[i - 1] + 1 or (numbers[i] == 0 and i % bar == 0)
        for i in range(1, len(numbers))
    )


def arguments(about: str | None) -> argparse.ArgumentParser:
    """What the commands of `modules`, `songs`, `song_keys` and `styles` are told."""
    parser = argparse.ArgumentParser(description=about)
    parser.add_argument("folder", type=Path)
    parser.add_argument("files", type=Path, nargs="+")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=24, help="loops of a piece")
    return parser


def make_from_pieces(
    given: argparse.Namespace, loops_of: Callable[[Path, int, int, Path, int], list[Truth]]
) -> None:
    """Loops of every piece, and their truths."""
    given.folder.mkdir(parents=True, exist_ok=True)
    files = sorted(given.files, key=lambda f: f.name)
    with ProcessPoolExecutor(2) as pool:
        waiting = [
            pool.submit(loops_of, f, given.count, given.seed, given.folder, i * given.count)
            for i, f in enumerate(files)
        ]
        truths = []
        for file, made in zip(files, waiting, strict=True):
            truths += made.result()
            print(f"{file.name}: {len(made.result())}", flush=True)
    (given.folder / "truth.json").write_text(json.dumps([asdict(t) for t in truths]))


if __name__ == "__main__":
    make_from_pieces(arguments(__doc__).parse_args(), loops_of)
