"""What was a loop made from that was made here? Enough to tell where it comes from and to run it
again."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """kind      "print": a strand, rendered; "crop": a stretch of a take, sample for sample
    parents   hashes of the loops it was made from
    made_by   what it takes to make it again, as JSON holds it
    key       as its making makes it sure ("D minor"); None where only listening can tell
    """

    kind: Literal["print", "crop"]
    parents: tuple[str, ...]
    made_by: Mapping[str, Any] = field(default_factory=dict)
    key: str | None = None

    @property
    def knows_its_beats(self) -> bool:
        """Is its reading what it was made to, so that no listening tells better?"""
        return self.kind == "print"
