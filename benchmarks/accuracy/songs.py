"""Recorded music with a tempo in numbers: songs cut at bars that were written down or agreed on.

    python -m benchmarks.accuracy.songs FOLDER --seed N --count N FILE...

FILEs are recordings that Debian packages of games carry (SONGS); nothing of them is kept but loops
made here. Where a notes.mid lies beside one, it says the tempo, and bars are counted from its
start. Of others it is what `beside --songs` wrote as FILE.essentia.json and FILE.madmom.json: both
have to hear one steady tempo, and madmom the same bars throughout. A key is known where both hear
it.

What two libraries agree on is likelier right than either, and still theirs: they are favoured here.
"""

import json
import zlib
from dataclasses import dataclass, replace
from pathlib import Path

import mido
import mir_eval
import numpy as np
import soundfile
import soxr
from scipy import ndimage

from benchmarks.accuracy.chain import RATE
from benchmarks.accuracy.loops import Truth
from benchmarks.accuracy.modules import BARS, arguments, cut_out, make_from_pieces

SONGS = (
    "a7xpg-data", "abe-data", "ardentryst", "asc-music", "boswars-data", "btanks-data",
    "caveexpress-data", "colobot-common-sounds", "enigma-data", "extremetuxracer-data",
    "fillets-ng-data", "freecol", "freedink-data", "freedroidrpg-data", "freeorion-data",
    "fretsonfire-songs-muldjord", "fretsonfire-songs-sectoid", "frozen-bubble-data", "funnyboat",
    "glob2-data", "gunroar-data", "hannah-data", "hedgewars-data", "hex-a-hop-data",
    "hyperrogue-music", "lincity-ng-data", "lugaru-data", "marsshooter-data",
    "mazeofgalious-data", "megaglest-data", "mu-cade-data",
)  # fmt: skip
ALIKE = 0.003  # of the tempo, by which two libraries may differ
STEADY_SECONDS = 0.02  # root mean square of beats round a straight line
FEWEST_BEATS = 32
ATTACK_SECONDS = 0.02  # an attack lies no further from where the beat is heard
LATE_SECONDS = 0.05  # nor from where it is written
HOP_SECONDS, RISE = 0.001, 4  # a rise is measured over so many hops
SAME_BARS = 0.9  # share of ones that are where the others say
NEARLY_WHOLE = 0.05  # BPM, by which fifty seconds of beats may be misjudged


@dataclass(frozen=True)
class Grid:
    """Seconds of a one and of a beat, until when it holds, beats in a bar, a key that is agreed."""

    one: float
    beat: float
    until: float
    in_bar: int
    key: str | None = None


def written(file: Path) -> Grid | None:
    """What a notes.mid says that lies beside a recording."""
    notes = file.parent / "notes.mid"
    if not notes.exists():
        return None
    tempos = {m.tempo for m in mido.merge_tracks(mido.MidiFile(notes).tracks) if _sets(m)}
    return Grid(0.0, tempos.pop() / 1e6, 1e9, 4) if len(tempos) == 1 else None


def _sets(message: mido.MetaMessage) -> bool:
    return bool(message.type == "set_tempo")


def agreed(file: Path) -> Grid | None:
    """What two libraries agree on; None where they do not, or where it is not steady."""
    both = told_by_both(file)
    if both is None:
        return None
    one, other = both
    lines = [_line(np.asarray(told["beats"])) for told in (one, other)]
    if None in lines:
        return None
    (period, _, _), (beat, begin, places) = lines  # type: ignore[misc]
    if abs(period / beat - 1) > ALIKE:
        return None
    tempo = 60 / beat
    if abs(tempo - round(tempo)) < NEARLY_WHOLE:
        begin += beat * places.mean()
        beat = 60 / round(tempo)
        begin -= beat * places.mean()
    in_bar = other["beats_per_bar"]
    ones = np.rint((np.asarray(other["ones"]) - begin) / beat).astype(int) % in_bar
    first = int(np.bincount(ones, minlength=in_bar).argmax())
    if np.mean(ones == first) < SAME_BARS:
        return None
    return Grid(
        begin + first * beat, beat, begin + places[-1] * beat, in_bar, agreed_key(one, other)
    )


def told_by_both(file: Path) -> tuple[dict, dict] | None:
    """What essentia and madmom wrote down of a recording; None where one did not."""
    paths = [file.with_name(f"{file.name}.{name}.json") for name in ("essentia", "madmom")]
    if not all(p.exists() for p in paths):
        return None
    one, other = (json.loads(p.read_text()) for p in paths)
    return one, other


