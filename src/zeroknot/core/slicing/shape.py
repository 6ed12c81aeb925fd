"""How is a piece shaped from where it begins? By envelopes of level and pitch, a filter, a drive.

Conventions
-----------
- Times are milliseconds of what is heard, from the piece's begin; levels dB.
- What decays is nearly gone after its time: by 35 dB, four time constants.
"""

from dataclasses import dataclass
from typing import Literal, get_args

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.limits import within
from zeroknot.core.stretch.settings import STEEPEST_SHIFT

FilterKind = Literal["off", "low", "high", "band"]
FILTERS: tuple[FilterKind, ...] = get_args(FilterKind)
LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0
LONGEST_MS = 5000.0
TIME_CONSTANTS = 4.0  # of a decay, after which it is said to be over


@dataclass(frozen=True)
class Shape:
    """attack_ms   until it is at its level
    decay_ms    from there until it is at its sustained level; 0 where it stays
    sustain     share of its level that it decays to
    bend        semitones by which it begins higher
    bend_ms     until that is gone
    filter      which part of it is let through
    cutoff_hz   of the filter
    resonance_db  of the filter at its cutoff
    sweep       octaves by which the cutoff begins higher
    sweep_ms    until that is gone
    drive_db    into a soft limit
    """

    attack_ms: float = 0.0
    decay_ms: float = 0.0
    sustain: float = 1.0
    bend: float = 0.0
    bend_ms: float = 80.0
    filter: FilterKind = "off"
    cutoff_hz: float = 2000.0
    resonance_db: float = 0.0
    sweep: float = 0.0
    sweep_ms: float = 200.0
    drive_db: float = 0.0

    def __post_init__(self) -> None:
        within("an attack in ms", self.attack_ms, 0.0, LONGEST_MS)
        within("a decay in ms", self.decay_ms, 0.0, LONGEST_MS)
        within("a sustained share", self.sustain, 0.0, 1.0)
        within("a bend in semitones", self.bend, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        within("a bend in ms", self.bend_ms, 1.0, LONGEST_MS)
        within("a cutoff in Hz", self.cutoff_hz, LOWEST_HZ, HIGHEST_HZ)
        within("a resonance in dB", self.resonance_db, 0.0, 24.0)
        within("a sweep in octaves", self.sweep, -8.0, 8.0)
        within("a sweep in ms", self.sweep_ms, 1.0, LONGEST_MS)
        within("a drive in dB", self.drive_db, 0.0, 36.0)
        if self.filter not in FILTERS:
            raise SliceError(f"a filter is one of {', '.join(FILTERS)}")

    @property
    def heard(self) -> "Shape | None":
        """Itself without what makes no difference; None where nothing does."""
        default = Shape()
        plain = Shape(
            attack_ms=self.attack_ms,
            decay_ms=self.decay_ms if self.sustain < 1.0 else 0.0,
            sustain=self.sustain if self.decay_ms else 1.0,
            bend=self.bend,
            bend_ms=self.bend_ms if self.bend else default.bend_ms,
            filter=self.filter,
            cutoff_hz=self.cutoff_hz if self.filter != "off" else default.cutoff_hz,
            resonance_db=self.resonance_db if self.filter != "off" else 0.0,
            sweep=self.sweep if self.filter != "off" else 0.0,
            sweep_ms=self.sweep_ms if self.filter != "off" and self.sweep else default.sweep_ms,
            drive_db=self.drive_db,
        )
        return None if plain == default else plain
