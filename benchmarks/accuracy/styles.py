"""Accompaniments in hundreds of styles, by other hands than `compose`, cut at their bars.

    python -m benchmarks.accuracy.styles FOLDER --seed N --count N [--fonts NAME...] FILE...

FILEs are the grooves that a free accompanist brings (Debian: mma, GPL-2+), each written by hand or
taken down from players: drums, basses and chords with accents and places that are loose by chance,
in 4/4, 3/4, 6/8 and 5/4. It plays them over chords that are drawn here, a soundfont gives the sound
(`render`), and what is cut out goes on before and behind, as in `songs`. Nothing is kept but loops.

Of a file's grooves those that begin or end a song are left out, and bars of two, which people count
in four.
"""

import re
import subprocess
import tempfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile

from benchmarks.accuracy.chain import Rng
from benchmarks.accuracy.loops import NOTES, Truth, sound_of
from benchmarks.accuracy.modules import arguments, cut_out, make_from_pieces
from benchmarks.accuracy.render import APART, DRUMS_ONLY, FONTS, KITS, RATE, synthesized

LEARNT_FONTS = tuple(f for f in FONTS if f not in (*APART, *DRUMS_ONLY))
# Beats in a bar, as files say them -> (metre, pulses in a bar, steps of a pulse, BPM of pulses).
# Logarithms of tempos are spread as a bell over the middle of that (common practice, no source).
METRES = {
    4: ("4/4", 4, 4, (60.0, 180.0)), 3: ("3/4", 3, 4, (72.0, 190.0)),
    5: ("5/4", 5, 4, (80.0, 184.0)), 6: ("6/8", 2, 3, (44.0, 132.0)),
}  # fmt: skip
SLOW, FAST = re.compile("slow|ballad|hymn|lull", re.I), re.compile("fast|punk|dnb|bebop", re.I)
NO_LOOP = re.compile("intro|end|count|metro|stop", re.I)
DRUM_CHANNEL = 9  # MIDI channel of drums
BEAT_TICKS = 192
STRUCK = 3  # the last of what is at one moment
BATCH, PAUSE_SECONDS = 24, 2.0
LEAD_BARS, MORE_BARS = 4, 3
AROUND_BARS, AFTER_SECONDS = 1, 2.2  # of that, what is recorded
BARS = (1, 1, 1, 2, 2, 2, 4, 4, 4, 8, 3)
# Degrees of a scale, a chord a bar or more often; common practice, no source.
MAJOR = ("1 5 6 4", "1 6 4 5", "1 4", "2 5 1 1", "1 1 4 5", "1 4 1 5", "1 3 4 5", "1/4 5", "1")
MINOR = ("1 6 3 7", "1 4 5 1", "1 7 6 5", "1 1 4 4", "1 7", "6 7 1 1", "1/4 6/7", "1 4 7 3", "1")
STEPS = {True: (0, 2, 3, 5, 7, 8, 10), False: (0, 2, 4, 5, 7, 9, 11)}
KINDS = {True: ("m", "m7b5", "", "m", "m", "", ""), False: ("", "m", "m", "", "", "m", "m7b5")}
PLAIN_NOTES = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
ROLES = {
    "drum": "drums", "bass": "bass", "walk": "bass", "chord": "chords", "plectrum": "chords",
    "arpeggio": "arp", "scale": "arp", "aria": "line", "melody": "line", "solo": "line",
}  # fmt: skip
# What of it is heard, and how often; None is everything.
HEARD: tuple[tuple[tuple[str, ...] | None, int], ...] = (
    (None, 9), (("drums",), 7), (("drums", "bass"), 3), (("bass",), 2), (("chords",), 3),
    (("arp",), 2), (("bass", "chords"), 3), (("bass", "chords", "arp"), 2),
    (("drums", "chords"), 2),
)  # fmt: skip


@dataclass(frozen=True)
class Groove:
    """By its name, with so many beats in a bar."""

    name: str
    beats: int


@dataclass(frozen=True)
class Line:
    """What one track plays: its role, and (second, order, message) of its events."""

    role: str
    events: list[tuple[float, int, Any]]


