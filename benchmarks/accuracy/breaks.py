"""Reads the breaks that pieces play once a bar: python -m benchmarks.accuracy.breaks FILE...

A piece written as rows of samples may hold a whole bar of drums as one sample, which it plays again
whenever the bar begins. Those are real breaks of one to four bars, mostly at tempos that are no
whole numbers, and where they are played again tells how long they are. Each is read as it is, at
another speed, and with something left on, and all readings are judged as in `measure`.

Needs libxmp (Debian libxmp4).
"""

import argparse
import ctypes
from collections import Counter, defaultdict
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soxr

from benchmarks.accuracy.chain import RATE
from zeroknot.core.audio import Audio
from zeroknot.core.listening.readings import listen

LONGEST_PIECE_SECONDS = 500.0
LEAST_FRAMES = 5_000
ROWS_A_BAR = 16
SECONDS = (1.4, 14.0)  # a break is so long
LENGTHS = (0.98, 1.04)  # times the time until it is played again; shorter ones end before the bar
ENDING_SECONDS = 0.001  # what is silent there may end before its bar does
OFTEN, SHARE = 3, 0.3  # it comes again so often after as many rows, and in that share of all
CONDITIONS = (
    "as it is", "speed", "silence", "pickup", "tail", "silence+tail", "pickup+tail", "ringing",
)  # fmt: skip
TIMES = 3
BYTE, INT = ctypes.c_ubyte, ctypes.c_int


def _named(kind: type, names: str) -> list[tuple[str, type]]:
    return [(name, kind) for name in names.split()]


# Structures of libxmp 4.5, as its xmp.h lays them out.
class _Event(ctypes.Structure):
    _fields_ = _named(BYTE, "note ins vol fxt fxp f2t f2p flag")


class _Voice(ctypes.Structure):
    _fields_ = [
        *_named(ctypes.c_uint, "period position"), ("pitchbend", ctypes.c_short),
        *_named(BYTE, "note instrument sample volume pan reserved"), ("event", _Event),
    ]  # fmt: skip


class _Frame(ctypes.Structure):
    _fields_ = [
        *_named(INT, "pos pattern row num_rows frame speed bpm time total_time frame_time"),
        ("buffer", ctypes.c_void_p),
        *_named(INT, "buffer_size total_size volume loop_count virt_channels virt_used sequence"),
        ("voices", _Voice * 64),
    ]


class _Sample(ctypes.Structure):
    _fields_ = [
        ("name", ctypes.c_char * 32), *_named(INT, "length lps lpe flags"),
        ("data", ctypes.c_void_p),
    ]  # fmt: skip


class _Module(ctypes.Structure):
    _fields_ = [
        ("name", ctypes.c_char * 64), ("type", ctypes.c_char * 64),
        *_named(INT, "pat trk channels ins samples spd bpm len rst gvl"),
        *_named(ctypes.c_void_p, "xxp xxt xxi"), ("sounds", ctypes.POINTER(_Sample)),
    ]  # fmt: skip


class _Info(ctypes.Structure):
    _fields_ = [
        ("md5", BYTE * 16), ("vol_base", INT), ("module", ctypes.POINTER(_Module)),
        ("comment", ctypes.c_char_p), ("count", INT), ("sequences", ctypes.c_void_p),
    ]  # fmt: skip


class Note:
    """A sample that begins: its row, second, and where it was read afterwards."""

    def __init__(self, row: int, second: float):
        self.row, self.second = row, second
        self.seen: list[tuple[float, int, int]] = []  # second, frame, sample

    @property
    def rate(self) -> float:
        """Frames of the sample a second; 0 where that cannot be told."""
        if len(self.seen) < 4:
            return 0.0
        (began, first, sample), (ended, last, other) = self.seen[1], self.seen[-1]
        return (last - first) / (ended - began) if sample == other and last > first else 0.0


def notes_of(file: Path) -> tuple[list[Note], list[np.ndarray]]:
    """All that a piece plays, and its samples: float32 [frames] each."""
    xmp = ctypes.CDLL("libxmp.so.4")
    xmp.xmp_create_context.restype = ctypes.c_void_p
    context = ctypes.c_void_p(xmp.xmp_create_context())
    if xmp.xmp_load_module(context, str(file).encode()):
        return [], []
    info, frame = _Info(), _Frame()
    xmp.xmp_get_module_info(context, ctypes.byref(info))
    module = info.module.contents
    xmp.xmp_start_player(context, 44_100, 0)
    notes: list[Note] = []
    sounding: dict[int, Note] = {}
    second, row = 0.0, -1
    while xmp.xmp_play_frame(context) == 0 and second < LONGEST_PIECE_SECONDS:
        xmp.xmp_get_frame_info(context, ctypes.byref(frame))
        if frame.loop_count:
            break
        row += frame.frame == 0
        for channel in range(module.channels):
            voice = frame.voices[channel]
            if frame.frame == 0 and 0 < voice.event.note <= 120:
                sounding[channel] = Note(row, second)
                notes.append(sounding[channel])
            if channel in sounding and len(sounding[channel].seen) < 8:
                sounding[channel].seen.append((second, voice.position, voice.sample))
        second += frame.frame_time / 1e6
    samples = [_samples(module.sounds[i]) for i in range(module.samples)]
    xmp.xmp_end_player(context)
    xmp.xmp_release_module(context)
    xmp.xmp_free_context(context)
    return notes, samples


