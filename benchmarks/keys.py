"""Does the proposed shift bring a loop into a key, and does it clash less there?

`python -m benchmarks.keys FOLDER [PAIRS]`

Pairs of loops are composed in keys drawn from a seed and rendered by fluidsynth with three
soundfonts. The first loop's key is the song's; the second is brought into it by the rule, from its
sound and its key alone. Counted is how its notes, which are known, then lie in the key, against
the best of the twelve shifts; and its clash with the first against that of the wrong shifts.
"""

import os
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.accuracy.compose import Note, Spec, compose
from benchmarks.accuracy.render import RATE, SOUNDFONTS, Band, Score, Timed, pick_programs
from zeroknot.core.audio import Audio
from zeroknot.core.harmony.clash import clash, partials_of
from zeroknot.core.harmony.fit import SAID, SHIFTS, shares_inside, shift_into
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.harmony.tones import profile_of
from zeroknot.core.listening.chroma import spectral_peaks

ROLES = ("chords", "arp", "pad", "line", "bass")
TEMPO, PULSES = 100.0, 16
MOMENTS = 64


def rendered(seed: int, which: int, cache: Path) -> tuple[Key, list[Note], Audio]:
    """A loop in a key drawn from the seed, its notes, and how it sounds."""
    rng = np.random.default_rng([seed, which, 5])
    role = ROLES[int(rng.integers(len(ROLES)))]
    tonic, is_minor = int(rng.integers(12)), bool(rng.integers(2))
    spec = Spec(
        content=(role,), metre="4/4", feel="rock", bars=4, tempo=TEMPO, key=(tonic, is_minor),
        sparse=False, pickup=0.0, seed=seed,
    )  # fmt: skip
    notes = [n for n in compose(spec, rng) if 0 <= n.at < PULSES]
    second = 60.0 / TEMPO
    timed = tuple(Timed(n.at * second, (n.at + n.length) * second, n) for n in notes)
    band = Band(SOUNDFONTS[seed % len(SOUNDFONTS)], cache)
    (sound,) = band.record([Score(timed, pick_programs({role}, rng), 0.0, PULSES * second)], False)
    frames = round(PULSES * second * RATE)
    audio = Audio(np.ascontiguousarray(sound[:frames].T.astype(np.float32)), RATE)
    return Key(NAMES[tonic], "minor" if is_minor else "major"), notes, audio


def known_profile(notes: list[Note]) -> tuple[float, ...]:
    """How long each pitch class is held, by the score."""
    found = np.zeros(12)
    for note in notes:
        found[note.pitch % 12] += note.length
    return tuple((found / max(found.sum(), 1e-9)).tolist())


def judged(task: tuple[int, Path]) -> tuple[bool, bool, float]:
    """Whether the shift is as good as the best, whether it clashes less; seconds of analysis."""
    seed, cache = task
    wanted, _, one = rendered(seed, 0, cache)
    own, notes, other = rendered(seed, 1, cache)
    began = time.perf_counter()
    shift = shift_into(profile_of(other), wanted, own, leeway=SAID)
    truth = shares_inside(known_profile(notes), wanted)
    is_right = truth[shift] >= max(truth.values()) - 0.01
    seconds = np.linspace(0.1, PULSES * 60.0 / TEMPO - 0.1, MOMENTS)
    a_notes, a = partials_of(spectral_peaks(one)).at(seconds)
    b_notes, b = partials_of(spectral_peaks(other)).at(seconds)
    values = {n: clash((a_notes, a), ((b_notes + n).astype(np.float32), b)).value for n in SHIFTS}
    # A wrong shift takes notes out of the key.
    wrong = [values[n] for n in SHIFTS if truth[n] < max(truth.values()) - 0.05]
    return is_right, values[shift] < float(np.median(wrong)), time.perf_counter() - began


def main() -> None:
    cache = Path(sys.argv[1])
    cache.mkdir(parents=True, exist_ok=True)
    pairs = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = list(pool.map(judged, [(seed, cache) for seed in range(pairs)]))
    right, smoother, seconds = (np.asarray(column) for column in zip(*found, strict=True))
    print(
        f"the proposed shift holds the known notes as well as the best: {100 * right.mean():.1f} %"
    )
    print(f"its clash is below the median of the wrong ones: {100 * smoother.mean():.1f} %")
    print(f"a pair takes {np.median(seconds):.2f} s, {len(found)} pairs")


if __name__ == "__main__":
    main()
