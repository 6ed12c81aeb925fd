"""Which loops is listening measured and trained on? Made here, each with everything known of it.

Conventions
-----------
- A condition says what was done to a loop: cut exactly, a pickup, silence or a tail left on, ...
- Truth is in seconds of the file: downbeat_s may be negative, end_s past the file's end.
"""

import argparse
import json
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.compose import FEELS, PROGRAMS, PULSES, TEMPOS, Rng, Spec, compose
from benchmarks.accuracy.conditions import CONDITIONS, Cut, File, conditioned
from benchmarks.accuracy.render import (
    DRUMS_ONLY,
    LEARNT,
    RATE,
    Band,
    Score,
    Timed,
    band_of,
    drifting,
    pick_programs,
    swung,
)  # fmt: skip

METRES = ("4/4",) * 13 + ("3/4", "6/8", "5/4", "7/8") * 2
BARS = (1, 1, 1, 2, 2, 2, 2, 4, 4, 4, 4, 8, 8, 3, 5, 16)
WITHOUT_THE_ONE = 0.05  # of loops: nothing is played on their first beat
CONTENTS = (
    ("drums",), ("drums",), ("drums",), ("percussion",), ("drums", "bass"), ("drums", "chords"),
    ("drums", "bass", "chords", "arp"), ("drums", "bass", "chords", "line"),
    ("drums", "bass", "pad", "voice"), ("bass",), ("bass",), ("chords",), ("chords",), ("arp",),
    ("line",), ("voice",), ("pad",), ("pad", "arp"), ("bass", "chords"), ("chords", "line"),
)  # fmt: skip
NOTES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
BATCH = 24
SHORTEST_SECONDS, LONGEST_SECONDS = 0.7, 45.0


@dataclass(frozen=True)
class Truth:
    """Everything known of one loop file."""

    file: str
    world: str
    condition: str
    content: str
    sound: str
    metre: str
    feel: str
    bars: int
    beats_per_bar: int
    tempo_bpm: float
    downbeat_s: float
    end_s: float
    duration_s: float
    beats_s: tuple[float, ...]
    onsets_s: tuple[float, ...] | None
    key: str | None
    cents: float
    drift: float
    pickup: float


def plan(seed: int, count: int) -> list[tuple[str, Spec]]:
    """Conditions and what is played, `count` of them."""
    rng = np.random.default_rng(seed)
    names, weights = list(CONDITIONS), np.asarray(list(CONDITIONS.values()), float)
    planned = []
    while len(planned) < count:
        condition = str(rng.choice(names, p=weights / weights.sum()))
        metre = str(rng.choice(METRES))
        content = CONTENTS[int(rng.integers(len(CONTENTS)))]
        feel = str(rng.choice(FEELS[metre]))
        bars = int(rng.choice(BARS))
        low, high = TEMPOS.get(feel, (60, 178))
        tempo = float(rng.uniform(low, high))
        if metre == "7/8":
            tempo = float(rng.uniform(140, 300))
        tempo = float(round(tempo)) if rng.random() < 0.5 else round(tempo, 2)
        seconds = bars * PULSES[metre] * 60 / tempo
        if not SHORTEST_SECONDS < seconds < LONGEST_SECONDS:
            continue
        tonal = [role for role in content if role in PROGRAMS]
        if "pickup" in condition and content == ("pad",):
            continue
        longest = PULSES[metre] - 1
        pickup = float(rng.choice([0.5, 1, 1, 1.5, 2, 3])) if "pickup" in condition else 0.0
        if metre in ("6/8", "7/8"):
            pickup = float(math.ceil(pickup))
        planned.append(
            (
                condition,
                Spec(
                    content=content, metre=metre, feel=feel, bars=bars, tempo=tempo,
                    key=(int(rng.integers(12)), bool(rng.random() < 0.55)) if tonal else None,
                    sparse=condition == "sparse", pickup=min(pickup, longest),
                    seed=int(rng.integers(2**31)),
                ),
            )
        )  # fmt: skip
    return planned


def sound_of(content: tuple[str, ...]) -> str:
    if len(content) == 1:
        return "line" if content[0] == "arp" else content[0]
    return "mixed" if {"drums", "percussion"} & set(content) or len(content) > 1 else content[0]


@dataclass(frozen=True)
class Performance:
    """A loop ready to be played: the score and the moments of its pulses."""

    spec: Spec
    condition: str
    score: Score
    second_of: object
    rng: Rng
    attacks: tuple[Timed, ...]
    cents: float
    drift: float


