"""How fast is a render, beside reference libraries in the same run?

python-stretch (C++) and librosa's time_stretch (a plain phase vocoder) on the same sounds, in CPU
time on one thread. Machines are noisy: read the ratio to python-stretch.
"""

import time
from collections.abc import Callable

import librosa
import numpy as np
from python_stretch import Signalsmith

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings

ROUNDS = 7
AS_IT_IS = StretchSettings()


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
    lines = [
        "| 8 s of stereo at 44.1 kHz | waited, s | CPU, s | speed, python-stretch 1 |",
        "|---|---|---|---|",
    ]
    for name, ratio in (("keys_88", 1.25), ("drums_103", 0.8), ("drums_103", 1.25)):
        sound = eight_seconds(name)
        rows = _rows(sound, all_attacks(sound), ratio)
        base = rows[0][1][1]
        lines.append(f"| **{name}, {ratio:g} × as long** | | | |")
        lines += [f"| {n} | {w:.3f} | {c:.3f} | {base / c:.2f} |" for n, (w, c) in rows]
    return "\n".join(lines)


def _rows(sound: Audio, attacks: Attacks, ratio: float) -> list[tuple[str, tuple[float, float]]]:
    def ours(
        method: str, threads: int = 1, settings: StretchSettings = AS_IT_IS, semitones: float = 0.0
    ) -> Callable[[], object]:
        plan = plan_ratio(
            source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=ratio,
            method=method, settings=settings, semitones=semitones,
        )  # fmt: skip
        return lambda: Rendering(sound, attacks, plan, threads).whole()

    def librosas() -> object:
        return [librosa.effects.time_stretch(c, rate=1 / ratio) for c in sound.samples]

    def python_stretch() -> object:
        engine = Signalsmith.Stretch()
        engine.preset(2, sound.rate)
        engine.setTimeFactor(1 / ratio)
        return engine.process(sound.samples.copy())

    held = StretchSettings(formants=0.5)
    return [
        ("python-stretch", timed(python_stretch)),
        ("librosa time_stretch", timed(librosas)),
        *((METHODS[m].name, timed(ours(m))) for m in METHODS),
        ("Weave, two threads", timed(ours("weave", 2))),
        ("Weave, +2 st, formants half held", timed(ours("weave", 1, held, 2.0))),
    ]
