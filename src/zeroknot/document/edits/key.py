"""Edits of who follows the key, and of tuning."""

from typing import Literal

from pydantic import Field

from zeroknot.document.edits.base import Edit
from zeroknot.document.key import InKey
from zeroknot.document.project import HIGHEST_A4, LOWEST_A4, Project, replaced
from zeroknot.document.strand import MOST_CENTS


class FollowKey(Edit):
    """A strand follows the song's key, or keeps its own."""

    kind: Literal["follow_song_key"] = "follow_song_key"
    strand: str
    in_key: InKey | None

    def apply(self, project: Project) -> Project:
        strand = project.strand(self.strand).changed(in_key=self.in_key)
        return project.changed(strands=replaced(project.strands, strand))

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        if self.in_key is None:
            return "keep own key"
        return f"follow the key as {self.in_key.key}" if self.in_key.key else "follow the key"


class Tune(Edit):
    """Cents by which a strand is tuned."""

    kind: Literal["tune"] = "tune"
    strand: str
    cents: float = Field(ge=-MOST_CENTS, le=MOST_CENTS)

    def apply(self, project: Project) -> Project:
        strand = project.strand(self.strand).changed(cents=self.cents)
        return project.changed(strands=replaced(project.strands, strand))

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        return f"tune {self.cents:+g} cents"


class SetConcertPitch(Edit):
    """Hz of A4."""

    kind: Literal["set_concert_pitch"] = "set_concert_pitch"
    hertz: float = Field(ge=LOWEST_A4, le=HIGHEST_A4)

    def apply(self, project: Project) -> Project:
        return project.changed(a4_hz=self.hertz)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.a4"})

    def label(self) -> str:
        return f"A4 at {self.hertz:g} Hz"
