"""Which loops are stretches judged on? Each played at its own tempo and at every wanted one.

The second is what a perfect stretch would give. Notes ring round the loop's end into its start,
in both.
"""

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.compose import Note, Spec, compose
from benchmarks.accuracy.loops import swung
from benchmarks.accuracy.render import FONTS, RATE, ROOM_AFTER, SOUNDFONTS, Band, Score, Timed

RATIOS = (0.5, 0.75, 0.9, 1.1, 1.25, 1.5, 2.0)
SHIFTS = (-5, -2, 2, 5, 12)
# name, category, content, feel, programs, kind of sound
KINDS = (
    ("drums, rock kit", "drums", ("drums",), "rock", {"drums": 0}, "drums"),
    ("drums, room kit, swung", "drums", ("drums",), "swing16", {"drums": 8}, "drums"),
    ("drums, electronic", "drums", ("drums",), "trap", {"drums": 24}, "drums"),
    ("drums, machine", "drums", ("drums",), "floor", {"drums": 25}, "drums"),
    ("drums, broken", "drums", ("drums",), "broken", {"drums": 16}, "drums"),
    ("hand percussion", "drums", ("percussion",), "clave", {"drums": 0}, "percussion"),
    ("bass, fingers", "tonal", ("bass",), "funk", {"bass": 33}, "bass"),
    ("bass, synthesizer", "tonal", ("bass",), "floor", {"bass": 38}, "bass"),
    ("guitar chords", "tonal", ("chords",), "rock", {"chords": 25}, "chords"),
    ("electric piano", "tonal", ("chords",), "funk", {"chords": 4}, "chords"),
    ("organ", "tonal", ("chords",), "rock", {"chords": 16}, "chords"),
    ("strings", "tonal", ("pad",), "rock", {"pad": 48}, "pad"),
    ("lead", "tonal", ("line",), "rock", {"line": 80}, "line"),
    ("saxophone", "tonal", ("line",), "swing16", {"line": 65}, "line"),
    ("flute", "tonal", ("line",), "rock", {"line": 73}, "line"),
    ("voice", "tonal", ("voice",), "rock", {"voice": 53}, "voice"),
    ("marimba", "tonal", ("arp",), "rock", {"arp": 12}, "chords"),
    ("vibraphone", "tonal", ("arp",), "swing16", {"arp": 11}, "chords"),
    ("mix, funk", "mix", ("drums", "bass", "chords", "line"), "funk",
     {"drums": 8, "bass": 33, "chords": 4, "line": 26}, "mixed"),
    ("mix, pads", "mix", ("drums", "bass", "pad", "voice"), "floor",
     {"drums": 24, "bass": 38, "pad": 50, "voice": 52}, "mixed"),
    ("mix, arpeggio", "mix", ("drums", "bass", "chords", "arp"), "rock",
     {"drums": 0, "bass": 34, "chords": 27, "arp": 11}, "mixed"),
)  # fmt: skip


@dataclass(frozen=True)
class Played:
    """One loop: its files are `source`, and by ratio and by shift what they should become.

    attacks  seconds of the source at which notes begin
    """

    name: str
    category: str
    kind: str
    source: str
    by_ratio: dict[str, str]
    by_shift: dict[str, str]
    attacks: tuple[float, ...]
    tempo_bpm: float


def make(folder: Path, seed: int, ratios: tuple[float, ...] = RATIOS) -> list[Played]:
    """Render every kind into a folder, the list beside it; the same for a seed."""
    listed = folder / "played.json"
    if listed.exists():
        return [
            Played(**{**p, "attacks": tuple(p["attacks"])}) for p in json.loads(listed.read_text())
        ]
    folder.mkdir(parents=True, exist_ok=True)
    fonts = [f for f in SOUNDFONTS if FONTS[f].exists()]
    rng = np.random.default_rng(seed)
    found = []
    for i, kind in enumerate(KINDS):
        band = Band(fonts[(i + seed) % len(fonts)], folder)
        found.append(_played(folder, band, i, kind, rng, ratios))
        print(f"{found[-1].name} {found[-1].tempo_bpm:.1f} BPM", flush=True)
    listed.write_text(json.dumps([asdict(p) for p in found]))
    return found


def _played(
    folder: Path,
    band: Band,
    number: int,
    kind: tuple,
    rng: np.random.Generator,
    ratios: tuple[float, ...],
) -> Played:
    name, category, content, feel, programs, sound = kind
    low, high = (84, 118) if category != "drums" else (88, 138)
    # A whole number of frames at every ratio.
    bars = 2
    frames = round(bars * 4 * 60 / float(rng.uniform(low, high)) * RATE / 20) * 20
    tempo = bars * 4 * 60 * RATE / frames
    spec = Spec(
        content=content, metre="4/4", feel=feel, bars=bars, tempo=tempo,
        key=None if category == "drums" else (int(rng.integers(12)), bool(rng.random() < 0.5)),
        sparse=False, pickup=0.0, seed=int(rng.integers(2**31)),
    )  # fmt: skip
    notes = compose(spec, np.random.default_rng(spec.seed))
    swing = float(rng.uniform(0.54, 0.62)) if feel == "swing16" else 0.5
    human = {round(n.at, 4): float(rng.normal(0, 0.004)) * (n.at > 0) for n in notes}
    at = {round(n.at, 4): swung(n.at, swing, 0.5) + human[round(n.at, 4)] for n in notes}
    second = 60 / tempo

    def score(ratio: float, shift: int) -> Score:
        beat = second * ratio
        timed = tuple(
            Timed(
                max(0.0, at[round(n.at, 4)]) * beat,
                (max(0.0, at[round(n.at, 4)]) + n.length) * beat,
                n if n.role == "drums" else _shifted(n, shift),
            )
            for n in notes
        )
        return Score(timed, programs, 0.0, frames * ratio / RATE)

    wanted = [(r, 0) for r in (1.0, *ratios)]
    if category == "tonal":
        wanted += [(1.0, s) for s in SHIFTS]
    sounds = [
        _round(sound_, round(frames * r))
        for (r, _), sound_ in zip(
            wanted, band.record([score(r, s) for r, s in wanted], reverb=False), strict=True
        )
    ]
    gain = 0.7 / max(np.abs(s).max() for s in sounds)
    names = []
    for (r, s), sound_ in zip(wanted, sounds, strict=True):
        file = f"{number:02d}-{r:.2f}{s:+d}.wav"
        soundfile.write(folder / file, (sound_ * gain).astype(np.float32), RATE, subtype="FLOAT")
        names.append(file)
    attacks = sorted({round(max(0.0, at[round(n.at, 4)]) * second, 5) for n in notes})
    return Played(
        name, category, sound, names[0],
        {f"{r:.2f}": n for (r, s), n in zip(wanted[1:], names[1:], strict=True) if s == 0},
        {f"{s:+d}": n for (_, s), n in zip(wanted, names, strict=True) if s != 0},
        tuple(attacks), tempo,
    )  # fmt: skip


def _shifted(note: Note, shift: int) -> Note:
    return Note(note.at, note.length, note.role, note.pitch + shift, note.velocity)


def _round(sound: np.ndarray, frames: int) -> np.ndarray:
    """What rings past the end is heard at the start, as when the loop is repeated."""
    out = sound[:frames].copy()
    rest = sound[frames : frames + round(ROOM_AFTER * RATE)]
    while rest.shape[0]:
        n = min(frames, rest.shape[0])
        out[:n] += rest[:n]
        rest = rest[n:]
    return out
