"""How fast is a render, beside reference libraries in the same run?

python-stretch (C++) and librosa's time_stretch (a plain phase vocoder) on the same sounds, in CPU
time on one thread. A machine is fast for a second and slow the next, so all take turns, and the
ratio to python-stretch is the middle one of those of each turn.
"""

import time
from collections.abc import Callable, Sequence

import librosa
import numpy as np
from numpy.typing import NDArray
from python_stretch import Signalsmith

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings

ROUNDS = 15
AS_IT_IS = StretchSettings()


def timed(works: Sequence[Callable[[], object]]) -> NDArray[np.float64]:
    """Seconds waited and of CPU, each in its turn, after a turn to warm up: [rounds, works, 2]"""
    found = np.empty((ROUNDS + 1, len(works), 2))
    for times in found:
        for i, work in enumerate(works):
            began = time.perf_counter(), time.process_time()
            work()
            times[i] = time.perf_counter() - began[0], time.process_time() - began[1]
    return found[1:]


def table() -> str:
    lines = [
        "| 8 s of stereo at 44.1 kHz | waited, s | CPU, s | speed, python-stretch 1 |",
        "|---|---|---|---|",
    ]
    for name, ratio in (("keys_88", 1.25), ("drums_103", 0.8), ("drums_103", 1.25)):
        sound = eight_seconds(name)
        works = _works(sound, all_attacks(sound), ratio)
        times = timed(list(works.values()))
        waited, spent = np.median(times, axis=0).T
        speed = np.median(times[:, :1, 1] / times[:, :, 1], axis=0)
        lines.append(f"| **{name}, {ratio:g} × as long** | | | |")
        lines += [
            f"| {work} | {waited[i]:.3f} | {spent[i]:.3f} | {speed[i]:.2f} |"
            for i, work in enumerate(works)
        ]
    return "\n".join(lines)


def _works(sound: Audio, attacks: Attacks, ratio: float) -> dict[str, Callable[[], object]]:
    """By name, python-stretch first."""

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
    return {
        "python-stretch": python_stretch,
        "librosa time_stretch": librosas,
        **{method.name: ours(key) for key, method in METHODS.items()},
        "Weave, two threads": ours("weave", 2),
        "Weave, +2 st, formants half held": ours("weave", 1, held, 2.0),
    }