def agreed_key(one: dict, other: dict) -> str | None:
    """The key that both name, as the first writes it, or None."""
    keys = [mir_eval.key.split_key_string(told["key"]) for told in (one, other)]
    return one["key"] if keys[0] == keys[1] else None


def world_of(file: Path) -> str:
    """What was played together is one piece."""
    return f"written {file.parent.name}" if written(file) else f"agreed {file.stem}"


def sound_of_song(file: Path) -> np.ndarray:
    """float32 [frames, 2] at RATE"""
    sound, rate = soundfile.read(file, dtype="float32", always_2d=True)
    sound = np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else sound[:, :2]
    return np.asarray(soxr.resample(sound, rate, RATE) if rate != RATE else sound)


def _line(beats: np.ndarray) -> tuple[float, float, np.ndarray] | None:
    """Seconds of a beat, of the first, and the beats' numbers; None where they are not steady."""
    if beats.size < FEWEST_BEATS:
        return None
    beat = float(np.median(np.diff(beats)))
    for _ in range(3):
        places = np.rint((beats - beats[0]) / beat)
        beat, begin = (float(v) for v in np.polyfit(places, beats, 1))
    left = beats - begin - beat * places
    return (beat, begin, places) if np.sqrt(np.mean(left**2)) < STEADY_SECONDS else None


def on_attacks(sound: np.ndarray, grid: Grid, reach: float) -> Grid:
    """The grid moved until most begins on its beats, by so many seconds at most.

    Twice differenced: else the level of a few milliseconds goes by where a low note's wave is, and
    grids were moved by 30 ms (decision 0034).
    """
    bright = np.diff(sound.mean(axis=1), n=2, prepend=(0.0, 0.0))
    hop = round(HOP_SECONDS * RATE)
    power = np.square(bright[: bright.size // hop * hop]).reshape(-1, hop).mean(axis=1)
    power = ndimage.uniform_filter1d(power, 3)
    level = np.log(power + 1e-4 * power.mean() + 1e-12)
    rise = np.maximum(0.0, level[RISE:] - level[:-RISE])
    beats = np.arange(grid.one, min(grid.until, sound.shape[0] / RATE) - 0.2, grid.beat)
    offsets = np.arange(-reach, reach, HOP_SECONDS)
    at = np.rint((beats[:, None] + offsets) * RATE / hop).astype(int) - RISE // 2
    heard = rise[np.clip(at, 0, rise.size - 1)].mean(axis=0)
    best = 1 + int(np.argmax(np.convolve(heard, np.ones(3), "valid")))
    return replace(grid, one=grid.one + float(offsets[best]))


def grid_of(file: Path) -> Grid | None:
    """Where the beats of a recording are, written or agreed on; None where nobody says."""
    known = written(file)
    if known:
        # Of one part alone by the whole: a recording may begin later than its notes.
        whole = file.parent / "song.ogg"
        return on_attacks(sound_of_song(whole if whole.exists() else file), known, LATE_SECONDS)
    told = agreed(file)
    return told and on_attacks(sound_of_song(file), told, ATTACK_SECONDS)


def loops_of(file: Path, count: int, seed: int, folder: Path, number: int) -> list[Truth]:
    """Cut `count` loops out of a recording, as files of that folder from a number on."""
    grid = grid_of(file)
    if grid is None:
        return []
    sound = sound_of_song(file)
    rng = np.random.default_rng([seed, zlib.crc32(str(file).encode())])
    bar = grid.in_bar * grid.beat
    last = min(grid.until, sound.shape[0] / RATE)
    truths: list[Truth] = []
    for _ in range(12 * count):
        bars = int(rng.choice(BARS))
        room = int((last - grid.one - bars * bar) / bar)
        if len(truths) == count or room < 1:
            break
        one = (grid.one + int(rng.integers(room)) * bar) * RATE
        found = cut_out(sound, one, grid.beat * RATE, 4, bars, grid.in_bar, rng)
        if found:
            name = f"{number + len(truths):05d}.flac"
            samples, at, truth = found
            if "speed" not in truth["condition"]:
                truth["key"] = grid.key
            soundfile.write(folder / name, samples, at, subtype="PCM_16")
            truths.append(Truth(file=name, world=world_of(file), **truth))
    return truths


if __name__ == "__main__":
    make_from_pieces(arguments(__doc__).parse_args(), loops_of)
