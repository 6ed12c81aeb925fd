"""Which sound does a file hold?

Decoding is libsndfile's (which takes an MP3's encoder delay and padding off by its header); what
is refused, and with which sentence, is decided here.
"""

from typing import BinaryIO

import numpy as np
import soundfile

from zeroknot.core.audio import HIGHEST_RATE, LOWEST_RATE, Audio
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.riff import to_its_end
from zeroknot.core.formats.sniff import MIDI, sniff

LONGEST_SECONDS = 30 * 60
LARGEST_BYTES = 3 * 10**9


def read_audio(file: BinaryIO) -> tuple[str, Audio]:
    """The kind of the file (see `sniff`) and its sound.

    file  seekable, from its beginning
    Raises FormatError or AudioError with a sentence that says why.
    """
    size = file.seek(0, 2)
    if size > LARGEST_BYTES:
        raise FormatError(f"the file has {size / 1e9:.1f} GB; up to 3 GB can be brought in")
    kind = sniff(file)
    if kind == MIDI:
        raise FormatError("this is a MIDI file: it holds notes, no sound")
    file = to_its_end(file) if kind == "wav" else file
    file.seek(0)
    try:
        with soundfile.SoundFile(file) as opened:
            _refuse_by_header(opened)
            samples = opened.read(dtype="float32", always_2d=True)
            rate = opened.samplerate
    except (soundfile.LibsndfileError, RuntimeError, ValueError) as error:
        raise FormatError(
            f"the file begins like {kind.upper()} but cannot be read: "
            "its header is damaged or cut off; save it again from its source"
        ) from error
    if samples.shape[0] == 0:
        raise FormatError("the file holds no samples")
    return kind, Audio(np.ascontiguousarray(samples.T), rate)


def _refuse_by_header(opened: soundfile.SoundFile) -> None:
    if opened.channels > 2:
        raise FormatError(
            f"the file has {opened.channels} channels; mono and stereo can be brought in"
        )
    if not LOWEST_RATE <= opened.samplerate <= HIGHEST_RATE:
        raise FormatError(
            f"the file's rate is {opened.samplerate} Hz; "
            f"{LOWEST_RATE // 1000} to {HIGHEST_RATE // 1000} kHz can be brought in"
        )
    seconds = opened.frames / opened.samplerate
    if seconds > LONGEST_SECONDS:
        raise FormatError(
            f"the file lasts {seconds / 60:.1f} minutes; up to {LONGEST_SECONDS // 60} minutes "
            "can be brought in, so cut it into parts first"
        )
