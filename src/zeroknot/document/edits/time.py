"""Edits of a project's time: tempo, metre and key."""

import itertools
from typing import Literal

from zeroknot.core.errors import EditError
from zeroknot.core.harmony.key import Key
from zeroknot.core.timeline.metre_map import MetreChange
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import settled
from zeroknot.document.project import KeyChange, Project


class SetTempo(Edit):
    """The whole tempo map; one point is one steady tempo."""

    kind: Literal["set_tempo"] = "set_tempo"
    points: tuple[TempoPoint, ...]

    def apply(self, project: Project) -> Project:
        changed = project.changed(tempo=self.points, tempo_settled=True)
        _ = changed.tempo_map  # refused here, where the cause is known
        # What keeps its own time now covers other beats.
        return changed if all(s.follows for s in changed.strands) else settled(changed, newest=())

    def touches(self) -> frozenset[str]:
        return frozenset({"project.tempo"})

    def label(self) -> str:
        return f"tempo {self.points[0].bpm:g} BPM" if len(self.points) == 1 else "tempo changes"


class KeepTempo(Edit):
    """The tempo as it is: no loop's tempo is offered any more."""

    kind: Literal["keep_tempo"] = "keep_tempo"

    def apply(self, project: Project) -> Project:
        return project.changed(tempo_settled=True)

    def touches(self) -> frozenset[str]:
        return frozenset()

    def label(self) -> str:
        return "keep the tempo"


class SetMetres(Edit):
    kind: Literal["set_metres"] = "set_metres"
    changes: tuple[MetreChange, ...]

    def apply(self, project: Project) -> Project:
        changed = project.changed(metres=self.changes)
        _ = changed.metre_map
        return changed

    def touches(self) -> frozenset[str]:
        return frozenset({"project.metres"})

    def label(self) -> str:
        return f"metre {self.changes[0].metre}" if len(self.changes) == 1 else "metre changes"


class SetKeys(Edit):
    """Keys by bar; none where the project has no key."""

    kind: Literal["set_keys"] = "set_keys"
    changes: tuple[KeyChange, ...]

    def apply(self, project: Project) -> Project:
        keys = tuple(KeyChange(bar=c.bar, key=str(Key.parse(c.key))) for c in self.changes)
        if any(a.bar >= b.bar for a, b in itertools.pairwise(keys)) or any(k.bar < 1 for k in keys):
            raise EditError("a song has one key at a bar, from bar 1 on")
        return project.changed(keys=keys)

    def touches(self) -> frozenset[str]:
        return frozenset({"project.keys"})

    def label(self) -> str:
        if len(self.changes) > 1:
            return "key changes"
        return f"key {self.changes[0].key}" if self.changes else "no key"