def _samples(sound: _Sample) -> np.ndarray:
    wide = bool(sound.flags & 1)
    if not sound.data or sound.length <= 0:
        return np.zeros(0, np.float32)
    data = ctypes.string_at(sound.data, sound.length * (2 if wide else 1))
    return np.frombuffer(data, "<i2" if wide else "i1").astype(np.float32) / (
        2**15 if wide else 128
    )


def breaks_of(file: Path) -> Iterator[tuple[int, np.ndarray, int]]:
    """A piece's breaks: the sample's number, float32 [frames] at RATE, bars."""
    notes, samples = notes_of(file)
    by: dict[tuple[int, float], list[Note]] = defaultdict(list)
    for note in notes:
        if note.rate:
            by[note.seen[-1][2], round(12 * np.log2(note.rate), 1)].append(note)
    for (number, _), same in by.items():
        if number >= len(samples) or samples[number].size < LEAST_FRAMES:
            continue
        began = {n.row: n.second for n in same}
        rows = np.asarray(sorted(began))
        gaps = np.diff(rows)
        if not gaps.size:
            continue
        gap, often = Counter(gaps.tolist()).most_common(1)[0]
        if gap % ROWS_A_BAR or often < OFTEN or often < SHARE * gaps.size:
            continue
        at = int(np.argmax(gaps == gap))
        until = began[rows[at + 1]] - began[rows[at]]
        rate = float(np.median([n.rate for n in same]))
        seconds = samples[number].size / rate
        last = np.abs(samples[number][-round(ENDING_SECONDS * rate) :])
        is_whole = LENGTHS[0] < seconds / until < LENGTHS[1] and last.max() > 0.0
        if is_whole and SECONDS[0] < seconds < SECONDS[1]:
            bars = 2 ** max(0, round(np.log2(seconds / 2.0)))  # nearest to 120 BPM
            yield number, soxr.resample(samples[number], rate, RATE), bars


def altered(sound: np.ndarray, bars: int, condition: str, rng: np.random.Generator):
    """The break in some condition: float32 [frames], the second of its one, its tempo."""
    if condition == "speed":
        sound = soxr.resample(sound, RATE * float(rng.uniform(0.8, 1.25)), RATE)
    n, beat = sound.size, sound.size / bars / 4
    before = int(beat * rng.choice([0.5, 1, 1, 2])) if "pickup" in condition else 0
    behind = int(beat * rng.uniform(0.1, 0.9)) if "tail" in condition else 0
    out = np.tile(sound, 3)[n - before : 2 * n + behind].astype(np.float64)
    if behind:
        fade = min(300, behind)
        out[-fade:] *= np.linspace(1, 0, fade)
    if condition == "ringing":
        ring = rng.normal(0, 0.05, int(rng.uniform(0.2, 0.8) * RATE))
        out = np.concatenate([out, ring * np.exp(-np.arange(ring.size) / 6000)])
    if "silence" in condition:
        quiet = rng.normal(0, 1e-4, int(rng.uniform(0.05, 0.6) * RATE))
        out, before = np.concatenate([quiet, out]), before + quiet.size
    return out.astype(np.float32), before / RATE, 240 * bars * RATE / n


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("files", type=Path, nargs="+")
    parser.add_argument("--seed", type=int, default=5)
    given = parser.parse_args()
    rng = np.random.default_rng(given.seed)
    found: dict[str, list[tuple[bool, bool, bool]]] = defaultdict(list)
    for file in given.files:
        for number, sound, bars in breaks_of(file):
            print(f"{file.name}, sample {number}: {bars} bars, {sound.size / RATE:.3f} s")
            for condition in CONDITIONS:
                for _ in range(TIMES):
                    samples, one, tempo = altered(sound, bars, condition, rng)
                    best = listen(Audio(samples[None], RATE)).best
                    off = abs(best.tempo_bpm - tempo) if best else np.inf
                    found[condition].append(
                        (
                            bool(best and off < 0.1 and best.bars == bars),
                            off < 0.04 * tempo,
                            bool(best and abs(best.downbeat_s - one) < 0.02),
                        )
                    )
    print("| condition | n | whole | tempo | the one |\n|---|---|---|---|---|")
    for name, values in {**found, "all": [v for vs in found.values() for v in vs]}.items():
        print(
            f"| {name} | {len(values)} | "
            + " | ".join(f"{m:.2f}" for m in np.mean(values, 0))
            + " |"
        )


if __name__ == "__main__":
    main()
