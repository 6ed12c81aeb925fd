"""Is what sounds alike found, and what has the same rhythm, whatever plays it?

Loops are rendered here, by fluidsynth with two free soundfonts. By sound: eleven classes of
instrument, each with its own random notes and rhythms; by rhythm: eight drum patterns, each played
by eight kits of two soundfonts, at random tempos and velocities, a hit in ten left out. Of the ten
nearest to each loop, how many share the class, and the pattern.

Then how long it takes to find the ten nearest of 50 000.
"""

import subprocess
import tempfile
import time
from pathlib import Path

import mido
import numpy as np
import soundfile

from zeroknot.core.audio import Audio
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.likeness import SIZE, Likeness
from zeroknot.store.likenesses import Table

RATE = 44_100
SOUNDFONTS = ("/usr/share/sounds/sf2/FluidR3_GM.sf2", "/usr/share/sounds/sf2/TimGM6mb.sf2")
CLASSES = {
    "piano": (0, 1), "electric piano": (4, 5), "organ": (16, 19), "guitar": (24, 25),
    "bass": (33, 34), "strings": (48, 49), "brass": (61, 62), "sax": (65, 66), "pad": (89, 91),
    "marimba": (12, 13), "drums": (-1, -1),
}  # fmt: skip
LOW = {"bass": (28, 45)}
KITS = (0, 8, 16, 24, 25, 26, 32, 40)
KICK, SNARE, HAT, OPEN = 36, 38, 42, 46
# Eight patterns of two bars of sixteenths, as they are played everywhere (common practice).
PATTERNS = {
    "four": {KICK: "x...x...x...x...", SNARE: "....x.......x...", OPEN: "..x...x...x...x."},
    "back beat": {KICK: "x.......x.......", SNARE: "....x.......x...", HAT: "x.x.x.x.x.x.x.x."},
    "broken": {KICK: "x..x..x...x.....", SNARE: "....x..x.x..x..x", HAT: "x.x.x.x.x.x.x.x."},
    "half time": {KICK: "x.....x.........", SNARE: "........x.......", HAT: "x..x..x..x..x..x"},
    "two step": {KICK: "x.........x.....", SNARE: "....x.......x...", HAT: "..x...xx..x...xx"},
    "sixteenths": {KICK: "x.....x.x.......", SNARE: "....x.......x...", HAT: "xxxxxxxxxxxxxxxx"},
    "three": {KICK: "x..x..x.x..x..x.", SNARE: "....x.......x...", HAT: "....x.......x..."},
    "march": {KICK: "x.x...x.x.x...x.", SNARE: "x..xx..xx..xx.xx", HAT: "................"},
}  # fmt: skip


def rendered(
    events: list[tuple[float, float, int, int]], program: int, bpm: float, font: str
) -> Audio:
    """Two bars of notes (begin and length in sixteenths, pitch, velocity)."""
    file = mido.MidiFile(type=0, ticks_per_beat=480)
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm)))
    channel = 9 if program < 0 else 0
    kit = -program - 1 if program < 0 else program
    track.append(mido.Message("program_change", channel=channel, program=kit, time=0))
    moments = [(round(b * 120), 1, p, v) for b, _, p, v in events]
    moments += [(round((b + n) * 120) - 1, 0, p, 0) for b, n, p, _ in events]
    now = 0
    for at, is_on, pitch, velocity in sorted(moments):
        kind = "note_on" if is_on else "note_off"
        track.append(
            mido.Message(kind, channel=channel, note=pitch, velocity=velocity, time=at - now)
        )
        now = at
    file.tracks.append(track)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.mid"
        file.save(path)
        out = path.with_suffix(".wav")
        subprocess.run(["fluidsynth", "-ni", "-R", "0", "-C", "0", "-g", "0.5", "-r", str(RATE),
                        "-F", str(out), "-O", "float", font, str(path)],
                       check=True, capture_output=True)  # fmt: skip
        sound, _ = soundfile.read(out, dtype="float32")
    frames = round(32 * 60 / bpm / 4 * RATE)
    mono = np.zeros((1, frames), np.float32)
    part = sound.mean(axis=1)[:frames]
    mono[0, : part.size] = part
    return Audio(mono / max(1e-6, float(np.abs(mono).max())), RATE)


def of(sound: Audio) -> Likeness:
    return likeness_in(sound, 0.0, sound.seconds, 2)


def by_class(rng: np.random.Generator, each: int) -> tuple[list[str], list[Likeness]]:
    labels, found = [], []
    for name, programs in CLASSES.items():
        for i in range(each):
            low, high = LOW.get(name, (48, 76))
            events = []
            for step in range(32):
                if rng.random() < 0.4:
                    pitch = int(rng.integers(low, high))
                    if name == "drums":
                        pitch = int(rng.choice([KICK, SNARE, HAT, OPEN, 41, 45, 49]))
                    length = float(rng.integers(1, 6))
                    events.append((float(step), length, pitch, int(rng.integers(60, 120))))
            program = programs[i % 2]
            if name == "drums":
                program = -1 - int(rng.choice(KITS))
            sound = rendered(events, program, rng.uniform(80, 150), SOUNDFONTS[i // 2 % 2])
            labels.append(name)
            found.append(of(sound))
    return labels, found


def by_pattern(rng: np.random.Generator) -> tuple[list[str], list[Likeness]]:
    labels, found = [], []
    for name, lanes in PATTERNS.items():
        for kit in KITS:
            for font in SOUNDFONTS:
                events = [
                    (float(i + 16 * bar), 1.0, pitch, int(rng.integers(70, 120)))
                    for pitch, lane in lanes.items()
                    for bar in range(2)
                    for i, mark in enumerate(lane)
                    if mark == "x" and rng.random() > 0.1
                ]
                found.append(of(rendered(events, -1 - kit, rng.uniform(80, 150), font)))
                labels.append(name)
    return labels, found


def share_of_ten(labels: list[str], told: list[np.ndarray]) -> float:
    """How many of the ten nearest share the label, on the mean."""
    vectors = np.stack(told)
    alike = vectors @ vectors.T
    np.fill_diagonal(alike, -9)
    nearest = np.argsort(-alike, axis=1)[:, :10]
    names = np.asarray(labels)
    return float((names[nearest] == names[:, None]).sum(axis=1).mean())


def main() -> None:
    rng = np.random.default_rng(16)
    labels, found = by_class(rng, 16)
    print(f"by sound:  {share_of_ten(labels, [f.sound for f in found]):.1f} of 10 share the class")
    labels, found = by_pattern(rng)
    print(
        f"by rhythm: {share_of_ten(labels, [f.rhythm for f in found]):.1f} of 10 share the pattern"
    )
    many = rng.normal(size=(50_000, SIZE)).astype(np.float32)
    table = Table([f"{i:064}" for i in range(50_000)], many)
    took = []
    for i in range(60):
        began = time.perf_counter()
        table.nearest(many[i], "all", 10)
        took.append(1000 * (time.perf_counter() - began))
    print(f"ten nearest of 50 000: {np.median(took):.1f} ms, 95 % {np.quantile(took, 0.95):.1f} ms")


if __name__ == "__main__":
    main()
