"""Which loops is listening measured and trained on? Made here, each with everything known of it.

Conventions
-----------
- A condition says what was done to a loop: cut exactly, a pickup, silence or a tail left on, ...
- Truth is in seconds of the file: downbeat_s may be negative, end_s past the file's end.
"""

import argparse
import io
import json
import math
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy import signal

from benchmarks.accuracy.compose import FEELS, PROGRAMS, PULSES, TEMPOS, Rng, Spec, compose
from benchmarks.accuracy.render import (
    RATE,
    SOUNDFONTS,
    Band,
    Score,
    Timed,
    drifting,
    pick_programs,
    swung,
)  # fmt: skip

CONDITIONS = {
    "exact": 44, "pickup": 20, "silence": 16, "tail": 18, "jitter": 12, "drift": 12,
    "detuned": 12, "degraded": 14, "pickup+tail": 6, "silence+tail": 6, "late start": 6,
    "cut end": 6, "mp3 lead": 6, "sparse": 8,
}  # fmt: skip
METRES = ("4/4",) * 13 + ("3/4", "6/8", "5/4", "7/8") * 2
BARS = (1, 2, 2, 2, 4, 4, 4, 8, 8, 3, 5, 16)
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
        return "chords" if content[0] == "arp" else content[0]
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


def perform(condition: str, spec: Spec) -> Performance:
    rng = np.random.default_rng(spec.seed)
    notes = compose(spec, rng)
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
    programs = pick_programs(dict.fromkeys(n.role for n in notes), rng)
    score = Score(
        tuple(timed), programs, spec.pickup * 60 / spec.tempo, second_of(spec.pulses), cents
    )
    return Performance(spec, condition, score, second_of, rng, tuple(timed), cents, drift)


