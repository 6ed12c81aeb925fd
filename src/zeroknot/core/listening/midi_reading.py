"""What is a MIDI loop? Read off its notes and events, nothing guessed that they say.

A tempo event is a claim; files that nobody gave a tempo carry an idle 120 or none, so those are
believed less. The bars are those that the notes need.
"""

import itertools
import math

from zeroknot.core.formats.claims import claims_in_name
from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.notes import key_of_notes
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.synth.choose import voice_named
from zeroknot.core.synth.kit import hit_seconds
from zeroknot.core.synth.voices import VOICES
from zeroknot.core.timeline.metre_map import Metre

IDLE_BPM = 120.0
OVERHANG_QUARTERS = 0.26  # a last note let go late does not begin a bar
SURE, UNSURE = 0.95, 0.6
SAME_TIME_SECONDS = 0.015
# Kinds of sound that a voice makes without a doubt.
MADE_BY = {"drums": "drums", "bass": "bass", "pad": "pad"}


def midi_claims(loop: MidiLoop, names: tuple[str, ...]) -> Claims:
    """What the file's events and its names say.

    names  the file's name without its ending, then its folders, nearest first
    """
    # Its tempo is the file's own: seconds here are counted by it, whatever a name says.
    in_names = [claims_in_name(name).get("key") for name in names]
    named_key = next((str(key) for key in in_names if key), None)
    return Claims(
        tempo_bpm=loop.tempo_bpm,
        key=loop.key or named_key,
        voice=None if any(p.is_said for p in loop.parts) else voice_named(names),
        sources=("tempo event",) if loop.tempo_bpm else (),
    )


def hear_midi(loop: MidiLoop, claims: Claims) -> Hearing:
    """What its notes make it, whatever plays them."""
    everything = sorted((*loop.notes, *loop.drums), key=lambda n: n.start)
    if not everything:
        return Hearing(sounding=(0.0, loop.seconds), warnings=("the file holds no notes",))
    metre = loop.metre or Metre()
    quarter_bpm = loop.tempo_bpm or IDLE_BPM
    bars = max(1, math.ceil((loop.last_quarter - OVERHANG_QUARTERS) / metre.beats_per_bar))
    pulses = bars * metre.pulses_per_bar
    places = [loop.second_of_quarter(i * metre.beats_per_pulse) for i in range(pulses + 1)]
    end = places[-1]
    # Where the file changes its tempo, the mean of all.
    tempo = pulses * 60.0 / end
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
    voice = claims.voice
    is_struck = voice == "drums" or not loop.notes
    return Hearing(
        attacks=tuple(attacks),
        sounding=(everything[0].start, rung_out_second(loop, voice)),
        readings=(reading,),
        key=KeyReading.none() if is_struck else key_of_notes(loop.notes),
        sound=_sound(loop, voice),
        beats=tuple(places[:-1]),
    )


def rung_out_second(loop: MidiLoop, voice: str | None) -> float:
    """When the last note is silent, played as written.

    voice  that plays what has a pitch; None for the parts' own
    """
    return max(
        n.start + hit_seconds(n.pitch) if key == "drums" else n.end + VOICES[key].ring_seconds
        for part in loop.parts
        for key in (part.voice if part.voice == "drums" else voice or part.voice,)
        for n in part.notes
    )


def _sound(loop: MidiLoop, voice: str | None) -> SoundReading:
    voices = {p.voice if p.voice == "drums" else voice or p.voice for p in loop.parts}
    if len(voices) > 1 and "drums" in voices:
        return SoundReading("mixed", 0.9)
    made = MADE_BY.get(voices.pop()) if len(voices) == 1 else None
    if made:
        return SoundReading(made, 0.95)
    starts = sorted(n.start for n in loop.notes)
    together = sum(b - a < SAME_TIME_SECONDS for a, b in itertools.pairwise(starts))
    return (
        SoundReading("chords", 0.7) if together > 0.3 * len(starts) else SoundReading("line", 0.7)
    )
