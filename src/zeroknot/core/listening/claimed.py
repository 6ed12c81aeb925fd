"""What would a loop be if what its file says of it held?"""

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims, Reading

SAME_TEMPO_BPM = 0.1


def claimed_reading(claims: Claims, hearing: Hearing, seconds: float) -> Reading | None:
    """The reading that the claims come to; None where they say nothing that was not heard, too.

    What they leave open (metre, start, end) is taken from what was heard.

    seconds  of the file
    """
    best = hearing.best
    start = claims.loop_start_s
    if start is None:
        start = best.downbeat_s if best else hearing.sounding[0]
    end = claims.loop_end_s
    if end is None:
        end = best.end_s if best else seconds
    if end - start <= 0.0 or not (claims.tempo_bpm or claims.bars):
        return None
    metre = best.beats_per_bar if best else 4
    if claims.tempo_bpm:
        bars = claims.bars or max(1, round((end - start) * claims.tempo_bpm / 60.0 / metre))
        if claims.loop_end_s is None:
            end = start + bars * metre * 60.0 / claims.tempo_bpm
    else:
        assert claims.bars
        bars = claims.bars
    tempo = bars * metre * 60.0 / (end - start)
    for heard in hearing.readings:
        alike = (heard.bars, heard.beats_per_bar) == (bars, metre)
        if alike and abs(heard.tempo_bpm - tempo) < SAME_TEMPO_BPM:
            return None
    said = " and ".join(claims.sources) or "file"
    return Reading(bars, metre, tempo, start, end, 0.0, f"what its {said} would make it")
