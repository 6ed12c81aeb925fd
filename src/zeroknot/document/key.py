"""What does a strand carry that follows the song's key?"""

from functools import cached_property
from typing import Annotated

from pydantic import Field, field_validator

from zeroknot.core.harmony.fit import NEAR, Prefers
from zeroknot.core.harmony.key import Key
from zeroknot.document.value import Value

Share = Annotated[float, Field(ge=0, le=1)]


class InKey(Value):
    """How a strand is brought into the song's key: what `core.harmony.fit.shift_into` goes by.

    profile  energy of the twelve pitch classes of its loop, C first, by value
    key      the loop's own, by value; None where it has none
    prefers  tonic to tonic, or to that of the key with the same notes
    leeway   of the energy, that another shift has to have more inside to be taken
    along    notes keep their degree of the scale instead (MIDI alone)
    """

    profile: tuple[Share, ...] = Field(min_length=12, max_length=12)
    key: str | None = None
    prefers: Prefers = "tonic"
    leeway: Share = NEAR  # as long as nothing else was kept
    along: bool = False

    @field_validator("key")
    @classmethod
    def _is_a_key(cls, key: str | None) -> str | None:
        return None if key is None else str(Key.parse(key))

    @cached_property
    def own(self) -> Key | None:
        """The loop's own key."""
        return None if self.key is None else Key.parse(self.key)
