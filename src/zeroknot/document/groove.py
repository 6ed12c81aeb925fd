"""What does a project hold of grooves? Those it keeps, where the song changes to one, and what is
laid over a strand."""

from functools import cached_property

from pydantic import Field

from zeroknot.core.groove.groove import REACH, Groove
from zeroknot.core.groove.hit import REGISTERS, Hit, Register
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.document.value import Named, Value


class KeptGroove(Named):
    """A groove that the project keeps."""

    groove: Groove


class FeelChange(Value):
    """The groove of the song from a bar on.

    groove  id of one that is kept; None for none
    """

    bar: int = Field(ge=1, le=100_000)
    groove: str | None


class LaidGroove(Value):
    """What is laid over a strand; its fields as in `core.groove.layer.GrooveLayer`.

    kept  id of the kept groove that it is, by value; that may be gone since
    """

    hits: tuple[Hit, ...]
    groove: Groove | None = None
    timing: float = Field(1.0, ge=0, le=1)
    accents: float = Field(0.0, ge=0, le=1)
    reach: float = Field(REACH, gt=0, le=0.5)
    sensitivity: float = Field(SENSITIVITY, ge=0, le=1)
    registers: tuple[Register, ...] = REGISTERS
    apart: bool = True
    keeps_lengths: bool = True
    kept: str | None = Field(None, max_length=40)

    @cached_property
    def layer(self) -> GrooveLayer:
        return GrooveLayer(**{name: value for name, value in self if name != "kept"})

    @property
    def follows(self) -> bool:
        """Is it the song's groove that counts?"""
        return self.groove is None