@dataclass(frozen=True)
class Piece:
    """Some bars of a groove: what is played before those that are cut, and after.

    beats  in a bar, as the groove counts them
    tempo  pulses a minute
    lead   bars before
    tonic  semitones above C
    """

    beats: int
    tempo: float
    lead: int
    bars: int
    is_minor: bool
    tonic: int
    lines: tuple[Line, ...]

    @property
    def bar_seconds(self) -> float:
        return METRES[self.beats][1] * 60 / self.tempo

    @property
    def span(self) -> tuple[float, float]:
        """From when to when it is recorded, in seconds."""
        return (
            (self.lead - AROUND_BARS) * self.bar_seconds,
            (self.lead + self.bars) * self.bar_seconds + AFTER_SECONDS,
        )

    @property
    def events(self) -> list[tuple[float, int, Any]]:
        """What is heard of it, in seconds of the recording."""
        first, last = self.span
        return [
            (min(max(second, first), last) - first, order, message)
            for line in self.lines
            for second, order, message in line.events
            if order != STRUCK or first <= second < last
        ]


def grooves_of(text: str) -> list[Groove]:
    """What a file of grooves defines and can be repeated."""
    text = re.sub(r"(?ims)^\s*begin\s+doc.*?^\s*end\b", "", text)
    beats, found = 4, []
    for line in text.splitlines():
        said = re.match(r"\s*(time|defgroove)\s+(\S+)", line, re.I)
        if not said:
            continue
        if said[1].lower() == "time":
            beats = int(float(said[2].split("/")[0]))
        elif beats in METRES and not NO_LOOP.search(said[2]):
            found.append(Groove(said[2], beats))
    return found


def chords(bars: int, is_minor: bool, tonic: int, rng: Rng) -> list[str]:
    """A line of chords for each bar, halves of it with a slash."""
    turn = str(rng.choice(MINOR if is_minor else MAJOR)).split()
    has_sevenths = rng.random() < 0.3

    def named(degree: str) -> str:
        at = int(degree) - 1
        kind = KINDS[is_minor][at]
        if is_minor and degree == "5" and rng.random() < 0.6:
            kind = "7"
        elif has_sevenths and "7" not in kind:
            kind += "7" if kind or degree == "5" else "M7"
        return PLAIN_NOTES[(tonic + STEPS[is_minor][at]) % 12] + kind

    return [" / ".join(map(named, turn[i % len(turn)].split("/"))) for i in range(bars)]


def performed(groove: Groove, file: Path, tempo: float, bars: Sequence[str]) -> list[Line]:
    """What the accompanist plays: its tracks, from the first bar's beginning.

    file    defines it
    tempo   beats a minute, as the groove counts them
    raises  ValueError where it cannot be played
    """
    with tempfile.TemporaryDirectory() as folder:
        text, midi = Path(folder) / "a.mma", Path(folder) / "a.mid"
        asked = f"Tempo {tempo}\nGroove {file}:{groove.name}\n" + "\n".join(bars) + "\n"
        text.write_text(f"RndSeed {zlib.crc32(asked.encode())}\n{asked}")
        done = subprocess.run(["mma", "-f", midi, text], capture_output=True, check=False)
        if done.returncode or not midi.exists():
            raise ValueError(f"{groove.name}: {done.stdout[-200:]!r}")
        played = mido.MidiFile(midi)
    if played.ticks_per_beat != BEAT_TICKS:
        raise ValueError(f"{groove.name}: beats of {played.ticks_per_beat} ticks")
    second = 60 / tempo / BEAT_TICKS
    return [
        line for track in played.tracks if (line := _line(track, second)) and any(
            m.type == "note_on" for *_, m in line.events)
    ]  # fmt: skip


def _line(track: mido.MidiTrack, second: float) -> Line:
    at, events, name = 0, [], ""
    for message in track:
        at += message.time
        if message.type == "track_name":
            name = message.name.lower()
        elif not message.is_meta:
            is_start = message.type == "note_on" and message.velocity
            order = STRUCK if is_start else 2 if message.type.startswith("note") else 0
            events.append((at * second, order, message))
    role = next((r for start, r in ROLES.items() if name.startswith(start)), "chords")
    return Line(role, events)


