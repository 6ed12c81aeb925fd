"""Makes loops out of loops: python -m benchmarks.accuracy.again FOLDER SOURCE... --seed 171

Of loops in the source folders that are cut exactly, each with a part of itself left on, as they are
when they are cut out of their own repetition: its end in front as a pickup, its beginning behind as
a tail, or silence in front; some of them played faster or slower. Some tails are the ring of a room
that the whole loop was played in. World and all else stay, so that
what is kept apart of the sources is kept apart of these, too.
"""

import argparse
import json
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy import signal

from benchmarks.accuracy.conditions import SPEEDS
from benchmarks.accuracy.fit_attacks import loops

CONDITIONS = {"pickup": 3, "tail": 2, "silence": 3, "pickup+tail": 1, "silence+tail": 1}
PICKUPS = {"6/8": (1 / 3, 2 / 3, 1.0)}
USUAL_PICKUPS = (0.25, 0.5, 0.5, 1.0, 1.0, 1.0, 1.5, 2.0, 3.0)
EXACT_SECONDS = 0.0005
SHARE = 0.4  # of the exact loops
ROOMS = 0.4  # of those with a tail
RINGS_SECONDS = (0.25, 2.5)  # to −60 dB
WET_DB = (-18.0, -3.0)  # of the room's level beside the loop's


def is_exact(truth: dict) -> bool:
    """Is all of the file one pass?"""
    off = max(abs(truth["downbeat_s"]), abs(truth["end_s"] - truth["duration_s"]))
    return off < EXACT_SECONDS and truth["drift"] == 0.0


def in_a_room(body: np.ndarray, rate: int, rng: np.random.Generator) -> np.ndarray:
    """A loop as it rings on in a room of decaying noise: float64 [more frames, channels]."""
    rings = float(np.exp(rng.uniform(*np.log(RINGS_SECONDS))))
    frames = round(rings * rate)
    fall = 10 ** (-3 * np.arange(frames) / frames)
    darker = signal.butter(1, rng.uniform(1500, 9000), fs=rate, output="sos")
    room = signal.sosfilt(darker, rng.normal(size=(body.shape[1], frames)) * fall)
    wet = signal.fftconvolve(body, room.T, axes=0)
    wet *= np.sqrt(np.mean(body**2) / max(np.mean(wet[: body.shape[0]] ** 2), 1e-20))
    wet *= 10 ** (rng.uniform(*WET_DB) / 20)
    wet[: body.shape[0]] += body
    return wet


def altered(body: np.ndarray, rate: int, truth: dict, rng: np.random.Generator):
    """An exact loop with some of itself on: float64 [frames, channels], and its truth.

    body  float64 [frames, channels]
    """
    names, weights = list(CONDITIONS), np.asarray(list(CONDITIONS.values()), float)
    condition = str(rng.choice(names, p=weights / weights.sum()))
    speed = float(rng.uniform(*SPEEDS)) if rng.random() < 0.25 else 1.0
    beat = body.shape[0] / truth["bars"] / truth["beats_per_bar"]
    before = pickup = 0
    sound = body
    if "pickup" in condition:
        fits = [p for p in PICKUPS.get(truth["metre"], USUAL_PICKUPS) if p < truth["beats_per_bar"]]
        pickup = float(rng.choice(fits))
        before = round(pickup * beat)
        sound = np.concatenate([body[-before:], sound])
    if "tail" in condition and rng.random() < ROOMS:
        sound = in_a_room(sound, rate, rng)
    elif "tail" in condition:
        n = min(body.shape[0], round(beat * rng.uniform(0.1, 1.2)))
        sound = np.concatenate([sound, body[:n]])
    if "silence" in condition:
        quiet = np.zeros((int(rng.uniform(0.02, 0.6) * rate), body.shape[1]))
        if rng.random() < 0.5:
            quiet = rng.normal(0, 10 ** (-rng.uniform(60, 85) / 20), quiet.shape)
        before += quiet.shape[0]
        sound = np.concatenate([quiet, sound])
    if rng.random() < 0.6:
        fade = min(int(rng.uniform(20, 400)), sound.shape[0])
        sound = sound.copy()
        sound[-fade:] *= np.linspace(1, 0, fade)[:, None]
    if speed != 1.0:
        sound = soxr.resample(sound, rate * speed, rate)
    shift = before / rate
    length = body.shape[0] / rate
    duration = sound.shape[0] / rate
    onsets = truth["onsets_s"]
    beats = [
        shift + i * beat / rate for i in range(-int(pickup), truth["bars"] * truth["beats_per_bar"])
    ]
    return sound, {
        **truth, "condition": condition, "pickup": pickup,
        "tempo_bpm": truth["tempo_bpm"] * speed, "downbeat_s": shift / speed,
        "end_s": (shift + length) / speed, "duration_s": duration,
        "beats_s": [b / speed for b in beats if b / speed < duration],
        # Those in what was left on are not written down.
        "onsets_s": None if onsets is None or condition != "silence"
        else [(o + shift) / speed for o in onsets],
        "key": truth["key"] if speed == 1.0 else None,
    }  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("sources", type=Path, nargs="+")
    parser.add_argument("--seed", type=int, required=True)
    given = parser.parse_args()
    given.folder.mkdir(parents=True, exist_ok=True)
    truths: list[dict] = []
    rng = np.random.default_rng(given.seed)
    for file, truth in loops(given.sources):
        if not is_exact(truth) or rng.random() > SHARE:
            continue
        body, rate = soundfile.read(file, dtype="float64", always_2d=True)
        sound, made = altered(body, rate, truth, rng)
        name = f"{len(truths):05d}.flac"
        peak = max(1.0, float(np.abs(sound).max()))
        soundfile.write(given.folder / name, sound / peak, rate, subtype="PCM_16")
        truths.append({**made, "file": name})
    (given.folder / "truth.json").write_text(json.dumps(truths))
    print(len(truths), "loops")


if __name__ == "__main__":
    main()
