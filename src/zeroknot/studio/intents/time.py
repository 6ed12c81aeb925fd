"""The project's tempo, metre and key."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.edits.time import SetKeys, SetMetres, SetTempo
from zeroknot.document.project import KeyChange, Project
from zeroknot.store.loops import LoopStore
from zeroknot.studio.hand import in_hand
from zeroknot.studio.intents.base import Intent, Resolved

SLOWEST_EIGHTHS = 180.0  # pulses a minute


class SetSteadyTempo(Intent):
    """One tempo from bar 1 on, tempo changes let go."""

    kind: Literal["set_steady_tempo"] = "set_steady_tempo"
    bpm: float

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        return Resolved(SetTempo(points=(TempoPoint(0.0, self.bpm),)))


class SetMetre(Intent):
    """One metre throughout."""

    kind: Literal["set_metre"] = "set_metre"
    metre: str = Field(max_length=10)

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        metre = MetreMap().changes[0].metre.parse(self.metre)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))


class TakeTempo(Intent):
    """Give the project the tempo of what is in hand, as it was recorded."""

    kind: Literal["take_tempo"] = "take_tempo"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        warp = in_hand(project, loops, self.hand).strand.warp
        bpm = round(warp.span * 60.0 / warp.body_seconds, 3)
        return Resolved(SetTempo(points=(TempoPoint(0.0, bpm),)))


class TakeKey(Intent):
    """Give the project the key of what is in hand, shifted as it is."""

    kind: Literal["take_key"] = "take_key"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        if hand.loop.key is None:
            raise EditError(f"{hand.strand.name} has no key that could be taken")
        key = Key.parse(hand.loop.key)
        shift = round(hand.strand.settings.semitones)
        if shift:
            key = Key(NAMES[(key.pitch_class + shift) % 12], key.mode)
        return Resolved(SetKeys(changes=(KeyChange(bar=1, key=str(key)),)))


class TakeMetre(Intent):
    """Give the project the metre of what is in hand."""

    kind: Literal["take_metre"] = "take_metre"
    hand: str

    def resolve(self, project: Project, loops: LoopStore) -> Resolved:
        hand = in_hand(project, loops, self.hand)
        if hand.strand.reading is None:
            raise EditError(f"nobody can tell the metre of {hand.strand.name} yet; count it first")
        pulses, tempo = hand.strand.reading.beats_per_bar, hand.strand.reading.tempo_bpm
        # Odd bars of fast pulses are counted in eighths.
        is_eighths = pulses in (5, 7) and tempo >= SLOWEST_EIGHTHS
        metre = Metre(6, 8) if pulses == 2 else Metre(pulses, 8 if is_eighths else 4)
        return Resolved(SetMetres(changes=(MetreChange(1, metre),)))
