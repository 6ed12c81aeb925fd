"""What can be done to the sound of a track, in which order, and from where to where?

In this order: low cut, low shelf, two bells, high shelf, high cut, compressor, drive, level,
balance; then what is sent to the room and the echo. What is as it is by itself is left out.

Conventions
-----------
- Frequencies are Hz, levels and gains dB, times ms, a balance −1 left … 1 right.
- A cut that stands at its end of the range, a gain of 0 dB, a ratio of 1 and a send of −60 dB
  are off.
"""

from collections.abc import Mapping
from dataclasses import dataclass, fields

from zeroknot.core.errors import EditError

OFF_DB = -60.0  # of levels and sends
SLOPES = (12.0, 24.0)  # dB an octave


@dataclass(frozen=True)
class Range:
    """least, most   what a value may be
    unit          "hz", "db", "ms", "ratio", "q" or "pan"; what is in Hz moves by octaves
    """

    least: float
    most: float
    unit: str


# What is done to a track, and may move: by the name of its field.
RANGES: Mapping[str, Range] = {
    "low_cut_hz": Range(10.0, 2000.0, "hz"),
    "low_hz": Range(30.0, 500.0, "hz"),
    "low_db": Range(-24.0, 24.0, "db"),
    "bell1_hz": Range(40.0, 16_000.0, "hz"),
    "bell1_db": Range(-24.0, 24.0, "db"),
    "bell1_q": Range(0.1, 18.0, "q"),
    "bell2_hz": Range(40.0, 16_000.0, "hz"),
    "bell2_db": Range(-24.0, 24.0, "db"),
    "bell2_q": Range(0.1, 18.0, "q"),
    "high_hz": Range(1000.0, 16_000.0, "hz"),
    "high_db": Range(-24.0, 24.0, "db"),
    "high_cut_hz": Range(100.0, 20_000.0, "hz"),
    "threshold_db": Range(-60.0, 0.0, "db"),
    "ratio": Range(1.0, 20.0, "ratio"),
    "attack_ms": Range(0.1, 200.0, "ms"),
    "release_ms": Range(5.0, 2000.0, "ms"),
    "makeup_db": Range(0.0, 24.0, "db"),
    "drive_db": Range(0.0, 36.0, "db"),
    "pan": Range(-1.0, 1.0, "pan"),
    "room_db": Range(OFF_DB, 6.0, "db"),
    "echo_db": Range(OFF_DB, 6.0, "db"),
}


def within(name: str, value: float, allowed: Range) -> None:
    """Raises EditError, with the range that can be, where a value is outside it."""
    if not allowed.least <= value <= allowed.most:
        said = name.rsplit("_", 1)[0].replace("_", " ") if "_" in name else name
        raise EditError(f"{said} is from {allowed.least:g} to {allowed.most:g}, not {value:g}")


@dataclass(frozen=True)
class Sound:
    """low_cut_hz, low_cut_slope     what is lower goes; 10 Hz: off
    low_hz, low_db                shelf
    bell1_hz, bell1_db, bell1_q   and a second one
    high_hz, high_db              shelf
    high_cut_hz, high_cut_slope   what is higher goes; 20 kHz: off
    threshold_db, ratio, attack_ms, release_ms, makeup_db  compressor
    listens_to                    id of the track that it goes by; None for its own
    drive_db                      into a soft limit
    pan                           balance
    room_db, echo_db              sent there, after level and balance
    """

    low_cut_hz: float = 10.0
    low_cut_slope: float = 12.0
    low_hz: float = 120.0
    low_db: float = 0.0
    bell1_hz: float = 400.0
    bell1_db: float = 0.0
    bell1_q: float = 1.0
    bell2_hz: float = 2500.0
    bell2_db: float = 0.0
    bell2_q: float = 1.0
    high_hz: float = 8000.0
    high_db: float = 0.0
    high_cut_hz: float = 20_000.0
    high_cut_slope: float = 12.0
    threshold_db: float = -18.0
    ratio: float = 1.0
    attack_ms: float = 10.0
    release_ms: float = 120.0
    makeup_db: float = 0.0
    listens_to: str | None = None
    drive_db: float = 0.0
    pan: float = 0.0
    room_db: float = OFF_DB
    echo_db: float = OFF_DB

    def __post_init__(self) -> None:
        for name, allowed in RANGES.items():
            within(name, getattr(self, name), allowed)
        for name in ("low_cut_slope", "high_cut_slope"):
            if getattr(self, name) not in SLOPES:
                raise EditError("a cut falls by 12 or by 24 dB an octave")

    @property
    def values(self) -> dict[str, float]:
        """All numbers of it, by name."""
        return {f.name: getattr(self, f.name) for f in fields(self) if f.name != "listens_to"}


PLAIN = Sound()
