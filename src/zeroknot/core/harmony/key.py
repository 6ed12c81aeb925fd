"""How is a key named? A tonic and a mode, written "D minor", "F♯ major"."""

import re
from dataclasses import dataclass

from zeroknot.core.errors import ZeroKnotError

_NATURAL = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_ACCIDENTAL = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}
_FORM = re.compile(r"([A-Ga-g])([#♯b♭]?)\s*(minor|major|min|maj|m|M)?")


class KeyNameError(ZeroKnotError):
    """A text that is no key."""


@dataclass(frozen=True)
class Key:
    """tonic  as written ("E♭"), mode "major" or "minor"."""

    tonic: str
    mode: str

    def __str__(self) -> str:
        return f"{self.tonic} {self.mode}"

    @property
    def pitch_class(self) -> int:
        """0 for C to 11 for B."""
        return (_NATURAL[self.tonic[0]] + _ACCIDENTAL[self.tonic[1:]]) % 12

    @property
    def tkey(self) -> str:
        """As an ID3 TKEY frame wants it: "Dm", "F#", "Eb" (ID3v2.3 informal standard)."""
        sign = self.tonic[1:].replace("♯", "#").replace("♭", "b")
        return self.tonic[0] + sign + ("m" if self.mode == "minor" else "")

    def shifted(self, semitones: int) -> "Key":
        """So many semitones up, its tonic as it is written most often."""
        return Key(NAMES[(self.pitch_class + semitones) % 12], self.mode) if semitones else self

    @classmethod
    def parse(cls, text: str) -> "Key":
        """The key written "Dm", "d minor", "F# major", "Eb". Raises where it is none."""
        match = _FORM.fullmatch(text.strip())
        if not match:
            raise KeyNameError(f"{text!r} is not a key; write it like D minor, F♯ major or Am")
        note, sign, mode = match.groups()
        sign = {"#": "♯", "b": "♭"}.get(sign, sign)
        minor = mode in ("m", "min", "minor")
        return cls(note.upper() + sign, "minor" if minor else "major")


# Tonics as they are written most often, by pitch class.
NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
