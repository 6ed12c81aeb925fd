"""What is played in a made-up loop? Notes on a grid of pulses, drawn from a seed.

Conventions
-----------
- Positions and lengths are pulses from the first downbeat; pickups lie before 0.
- A pulse is what is counted: a quarter, in 6/8 a dotted quarter, in 7/8 an eighth.
- Patterns follow common practice of the styles they are named after; no source.
"""

from dataclasses import dataclass

import numpy as np

Rng = np.random.Generator

PULSES = {"4/4": 4, "3/4": 3, "5/4": 5, "6/8": 2, "7/8": 7}
STEPS = {"4/4": 4, "3/4": 4, "5/4": 4, "6/8": 3, "7/8": 2}  # smallest steps a pulse
FEELS = {
    "4/4": (
        "rock", "rock", "shuffle", "swing16", "halftime", "broken", "broken", "floor", "floor",
        "clave", "triplet", "trap", "funk",
    ),
    "3/4": ("rock", "swing16", "waltz"),
    "5/4": ("rock", "swing16"),
    "6/8": ("rolling",),
    "7/8": ("rock",),
}  # fmt: skip
TEMPOS = {
    "halftime": (108, 180), "broken": (78, 178), "floor": (104, 152), "shuffle": (64, 164),
    "triplet": (62, 160), "swing16": (60, 126), "trap": (120, 172), "rolling": (48, 124),
    "funk": (82, 126), "waltz": (70, 190), "clave": (80, 140),
}  # fmt: skip
PROGRAMS = {
    "bass": (32, 33, 34, 35, 36, 37, 38, 39, 43, 87),
    "chords": (0, 1, 2, 4, 5, 7, 16, 17, 18, 24, 25, 26, 27, 61, 62),
    "arp": (0, 4, 6, 7, 8, 10, 11, 12, 13, 14, 24, 45, 46, 80, 81, 88, 107, 108),
    "pad": (48, 49, 50, 51, 52, 88, 89, 90, 91, 92, 93, 94, 95, 19, 21),
    "line": (80, 81, 73, 56, 57, 65, 66, 26, 11, 0, 40, 71, 68, 22, 75, 104),
    "voice": (52, 53, 54),
}
DRUM = {
    "kick": 36, "kick2": 35, "snare": 38, "snare2": 40, "rim": 37, "clap": 39, "hat": 42,
    "open": 46, "pedal": 44, "ride": 51, "bell": 53, "crash": 49, "tom1": 50, "tom2": 47,
    "tom3": 45, "tom4": 41, "shaker": 82, "maracas": 70, "tamb": 54, "conga": 63, "conga2": 62,
    "conga3": 64, "bongo": 60, "bongo2": 61, "cow": 56, "clave": 75, "block": 76,
}  # fmt: skip
MAJOR, MINOR = (0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10)


@dataclass(frozen=True)
class Note:
    """role  "drums" (pitch: General MIDI drum number) or a name in PROGRAMS"""

    at: float
    length: float
    role: str
    pitch: int
    velocity: int


@dataclass(frozen=True, kw_only=True)
class Spec:
    """What is to be played; the seed settles the rest.

    content  roles, "drums" or "percussion" among them or not
    key      (tonic 0…11, is minor); None where there is nothing tonal
    """

    content: tuple[str, ...]
    metre: str
    feel: str
    bars: int
    tempo: float
    key: tuple[int, bool] | None
    sparse: bool
    pickup: float
    seed: int

    @property
    def pulses(self) -> int:
        return self.bars * PULSES[self.metre]

    @property
    def steps(self) -> int:
        return 3 if self.feel == "triplet" else STEPS[self.metre]


def loudness(rng: Rng, base: float, spread: float = 8.0) -> int:
    return int(np.clip(rng.normal(base, spread), 16, 127))


def compose(spec: Spec, rng: Rng) -> list[Note]:
    """Every note of one pass and of its pickup."""
    notes: list[Note] = []
    harmony = Harmony(spec, rng)
    for role in spec.content:
        if role == "drums":
            notes += drums(spec, rng)
        elif role == "percussion":
            notes += percussion(spec, rng)
        else:
            notes += tonal(spec, rng, role, harmony)
    if spec.pickup:
        notes += pickup(spec, rng, harmony)
    return notes


def strong_pulses(spec: Spec, rng: Rng) -> list[int]:
    """Pulses of a bar that groups begin on."""
    return {
        "4/4": [0, 2], "3/4": [0], "5/4": [0, 3] if rng.random() < 0.6 else [0, 2], "6/8": [0],
        "7/8": [[0, 2, 4], [0, 3, 5], [0, 2, 5]][int(rng.integers(3))],
    }[spec.metre]  # fmt: skip


