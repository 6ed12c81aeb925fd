"""What is a MIDI loop? Read off its notes and events, nothing guessed that they say.

A tempo event is a claim; files that nobody gave a tempo carry an idle 120 or none, so those are
believed less. The bars are those that the notes need.
"""

import itertools
import math

from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.notes import key_of_notes
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.timeline.metre_map import Metre

IDLE_BPM = 120.0
OVERHANG_QUARTERS = 0.26  # a last note let go late does not begin a bar
SURE, UNSURE = 0.95, 0.6
SAME_TIME_SECONDS = 0.015


def hear_midi(loop: MidiLoop) -> tuple[Hearing, Claims]:
    """The hearing, and what the file's events claim."""
    claims = Claims(
        tempo_bpm=loop.tempo_bpm,
        key=loop.key,
        sources=("tempo event",) if loop.tempo_bpm else (),
    )
    everything = sorted((*loop.notes, *loop.drums), key=lambda n: n.start)
    if not everything:
        return Hearing(sounding=(0.0, loop.seconds), warnings=("the file holds no notes",)), claims
    metre = loop.metre or Metre()
    quarter_bpm = loop.tempo_bpm or IDLE_BPM
    bars = max(1, math.ceil((loop.last_quarter - OVERHANG_QUARTERS) / metre.beats_per_bar))
    tempo = quarter_bpm / metre.beats_per_pulse
    end = bars * metre.pulses_per_bar * 60.0 / tempo
    sure = SURE if loop.tempo_bpm and abs(quarter_bpm - IDLE_BPM) > 1e-6 else UNSURE
    said = "the file says so" if sure == SURE else "an idle 120"
    reading = Reading(
        bars=bars, beats_per_bar=metre.pulses_per_bar, tempo_bpm=tempo, downbeat_s=0.0, end_s=end,
        confidence=sure, reason=f"{bars} bar{'s' * (bars != 1)} at {tempo:g}; {said}",
    )  # fmt: skip
    attacks: list[tuple[float, float, float]] = []
    for note in everything:
        strength = note.velocity / 127
        if attacks and note.start - attacks[-1][0] < SAME_TIME_SECONDS:
            start, before, sure_one = attacks[-1]
            attacks[-1] = start, max(before, strength), sure_one
        else:
            attacks.append((note.start, strength, 1.0))
    pulse = 60.0 / tempo
    hearing = Hearing(
        attacks=tuple(attacks),
        sounding=(everything[0].start, max(n.end for n in everything)),
        readings=(reading,),
        key=key_of_notes(loop.notes) if loop.notes else KeyReading.none(),
        sound=_sound(loop),
        beats=tuple(i * pulse for i in range(reading.pulses)),
    )
    return hearing, claims


def _sound(loop: MidiLoop) -> SoundReading:
    if not loop.notes:
        return SoundReading("drums", 1.0)
    if loop.drums:
        return SoundReading("mixed", 0.9)
    pitches = sorted(n.pitch for n in loop.notes)
    if pitches[len(pitches) // 2] < 50:
        return SoundReading("bass", 0.7)
    starts = sorted(n.start for n in loop.notes)
    together = sum(b - a < SAME_TIME_SECONDS for a, b in itertools.pairwise(starts))
    return (
        SoundReading("chords", 0.7) if together > 0.3 * len(starts) else SoundReading("line", 0.7)
    )
