"""Which hits does a MIDI loop have? The moments at which its notes begin."""

from collections.abc import Collection

from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.groove.hit import Hit, Register
from zeroknot.core.notes.written import Notes, score_of
from zeroknot.core.synth.voices import level_of
from zeroknot.core.units import db_of_gain

SAME_MOMENT_SECONDS = 0.004  # notes so near are one hit
LOW_NOTE, HIGH_NOTE = 48, 72
# General MIDI percussion key map: bass drums and low toms; hats, cymbals and small metal.
LOW_DRUMS = frozenset({35, 36, 41, 43, 45, 61, 64, 66})
HIGH_DRUMS = frozenset({42, 44, 46, 49, 51, 52, 53, 54, 55, 57, 59, 69, 70, 71, 72, 80, 81, 82})


def struck_notes(loop: MidiLoop) -> tuple[Hit, ...]:
    """Every moment at which notes of a MIDI loop begin, as a hit; the loudest says how loud."""
    score = score_of(loop)
    return struck_of(score.notes, score.drums)


def struck_of(written: Notes, drums: Collection[int]) -> tuple[Hit, ...]:
    """The same of notes; `drums` are the numbers of the parts that play drums."""
    notes: list[tuple[float, int, Register]] = sorted(
        (note.start, note.velocity, _register_of(note.pitch, note.part in drums))
        for note in written
    )
    found: list[Hit] = []
    for second, velocity, register in notes:
        hit = Hit(second, velocity / 127.0, 1.0, register, db_of_gain(level_of(velocity)))
        if found and second - found[-1].second < SAME_MOMENT_SECONDS:
            if hit.level_db > found[-1].level_db:
                found[-1] = hit._replace(second=found[-1].second)
        else:
            found.append(hit)
    return tuple(found)


def _register_of(pitch: int, is_drum: bool) -> Register:
    if is_drum:
        return "low" if pitch in LOW_DRUMS else "high" if pitch in HIGH_DRUMS else "middle"
    return "low" if pitch < LOW_NOTE else "high" if pitch >= HIGH_NOTE else "middle"