def finished(p: Performance, sound: np.ndarray, band: Band) -> tuple[np.ndarray, int, dict]:
    """Samples [frames, channels], their rate, and the truth as far as the sound has a say."""
    rng, spec, condition = p.rng, p.spec, p.condition
    before, after = round(p.score.before * RATE), round(p.score.after * RATE)
    body, ringing = sound[: before + after].copy(), sound[before + after :]
    if condition in ("exact", "jitter", "detuned", "degraded", "sparse") and rng.random() < 0.5:
        n = min(body.shape[0], ringing.shape[0])
        body[:n] += ringing[:n]
    shift, repeats = p.score.before, 0.0  # seconds of the file before the downbeat
    if "tail" in condition:
        if rng.random() < 0.35 and not spec.pickup:
            repeats = float(rng.uniform(0.25, 1.2)) * 60 / spec.tempo
            n = min(int(repeats * RATE), body.shape[0], ringing.shape[0])
            extra = body[:n] + ringing[:n]
        else:
            n = int(rng.uniform(0.08, 1.8) * RATE)
            extra = ringing[:n] * np.linspace(1, 0, n)[:, None]
        body = np.vstack([body, extra])
    if "silence" in condition:
        n = int(rng.uniform(0.02, 0.6) * RATE)
        quiet = np.zeros((n, 2))
        if rng.random() < 0.5:
            quiet = rng.normal(0, 10 ** (-rng.uniform(60, 85) / 20), quiet.shape)
        body = np.vstack([quiet, body])
        shift += n / RATE
    if condition == "mp3 lead":
        n = int(rng.choice([576, 1105, 1152, 1681, 2257]))
        body = np.vstack([np.zeros((n, 2)), body])
        shift += n / RATE
    if condition == "late start":
        step = 60 / spec.tempo / spec.steps
        n = int(
            (rng.uniform(0.01, 0.03) if rng.random() < 0.3 else step * float(rng.choice([1, 2])))
            * RATE
        )
        body = body[n:]
        shift -= n / RATE
    if condition == "cut end":
        n = int(60 / spec.tempo * rng.uniform(0.2, 0.95) * RATE)
        body = body[: max(RATE // 2, body.shape[0] - n)]
    fade = min(130, body.shape[0])
    body[-fade:] *= np.linspace(1, 0, fade)[:, None]
    body = body / (np.abs(body).max() + 1e-9)
    if rng.random() < 0.3:  # what mastering does to a loop
        drive = rng.uniform(1.5, 5)
        body = np.tanh(body * drive) / np.tanh(drive)
    if rng.random() < 0.2:
        tilt = signal.butter(
            1, rng.uniform(200, 2000), "lp" if rng.random() < 0.5 else "hp", fs=RATE, output="sos"
        )
        body = body + rng.uniform(0.5, 2) * signal.sosfilt(tilt, body, axis=0)
    if condition == "degraded":
        body = _degraded(body, rng)
    rate = int(rng.choice([44_100, 44_100, 48_000, 22_050, 32_000]))
    if rng.random() < 0.35:
        body = body.mean(axis=1, keepdims=True)
    if rate != RATE:
        body = soxr.resample(body, RATE, rate)
    body = body / (np.abs(body).max() + 1e-9) * 10 ** (-rng.uniform(0.1, 9) / 20)
    duration = body.shape[0] / rate
    heard = []
    for t in p.attacks:
        if t.note.role == "pad":
            continue
        at = t.start + band.late[band.key_of(t.note, p.score.programs)]
        heard.append(at + shift)
        if repeats and 0 <= at < repeats:
            heard.append(at + shift + p.score.after)
    onsets: list[float] = []
    for at in sorted(heard):
        if -0.002 <= at < duration - 0.005 and (not onsets or at - onsets[-1] > 0.015):
            onsets.append(max(0.0, at))
    beats = [shift + p.second_of(i) for i in range(-int(spec.pickup), spec.pulses)]
    return body, rate, {
        "downbeat_s": shift, "end_s": shift + p.score.after, "duration_s": duration,
        "beats_s": tuple(b for b in beats if b < duration),
        "onsets_s": None if spec.content == ("pad",) else tuple(onsets),
    }  # fmt: skip


def _degraded(body: np.ndarray, rng: Rng) -> np.ndarray:
    way = str(rng.choice(["noise", "dull", "coded", "clipped", "room"]))
    if way == "noise":
        power = np.sqrt((body**2).mean()) * 10 ** (-rng.uniform(10, 28) / 20)
        return body + rng.normal(0, power, body.shape)
    if way == "dull":
        return signal.sosfilt(
            signal.butter(4, rng.uniform(500, 3000), fs=RATE, output="sos"), body, axis=0
        )
    if way == "coded":
        file = io.BytesIO()
        soundfile.write(file, np.clip(body, -1, 1), RATE, format="OGG", subtype="VORBIS")
        file.seek(0)
        coded = soundfile.read(file, always_2d=True)[0][: body.shape[0]]
        return np.pad(coded, ((0, body.shape[0] - coded.shape[0]), (0, 0)))
    if way == "clipped":
        return np.clip(body * rng.uniform(1.5, 4), -1, 1)
    n = int(rng.uniform(0.2, 0.9) * RATE)
    room = rng.normal(0, 1, (n, 2)) * np.exp(-6.9 * np.arange(n) / n)[:, None]
    wet = np.stack([signal.fftconvolve(body[:, c], room[:, c])[: body.shape[0]] for c in (0, 1)], 1)
    return body + rng.uniform(0.2, 0.6) * wet / (np.abs(wet).max() + 1e-9)


def make(folder: Path, seed: int, count: int, fonts: tuple[str, ...] = SOUNDFONTS) -> list[Truth]:
    """Render `count` loops into a folder, their truths beside them; the same for a seed."""
    folder.mkdir(parents=True, exist_ok=True)
    bands = [Band(f, folder.parent) for f in fonts if Path(f).exists()]
    truths = []
    planned = plan(seed, count)
    for first in range(0, count, BATCH):
        band = bands[(first // BATCH) % len(bands)]
        performances = [perform(c, s) for c, s in planned[first : first + BATCH]]
        band.learn_lateness(
            band.key_of(t.note, p.score.programs) for p in performances for t in p.attacks
        )
        sounds = band.record([p.score for p in performances], reverb=(first // BATCH) % 2 == 1)
        for i, (p, sound) in enumerate(zip(performances, sounds, strict=True), start=first):
            body, rate, known = finished(p, sound, band)
            name = f"{i:04d}.flac"
            soundfile.write(folder / name, body, rate, subtype="PCM_16")
            spec = p.spec
            key = None
            if spec.key:
                key = f"{NOTES[spec.key[0]]} {'minor' if spec.key[1] else 'major'}"
            truths.append(
                Truth(
                    file=name, condition=p.condition, content="+".join(spec.content),
                    sound=sound_of(spec.content), metre=spec.metre, feel=spec.feel,
                    bars=spec.bars, beats_per_bar=PULSES[spec.metre], tempo_bpm=spec.tempo, key=key,
                    cents=p.cents, drift=p.drift, pickup=spec.pickup, **known,
                )
            )  # fmt: skip
        print(f"{len(truths)} of {count}", flush=True)
    (folder / "truth.json").write_text(json.dumps([asdict(t) for t in truths]))
    return truths


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=160)
    given = parser.parse_args()
    make(given.folder, given.seed, given.count)


if __name__ == "__main__":
    main()
