"""Takes that tests play: a drummer whose tempo moves as it is told, so that every beat is known."""

import numpy as np

from tests.sounds import RATE


def beat_times(bpm_of, beats, start=0.0):
    """Seconds of beats 0…beats where `bpm_of(beat)` is the tempo between a beat and the next."""
    gaps = [60.0 / bpm_of(i) for i in range(beats)]
    return start + np.concatenate([[0.0], np.cumsum(gaps)])


def wandering(bpm, percent, beats, seed=3, change=None):
    """A tempo that wanders by up to ± percent, smoothly; `change` = (beat, times) jumps inside."""
    rng = np.random.default_rng(seed)
    waves = [(rng.uniform(24, 90), rng.uniform(0, 2 * np.pi)) for _ in range(3)]
    shape = np.asarray([sum(np.sin(2 * np.pi * i / p + q) for p, q in waves) for i in range(beats)])
    shape *= percent / 100 / np.abs(shape).max()

    def tempo(beat):
        times = change[1] if change and beat >= change[0] else 1.0
        return bpm * times * (1 + shape[min(beat, beats - 1)])

    return tempo


def drummer(times, metre=4, tail=0.5, pickup=0, rate=RATE, seed=4, loose_ms=0.0):
    """Drums with their pulses at `times` (the last one only ends the last beat).

    pickup    pulses before the first one of a bar
    loose_ms  standard deviation of each hit's timing
    returns   float64 [frames], and the seconds of every hit with its place in pulses
    """
    rng = np.random.default_rng(seed)
    t = np.arange(round(0.25 * rate)) / rate
    kick = np.sin(2 * np.pi * (48 * t + 5 * (1 - np.exp(-t * 40)))) * np.exp(-t * 16)
    noise = rng.standard_normal(t.size)
    snare = 0.5 * noise * np.exp(-t * 26) + 0.4 * np.sin(2 * np.pi * 185 * t) * np.exp(-t * 30)
    hat = 0.12 * np.diff(noise, prepend=0.0) * np.exp(-t * 70)
    out = np.zeros(round((times[-1] + tail) * rate))
    hits = []

    def lay(sound, at, level, place):
        at = max(0.0, at + rng.normal(0, loose_ms / 1000))
        first = round(at * rate)
        part = out[first : first + sound.size]
        part += level * sound[: part.size]
        hits.append((at, place))

    for i in range(len(times) - 1):
        k = (i - pickup) % metre
        half = (times[i] + times[i + 1]) / 2
        lay(kick if k in (0, 2) else snare, times[i], 0.7, i)
        lay(hat, times[i], 1.0, i)
        lay(hat, half, rng.uniform(0.5, 1.0), i + 0.5)
        if k == 3 and rng.random() < 0.6:
            lay(kick, half, 0.4, i + 0.5)
    return out, sorted(set(hits), key=lambda h: h[1])
