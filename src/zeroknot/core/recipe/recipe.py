"""What was a loop made from that was made here? Enough to tell where it comes from and to run it
again."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from zeroknot.core.recipe.run import Run, run_of


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """kind      "print": a strand, rendered; "crop": a stretch of a take, sample for sample
    parents   hashes of the loops it descends from: what it was made from, or what it was grown from
    made_by   what it takes to make it again, as JSON holds it; of a print: its `run`, and `strand`,
              as it was treated, or `song`, the strands that sounded
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

    @property
    def is_of_a_song(self) -> bool:
        """Was it a stretch of a song, of many strands, that was printed?"""
        return "song" in self.made_by

    @property
    def run(self) -> Run | None:
        """What renders it again, to the bit; None of what was cropped."""
        return run_of(self.made_by["run"]) if "run" in self.made_by else None
