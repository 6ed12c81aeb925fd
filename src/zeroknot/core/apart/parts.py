"""Which parts of a recording are there to be heard, and which making of them is it?"""

from typing import Literal, get_args

# "apart": both, each laid in its own way, of which only the tones are shifted.
Parts = Literal["whole", "apart", "tones", "hits"]
PartsOrAuto = Parts | Literal["auto"]
OneOfTwo = Literal["tones", "hits"]
ALL_PARTS: tuple[Parts, ...] = get_args(Parts)
BOTH: tuple[OneOfTwo, OneOfTwo] = ("tones", "hits")

APART_VERSION = 1  # raised where another sample comes out: part of the address
LONGEST_SECONDS = 300.0  # of a recording that is taken apart


def why_not_apart(seconds: float) -> str | None:
    """Why tones and hits of a recording that long cannot be told apart; None where they can."""
    if seconds <= LONGEST_SECONDS:
        return None
    return (
        f"tones and hits can be told apart in up to {LONGEST_SECONDS / 60:g} minutes; "
        "crop a loop out of it first"
    )
