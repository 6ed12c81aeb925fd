"""Loops in which nothing tells the beat: python -m benchmarks.accuracy.pads FOLDER --seed 185

Chords that swell and are held, for a bar, for half of one or for two; no drum, no figure. How they
are counted is a matter of custom, and whoever has only met loops with a beat is too sure of it. All
is drawn: tempo, metre, how long a chord is held, its notes, voices, onset and brightness.
"""

import argparse
import json
from pathlib import Path

import numpy as np
import soundfile
from scipy import signal

RATE = 44100
METRES = {4: 0.92, 3: 0.08}
# Chords a bar: mostly one.
CHORDS_A_BAR = {1.0: 0.5, 2.0: 0.22, 0.5: 0.22, 0.25: 0.06}
BARS = {1: 0.08, 2: 0.22, 4: 0.5, 8: 0.2}
TEMPO_MEDIAN, TEMPO_SPREAD = 104.0, 0.28  # BPM, and of its logarithm
TEMPOS = (60.0, 175.0)
LONGEST_SECONDS = 24.0
SCALES = ((0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10), (0, 2, 3, 5, 7, 9, 10))


def drawn(of: dict, rng: np.random.Generator):
    return rng.choice(list(of), p=np.asarray(list(of.values())) / sum(of.values()))


def held(midi: float, frames: int, rise: int, fall: int, voices: int, rng) -> np.ndarray:
    """One note of some detuned voices, each a few partials: float64 [frames + fall]."""
    seconds = np.arange(frames + fall) / RATE
    hertz = 440.0 * 2 ** ((midi - 69) / 12)
    tilt = rng.uniform(0.9, 2.2)
    sound = np.zeros(frames + fall)
    for _ in range(voices):
        own = hertz * 2 ** (rng.normal(0, 4) / 1200)
        for partial in range(1, max(2, int(min(16, 9000 / own)) + 1)):
            phase = rng.uniform(0, 2 * np.pi)
            sound += np.sin(2 * np.pi * own * partial * seconds + phase) / partial**tilt
    sound[:rise] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(rise) / rise)
    sound[frames:] *= np.exp(-6.0 * np.arange(fall) / max(1, fall))
    return sound


def pad(rng: np.random.Generator) -> tuple[np.ndarray, dict]:
    """A loop, float64 [frames, 1], and its truth."""
    while True:
        metre, rate, bars = (drawn(of, rng) for of in (METRES, CHORDS_A_BAR, BARS))
        tempo = TEMPO_MEDIAN * np.exp(rng.normal(0, TEMPO_SPREAD))
        bar = metre * 60.0 / tempo
        fits = TEMPOS[0] < tempo < TEMPOS[1] and bars * bar < LONGEST_SECONDS
        if fits and bars * rate >= 1 and (metre == 4 or rate != 2.0):
            break
    tempo = round(float(tempo)) if rng.random() < 0.8 else float(tempo)
    bar = metre * 60.0 / tempo
    frames = round(bars * bar * RATE)
    tonic, scale = int(rng.integers(12)), SCALES[int(rng.integers(len(SCALES)))]
    rise, fall = (round(RATE * np.exp(rng.uniform(*np.log(r)))) for r in ((0.004, 0.5), (0.05, 1)))
    voices, has_bass = int(rng.integers(1, 4)), rng.random() < 0.5
    sound = np.zeros(frames + RATE * 4)
    count = max(1, round(bars * rate))
    for i in range(count):
        first, end = (round(frames * k / count) for k in (i, i + 1))
        degree = 0 if i == 0 and rng.random() < 0.6 else int(rng.integers(7))
        notes = [degree + step for step in (0, 2, 4, *((6,) if rng.random() < 0.3 else ()))]
        midi = [48 + tonic + 12 * (n // 7) + scale[n % 7] for n in notes]
        midi = [m - 12 if m > 70 else m for m in midi] + ([midi[0] - 12] if has_bass else [])
        loud = 10 ** (rng.uniform(-2, 2) / 20)
        for note in midi:
            one = held(note, end - first, min(rise, (end - first) // 2), fall, voices, rng)
            sound[first : first + one.size] += loud * one
    looped = sound[:frames]
    over = sound[frames:][:frames]
    if rng.random() < 0.7:  # as it sounds when it repeats
        looped[: over.size] += over
    order = signal.butter(2, rng.uniform(700, 9000), fs=RATE, output="sos")
    looped = signal.sosfilt(order, np.concatenate([looped, looped]))[frames:]
    if rng.random() < 0.4:
        sway = 1 + rng.uniform(0.05, 0.3) * np.sin(
            2 * np.pi * rng.uniform(0.1, 1.5) * np.arange(frames) / RATE + rng.uniform(0, 6)
        )
        looped = looped * sway
    looped += rng.normal(0, 10 ** (-rng.uniform(60, 90) / 20), frames)
    looped *= rng.uniform(0.2, 0.9) / np.abs(looped).max()
    beats = int(bars * metre)
    return looped[:, None], {
        "world": "pads", "condition": "exact", "content": "pad", "sound": "chords",
        "metre": f"{metre}/4", "feel": "none", "bars": int(bars), "beats_per_bar": int(metre),
        "tempo_bpm": bars * metre * 60.0 * RATE / frames, "downbeat_s": 0.0,
        "end_s": frames / RATE, "duration_s": frames / RATE,
        "beats_s": [k * frames / RATE / beats for k in range(beats)],
        "onsets_s": [round(frames * i / count) / RATE for i in range(count)],
        "key": None, "cents": 0.0, "drift": 0.0, "pickup": 0.0,
    }  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seed", type=int, required=True)
    parser.add_argument("--count", type=int, default=300)
    given = parser.parse_args()
    given.folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(given.seed)
    truths = []
    for i in range(given.count):
        sound, truth = pad(rng)
        soundfile.write(given.folder / f"{i:05d}.flac", sound, RATE, subtype="PCM_16")
        truths.append({**truth, "file": f"{i:05d}.flac"})
    (given.folder / "truth.json").write_text(json.dumps(truths))
    print(len(truths), "loops")


if __name__ == "__main__":
    main()
