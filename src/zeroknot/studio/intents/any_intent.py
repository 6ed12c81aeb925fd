"""Which intents are there? One union, told apart by its `kind`."""

from typing import Annotated

from pydantic import Field, TypeAdapter

from zeroknot.studio.intents.bars import DoBars
from zeroknot.studio.intents.base import Intent
from zeroknot.studio.intents.carrying import CarryClips
from zeroknot.studio.intents.clips import (
    ChangeClips,
    JoinClips,
    KeepBeats,
    ReverseClips,
    SlipClips,
    SplitClips,
    SwapMutes,
)
from zeroknot.studio.intents.coil import ChangeSlot, CoilLoop, LaySwitched, UncoilLoop
from zeroknot.studio.intents.cutting import ChangePieces, CutUp, LeaveWhole, MendCut
from zeroknot.studio.intents.groove import (
    BringGroove,
    DrawStep,
    KeepLaid,
    LayOver,
    LetGrooveGo,
    MakeSwing,
    MixGrooves,
    NameGroove,
    RegridGroove,
    RemoveSongGroove,
    SetGroove,
    SetSongGroove,
    TakeGroove,
    TakeOff,
)
from zeroknot.studio.intents.key import (
    CorrectTuning,
    Follow,
    PlaceInGaps,
    RemoveKeyAt,
    SetA4,
    SetKeyAt,
    TreatBars,
)
from zeroknot.studio.intents.kits import GiveBack, MakeKit, PlayNotes, SwapPads, TakeSlices
from zeroknot.studio.intents.knots import (
    Fasten,
    FollowTempo,
    Loosen,
    RemoveKnots,
    SetStraightening,
    StraightenBeats,
    TieKnots,
    Unstraighten,
)
from zeroknot.studio.intents.lines import WriteLine
from zeroknot.studio.intents.low_end import MakeRoom
from zeroknot.studio.intents.notes import AddNote, MoveNotes, TreatNotes
from zeroknot.studio.intents.offshoots import (
    DropGrown,
    GrowOffshoots,
    KeepGrown,
    LayAsPrinted,
    LayRecipe,
    NameGrown,
    QuickOne,
    TakeRecipe,
    TakeUp,
)
from zeroknot.studio.intents.ordering import (
    ChangeTiles,
    DealOrder,
    DrawLevels,
    KeepRound,
    LayOrder,
    LetRoundGo,
    MoveTiles,
    PlayRound,
    PutTile,
    StackTiles,
    TreatOrder,
)
from zeroknot.studio.intents.phrases import GroupClips, MakeOne, PasteClips
from zeroknot.studio.intents.pieces import OpenClip, PlacePieces
from zeroknot.studio.intents.placing import CopyClips, NewTrack, Place, SeparateClip
from zeroknot.studio.intents.readings import (
    AdoptReading,
    FollowLoop,
    LayOn,
    ShiftGrid,
    StateReading,
    WithdrawReading,
)
from zeroknot.studio.intents.repeating import RepeatClips
from zeroknot.studio.intents.stretch import (
    SetCrossfade,
    SetLead,
    SetMethod,
    SetParts,
    SetShift,
    SetStrandLevel,
    SetStretch,
    TakeApart,
)
from zeroknot.studio.intents.time import (
    RemoveMetre,
    RemoveTempoPoint,
    SetMetre,
    SetMetreAt,
    SetSteadyTempo,
    SetTempoPoint,
    TakeKey,
    TakeMetre,
    TakeTempo,
    TakeTempoOfRange,
    TakeTime,
)
from zeroknot.studio.intents.trying import TryUnder

AnyIntent = Annotated[
    Place
    | NewTrack
    | CopyClips
    | RepeatClips
    | SeparateClip
    | SplitClips
    | KeepBeats
    | JoinClips
    | SlipClips
    | DoBars
    | ChangeClips
    | ReverseClips
    | SwapMutes
    | TryUnder
    | WriteLine
    | CarryClips
    | MakeRoom
    | PlacePieces
    | OpenClip
    | GroupClips
    | MakeOne
    | PasteClips
    | SetSteadyTempo
    | SetTempoPoint
    | RemoveTempoPoint
    | SetMetreAt
    | RemoveMetre
    | TakeTime
    | SetMetre
    | TakeTempo
    | TakeTempoOfRange
    | TakeKey
    | TakeMetre
    | AdoptReading
    | FollowLoop
    | StateReading
    | WithdrawReading
    | LayOn
    | ShiftGrid
    | TieKnots
    | RemoveKnots
    | Fasten
    | Loosen
    | StraightenBeats
    | SetStraightening
    | Unstraighten
    | FollowTempo
    | SetMethod
    | SetShift
    | SetStretch
    | SetParts
    | TakeApart
    | SetCrossfade
    | SetLead
    | SetStrandLevel
    | CutUp
    | LeaveWhole
    | MendCut
    | ChangePieces
    | ChangeTiles
    | MoveTiles
    | PutTile
    | StackTiles
    | LayOrder
    | KeepRound
    | PlayRound
    | LetRoundGo
    | DrawLevels
    | TreatOrder
    | DealOrder
    | CoilLoop
    | ChangeSlot
    | UncoilLoop
    | LaySwitched
    | TakeSlices
    | GiveBack
    | SwapPads
    | MakeKit
    | PlayNotes
    | AddNote
    | MoveNotes
    | TreatNotes
    | LayOver
    | TakeOff
    | SetGroove
    | TakeGroove
    | MakeSwing
    | MixGrooves
    | BringGroove
    | KeepLaid
    | RegridGroove
    | DrawStep
    | NameGroove
    | LetGrooveGo
    | SetSongGroove
    | RemoveSongGroove
    | SetKeyAt
    | RemoveKeyAt
    | Follow
    | CorrectTuning
    | SetA4
    | TreatBars
    | PlaceInGaps
    | GrowOffshoots
    | QuickOne
    | LayRecipe
    | TakeRecipe
    | DropGrown
    | NameGrown
    | KeepGrown
    | TakeUp
    | LayAsPrinted,
    Field(discriminator="kind"),
]
any_intent: TypeAdapter[Intent] = TypeAdapter(AnyIntent)
