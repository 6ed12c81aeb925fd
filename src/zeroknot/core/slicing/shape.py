"""How is a piece shaped from where it begins? By envelopes of level and pitch, a filter, a drive.

Conventions
-----------
- Times are milliseconds of what is heard, from the piece's begin; levels dB.
- What decays is nearly gone after its time: by 35 dB, four time constants.
- A slow wave counts beats, from the order's one on; a pad's from where it is struck.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, get_args

from zeroknot.core.errors import SliceError
from zeroknot.core.slicing.limits import within
from zeroknot.core.stretch.settings import STEEPEST_SHIFT

FilterKind = Literal["off", "low", "high", "band"]
FILTERS: tuple[FilterKind, ...] = get_args(FilterKind)
LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0
LONGEST_MS = 5000.0
SHORTEST_WAVE, LONGEST_WAVE = 1 / 16, 64.0  # beats
TIME_CONSTANTS = 4.0  # of a decay, after which it is said to be over


@dataclass(frozen=True)
class Shape:
    """attack_ms   until it is at its level
    decay_ms    from there until it is at its sustained level; 0 where it stays
    sustain     share of its level that it decays to
    release_ms  for which it rings on, falling, once its tile is over or its pad let go
    bend        semitones by which it is higher at first
    bend_rise_ms  until it is as high; 0 where it begins so
    bend_ms     until that is gone
    bend_sustain  share of the bend that stays, until its release
    filter      which part of it is let through
    cutoff_hz   of the filter
    resonance_db  of the filter at its cutoff
    sweep       octaves by which the cutoff begins higher
    sweep_ms    until that is gone
    wave        octaves by which the cutoff goes up and down, slowly
    wave_beats  from one height to the next
    drive_db    into a soft limit
    """

    attack_ms: float = 0.0
    decay_ms: float = 0.0
    sustain: float = 1.0
    release_ms: float = 0.0
    bend: float = 0.0
    bend_rise_ms: float = 0.0
    bend_ms: float = 80.0
    bend_sustain: float = 0.0
    filter: FilterKind = "off"
    cutoff_hz: float = 2000.0
    resonance_db: float = 0.0
    sweep: float = 0.0
    sweep_ms: float = 200.0
    wave: float = 0.0
    wave_beats: float = 4.0
    drive_db: float = 0.0

    def __post_init__(self) -> None:
        within("an attack in ms", self.attack_ms, 0.0, LONGEST_MS)
        within("a decay in ms", self.decay_ms, 0.0, LONGEST_MS)
        within("a sustained share", self.sustain, 0.0, 1.0)
        within("a release in ms", self.release_ms, 0.0, LONGEST_MS)
        within("a bend in semitones", self.bend, -STEEPEST_SHIFT, STEEPEST_SHIFT)
        within("a bend in ms", self.bend_ms, 1.0, LONGEST_MS)
        within("a bend's rise in ms", self.bend_rise_ms, 0.0, LONGEST_MS)
        within("a bend's sustained share", self.bend_sustain, 0.0, 1.0)
        within("a cutoff in Hz", self.cutoff_hz, LOWEST_HZ, HIGHEST_HZ)
        within("a resonance in dB", self.resonance_db, 0.0, 24.0)
        within("a sweep in octaves", self.sweep, -8.0, 8.0)
        within("a sweep in ms", self.sweep_ms, 1.0, LONGEST_MS)
        within("a wave in octaves", self.wave, 0.0, 4.0)
        within("a wave in beats", self.wave_beats, SHORTEST_WAVE, LONGEST_WAVE)
        within("a drive in dB", self.drive_db, 0.0, 36.0)
        if self.filter not in FILTERS:
            raise SliceError(f"a filter is one of {', '.join(FILTERS)}")

    @cached_property
    def heard(self) -> "Shape | None":
        """Itself without what makes no difference; None where nothing does."""
        without: dict[str, Any] = {}
        if not self.decay_ms or self.sustain == 1.0:
            without |= {"decay_ms": UNSHAPED.decay_ms, "sustain": UNSHAPED.sustain}
        if not self.bend:
            for name in ("bend_rise_ms", "bend_ms", "bend_sustain"):
                without[name] = getattr(UNSHAPED, name)
        if self.filter == "off":
            for name in ("cutoff_hz", "resonance_db", "sweep", "sweep_ms", "wave", "wave_beats"):
                without[name] = getattr(UNSHAPED, name)
        if not self.sweep:
            without["sweep_ms"] = UNSHAPED.sweep_ms
        if not self.wave:
            without["wave_beats"] = UNSHAPED.wave_beats
        plain = replace(self, **without)
        return None if plain == UNSHAPED else plain


UNSHAPED = Shape()
