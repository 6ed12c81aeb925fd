"""Does "what fits here" put the partners of one composition above strangers?

Compositions of drums, bass and chords are played part by part, by fluidsynth. For each, two of the
parts play, and the third parts of all compositions are ranked: how many of the strangers its own
partner leaves behind. Once as they come, each in its own tempo and key; once with all strangers at
the same tempo and on the same tonic, where only what is played tells them apart.
"""

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.accuracy.compose import Note, Spec, compose
from benchmarks.accuracy.render import RATE, SOUNDFONTS, Band, Score, Timed
from zeroknot.core.audio import Audio
from zeroknot.core.harmony.fit import interval
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.listening.fitting import best_fit
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.likeness import TONES, Likeness

COUNT, BARS = 32, 2
ROLES = ("drums", "bass", "chords")
FEELS = ("rock", "shuffle", "swing16", "halftime", "broken", "floor", "funk", "trap")
PROGRAMS = {"bass": (32, 33, 34, 38), "chords": (0, 4, 16, 25, 26)}


def part(notes: list[Note], role: str, tempo: float, program: int, band: Band) -> Likeness:
    beat = 60 / tempo
    timed = tuple(
        Timed(max(0.0, n.at) * beat, (max(0.0, n.at) + n.length) * beat, n)
        for n in notes if n.role == role
    )  # fmt: skip
    seconds = BARS * 4 * beat
    [sound] = band.record([Score(timed, {role: program}, 0.0, seconds)], reverb=False)
    frames = round(seconds * RATE)
    mono = np.zeros((1, frames), np.float32)
    heard = sound.mean(axis=1)[:frames]
    mono[0, : heard.size] = heard / max(1e-6, float(np.abs(heard).max()))
    found = likeness_in(Audio(mono, RATE), 0.0, seconds, BARS)
    return found.without_tones if role == "drums" else found  # as the application takes them


def turned(one: Likeness, semitones: int) -> Likeness:
    """As if it had been played so much higher."""
    harmony = np.roll(one.harmony.reshape(-1, TONES), semitones, axis=1).ravel()
    return replace(one, tone=np.roll(one.tone, semitones), harmony=harmony)


def main() -> None:
    rng = np.random.default_rng(17)
    parts: list[dict[str, Likeness]] = []
    keys: list[Key] = []
    tempos: list[float] = []
    with tempfile.TemporaryDirectory() as folder:
        for i in range(COUNT):
            tonic, is_minor = int(rng.integers(12)), bool(rng.random() < 0.5)
            tempo = float(rng.uniform(80, 140))
            spec = Spec(
                content=ROLES, metre="4/4", feel=FEELS[i % len(FEELS)], bars=BARS, tempo=tempo,
                key=(tonic, is_minor), sparse=False, pickup=0.0, seed=int(rng.integers(2**31)),
            )  # fmt: skip
            notes = compose(spec, np.random.default_rng(spec.seed))
            band = Band(SOUNDFONTS[i % 2], Path(folder))
            programs = {role: int(rng.choice(p)) for role, p in PROGRAMS.items()} | {"drums": 0}
            parts.append({r: part(notes, r, tempo, programs[r], band) for r in ROLES})
            tempos.append(tempo)
            keys.append(Key.parse(f"{NAMES[tonic]} {'minor' if is_minor else 'major'}"))
    for role in ROLES:
        for alike in (False, True):
            behind = []
            for i, own in enumerate(parts):
                others = [own[r] for r in ROLES if r != role]
                scores = []
                for part_, key, tempo in zip(parts, keys, tempos, strict=True):
                    up = interval(key, keys[i]) if alike else 0
                    ratio = 1.0 if alike else tempos[i] / tempo
                    scores.append(
                        best_fit(turned(part_[role], up), others, keys[i], ratio)[0].score
                    )
                strangers = [s for k, s in enumerate(scores) if k != i]
                behind.append(np.mean([s < scores[i] for s in strangers]))
            way = "of one tempo and tonic" if alike else "as they come"
            print(f"{role:7} leaves {100 * np.mean(behind):.0f} % of the strangers behind, {way}")


if __name__ == "__main__":
    main()
