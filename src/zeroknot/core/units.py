"""How are moments, pitches and levels counted?

Conventions
-----------
- A frame is one sample of every channel; `frame(x)` is the one rounding in Python and JavaScript.
- A beat is a quarter note. A ratio of durations is out / in.
- Equal temperament: a semitone is the ratio 2^(1/12), a cent a hundredth of it
  (ISO 16: A4 = 440 Hz).
"""

import math

SEMITONES_PER_OCTAVE = 12
A4_HZ = 440.0  # ISO 16
SILENCE_DB = -120.0


def frame(position: float) -> int:
    """The whole frame nearest to a position in frames; halves go up."""
    return math.floor(position + 0.5)


def pitch_ratio(semitones: float) -> float:
    """Frequency ratio of a shift in semitones: +12 is 2."""
    return float(2.0 ** (semitones / SEMITONES_PER_OCTAVE))


def semitones_of_ratio(ratio: float) -> float:
    """Shift in semitones of a frequency ratio: 2 is +12."""
    return SEMITONES_PER_OCTAVE * math.log2(ratio)


def hertz_of_note(note: float) -> float:
    """Frequency of a MIDI note number: 69 is 440 Hz."""
    return 440.0 * pitch_ratio(note - 69)


def gain_of_db(level_db: float) -> float:
    """Amplitude factor of a level in dB: −6.02 dB is 0.5."""
    return float(10.0 ** (level_db / 20.0))


def db_of_gain(gain: float) -> float:
    """Level in dB of an amplitude factor; silence reads −120 dB."""
    return max(SILENCE_DB, 20.0 * math.log10(gain)) if gain > 0 else SILENCE_DB
