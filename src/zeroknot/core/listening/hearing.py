"""What listening made out of a loop: plain values that can be kept."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.reading import Reading
from zeroknot.core.listening.sound_kind import SoundReading

VERSION = 13  # of the listening
CANNOT_TELL = 0.08  # confidence below which nothing is said to be the reading


@dataclass(frozen=True, kw_only=True)
class Hearing:
    """Everything heard in one recording.

    attacks   (second, strength 0…1, sureness 0…1) of all that may be one, rising
    sounding  first and last second that are not silence
    readings  likeliest first
    beats     seconds of the best reading's pulses
    tones     how much each pitch class sounds, C first, in all 1; () where it was not measured
    struck_db  how much of a mix is struck (`core.apart.apart.struck_db`); None where none was asked
    loudness_db  of the whole (BS.1770); None where it was not measured
    version   of the listening
    """

    attacks: tuple[tuple[float, float, float], ...] = ()
    sounding: tuple[float, float]
    readings: tuple[Reading, ...] = ()
    warnings: tuple[str, ...] = ()
    key: KeyReading = field(default_factory=KeyReading.none)
    sound: SoundReading = field(default_factory=SoundReading.none)
    beats: tuple[float, ...] = ()
    tones: tuple[float, ...] = ()
    struck_db: float | None = None
    loudness_db: float | None = None
    version: int = VERSION

    @property
    def best(self) -> Reading | None:
        """The reading to go by; None where nobody can tell."""
        if not self.readings or self.readings[0].confidence < CANNOT_TELL:
            return None
        return self.readings[0]

    def body(
        self, seconds: float, stated: Reading | None = None
    ) -> tuple[float, float, int | None]:
        """Where its body lies, in seconds, and its bars; all of a sound that has no reading.

        seconds  that the sound lasts
        stated   by a person: goes before what is heard
        """
        reading = stated or self.best
        if reading is None:
            return 0.0, seconds, None
        return reading.downbeat_s, reading.end_s, reading.bars

    def attacks_at(self, sensitivity: float = 1.0) -> Attacks:
        """Attacks that hold at a sensitivity of 0…1 as arrays; all that may be one at 1."""
        table = np.asarray(self.attacks, np.float64).reshape(-1, 3)
        found = Attacks(table[:, 0], table[:, 1], table[:, 2])
        return found.at_sensitivity(sensitivity)

    def attack_seconds(self, sensitivity: float = SENSITIVITY) -> tuple[float, ...]:
        """Attacks that hold at a sensitivity of 0…1; a higher one only ever adds."""
        if sensitivity == SENSITIVITY:
            return self._attack_seconds
        return tuple(second for second, _, sure in self.attacks if sure >= 1.0 - sensitivity)

    @cached_property
    def _attack_seconds(self) -> tuple[float, ...]:
        return tuple(second for second, _, sure in self.attacks if sure >= 1.0 - SENSITIVITY)

    @classmethod
    def from_json(cls, value: dict[str, Any]) -> "Hearing":
        """The hearing whose `asdict` was stored as JSON."""
        return cls(
            # An older hearing has no sureness: it is heard again soon.
            attacks=tuple((a[0], a[1], a[2] if len(a) > 2 else 1.0) for a in value["attacks"]),
            sounding=(value["sounding"][0], value["sounding"][1]),
            readings=tuple(Reading(**r) for r in value["readings"]),
            warnings=tuple(value["warnings"]),
            key=KeyReading(**value.get("key", {"key": None, "confidence": 0.0})),
            sound=SoundReading(**value.get("sound", {"kind": None, "confidence": 0.0})),
            beats=tuple(value.get("beats", ())),
            tones=tuple(value.get("tones", ())),
            struck_db=value.get("struck_db"),
            loudness_db=value.get("loudness_db"),
            version=value.get("version", 1),
        )
