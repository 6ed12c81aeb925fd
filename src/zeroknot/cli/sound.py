"""What commands on a file have in common: it is read, and laid on beats."""

from pathlib import Path
from typing import BinaryIO

from zeroknot.core.audio import Audio
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.audio_file import read_audio
from zeroknot.core.listening.readings import listen
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.warp.warp_map import WarpMap


def opened(source: Path) -> BinaryIO:
    """The file, to be read. Raises FormatError with the reason where it cannot be."""
    try:
        return source.open("rb")
    except OSError as error:
        raise FormatError(f"{source} cannot be opened: {error.strerror}") from error


def sound_of(source: Path) -> Audio:
    """The recording in a file."""
    with opened(source) as file:
        return read_audio(file)[1]


def laid(sound: Audio, bars: int | None, metre: Metre, from_tempo: float | None) -> WarpMap:
    """How the file is laid on beats: whole on so many bars, by a tempo, or by what is heard."""
    if bars is not None:
        return WarpMap.between(0.0, sound.seconds, bars * metre.beats_per_bar)
    if from_tempo is not None:
        return WarpMap.between(0.0, sound.seconds, sound.seconds * from_tempo / 60.0)
    best = listen(sound).best
    if best is None:
        raise FormatError("no tempo was heard; give --bars or --from-tempo")
    return WarpMap.between(best.downbeat_s, best.end_s, float(best.pulses))
