"""How does a loop leave as a file: in which format, how loud, called what?

Conventions
-----------
- Levels are brought down or up as a whole; nothing is limited, so nothing is changed in shape. What
  would be over full scale is lowered to it, and how much is said.
- WAV carries loop points, cues, tempo and key; the others carry sound, and their title.
- A name is made of a pattern with fields in braces; what is no letter, digit, space, dot, dash,
  plus or underscore makes no name.
"""

import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.riff import FLOAT_BITS, Cue, LoopMark, WavTags, wav_bytes
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.units import db_of_gain, gain_of_db

Format = Literal["wav16", "wav24", "wav32", "flac", "ogg", "aiff"]
FORMATS: tuple[Format, ...] = get_args(Format)
Level = Literal["as_is", "peak", "matched"]
LEVELS: tuple[Level, ...] = get_args(Level)
ENDINGS: dict[Format, str] = {
    "wav16": "wav", "wav24": "wav", "wav32": "wav", "flac": "flac", "ogg": "ogg", "aiff": "aif",
}  # fmt: skip
PACKED = {"flac": ("FLAC", "PCM_24"), "ogg": ("OGG", "VORBIS"), "aiff": ("AIFF", "PCM_24")}
PEAK_DB, MATCHED_DB = -1.0, -18.0  # full scale; LUFS (BS.1770)
FULL_SCALE = 32767 / 32768
FIELDS = ("name", "bpm", "key", "bars", "set", "n")
PATTERN = "{name}_{bpm}bpm_{key}"
LONGEST_STEM = 120


@dataclass(frozen=True)
class HandOver:
    """format  of every file
    level   as it is; its peak at −1 dB; as loud as the others
    names   pattern of their names
    """

    format: Format = "wav24"
    level: Level = "as_is"
    names: str = PATTERN

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise FormatError(f"a format is one of {', '.join(FORMATS)}, not {self.format!r}")
        if self.level not in LEVELS:
            raise FormatError(f"a level is one of {', '.join(LEVELS)}, not {self.level!r}")
        unknown = set(re.findall(r"\{([^{}]*)\}", self.names)) - set(FIELDS)
        if unknown:
            raise FormatError(
                f"a name has no field {{{sorted(unknown)[0]}}}; there are "
                + ", ".join(f"{{{name}}}" for name in FIELDS)
            )

    @classmethod
    def wav(cls, bits: int) -> "HandOver":
        """A WAV of 16, 24 or 32 bits, as loud as it is. Raises FormatError for others."""
        known: dict[int, Format] = {16: "wav16", 24: "wav24", FLOAT_BITS: "wav32"}
        if bits not in known:
            raise FormatError(f"a WAV file of {bits} bits is not written here; choose 16, 24 or 32")
        return cls(known[bits])


def levelled(sound: Audio, level: Level, can_clip: bool) -> tuple[Audio, float]:
    """The sound at another level, and by how many dB it was changed.

    can_clip  whether what is over full scale has to be lowered
    """
    peak, gain = sound.peak(), 1.0
    if peak > 0 and level == "peak":
        gain = gain_of_db(PEAK_DB) / peak
    elif peak > 0 and level == "matched":
        gain = gain_of_db(MATCHED_DB - loudness(sound.samples, sound.rate))
    if can_clip and gain * peak > FULL_SCALE:
        gain = FULL_SCALE / peak
    if gain == 1.0:
        return sound, 0.0
    return Audio(sound.samples * np.float32(gain), sound.rate), db_of_gain(gain)


def encoded(
    sound: Audio, how: HandOver, loop: LoopMark | None, tags: WavTags, cues: Sequence[Cue] = ()
) -> tuple[bytes, float]:
    """A whole file, and by how many dB its level was changed."""
    sound, changed_db = levelled(sound, how.level, how.format != "wav32")
    if how.format.startswith("wav"):
        bits = {"wav16": 16, "wav24": 24}.get(how.format, FLOAT_BITS)
        return wav_bytes(sound, bits, loop, tags, cues), changed_db
    import soundfile  # only where sound is written

    kind, subtype = PACKED[how.format]
    out = io.BytesIO()
    with soundfile.SoundFile(
        out, "w", samplerate=sound.rate, channels=sound.channels, format=kind, subtype=subtype
    ) as file:
        if tags.title:
            file.title = tags.title
        file.write(sound.samples.T)
    return out.getvalue(), changed_db


def stem(pattern: str, fields: Mapping[str, object]) -> str:
    """A file's name without its ending; fields that are empty leave no dashes behind."""
    told = re.sub(r"\{([^{}]*)\}", lambda m: str(fields.get(m.group(1)) or "\0"), pattern)
    # What stood around an empty field goes with it: "x_\0bpm_Dm" is "x_Dm".
    told = re.sub(r"[ _-]*\0[A-Za-z]*", "", told)
    plain = "".join(c if c.isalnum() or c in " ._-+" else " " for c in told)
    return " ".join(plain.split()).strip(" ._-")[:LONGEST_STEM] or "loop"


def unlike_names(stems: Sequence[str]) -> list[str]:
    """The same, each once: "x", "x 2", "x 3"."""
    found: list[str] = []
    seen: dict[str, int] = {}
    for one in stems:
        count = seen.get(one.casefold(), 0) + 1
        seen[one.casefold()] = count
        found.append(one if count == 1 else f"{one} {count}")
    return found