def loops_of(
    file: Path, count: int, seed: int, folder: Path, number: int, *, fonts: Sequence[str]
) -> list[Truth]:
    """Cut `count` loops out of a file's grooves, as files of that folder from a number on."""
    rng = np.random.default_rng([seed, zlib.crc32(str(file).encode())])
    grooves = grooves_of(file.read_text(errors="replace"))
    truths: list[Truth] = []
    for _ in range(4):
        if not grooves or len(truths) >= count:
            break
        font = str(rng.choice(fonts))
        drawn = (
            piece_drawn(grooves[int(rng.integers(len(grooves)))], file, rng)
            for _ in range(min(BATCH, (count - len(truths)) * 5 // 4 + 1))
        )
        pieces = [p for p in drawn if p]
        for piece, sound in zip(pieces, recorded(pieces, font, rng), strict=True):
            found = len(truths) < count and _loop(piece, sound, rng)
            if found:
                name = f"{number + len(truths):05d}.flac"
                samples, rate, truth = found
                soundfile.write(folder / name, samples, rate, subtype="PCM_16")
                world = f"styles {file.parent.name}/{file.stem}"
                truths.append(Truth(file=name, world=world, **truth | {"feel": font}))
    return truths


def piece_drawn(groove: Groove, file: Path, rng: Rng) -> Piece | None:
    _, pulses, _, (low, high) = METRES[groove.beats]
    low, high = (low, 0.6 * low + 0.4 * high) if SLOW.search(groove.name) else (low, high)
    low, high = (0.5 * low + 0.5 * high, high) if FAST.search(groove.name) else (low, high)
    tempo = float(np.exp(np.log(low) + np.log(high / low) * rng.beta(2.2, 2.2)))
    tempo = float(round(tempo)) if rng.random() < 0.6 else round(tempo, 2)
    bars = int(rng.choice(BARS))
    lead = LEAD_BARS if bars > 1 else int(rng.integers(1, LEAD_BARS + 1))
    is_minor, tonic = bool(rng.random() < 0.5), int(rng.integers(12))
    line = chords(lead + bars + MORE_BARS, is_minor, tonic, rng)
    try:
        lines = performed(groove, file, tempo * groove.beats / pulses, line)
    except ValueError:
        return None
    there = {line.role for line in lines}
    fits = [(roles or there, share) for roles, share in HEARD if set(roles or there) <= there]
    if not there:
        return None
    shares = np.asarray([share for _, share in fits], float)
    heard = fits[int(rng.choice(len(fits), p=shares / shares.sum()))][0]
    lines = [line for line in lines if line.role in heard]
    return Piece(groove.beats, tempo, lead, bars, is_minor, tonic, tuple(lines))


def recorded(pieces: Sequence[Piece], font: str, rng: Rng) -> list[np.ndarray]:
    """The span of each piece, float64 [frames, 2]; they are played one after another."""
    events: list[tuple[float, int, Any]] = []
    starts, at = [], 0.5
    for piece in pieces:
        events += [(at - 0.2, 0, message) for message in _settled()]
        kit = mido.Message("program_change", channel=DRUM_CHANNEL, program=int(rng.choice(KITS)))
        events += [(at, 1, kit), *((at + second, *rest) for second, *rest in piece.events)]
        starts.append(at)
        at += piece.span[1] - piece.span[0] + PAUSE_SECONDS
    sound = synthesized(FONTS[font], events, reverb=bool(rng.random() < 0.5))
    firsts = [round(start * RATE) for start in starts]
    return [
        sound[first : first + round((piece.span[1] - piece.span[0]) * RATE)]
        for first, piece in zip(firsts, pieces, strict=True)
    ]


def _settled() -> list[mido.Message]:
    """Channels as they are at the beginning."""
    return [
        mido.Message("control_change", channel=channel, control=control, value=value)
        for channel in range(16)
        for control, value in ((120, 0), (121, 0), (7, 100), (10, 64), (91, 40))
    ]


def _loop(
    piece: Piece, sound: np.ndarray, rng: Rng
) -> tuple[np.ndarray, int, dict[str, Any]] | None:
    metre, pulses, steps, _ = METRES[piece.beats]
    one, beat = AROUND_BARS * piece.bar_seconds * RATE, 60 / piece.tempo * RATE
    cut = cut_out(sound, one, beat, steps, piece.bars, pulses, rng)
    if cut is None:
        return None
    samples, rate, truth = cut
    shifted = 12 * float(np.log2(truth["tempo_bpm"] / piece.tempo))
    mode = "minor" if piece.is_minor else "major"
    key = f"{NOTES[(piece.tonic + round(shifted)) % 12]} {mode}"
    roles = tuple(dict.fromkeys(line.role for line in piece.lines))
    return samples, rate, truth | {
        "content": "+".join(roles), "sound": sound_of(roles), "metre": metre,
        "key": key if set(roles) - {"drums"} else None, "cents": 100 * (shifted - round(shifted)),
    }  # fmt: skip


def main() -> None:
    parser = arguments(__doc__)
    parser.add_argument("--fonts", nargs="+", choices=list(FONTS), default=LEARNT_FONTS)
    given = parser.parse_args()
    make_from_pieces(given, partial(loops_of, fonts=given.fonts))


if __name__ == "__main__":
    main()
