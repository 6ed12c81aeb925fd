"""How is a WAV file put together and taken apart?

Sources: "Multimedia Programming Interface and Data Specifications 1.0" (IBM and Microsoft, 1991)
for RIFF, fmt, data, cue and its labels; "New Multimedia Data Types and Data Techniques" (1994)
for fact, smpl and the extensible format; ID3v2.3 informal standard (1999) for the tag in the
`id3 ` chunk.
"""

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import BinaryIO, cast

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.errors import FormatError

FLOAT_BITS = 32
BIT_DEPTHS = (16, 24, FLOAT_BITS)
LARGEST_CHUNK = 1 << 20  # of the small chunks read whole


@dataclass(frozen=True)
class LoopMark:
    """A repeated stretch in frames; `end` is the first frame after it."""

    start: int
    end: int


@dataclass(frozen=True)
class Cue:
    """A frame that is pointed at, and what it is called."""

    frame: int
    label: str


@dataclass(frozen=True)
class WavMarks:
    """What the chunks beside the samples say."""

    loops: tuple[LoopMark, ...] = ()
    cues: tuple[int, ...] = ()


@dataclass(frozen=True)
class WavTags:
    """What is written into the `id3 ` chunk; None leaves a frame out.

    key  as TKEY wants it: "Dm", "F#", three characters at most
    """

    title: str | None = None
    tempo_bpm: float | None = None
    key: str | None = None


def wav_bytes(
    sound: Audio, bits: int, loop: LoopMark | None = None, tags: WavTags | None = None,
    cues: Sequence[Cue] = (),
) -> bytes:  # fmt: skip
    """A whole WAV file: PCM of 16 or 24 bits (rounded, no dither) or 32-bit float.

    cues  points with labels, by their frames

    Raises FormatError where PCM would clip: lower the level first.
    """
    if bits not in BIT_DEPTHS:
        raise FormatError(f"a WAV file of {bits} bits is not written here; choose 16, 24 or 32")
    interleaved = sound.samples.T
    if bits == FLOAT_BITS:
        data = np.ascontiguousarray(interleaved, dtype="<f4").tobytes()
    else:
        data = _pcm(interleaved, bits)
    channels, width = sound.channels, bits // 8
    code = 3 if bits == FLOAT_BITS else 1
    fmt = struct.pack(
        "<HHIIHH", code, channels, sound.rate, sound.rate * channels * width, channels * width, bits
    )
    chunks = [(b"fmt ", fmt + (b"\0\0" if code == 3 else b""))]
    if code == 3:
        chunks.append((b"fact", struct.pack("<I", sound.frames)))
    chunks.append((b"data", data))
    if loop:
        chunks.append((b"smpl", _smpl(loop, sound.rate)))
    if cues:
        chunks += [(b"cue ", _cue(cues)), (b"LIST", _labels(cues))]
    if tags:
        chunks.append((b"id3 ", _id3(tags)))
    body = b"".join(
        name + struct.pack("<I", len(part)) + part + b"\0" * (len(part) % 2)
        for name, part in chunks
    )
    if len(body) + 4 > 0xFFFFFFFF:
        raise FormatError("the sound is too long for one WAV file (4 GB)")
    return b"RIFF" + struct.pack("<I", len(body) + 4) + b"WAVE" + body


