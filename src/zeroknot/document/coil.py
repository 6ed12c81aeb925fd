"""What does a project hold of its coil? The loops on keys, to be switched while it plays."""

from pydantic import Field

from zeroknot.document.value import Named

MOST_SLOTS = 32
SPEEDS = (0.25, 0.5, 2 / 3, 0.75, 1.0, 4 / 3, 1.5, 2.0, 4.0)
LONGEST_KEY = 24


class Slot(Named):
    """One loop on a key.

    strand  that it plays
    key     of the keyboard, by where it is: a `KeyboardEvent.code`; "" for none
    speed   times that of the strand as it is laid
    anew    begun anew at each bar; else it runs on, wherever the bars are
    """

    strand: str
    key: str = Field("", max_length=LONGEST_KEY)
    speed: float = Field(1.0, ge=min(SPEEDS), le=max(SPEEDS))
    anew: bool = False
