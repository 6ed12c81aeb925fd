"""Which edits are there? One union, read back from a revision by its `kind`."""

from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import (
    AddClips,
    ChangeClip,
    MoveClips,
    RemoveClips,
    ReplaceClips,
)
from zeroknot.document.edits.coil import SetCoil
from zeroknot.document.edits.desk import ChangeSound, SetCeiling, SetEcho, SetLine, SetRoom
from zeroknot.document.edits.groove import (
    ChangeGroove,
    ForgetGroove,
    KeepGroove,
    LayGroove,
    SetFeel,
)
from zeroknot.document.edits.key import FollowKey, SetConcertPitch, Tune
from zeroknot.document.edits.offshoot import AddOffshoots, ChangeOffshoot, DropOffshoots
from zeroknot.document.edits.phrase import ChangePhrase, LetPhraseGo, SetPhrase, SetSections
from zeroknot.document.edits.project import RenameProject, SetMaster
from zeroknot.document.edits.slices import LaySlices
from zeroknot.document.edits.strand import AddStrand, ChangeStrand, RemoveStrand
from zeroknot.document.edits.time import KeepTempo, SetKeys, SetMetres, SetTempo
from zeroknot.document.edits.track import AddTrack, ChangeTrack, MoveTrack, RemoveTrack
from zeroknot.document.project import Project

SingleEdit = Annotated[
    RenameProject
    | SetMaster
    | SetTempo
    | KeepTempo
    | SetMetres
    | SetKeys
    | AddTrack
    | ChangeTrack
    | MoveTrack
    | RemoveTrack
    | AddStrand
    | ChangeStrand
    | RemoveStrand
    | LaySlices
    | LayGroove
    | ChangeGroove
    | KeepGroove
    | ForgetGroove
    | SetFeel
    | FollowKey
    | Tune
    | SetConcertPitch
    | SetCoil
    | ChangeSound
    | SetRoom
    | SetEcho
    | SetCeiling
    | SetLine
    | AddOffshoots
    | ChangeOffshoot
    | DropOffshoots
    | AddClips
    | MoveClips
    | ChangeClip
    | ReplaceClips
    | RemoveClips
    | SetPhrase
    | ChangePhrase
    | LetPhraseGo
    | SetSections,
    Field(discriminator="kind"),
]


# Those that a page may ask for as they are: they name what they change and bring nothing that would
# have to be known elsewhere.
AskedEdit = Annotated[
    RenameProject
    | SetMaster
    | KeepTempo
    | SetKeys
    | ChangeTrack
    | MoveTrack
    | RemoveTrack
    | ChangeSound
    | SetRoom
    | SetEcho
    | SetCeiling
    | SetLine
    | MoveClips
    | ChangeClip
    | RemoveClips
    | ChangePhrase
    | LetPhraseGo
    | SetSections,
    Field(discriminator="kind"),
]


class Together(Edit):
    """Several edits that are done and undone as one."""

    kind: Literal["together"] = "together"
    edits: tuple[SingleEdit, ...]
    what: str

    def apply(self, project: Project) -> Project:
        for edit in self.edits:
            project = edit.apply(project)
        return project

    def touches(self) -> frozenset[str]:
        return frozenset().union(*(edit.touches() for edit in self.edits))

    def label(self) -> str:
        return self.what


AnyEdit = Annotated[SingleEdit | Together, Field(discriminator="kind")]
any_edit: TypeAdapter[Edit] = TypeAdapter(AnyEdit)
