"""How do well-known libraries stretch the same loops? Each behind two functions.

A peer takes float32 [frames, 2] at 44.1 kHz and gives the same shape, longer or shifted. Those
that are not installed are left out.
"""

import subprocess
import tempfile
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path
from shutil import which

import numpy as np
import soundfile

from benchmarks.quality.measures import RATE, Sound
from zeroknot.core.units import pitch_ratio


@dataclass(frozen=True)
class Peer:
    name: str
    stretch: Callable[[Sound, float], Sound]
    shift: Callable[[Sound, float], Sound]


def _resampled(sound: Sound, frames: int) -> Sound:
    import soxr

    made = soxr.resample(sound, sound.shape[0], frames)
    return (
        made[:frames]
        if made.shape[0] >= frames
        else np.pad(made, ((0, frames - made.shape[0]), (0, 0)))
    )


def _by_stretching(stretch: Callable[[Sound, float], Sound]) -> Callable[[Sound, float], Sound]:
    """A shift, for who has none: longer by the pitch ratio, then read faster."""
    return lambda sound, semitones: _resampled(
        stretch(sound, pitch_ratio(semitones)), sound.shape[0]
    )


def _librosa() -> Peer:
    import librosa

    return Peer(
        "librosa",
        lambda x, r: librosa.effects.time_stretch(np.ascontiguousarray(x.T), rate=1 / r).T,
        lambda x, s: librosa.effects.pitch_shift(np.ascontiguousarray(x.T), sr=RATE, n_steps=s).T,
    )


def _pytsmod(kind: str) -> Peer:
    import pytsmod

    ways = {"wsola": pytsmod.wsola, "phase vocoder": pytsmod.phase_vocoder}

    def stretch(sound: Sound, ratio: float) -> Sound:
        return np.asarray(ways[kind](np.ascontiguousarray(sound.T), ratio)).T

    return Peer(f"pytsmod {kind}", stretch, _by_stretching(stretch))


def _libtsm() -> Peer:
    import libtsm

    def stretch(sound: Sound, ratio: float) -> Sound:
        return np.stack(
            [libtsm.hps_tsm(c, ratio, Fs=RATE)[:, 0] for c in sound.T.astype(float)], axis=1
        )

    return Peer("libtsm, harmonic and percussive", stretch, _by_stretching(stretch))


def _python_stretch() -> Peer:
    from python_stretch import Signalsmith

    def made(sound: Sound, ratio: float, semitones: float) -> Sound:
        engine = Signalsmith.Stretch()
        engine.preset(2, RATE)
        engine.setTransposeSemitones(semitones)
        engine.setTimeFactor(1 / ratio)
        return np.asarray(engine.process(np.ascontiguousarray(sound.T))).T

    return Peer("python-stretch", lambda x, r: made(x, r, 0.0), lambda x, s: made(x, 1.0, s))


def _rubberband(name: str, engine: tuple[str, ...]) -> Peer:
    def run(sound: Sound, *arguments: str) -> Sound:
        with tempfile.TemporaryDirectory() as folder:
            source, target = Path(folder) / "a.wav", Path(folder) / "b.wav"
            soundfile.write(source, sound, RATE, subtype="FLOAT")
            command = ["rubberband", "-q", *engine, *arguments, str(source), str(target)]
            subprocess.run(command, check=True, capture_output=True)
            return soundfile.read(target, dtype="float32", always_2d=True)[0]

    return Peer(name, lambda x, r: run(x, "-t", repr(float(r))), lambda x, s: run(x, "-p", str(s)))


def peers() -> list[Peer]:
    """Those that are here."""
    warnings.filterwarnings("ignore", module="pytsmod|libtsm|librosa")
    found = []
    if find_spec("librosa"):
        found.append(_librosa())
    if find_spec("pytsmod"):
        found += [_pytsmod("wsola"), _pytsmod("phase vocoder")]
    if find_spec("libtsm"):
        found.append(_libtsm())
    if find_spec("python_stretch"):
        found.append(_python_stretch())
    if which("rubberband"):
        found += [
            _rubberband("rubberband, engine 2", ("-2", "-c6")),
            _rubberband("rubberband, engine 3", ("-3",)),
        ]
    return found
