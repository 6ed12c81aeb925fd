"""How is a loop heard before anything is decided? In time, in key, on so many bars, as loud.

An audition changes nothing: it is the strand as it would be.
"""

from dataclasses import dataclass, replace

from zeroknot.core.errors import EditError
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.document.project import Project
from zeroknot.document.quick import times
from zeroknot.studio.hand import Hand, in_key_of

MATCHED_DB = -18.0  # loudness (BS.1770) that auditions are brought to
MOST_MATCH_DB = 15.0
MOST_BARS = 1024


@dataclass(frozen=True, kw_only=True)
class Audition:
    """lay      times the beats that the loop itself has: half, once, double
    bars     of the project that one pass is forced on; None leaves it to `lay`
    in_key   shifted into the project's key, where both have one
    matched  brought to the loudness of other loops
    """

    lay: float = 1.0
    bars: float | None = None
    in_key: bool = False
    matched: bool = False

    def __post_init__(self) -> None:
        if not 1 / 16 <= self.lay <= 16:
            raise EditError(f"a loop is laid on 1/16 to 16 times its beats, not {self.lay:g}")
        if self.bars is not None and not 0 < self.bars <= MOST_BARS:
            raise EditError(f"a loop is laid on up to {MOST_BARS} bars, not {self.bars:g}")


AS_IT_IS = Audition()


def auditioned(project: Project, hand: Hand, audition: Audition) -> Hand:
    """What is in hand, as it is to be heard."""
    strand = hand.strand
    beats = strand.round_beats * audition.lay
    if audition.bars is not None:
        beats = audition.bars * project.metre_map.metre_at(1).beats_per_bar
    if beats != strand.round_beats:
        strand = times(strand, beats / strand.round_beats)
    # A strand that is in the project has the shift it was given.
    if audition.in_key and hand.is_new and hand.loop.sound not in UNPITCHED:
        strand = strand.changed(in_key=in_key_of(hand.loop, hand.tones))
    return replace(hand, strand=strand)


def match_db(loop: Loop, audition: Audition) -> float:
    """By how much a loop is to be louder, so that all are as loud."""
    level = loop.hearing.loudness_db
    if not audition.matched or level is None:
        return 0.0
    return max(-MOST_MATCH_DB, min(MOST_MATCH_DB, MATCHED_DB - level))
