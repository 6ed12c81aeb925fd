"""Edits of grooves: those that are kept, the song's, and what is laid over strands."""

import itertools
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.groove.hit import Register
from zeroknot.document.edits.base import Edit
from zeroknot.document.groove import FeelChange, KeptGroove, LaidGroove
from zeroknot.document.project import Project, replaced, without

MOST_KEPT = 200


class LayGroove(Edit):
    """A groove over a strand, or none."""

    kind: Literal["lay_groove"] = "lay_groove"
    strand: str
    laid: LaidGroove | None

    def apply(self, project: Project) -> Project:
        strand = project.strand(self.strand).changed(groove=self.laid)
        _ = strand.warp
        return project.changed(strands=replaced(project.strands, strand))

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        if self.laid is None:
            return "take the groove off"
        return f"lay {self.laid.groove.name}" if self.laid.groove else "follow the song's groove"


class ChangeGroove(Edit):
    """How much of the groove that is laid over a strand, and to what: only what is given."""

    kind: Literal["change_groove"] = "change_groove"
    strand: str
    timing: float | None = Field(None, ge=0, le=1)
    accents: float | None = Field(None, ge=0, le=1)
    reach: float | None = Field(None, gt=0, le=0.5)
    sensitivity: float | None = Field(None, ge=0, le=1)
    registers: tuple[Register, ...] | None = None
    apart: bool | None = None
    keeps_lengths: bool | None = None

    def apply(self, project: Project) -> Project:
        before = project.strand(self.strand)
        if before.groove is None:
            raise EditError("no groove is laid over this yet; choose one first")
        strand = before.changed(groove=before.groove.changed(**self._given()))
        _ = strand.warp
        return project.changed(strands=replaced(project.strands, strand))

    def _given(self) -> dict[str, object]:
        return {
            name: value
            for name, value in self
            if name not in ("kind", "strand") and value is not None
        }

    def touches(self) -> frozenset[str]:
        return frozenset({self.strand})

    def label(self) -> str:
        words = {"keeps_lengths": "note lengths", "apart": "registers apart"}
        said = []
        for name, value in self._given().items():
            what = words.get(name, name)
            is_share = isinstance(value, float)
            said.append(
                f"{what} {100 * value:g} %" if is_share and isinstance(value, float) else what
            )
        return ", ".join(said) or "groove"


class KeepGroove(Edit):
    """A groove for the project to keep, or another in the place of one."""

    kind: Literal["keep_groove"] = "keep_groove"
    kept: KeptGroove
    what: str

    def apply(self, project: Project) -> Project:
        if any(kept.id == self.kept.id for kept in project.grooves):
            return project.changed(grooves=replaced(project.grooves, self.kept))
        if len(project.grooves) >= MOST_KEPT:
            raise EditError(f"a project keeps {MOST_KEPT} grooves; let one go first")
        return project.changed(grooves=(*project.grooves, self.kept))

    def touches(self) -> frozenset[str]:
        return frozenset({self.kept.id})

    def label(self) -> str:
        return self.what


class ForgetGroove(Edit):
    """A kept groove is let go; strands that it is laid over have it by value."""

    kind: Literal["forget_groove"] = "forget_groove"
    groove: str

    def apply(self, project: Project) -> Project:
        project.kept_groove(self.groove)
        if any(change.groove == self.groove for change in project.feel):
            raise EditError("the song has this groove; give it another first")
        return project.changed(grooves=without(project.grooves, [self.groove]))

    def touches(self) -> frozenset[str]:
        return frozenset({self.groove})

    def label(self) -> str:
        return "let a groove go"


class SetFeel(Edit):
    """The song's groove and where it changes."""

    kind: Literal["set_feel"] = "set_feel"
    changes: tuple[FeelChange, ...]

    def apply(self, project: Project) -> Project:
        if any(a.bar >= b.bar for a, b in itertools.pairwise(self.changes)):
            raise EditError("the song has one groove at a bar")
        changed = project.changed(feel=self.changes)
        _ = changed.song_feel
        return changed

    def touches(self) -> frozenset[str]:
        return frozenset({"project.feel"})

    def label(self) -> str:
        return "the song's groove"
