"""How is a key named, and which notes are in it? A tonic and a mode: "D minor", "F♯ dorian".

Conventions
-----------
- Pitch class 0 is C. "Tonic only" is a key of which nothing but the tonic is known.
- A minor key has its natural notes and, at half their weight, the raised sixth and seventh.
"""

import re
from dataclasses import dataclass

from zeroknot.core.errors import ZeroKnotError

_NATURAL = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_ACCIDENTAL = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}
TONIC_ONLY = "tonic only"
# Steps above the tonic, in semitones. Common practice, no source.
SCALES: dict[str, tuple[int, ...]] = {
    "major": (0, 2, 4, 5, 7, 9, 11),
    "minor": (0, 2, 3, 5, 7, 8, 10),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "locrian": (0, 1, 3, 5, 6, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    TONIC_ONLY: (0,),
}
RAISED = (9, 11)  # of a minor key, at half weight
SHORT = {"": "major", "maj": "major", "M": "major", "m": "minor", "min": "minor"}
_FORM = re.compile(r"([A-Ga-g])([#♯b♭]?)\s*([A-Za-z ]*)")


class KeyNameError(ZeroKnotError):
    """A text that is no key."""


@dataclass(frozen=True)
class Key:
    """tonic  as written ("E♭")
    mode   one of SCALES
    """

    tonic: str
    mode: str

    def __str__(self) -> str:
        return f"{self.tonic} {self.mode}"

    @property
    def pitch_class(self) -> int:
        """Of the tonic: 0 for C to 11 for B."""
        return (_NATURAL[self.tonic[0]] + _ACCIDENTAL[self.tonic[1:]]) % 12

    @property
    def is_minor(self) -> bool:
        """Is its third a small one?"""
        return 3 in SCALES[self.mode]

    @property
    def tkey(self) -> str:
        """As an ID3 TKEY frame wants it: "Dm", "F#", "Eb" (ID3v2.3 informal standard)."""
        sign = self.tonic[1:].replace("♯", "#").replace("♭", "b")
        return self.tonic[0] + sign + ("m" if self.is_minor else "")

    @property
    def notes(self) -> tuple[int, ...]:
        """Pitch classes of its scale, from the tonic up."""
        return tuple((self.pitch_class + step) % 12 for step in SCALES[self.mode])

    @property
    def weights(self) -> tuple[float, ...]:
        """How far each of the twelve pitch classes is inside: 1, ½ or 0."""
        found = [0.0] * 12
        if self.mode == "minor":
            for step in RAISED:
                found[(self.pitch_class + step) % 12] = 0.5
        for note in self.notes:
            found[note] = 1.0
        return tuple(found)

    def shifted(self, semitones: int) -> "Key":
        """So many semitones up, its tonic as it is written most often."""
        return Key(NAMES[(self.pitch_class + semitones) % 12], self.mode) if semitones else self

    @classmethod
    def parse(cls, text: str) -> "Key":
        """The key written "Dm", "d minor", "F# dorian", "Eb". Raises where it is none."""
        match = _FORM.fullmatch(text.strip())
        mode = None
        if match:
            said = " ".join(match[3].split())
            mode = SHORT.get(said) or SHORT.get(said.lower())
            mode = mode or (said.lower() if said.lower() in SCALES else None)
        if match is None or mode is None:
            known = ", ".join(list(SCALES)[2:])
            raise KeyNameError(
                f"{text!r} is not a key; write it like D minor, F♯ major or Am, or with {known}"
            )
        note, sign, _ = match.groups()
        return cls(note.upper() + {"#": "♯", "b": "♭"}.get(sign, sign), mode)


# Tonics as they are written most often, by pitch class.
NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