def read_marks(file: BinaryIO) -> WavMarks:
    """Loops of the `smpl` chunk and points of the `cue ` chunk; none where they are damaged."""
    loops: list[LoopMark] = []
    cues: list[int] = []
    for name, part in _small_chunks(file, (b"smpl", b"cue ")):
        if name == b"smpl" and len(part) >= 36:
            (count,) = struct.unpack_from("<I", part, 28)
            for i in range(min(count, (len(part) - 36) // 24)):
                start, last = struct.unpack_from("<II", part, 36 + i * 24 + 8)
                if last > start:
                    loops.append(LoopMark(start, last + 1))
        elif name == b"cue " and len(part) >= 4:
            (count,) = struct.unpack_from("<I", part, 0)
            for i in range(min(count, (len(part) - 4) // 24)):
                cues.append(struct.unpack_from("<I", part, 4 + i * 24 + 20)[0])
    return WavMarks(tuple(loops), tuple(cues))


def missing_bytes(file: BinaryIO) -> int:
    """How many bytes of samples the header promises beyond the end of the file."""
    size = file.seek(0, 2)
    for name, start, length in _chunks(file):
        # Recorders that never came to an end leave 0 or all ones: no promise.
        if name == b"data" and length not in (0, 0xFFFFFFFF):
            return max(0, start + length - size)
    return 0


def to_its_end(file: BinaryIO) -> BinaryIO:
    """The same WAV; where a recorder never came to write its length, samples go on to its end.

    Until it ends a recording says that neither the file nor its samples have any length.
    """
    file.seek(4)
    (whole,) = struct.unpack("<I", file.read(4))
    size = file.seek(0, 2)
    for name, start, length in _chunks(file):
        if name == b"data":
            never = length == 0 and 8 + whole <= start < size
            return cast(BinaryIO, _ToItsEnd(file, start - 4)) if never else file
    return file


class _ToItsEnd:
    """A file that says, from byte `at` on, the four bytes of a length that nobody knows."""

    def __init__(self, file: BinaryIO, at: int):
        self.file, self.at = file, at
        self.seek, self.tell = file.seek, file.tell

    def read(self, size: int = -1) -> bytes:
        place = self.file.tell()
        data = bytearray(self.file.read(size))
        for i in range(max(0, self.at - place), min(len(data), self.at + 4 - place)):
            data[i] = 0xFF
        return bytes(data)


def _small_chunks(file: BinaryIO, wanted: tuple[bytes, ...]) -> Iterator[tuple[bytes, bytes]]:
    for name, start, length in _chunks(file):
        if name in wanted:
            file.seek(start)
            yield name, file.read(min(length, LARGEST_CHUNK))


def _chunks(file: BinaryIO) -> Iterator[tuple[bytes, int, int]]:
    """Name, first byte and length of every chunk."""
    size = file.seek(0, 2)
    at = 12
    while at + 8 <= size:
        file.seek(at)
        name, length = struct.unpack("<4sI", file.read(8))
        yield name, at + 8, length
        at += 8 + length + length % 2


def _pcm(interleaved: np.ndarray, bits: int) -> bytes:
    top = 2 ** (bits - 1)
    whole = np.floor(interleaved.astype(np.float64) * top + 0.5)
    # Full scale itself is one step above the highest number: not worth a refusal.
    if whole.max() > top or whole.min() < -top:
        raise FormatError("the sound is louder than 0 dBFS and would clip; lower its level first")
    numbers = np.minimum(whole, top - 1).astype("<i4")
    if bits == 16:
        return bytes(numbers.astype("<i2").tobytes())
    return bytes(numbers.reshape(-1).view(np.uint8).reshape(-1, 4)[:, :3].tobytes())


def _smpl(loop: LoopMark, rate: int) -> bytes:
    period = round(1e9 / rate)
    head = struct.pack("<9I", 0, 0, period, 60, 0, 0, 0, 1, 0)
    return head + struct.pack("<6I", 0, 0, loop.start, loop.end - 1, 0, 0)


def _cue(cues: Sequence[Cue]) -> bytes:
    points = (
        struct.pack("<2I4s3I", i + 1, cue.frame, b"data", 0, 0, cue.frame)
        for i, cue in enumerate(cues)
    )
    return struct.pack("<I", len(cues)) + b"".join(points)


def _labels(cues: Sequence[Cue]) -> bytes:
    """An associated data list: a `labl` chunk for each point."""
    out = b"adtl"
    for i, cue in enumerate(cues):
        part = struct.pack("<I", i + 1) + cue.label.encode("utf-8") + b"\0"
        out += b"labl" + struct.pack("<I", len(part)) + part + b"\0" * (len(part) % 2)
    return out


def _id3(tags: WavTags) -> bytes:
    """ID3v2.3; TBPM is a whole number by the standard."""
    texts = {
        b"TIT2": tags.title,
        b"TBPM": f"{tags.tempo_bpm:.0f}" if tags.tempo_bpm else None,
        b"TKEY": tags.key,
    }
    frames = b""
    for name, text in texts.items():
        if text:
            content = b"\x01" + text.encode("utf-16")
            frames += name + struct.pack(">IH", len(content), 0) + content
    size = len(frames)
    synchsafe = bytes((size >> shift) & 0x7F for shift in (21, 14, 7, 0))
    return b"ID3\x03\x00\x00" + synchsafe + frames
