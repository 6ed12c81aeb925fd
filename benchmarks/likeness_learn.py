"""Learn by what sounds are told apart: a projection of a loop's traits, kept with the application.

Linear discriminants (Fisher 1936) of seventeen families of the General MIDI programs, none of which
`benchmarks.likeness` plays, on random notes and rhythms by three free soundfonts. What tells the
programs of a family apart has half the say of what tells families apart, and each direction that is
kept weighs the same: with programs left out by turns that finds more of a class than the weights of
the discriminants do (7.0 against 6.4 of ten).

    .venv/bin/python -m benchmarks.likeness_learn

needs fluidsynth and the soundfonts of Debian's fluid-soundfont-gm, timgm6mb-soundfont and
csound-soundfont.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from scipy import linalg

import zeroknot.core.listening as listening
from benchmarks.likeness import CLASSES, KITS, SOUNDFONTS, rendered
from zeroknot.core.audio import Audio
from zeroknot.core.listening.liken import LEARNT, traits_of
from zeroknot.core.listening.likeness import SIZES

FAMILIES = {
    "piano": (2, 3), "electric piano": (6, 7), "bells": (8, 9, 10, 14), "mallets": (11, 108, 114),
    "organ": (17, 18, 20), "guitar": (26, 27, 28), "driven": (29, 30, 31), "bass": (32, 35, 36, 37),
    "synth bass": (38, 39), "strings": (40, 41, 42, 50), "choir": (52, 53, 54),
    "brass": (56, 57, 58, 59, 60, 63), "reed": (64, 67, 68, 70, 71), "pipe": (72, 73, 74, 75),
    "lead": (80, 81, 87), "pad": (88, 90, 92, 93, 94, 95), "drums": (-1,),
}  # fmt: skip
FONTS = (*SOUNDFONTS, "/usr/share/sounds/sf2/sf_GMbank.sf2")
EACH = 72  # loops of a family by each soundfont
RIDGE = 0.1  # share of the mean variance within, so that nothing is told apart by chance
PROGRAMS_SHARE = 0.5  # of what tells programs apart


def loops(rng: np.random.Generator, font: str) -> Iterator[tuple[str, int, Audio]]:
    """Family, program and sound of each."""
    for name, programs in FAMILIES.items():
        low, high = (26, 48) if "bass" in name else (45, 80)
        for _ in range(EACH):
            density = rng.uniform(0.2, 0.7)
            events = []
            for step in range(32):
                if rng.random() < density:
                    pitch = int(rng.integers(low, high))
                    if name == "drums":
                        pitch = int(rng.choice([35, 36, 37, 38, 40, 42, 44, 46, 47, 51]))
                    length, velocity = float(rng.integers(1, 7)), int(rng.integers(50, 120))
                    events.append((float(step), length, pitch, velocity))
            program = int(rng.choice(programs))
            if name == "drums":
                program = -1 - int(rng.choice(KITS))
            yield name, program, rendered(events, program, rng.uniform(75, 160), font)


def learnt(traits: np.ndarray, names: np.ndarray, programs: np.ndarray) -> dict[str, np.ndarray]:
    middle, spread = traits.mean(axis=0), traits.std(axis=0) + 1e-9
    told = 3 * np.tanh((traits - middle) / spread / 3)
    within, between = _scatter(told, names)
    between += PROGRAMS_SHARE * _scatter(told, programs)[1]
    within += RIDGE * np.trace(within) / len(within) * np.eye(len(within))
    _, vectors = linalg.eigh(between, within)
    return {"middle": middle, "spread": spread, "projection": vectors[:, ::-1][:, : SIZES["sound"]]}


def _scatter(told: np.ndarray, labels: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How much they differ within a label, and how much the labels do."""
    within = np.zeros((told.shape[1],) * 2)
    between = np.zeros_like(within)
    for label in set(labels):
        own = told[labels == label]
        off = own - own.mean(axis=0)
        within += off.T @ off / len(told)
        away = (own.mean(axis=0) - told.mean(axis=0))[:, None]
        between += len(own) / len(told) * (away @ away.T)
    return within, between


def main() -> None:
    played = {p for programs in CLASSES.values() for p in programs if p >= 0}
    assert not played & {p for programs in FAMILIES.values() for p in programs}
    rng = np.random.default_rng(4)
    rows = [
        (name, f"{name} {program}", traits_of(sound))
        for font in FONTS
        for name, program, sound in loops(rng, font)
    ]
    names, programs, traits = zip(*rows, strict=True)
    found = learnt(np.stack(traits), np.asarray(names), np.asarray(programs))
    place = Path(listening.__path__[0]) / LEARNT
    np.savez_compressed(place, **{k: v.astype(np.float32) for k, v in found.items()})
    print(f"{len(names)} loops, {place.stat().st_size} bytes")


if __name__ == "__main__":
    main()