def drums(spec: Spec, rng: Rng) -> list[Note]:
    pulses, steps = PULSES[spec.metre], spec.steps
    slots = pulses * steps
    strong = strong_pulses(spec, rng)
    kick, snare, hat = _kit(spec, rng, strong, slots)
    cymbal = str(rng.choice(["hat", "hat", "hat", "ride", "shaker", "pedal"]))
    snare_name = str(rng.choice(["snare", "snare", "snare2", "clap", "rim"]))
    kick_name = str(rng.choice(["kick", "kick2"]))
    ghosts = [k for k in range(1, slots) if k not in snare and k % steps and rng.random() < 0.15]
    ghosts = ghosts if rng.random() < 0.5 else []
    has_fill, has_crash = rng.random() < 0.3, rng.random() < 0.3
    vary = rng.random() < 0.4
    notes: list[Note] = []

    def hit(bar: int, step: float, name: str, base: float, spread: float = 7.0) -> None:
        notes.append(
            Note(bar * pulses + step / steps, 0.2, "drums", DRUM[name], loudness(rng, base, spread))
        )

    for bar in range(spec.bars):
        is_last = bar == spec.bars - 1 and spec.bars > 1
        if bar == 0 and has_crash:
            hit(bar, 0, "crash", 98)
        for k, level in kick.items():
            if not (vary and k and bar % 2 and rng.random() < 0.3):
                hit(bar, k, kick_name, level)
        if vary and bar % 2 and rng.random() < 0.6:
            hit(bar, int(rng.integers(1, slots)), kick_name, 88)
        for k, level in snare.items():
            hit(bar, k, snare_name, level)
            if snare_name == "clap" and rng.random() < 0.5:
                hit(bar, k, "snare", level - 12)
        for k in ghosts:
            hit(bar, k, "snare", 34, 6)
        for k, level in hat.items():
            name = cymbal
            if cymbal == "hat" and level < 0:
                name, level = "open", -level
            hit(bar, k, name, abs(level))
        if is_last and has_fill:
            length = int(rng.choice([steps, 2 * steps]))
            for i, k in enumerate(range(slots - length, slots)):
                if rng.random() < 0.85:
                    name = ("snare", "tom1", "tom2", "tom3", "tom4")[min(4, i * 5 // length)]
                    hit(bar, k, name, 80 + 20 * i / length)
    if rng.random() < 0.2:
        notes += percussion(spec, rng)
    return notes


def _kit(
    spec: Spec, rng: Rng, strong: list[int], slots: int
) -> tuple[dict[float, float], dict[float, float], dict[float, float]]:
    """Steps and levels of kick, snare and cymbal in a bar; a negative level opens the hat."""
    steps, pulses, feel = spec.steps, PULSES[spec.metre], spec.feel
    kick: dict[float, float] = {} if rng.random() < 0.04 else {0: 112}
    back = {
        "4/4": [1, 3], "3/4": [1, 2] if rng.random() < 0.4 else [2] if rng.random() < 0.5 else [1],
        "5/4": [2, 4] if rng.random() < 0.5 else [1, 3], "6/8": [1], "7/8": strong[1:],
    }[spec.metre]  # fmt: skip
    if feel == "halftime" or (feel == "trap" and rng.random() < 0.8):
        back = [2]
    snare: dict[float, float] = {k * steps: 110 for k in back}
    if feel == "floor":
        kick = {k * steps: 114 for k in range(pulses)}
    elif feel == "broken":
        cells = ((0, 2, 10), (0, 7, 10), (0, 3, 6, 10), (0, 2, 9, 10), (0, 6, 7, 11), (0, 10, 11))
        kick = {k: 112 if k == 0 else 98 for k in cells[int(rng.integers(len(cells)))]}
        extra = [[7, 9, 15], [7, 15], [9, 14], [6], []][int(rng.integers(5))]
        snare = {4: 112, 12: 110} | {k: 42 if rng.random() < 0.6 else 84 for k in extra}
        if rng.random() < 0.25:
            snare = {4: 110, 10: 100} | {k: 42 for k in extra if k != 10}
    else:
        for k in strong:
            if k and k not in back and rng.random() < 0.75:
                kick[k * steps] = 104
        odds = 0.2 if feel in ("funk", "trap") else 0.09
        for k in range(1, slots):
            if k not in snare and rng.random() < odds:
                kick[k] = 90
    hat: dict[float, float] = {}
    density = str(rng.choice(["pulse", "half", "half", "step"]))
    if feel in ("swing16", "funk") and steps == 4:
        density = "step" if rng.random() < 0.8 else "half"
    if feel in ("triplet", "rolling"):
        density = "step"
    if feel == "shuffle":
        density = "half"
    if spec.metre == "7/8":
        density = "pulse" if rng.random() < 0.7 else "step"
    stride = {"pulse": steps, "half": max(1, steps // 2), "step": 1}[density]
    for k in range(0, slots, stride):
        level = 92.0 if k % steps == 0 else 76.0 if k * 2 % steps == 0 else 58.0
        if rng.random() < 0.95:
            hat[k] = level
    if feel == "floor" and rng.random() < 0.7:
        hat = {k * steps + steps // 2: -84 for k in range(pulses)} | (
            {k: 60 for k in range(slots)} if rng.random() < 0.4 else {}
        )
    if rng.random() < 0.25 and slots - stride in hat:
        hat[slots - stride] = -84
    if feel == "trap":
        for k in list(hat):
            if rng.random() < 0.15:
                hat[k + 0.5] = 60
            if rng.random() < 0.06:
                hat |= {k + 1 / 3: 60.0, k + 2 / 3: 64.0}
    if rng.random() < 0.06:
        hat = {}
    return kick, snare, hat


def percussion(spec: Spec, rng: Rng) -> list[Note]:
    """One to three hand percussion parts, each one or two bars long and repeated."""
    pulses, steps = PULSES[spec.metre], spec.steps
    slots = pulses * steps
    notes = []
    names = [["shaker"], ["maracas"], ["tamb"], ["conga", "conga2", "conga3"], ["bongo", "bongo2"],
             ["cow"], ["clave"], ["block"]]  # fmt: skip
    for i in rng.permutation(len(names))[: int(rng.integers(1, 4))]:
        voices = names[int(i)]
        if len(voices) == 1 and voices[0] in ("shaker", "maracas", "tamb"):
            stride = 1 if rng.random() < 0.6 else max(1, steps // 2)
            cell = [(k, 0, 78 if k % steps == 0 else 54) for k in range(0, slots, stride)]
        elif spec.metre == "4/4" and steps == 4 and rng.random() < 0.6:
            claves = ((0, 3, 6, 10, 12), (0, 3, 7, 10, 12), (2, 4, 8, 11, 14), (0, 3, 6, 8, 11, 14))
            cell = [(k, int(rng.integers(len(voices))), 92) for k in claves[int(rng.integers(4))]]
        else:
            cell = [
                (k, int(rng.integers(len(voices))), 96 if k == 0 else 80)
                for k in range(slots)
                if k == 0 or rng.random() < (0.5 if k % steps == 0 else 0.3)
            ]
        for bar in range(spec.bars):
            for k, voice, level in cell:
                if rng.random() < 0.97:
                    notes.append(
                        Note(bar * pulses + k / steps, 0.2, "drums", DRUM[voices[voice]],
                             loudness(rng, level))
                    )  # fmt: skip
    return notes


class Harmony:
    """Which chord sounds when? Scale degrees, one chord or two a bar, or one for two bars."""

    PROGRESSIONS = (
        (0, 4, 5, 3), (0, 3, 4, 0), (0, 5, 3, 4), (1, 4, 0, 0), (0, 3), (0, 6, 5, 4), (0, 5, 2, 6),
        (0, 0, 3, 3), (0, 2, 3, 4), (0, 6), (0, 5), (5, 3, 0, 4), (3, 4, 0, 5), (0, 3, 0, 4), (0,),
    )  # fmt: skip

    def __init__(self, spec: Spec, rng: Rng):
        self.tonic, self.minor = spec.key or (0, False)
        self.scale = MINOR if self.minor else MAJOR
        per_bar = 1 if spec.sparse else float(rng.choice([0.5, 1, 1, 1, 2]))
        if spec.bars == 1:
            per_bar = max(1.0, per_bar)
        count = max(1, int(spec.bars * per_bar))
        base = self.PROGRESSIONS[int(rng.integers(len(self.PROGRESSIONS)))]
        self.chords = [base[i % len(base)] for i in range(count)]
        self.length = spec.pulses / count
        self.sevenths = rng.random() < 0.3

    def at(self, pulse: float) -> int:
        return self.chords[min(len(self.chords) - 1, max(0, int(pulse / self.length + 1e-6)))]

    def pitch(self, degree: int, octave: int) -> int:
        turn, step = divmod(degree, 7)
        return self.tonic + self.scale[step] + 12 * (octave + turn)

    def tones(self, chord: int, octave: int) -> list[int]:
        steps = (0, 2, 4, 6) if self.sevenths else (0, 2, 4)
        found = [self.pitch(chord + s, octave) for s in steps]
        if self.minor and chord == 4:
            found[1] += 1  # the dominant's third leads to the tonic
        return found


def tonal(spec: Spec, rng: Rng, role: str, harmony: Harmony) -> list[Note]:
    pulses, steps = PULSES[spec.metre], spec.steps
    slots, total = pulses * steps, spec.pulses
    notes: list[Note] = []

    def add(at: float, length: float, pitch: int, base: float) -> None:
        low, high = (28, 55) if role == "bass" else (45, 91)
        while pitch < low:
            pitch += 12
        while pitch > high:
            pitch -= 12
        notes.append(Note(at, min(length, total - at), role, pitch, loudness(rng, base)))

    if role == "pad" or (spec.sparse and role in ("chords", "voice")):
        for i, chord in enumerate(harmony.chords):
            for pitch in (*harmony.tones(chord, 4), harmony.tones(chord, 3)[0]):
                add(i * harmony.length, harmony.length * 0.98, pitch, 86)
        return notes
    if role == "arp":
        stride = 1 if steps == 3 or rng.random() < 0.5 else 2
        order = list(rng.permutation(4)) if rng.random() < 0.5 else [0, 1, 2, 3]
        for n, k in enumerate(range(0, total * steps, stride)):
            tones = harmony.tones(harmony.at(k / steps), 4)[:3]
            tones = [*tones, tones[0] + 12]
            if rng.random() < 0.95:
                add(
                    k / steps,
                    stride / steps * 0.85,
                    tones[order[n % 4]],
                    98 if k % slots == 0 else 84,
                )
        return notes
    if role in ("line", "voice"):
        at, degree = 0.0, 0
        lengths = (0.5, 0.5, 1, 1, 1.5, 2, 0.25) if steps == 4 else (1 / steps, 2 / steps, 1, 1)
        if role == "voice":
            lengths = (1, 1, 2, 2, 3)
        phrase: list[tuple[float, float, int]] = []
        while at < total - 1e-6:
            length = min(float(rng.choice(lengths)), total - at)
            if rng.random() < 0.88 or at == 0:
                degree = int(np.clip(degree + rng.integers(-3, 4), -3, 9))
                if abs(at - round(at)) < 1e-6 and rng.random() < 0.6:
                    degree = harmony.at(at) + int(rng.choice([0, 2, 4, 7]))
                add(at, length * 0.9, harmony.pitch(degree, 5), 98 if at == int(at) else 86)
            phrase.append((at, length, degree))
            at += length
        return notes
    # bass and chords: a rhythm of a bar, repeated
    odds = (0.5, 0.2) if role == "bass" else (0.5, 0.12)
    rhythm = [k for k in range(slots) if k == 0 or rng.random() < odds[0 if k % steps == 0 else 1]]
    shortness = rng.uniform(0.4, 0.97)
    for bar in range(spec.bars):
        for j, k in enumerate(rhythm):
            at = bar * pulses + k / steps
            following = rhythm[j + 1] if j + 1 < len(rhythm) else slots
            length = (following - k) / steps * shortness
            chord = harmony.at(at)
            if role == "bass":
                root, *_, fifth = harmony.tones(chord, 2)[:3]
                pitch = root if k == 0 or rng.random() < 0.65 else fifth
                add(at, length, pitch + (12 if rng.random() < 0.1 else 0), 104 if k == 0 else 92)
            else:
                level = 96 if k == 0 else 84
                for pitch in harmony.tones(chord, 4):
                    add(at, length, pitch, level)
    return notes


def pickup(spec: Spec, rng: Rng, harmony: Harmony) -> list[Note]:
    """Notes before the one, growing towards it."""
    notes = []
    count = max(1, round(spec.pickup * spec.steps))
    has_drums = {"drums", "percussion"} & set(spec.content)
    style = str(rng.choice(["snare", "toms", "hats", "kick"]))
    role = next((r for r in spec.content if r in PROGRAMS and r != "pad"), None)
    for k in range(count):
        if k and rng.random() > 0.75:
            continue
        at = -spec.pickup + k / spec.steps
        level = loudness(rng, 62 + 45 * (k + 1) / count, 5)
        if has_drums:
            names = {
                "snare": "snare", "toms": ("tom1", "tom2", "tom3")[min(2, k * 3 // count)],
                "hats": "hat", "kick": "kick" if k % 2 == 0 else "snare",
            }  # fmt: skip
            notes.append(Note(at, 0.2, "drums", DRUM[names[style]], level))
        if role and (not has_drums or rng.random() < 0.3):
            octave = 2 if role == "bass" else 4
            pitch = harmony.pitch(4 - (count - k) % 5, octave)
            notes.append(Note(at, 0.85 / spec.steps, role, pitch, level))
    return notes
