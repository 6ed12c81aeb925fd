"""Spectrograms of one drum and one chord loop: python -m benchmarks.quality.pictures FOLDER OUT

From above: as recorded, as played at the wanted tempo, as Auto stretches it, as the library that
came nearest does.
"""

import argparse
import struct
import zlib
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.quality.cases import Played, make
from benchmarks.quality.judge import read, stretched
from benchmarks.quality.measures import RATE, Sound, Truth, score
from benchmarks.quality.peers import peers
from zeroknot.core.audio import Audio
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.stretch.auto import Case, choose
from zeroknot.core.stretch.settings import StretchSettings

WIDTH, HEIGHT, GAP = 800, 128, 6
RATIO = 1.5
LOOPS = {"drums": "drums, room kit, swung", "chords": "electric piano"}
# From paper to ink to madder, as on the screens.
RAMP = np.asarray([[247, 242, 232], [120, 130, 170], [32, 44, 72], [180, 60, 54], [255, 214, 160]])


def spectrogram(sound: Sound) -> NDArray[np.uint8]:
    """RGB [HEIGHT, WIDTH, 3]: 40 Hz to 16 kHz from below, 70 dB of range."""
    size = 2048
    hop = max(1, sound.shape[0] // WIDTH)
    mono = np.pad(sound.mean(axis=1), (size // 2, size))
    frames = np.lib.stride_tricks.sliding_window_view(mono, size)[::hop][:WIDTH]
    power = np.abs(np.fft.rfft(frames * np.hanning(size), axis=1)) ** 2
    hz = 40 * 400 ** (np.arange(HEIGHT)[::-1] / HEIGHT)
    bins = np.fft.rfftfreq(size, 1 / RATE)
    level = 10 * np.log10(np.stack([np.interp(hz, bins, p) for p in power], axis=1) + 1e-9)
    share = np.clip(1 + (level - level.max()) / 70, 0, 1) * (len(RAMP) - 1)
    low = np.minimum(share.astype(int), len(RAMP) - 2)
    part = (share - low)[..., None]
    return (RAMP[low] * (1 - part) + RAMP[low + 1] * part).astype(np.uint8)


def png(picture: NDArray[np.uint8]) -> bytes:
    """A picture as a PNG file (Portable Network Graphics, ISO/IEC 15948)."""

    def chunk(name: bytes, data: bytes) -> bytes:
        check = zlib.crc32(name + data)
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", check)

    height, width, _ = picture.shape
    lines = np.concatenate([np.zeros((height, 1), np.uint8), picture.reshape(height, -1)], axis=1)
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(lines.tobytes(), 9))
        + chunk(b"IEND", b"")
    )


def compared(folder: Path, played: Played) -> tuple[NDArray[np.uint8], str]:
    source = read(folder / played.source)
    wanted = read(folder / played.by_ratio[f"{RATIO:.2f}"])
    truth = Truth(wanted, tuple(a * RATIO for a in played.attacks))
    audio = Audio(np.ascontiguousarray(source.T), RATE)
    material = material_of(audio)
    density = material.attacks.seconds.size / audio.seconds
    choice = choose(
        Case(sound_heard(material, audio.seconds), density, RATIO, 0.0), StretchSettings()
    )
    ours = stretched(source, material.everything, choice.method, RATIO, choice.settings, 0.0)
    theirs = {p.name: np.asarray(p.stretch(source, RATIO), np.float32) for p in peers()}
    best = max(theirs, key=lambda n: score(truth.against(theirs[n])))
    rows = [spectrogram(s) for s in (source, wanted, ours, theirs[best])]
    gap = np.full((GAP, WIDTH, 3), 255, np.uint8)
    said = (
        f"{played.name}, {RATIO:g} × as long: as recorded; played so; {choice.method} "
        f"({score(truth.against(ours)):.0f}); {best} ({score(truth.against(theirs[best])):.0f})"
    )
    return np.concatenate([r for row in rows for r in (row[:, :WIDTH], gap)][:-1]), said


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--seed", type=int, default=31)
    given = parser.parse_args()
    place = given.folder / str(given.seed)
    by_name = {p.name: p for p in make(place, given.seed)}
    given.out.mkdir(parents=True, exist_ok=True)
    for file, name in LOOPS.items():
        picture, said = compared(place, by_name[name])
        (given.out / f"stretch-{file}.png").write_bytes(png(picture))
        print(said)


if __name__ == "__main__":
    main()