def perform(condition: str, spec: Spec, world: str) -> Performance:
    rng = np.random.default_rng(spec.seed)
    notes = compose(spec, rng)
    if rng.random() < WITHOUT_THE_ONE:
        notes = [n for n in notes if n.at != 0.0] or notes
    drift = float(rng.uniform(0.005, 0.03) * rng.choice([-1, 1])) if condition == "drift" else 0.0
    second_of = drifting(spec.tempo, drift, spec.pulses)
    swing, unit = 0.5, 1.0
    if spec.feel == "shuffle":
        swing = float(rng.uniform(0.57, 0.68))
    elif spec.feel == "swing16":
        swing, unit = float(rng.uniform(0.53, 0.64)), 0.5
    jitter = 0.0
    if condition == "jitter":
        jitter = float(rng.uniform(0.003, 0.010))
    elif rng.random() < 0.35:
        jitter = float(rng.uniform(0.0005, 0.003))
    late: dict[tuple[float, str], float] = {}
    timed = []
    for note in notes:
        at = (round(note.at, 4), note.role)
        if at not in late:
            on_edge = note.at in (0.0, -spec.pickup)
            late[at] = (
                0.0 if on_edge else float(np.clip(rng.normal(0, jitter), -3 * jitter, 3 * jitter))
            )
        start = second_of(swung(note.at, swing, unit)) + late[at]
        end = second_of(swung(note.at + note.length, swing, unit))
        timed.append(Timed(start, max(end, start + 0.03), note))
    cents = (
        float(round(rng.uniform(6, 45) * rng.choice([-1, 1]), 1)) if condition == "detuned" else 0.0
    )
    programs = pick_programs(dict.fromkeys(n.role for n in notes), rng, world)
    score = Score(
        tuple(timed), programs, spec.pickup * 60 / spec.tempo, second_of(spec.pulses), cents
    )
    return Performance(spec, condition, score, second_of, rng, tuple(timed), cents, drift)


def finished(p: Performance, sound: np.ndarray, band: Band) -> tuple[File, dict]:
    """The file, and the truth as far as the sound has a say."""
    spec = p.spec
    before, after = round(p.score.before * RATE), round(p.score.after * RATE)
    cut = Cut(sound, before, after, spec.tempo, spec.steps, rings=True)
    file = conditioned(cut, p.condition, p.rng)
    shift, speed, duration = file.shift, file.speed, file.samples.shape[0] / file.rate
    heard = []
    for t in p.attacks:
        if t.note.role == "pad":
            continue
        at = t.start + band.late_of(t.note, p.score.programs)
        heard.append(at / speed + shift)
        if file.repeats and 0 <= at < file.repeats * speed:
            heard.append((at + p.score.after) / speed + shift)
    onsets: list[float] = []
    for at in sorted(heard):
        if -0.002 <= at < duration - 0.005 and (not onsets or at - onsets[-1] > 0.015):
            onsets.append(max(0.0, at))
    beats = [shift + p.second_of(i) / speed for i in range(-int(spec.pickup), spec.pulses)]
    return file, {
        "downbeat_s": shift, "end_s": shift + p.score.after / speed, "duration_s": duration,
        "beats_s": tuple(b for b in beats if b < duration),
        "onsets_s": None if spec.content == ("pad",) else tuple(onsets),
    }  # fmt: skip


def make(folder: Path, seed: int, count: int, worlds: tuple[str, ...] = LEARNT) -> list[Truth]:
    """Render `count` loops into a folder, their truths beside them; the same for a seed."""
    folder.mkdir(parents=True, exist_ok=True)
    planned = plan(seed, count)
    batches = [
        (folder, first, worlds[first // BATCH % len(worlds)], planned[first : first + BATCH])
        for first in range(0, count, BATCH)
    ]
    truths: list[Truth] = []
    with ProcessPoolExecutor(2) as pool:
        for made in pool.map(_batch, batches):
            truths += made
            print(f"{len(truths)} of {count}", flush=True)
    (folder / "truth.json").write_text(json.dumps([asdict(t) for t in truths]))
    return truths


def _batch(task: tuple[Path, int, str, list[tuple[str, Spec]]]) -> list[Truth]:
    folder, first, world, planned = task
    if world in DRUMS_ONLY:
        planned = [(c, replace(s, content=("drums",), key=None)) for c, s in planned]
    band = band_of(world, folder.parent)
    performances = [perform(c, s, world) for c, s in planned]
    band.learn_lateness(
        band.key_of(t.note, p.score.programs) for p in performances for t in p.attacks
    )
    sounds = band.record([p.score for p in performances], reverb=first // BATCH % 2 == 1)
    truths = []
    for i, (p, sound) in enumerate(zip(performances, sounds, strict=True), start=first):
        file, known = finished(p, sound, band)
        name = f"{i:04d}.flac"
        soundfile.write(folder / name, file.samples, file.rate, subtype="PCM_16")
        spec = p.spec
        shifted = p.cents / 100 + 12 * math.log2(file.speed)  # semitones
        key = None
        if spec.key:
            tonic = NOTES[(spec.key[0] + round(shifted)) % 12]
            key = f"{tonic} {'minor' if spec.key[1] else 'major'}"
        truths.append(
            Truth(
                file=name, world=world, condition=p.condition, content="+".join(spec.content),
                sound=sound_of(spec.content), metre=spec.metre, feel=spec.feel, bars=spec.bars,
                beats_per_bar=PULSES[spec.metre], tempo_bpm=spec.tempo * file.speed, key=key,
                cents=100 * (shifted - round(shifted)), drift=p.drift, pickup=spec.pickup, **known,
            )
        )  # fmt: skip
    return truths


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=160)
    parser.add_argument("--worlds", nargs="+", default=LEARNT)
    given = parser.parse_args()
    make(given.folder, given.seed, given.count, tuple(given.worlds))


if __name__ == "__main__":
    main()
