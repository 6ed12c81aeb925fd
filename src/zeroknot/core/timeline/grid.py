"""Where do the pulses of a project fall?

One table, made here and sent to the browser, which only looks things up in it.
"""

from dataclasses import dataclass

from zeroknot.core.timeline.metre_map import MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap


@dataclass(frozen=True)
class Pulse:
    """One pulse: its beat, the whole frame it falls on, its bar and its number there (from 1)."""

    beat: float
    frame: int
    bar: int
    number: int


def pulses(
    tempo_map: TempoMap, metre_map: MetreMap, rate: int, first_bar: int, last_bar: int
) -> tuple[Pulse, ...]:
    """Every pulse of the bars from first to last, and the bar line after the last.

    rate  frames per second
    """
    found = []
    for bar in range(first_bar, last_bar + 1):
        metre, start = metre_map.metre_at(bar), metre_map.beat_of_bar(bar)
        for i in range(metre.pulses_per_bar):
            beat = start + i * metre.beats_per_pulse
            found.append(Pulse(beat, tempo_map.frame_of_beat(beat, rate), bar, i + 1))
    end = metre_map.beat_of_bar(last_bar + 1)
    found.append(Pulse(end, tempo_map.frame_of_beat(end, rate), last_bar + 1, 1))
    return tuple(found)
