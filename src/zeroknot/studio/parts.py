"""Clips with all that they are placements of, as JSON holds them: in the recipe of a print, and as
a page copies them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.document.project import Clip
from zeroknot.document.stored import strand_value
from zeroknot.document.strand import LONGEST_NAME, Strand

OTHER_VERSION = "what it is made of was written by another version"
NOBODY = "part"


@dataclass(frozen=True)
class Part:
    """strand  which of the strands it is a placement of
    track      id of the one that it was on, and its name
    phrase     name of the one it belonged to; "" for none
    clip       beats count from where the parts begin; its ids are nobody's
    """

    strand: int
    track: str
    track_name: str
    phrase: str
    clip: Clip


@dataclass(frozen=True)
class Parts:
    """beats   that they cover
    strands  with ids that are nobody's
    """

    beats: float
    strands: tuple[Strand, ...]
    clips: tuple[Part, ...]


def parts_value(told: Mapping[str, Any]) -> Parts:
    """What `song_range.parts_told` wrote. Raises EditError where that cannot be read."""
    try:
        strands = tuple(strand_value(one) for one in told["strands"])
        clips = tuple(_part(one) for one in told["clips"])
        if any(not 0 <= part.strand < len(strands) for part in clips):
            raise EditError(OTHER_VERSION)
        return Parts(float(told["beats"]), strands, clips)
    except (ZeroKnotError, LookupError, TypeError, ValueError, AttributeError) as error:
        raise EditError(OTHER_VERSION) from error


def _part(told: Mapping[str, Any]) -> Part:
    aside = ("strand", "track", "track_name", "phrase")
    own = {name: value for name, value in told.items() if name not in aside}
    name = str(told["track_name"])[:LONGEST_NAME] or "Track"
    clip = Clip(id=NOBODY, strand=NOBODY, track=NOBODY, **own)
    phrase = str(told.get("phrase") or "")[:LONGEST_NAME]
    return Part(int(told["strand"]), str(told["track"]), name, phrase, clip)
