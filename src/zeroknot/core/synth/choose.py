"""Which voice plays a part of a MIDI file? Its channel, its program or its name says so.

Source: General MIDI: channel 10 is percussion; programs come in families of eight.
"""

import re

# The voice of each family of eight programs, from pianos on.
FAMILIES = (
    "keys", "plucked", "pad", "plucked", "bass", "pad", "pad", "lead",
    "lead", "lead", "lead", "pad", "pad", "plucked", "plucked", "pad",
)  # fmt: skip
APART = {14: "keys", 45: "plucked", 46: "plucked", 47: "bass", 105: "plucked"}
NAMED = (
    ("drums", r"drums?|kit|kick|snare|hats?|perc(ussion)?|beat|break|shaker|congas?"),
    ("bass", r"(sub)?bass|808"),
    ("pad", r"pads?|strings?|choir|organ|drone"),
    ("lead", r"leads?|brass|horns?|sax(ophone)?|flute|whistle|voice|vox"),
    ("plucked", r"pluck(ed|s)?|guitar|gtr|harp|arp|bells?|marimba|vibes|koto|mallets?|kalimba"),
    ("keys", r"keys|piano|rhodes|ep|chords?|clav"),
)
LOW_PITCH = 48


def voice_said(program: int | None, is_drums: bool, track: str) -> str | None:
    """The voice that a part's channel, program or track name asks for; None where none does.

    program  0…127 where the file gives one
    """
    if is_drums:
        return "drums"
    # Program 0 is what many writers send without meaning a piano: a name then says more.
    if program:
        return APART.get(program, FAMILIES[program // 8])
    return voice_named((track,))


def voice_named(names: tuple[str, ...]) -> str | None:
    """The voice that the first telling name asks for."""
    for name in names:
        words = re.sub(r"[^a-z0-9]+", " ", name.lower())
        for voice, pattern in NAMED:
            if re.search(rf"\b({pattern})\b", words):
                return voice
    return None


def voice_by_pitch(pitches: list[int]) -> str:
    """Where nothing is said: low notes are a bass, others keys."""
    if pitches and sorted(pitches)[len(pitches) // 2] < LOW_PITCH:
        return "bass"
    return "keys"
