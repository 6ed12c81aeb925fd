"""What is a loop when a person corrects one thing of its reading? The rest follows."""

from dataclasses import dataclass

from zeroknot.core.errors import EditError
from zeroknot.core.listening.reading import Reading

SAME_BARS_WITHIN = 0.12  # a typed tempo this near keeps the number of bars
SHORTEST_BODY_SECONDS = 0.01
BY_HAND = "stated by hand"


@dataclass(frozen=True, kw_only=True)
class Correction:
    """What is said; None of what is not.

    bars keep the body and change its tempo; a tempo keeps the downbeat and moves the end; a
    downbeat keeps the tempo and takes the end along, unless the end was stated; `times` counts the
    same body as half or twice as many bars.
    """

    bars: int | None = None
    beats_per_bar: int | None = None
    tempo_bpm: float | None = None
    downbeat_s: float | None = None
    end_s: float | None = None
    times: float | None = None


def corrected(before: Reading, given: Correction, seconds: float | None = None) -> Reading:
    """The reading as it becomes. Raises EditError where it would be none.

    seconds  of the recording, where it is known: a pass has to hold some of it
    """
    zero = before.downbeat_s if given.downbeat_s is None else given.downbeat_s
    end = before.end_s if given.end_s is None else given.end_s
    is_end_stated = given.end_s is not None or (before.is_end_stated and given.tempo_bpm is None)
    if given.downbeat_s is not None and not is_end_stated:
        end += zero - before.downbeat_s
    per_bar = given.beats_per_bar or before.beats_per_bar
    bars = given.bars or before.bars
    if given.times is not None:
        bars = _whole_bars(bars, given.times)
    if given.bars is None and given.beats_per_bar is not None:
        bars = max(1, round(before.pulses / per_bar))
    if given.tempo_bpm is not None:
        if given.bars is None and abs(given.tempo_bpm / before.tempo_bpm - 1) > SAME_BARS_WITHIN:
            room = (end - zero) * given.tempo_bpm / 60.0 / per_bar
            bars = max(1, round(room))
        end = zero + bars * per_bar * 60.0 / given.tempo_bpm
    if end - zero < SHORTEST_BODY_SECONDS:
        raise EditError(f"the end at {end:.3f} s does not come after the downbeat at {zero:.3f} s")
    if seconds is not None and (zero >= seconds or end <= 0.0):
        raise EditError(
            f"from {zero:.3f} to {end:.3f} s nothing of the recording sounds; "
            f"it lasts from 0 to {seconds:.3f} s"
        )
    tempo = bars * per_bar * 60.0 / (end - zero)
    return Reading(bars, per_bar, tempo, zero, end, 1.0, BY_HAND, is_end_stated)


def unread(seconds: float) -> Reading:
    """What a correction starts from where nothing was heard: the whole file as one bar of four."""
    return Reading(1, 4, 240.0 / seconds, 0.0, seconds, 0.0)


def _whole_bars(bars: int, times: float) -> int:
    wanted = bars * times
    if wanted < 1 or abs(wanted - round(wanted)) > 1e-9:
        plural = "s" * (bars != 1)
        raise EditError(f"{bars} bar{plural} cannot be counted as {wanted:g}; type bars or a tempo")
    return round(wanted)
