"""How fast is a render, beside a reference library in the same run?

librosa's time_stretch (a plain phase vocoder) on the same sound, channels one after the other, both
on one thread of CPU time and as waited for. Machines are noisy: read the ratio.
"""

import time
from collections.abc import Callable
from pathlib import Path

import librosa
import numpy as np
import soundfile

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attacks import find_attacks
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering

LOOPS = Path(__file__).resolve().parents[1] / "tests" / "fixtures"
SECONDS = 8.0
ROUNDS = 7
RATIO = 1.1


def eight_seconds() -> Audio:
    """A rendered stereo loop, repeated to eight seconds."""
    samples, rate = soundfile.read(LOOPS / "keys_88.flac", dtype="float32", always_2d=True)
    frames = round(SECONDS * rate)
    rounds = -(-frames // samples.shape[0])
    return Audio(np.ascontiguousarray(np.tile(samples, (rounds, 1))[:frames].T), rate)


def timed(work: Callable[[], object]) -> tuple[float, float]:
    """Median seconds waited and of CPU over several rounds, after one to warm up."""
    work()
    walls, cpus = [], []
    for _ in range(ROUNDS):
        wall, cpu = time.perf_counter(), time.process_time()
        work()
        walls.append(time.perf_counter() - wall)
        cpus.append(time.process_time() - cpu)
    return float(np.median(walls)), float(np.median(cpus))


def table() -> str:
    sound = eight_seconds()
    attacks = find_attacks(sound)

    def ours(method: str, semitones: float, threads: int) -> Callable[[], object]:
        plan = plan_ratio(
            source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=RATIO,
            semitones=semitones, method=method,
        )  # fmt: skip
        return lambda: Rendering(sound, attacks, plan, threads).whole()

    def theirs() -> object:
        return [librosa.effects.time_stretch(c, rate=1 / RATIO) for c in sound.samples]

    rows = [
        ("librosa time_stretch", timed(theirs)),
        ("Weave, one thread", timed(ours("weave", 0.0, 1))),
        ("Weave, two threads", timed(ours("weave", 0.0, 2))),
        ("Weave, +2 st, two threads", timed(ours("weave", 2.0, 2))),
        ("Spool, two threads", timed(ours("spool", 0.0, 2))),
    ]
    base = rows[0][1][1]
    lines = [
        "| 8 s of stereo at 44.1 kHz, 1.1 × as long | waited, s | CPU, s | CPU ratio |",
        "|---|---|---|---|",
    ]
    lines += [f"| {n} | {w:.3f} | {c:.3f} | {c / base:.2f} |" for n, (w, c) in rows]
    return "\n".join(lines)
