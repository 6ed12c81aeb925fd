"""In what condition does a loop come? Cut exactly, with a pickup, silence or a tail left on, ...

Conventions
-----------
- Truth is in seconds of the file: downbeat_s may be negative, end_s past the file's end.
- Shares are life's, as far as it is known: of files from packs about seven in ten are cut exactly
  (common practice, no source); the rest is spread over what else is met.
"""

from dataclasses import dataclass

import numpy as np
import soxr
from scipy import signal

from benchmarks.accuracy.chain import RATE, Rng, through

CONDITIONS = {
    "exact": 34, "speed": 10, "degraded": 6, "detuned": 6, "jitter": 6, "drift": 4, "sparse": 4,
    "pickup": 8, "silence": 5, "tail": 6, "pickup+tail": 2, "silence+tail": 3, "late start": 2,
    "cut end": 2, "mp3 lead": 2,
}  # fmt: skip
WHOLE = ("exact", "speed", "degraded", "detuned", "jitter", "drift", "sparse")
SPEEDS = (0.8, 1.25)


@dataclass(frozen=True)
class Cut:
    """A loop in its surroundings.

    sound   float64 [frames, 2] from its pickup on to past its end
    before  frames of pickup
    after   frames of the pass
    tempo_bpm, steps  the smallest step is so manyth of a beat
    rings   what follows is what rings on; otherwise what is played next
    """

    sound: np.ndarray
    before: int
    after: int
    tempo_bpm: float
    steps: int
    rings: bool

    @property
    def body(self) -> np.ndarray:
        """float64 [frames, 2]: pickup and pass."""
        return self.sound[: self.before + self.after]

    @property
    def following(self) -> np.ndarray:
        """float64 [frames, 2]: what comes after the pass."""
        return self.sound[self.before + self.after :]


@dataclass(frozen=True)
class File:
    """A loop as it comes.

    samples  float64 [frames, channels] at `rate`
    shift    seconds of the file before the downbeat
    speed    by which it runs faster than it was played
    repeats  seconds of its beginning that are there again after its end
    """

    samples: np.ndarray
    rate: int
    shift: float
    speed: float
    repeats: float


def conditioned(cut: Cut, condition: str, rng: Rng) -> File:
    """A loop as a file in that condition."""
    body = cut.body.copy()
    if cut.rings and condition in WHOLE and rng.random() < 0.5:
        n = min(body.shape[0], cut.following.shape[0])
        body[:n] += cut.following[:n]
    shift, repeats = cut.before / RATE, 0.0
    if "tail" in condition:
        repeats, tail = _tail(cut, rng)
        body = np.vstack([body, tail])
    if "silence" in condition:
        n = int(rng.uniform(0.02, 0.6) * RATE)
        quiet = np.zeros((n, 2))
        if rng.random() < 0.5:
            quiet = rng.normal(0, 10 ** (-rng.uniform(60, 85) / 20), quiet.shape)
        body, shift = np.vstack([quiet, body]), shift + n / RATE
    if condition == "mp3 lead":
        n = int(rng.choice([576, 1105, 1152, 1681, 2257]))
        body, shift = np.vstack([np.zeros((n, 2)), body]), shift + n / RATE
    if condition == "late start":
        step = 60 / cut.tempo_bpm / cut.steps
        late = rng.uniform(0.01, 0.03) if rng.random() < 0.3 else step * rng.choice([1, 2])
        body, shift = body[int(late * RATE) :], shift - int(late * RATE) / RATE
    if condition == "cut end":
        n = int(60 / cut.tempo_bpm * rng.uniform(0.2, 0.95) * RATE)
        body = body[: max(RATE // 2, body.shape[0] - n)]
    body = through(body, rng, 60 / cut.tempo_bpm, most=4 if condition == "degraded" else 2)
    # Many are cut hard; some are faded over a few milliseconds at both ends.
    if rng.random() < 0.6:
        fade = min(int(rng.uniform(20, 400)), body.shape[0])
        body[-fade:] *= np.linspace(1, 0, fade)[:, None]
    speed = float(rng.uniform(*SPEEDS)) if condition == "speed" or rng.random() < 0.05 else 1.0
    rate = int(rng.choice([44_100, 44_100, 48_000, 22_050, 32_000]))
    if rng.random() < 0.35:
        body = body.mean(axis=1, keepdims=True)
    if rate != RATE or speed != 1.0:
        body = soxr.resample(body, RATE * speed, rate)
    body = body / (np.abs(body).max() + 1e-9) * 10 ** (-rng.uniform(0.1, 9) / 20)
    return File(body, rate, shift / speed, speed, repeats / speed)


def _tail(cut: Cut, rng: Rng) -> tuple[float, np.ndarray]:
    """Seconds of the beginning that come again, and what is left on: float64 [frames, 2]."""
    beat = 60 / cut.tempo_bpm
    if not cut.before and rng.random() < 0.35:
        repeats = float(rng.uniform(0.25, 1.2)) * beat
        n = min(int(repeats * RATE), cut.body.shape[0], cut.following.shape[0])
        return repeats, cut.body[:n] + (cut.following[:n] if cut.rings else 0.0)
    n = min(int(rng.uniform(0.08, 1.8) * RATE), cut.following.shape[0])
    tail = cut.following[:n]
    if not cut.rings and rng.random() < 0.6:
        # What is played next is not there: the last beat rings on in a room.
        last = cut.body[-round(beat * RATE) :]
        room = rng.normal(0, 1, (RATE, 2)) * np.exp(-6.9 * np.arange(RATE) / RATE)[:, None]
        wet = signal.fftconvolve(last, room, axes=0)[last.shape[0] :][:n]
        size = np.sqrt((last**2).mean()) / (np.sqrt((wet[: RATE // 20] ** 2).mean()) + 1e-9)
        tail = wet * size * rng.uniform(0.2, 0.8)
    return 0.0, tail * np.linspace(1, 0, tail.shape[0])[:, None]
