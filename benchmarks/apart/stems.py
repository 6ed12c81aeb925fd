"""Which mixes is it measured and fitted on? Loops whose tones and hits were rendered apart.

    python -m benchmarks.apart.stems FOLDER --first 0 --count 300

Conventions
-----------
- A loop is one FLAC file of four channels: tones left and right, hits left and right.
- Everything about loop n follows from n; loops n, n + 3, n + 6 … are played by the same soundfont.
- Notes begin on the same frames in both: each part is rendered by a run of the synthesizer of its
  own, from the same start (within one run it quantizes starts to its blocks).
"""

import argparse
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.compose import PROGRAMS, Note, Spec, compose
from benchmarks.accuracy.loops import swung
from benchmarks.accuracy.render import (
    RATE,
    ROOM_AFTER,
    SOUNDFONTS,
    Band,
    Score,
    Timed,
    pick_programs,
)

FEELS = (
    "rock", "shuffle", "swing16", "halftime", "broken", "floor", "clave", "triplet", "trap", "funk",
)  # fmt: skip
BARS = 2
FAINT = 1e-3

Sound = np.ndarray


class Played:
    """A composed loop that can be rendered by part and shift.

    frames  of the loop
    """

    def __init__(
        self, spec: Spec, programs: dict[str, int], soundfont: str, cache: Path, swing: float,
        loose_s: float = 0.004,
    ):  # fmt: skip
        rng = np.random.default_rng(spec.seed)
        self.notes = compose(spec, rng)
        late = {round(n.at, 4): float(rng.normal(0, loose_s)) * (n.at > 0) for n in self.notes}
        self._at = {t: max(0.0, swung(t, swing, 0.5) + late[t]) for t in late}
        self._second = 60 / spec.tempo
        self._programs, self._band = programs, Band(soundfont, cache)
        self.frames = round(BARS * 4 * self._second * RATE)

    @property
    def attacks(self) -> tuple[float, ...]:
        return tuple(sorted({t * self._second for t in self._at.values()}))

    def part(self, is_struck: bool, semitones: int = 0, reverb: bool = False) -> Sound:
        """float64 [frames, 2]: its hits, or its tones shifted; what rings past the end wraps."""
        timed = tuple(self._timed(is_struck, semitones))
        score = Score(timed, self._programs, 0.0, self.frames / RATE)
        [sound] = self._band.record([score], reverb=reverb)
        out, rest = sound[: self.frames].copy(), sound[self.frames :]
        rest = rest[: round(ROOM_AFTER * RATE)]
        while rest.shape[0]:
            count = min(self.frames, rest.shape[0])
            out[:count] += rest[:count]
            rest = rest[count:]
        return out

    def _timed(self, is_struck: bool, semitones: int) -> Iterable[Timed]:
        for n in self.notes:
            if (n.role == "drums") == is_struck:
                at = self._at[round(n.at, 4)]
                pitch = n.pitch + (0 if is_struck else semitones)
                note = Note(n.at, n.length, n.role, pitch, n.velocity)
                yield Timed(at * self._second, (at + n.length) * self._second, note)


def chance_loop(number: int, cache: Path) -> tuple[Played, bool]:
    """Loop `number`, and whether it was played in a room."""
    rng = np.random.default_rng(9_000 + number)
    feel = str(rng.choice(FEELS))
    roles = [role for role in PROGRAMS if rng.random() < 0.45] or ["chords"]
    drums = "drums" if rng.random() < 0.85 else "percussion"
    spec = Spec(
        content=(drums, *roles), metre="4/4", feel=feel, bars=BARS,
        tempo=float(rng.uniform(80, 150)), key=(int(rng.integers(12)), bool(rng.random() < 0.5)),
        sparse=bool(rng.random() < 0.3), pickup=0.0, seed=int(rng.integers(2**31)),
    )  # fmt: skip
    swing = float(rng.uniform(0.54, 0.66)) if feel == "swing16" else 0.5
    programs = pick_programs(["drums", *roles], rng)
    soundfont = SOUNDFONTS[number % len(SOUNDFONTS)]
    return Played(spec, programs, soundfont, cache, swing), bool(rng.random() < 0.4)


def make(folder: Path, first: int, count: int) -> None:
    """Render loops that are not there yet; those of which a part is silent are left out."""
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(first, first + count):
        file = folder / f"{number:04d}.flac"
        if file.exists():
            continue
        played, in_a_room = chance_loop(number, folder)
        tones, hits = (played.part(struck, reverb=in_a_room) for struck in (False, True))
        if min(np.abs(tones).max(), np.abs(hits).max()) < FAINT:
            continue
        both = np.concatenate([tones, hits], axis=1)
        both *= 0.5 / np.abs(tones + hits).max()
        soundfile.write(file, both.astype(np.float32), RATE, subtype="PCM_16")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--count", type=int, default=300)
    given = parser.parse_args()
    make(given.folder, given.first, given.count)


if __name__ == "__main__":
    main()
