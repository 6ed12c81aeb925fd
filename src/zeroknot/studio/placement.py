"""Where does a pass lie, and what becomes of it there? Everything about a place is resolved here.

A strand says how it is treated; its place says at which tempo it is laid and how far it is shifted.
Nothing else looks up a project's tempo for a pass.
"""

import math
from collections.abc import Collection
from dataclasses import astuple, dataclass, replace
from functools import cached_property

import numpy as np

from zeroknot.core.errors import StretchError
from zeroknot.core.groove.feel import FeelFrom, Targets
from zeroknot.core.groove.hit import REGISTERS
from zeroknot.core.loop import Loop
from zeroknot.core.order.felt import felt, heard_pieces
from zeroknot.core.order.order import Order
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.live_plan import LivePlan, plan_live
from zeroknot.core.render.order_plan import OrderPlan, Pad, plan_order, plan_pads
from zeroknot.core.render.plan import (
    LONGEST_LEAD_BEATS,
    RAMP_STEP_BEATS,
    RenderPlan,
    plan_pass,
)
from zeroknot.core.render.reverse import ReversePlan
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.piece import Bus
from zeroknot.core.stretch.auto import AUTO, Case, Choice, choose, why_chosen
from zeroknot.core.stretch.methods import NOTES, method_named
from zeroknot.core.stretch.settings import STEEPEST_SHIFT
from zeroknot.core.stretch.strain import strain_of
from zeroknot.core.timeline.mirrored import Mirrored
from zeroknot.core.timeline.tempo_map import FASTEST_BPM, SLOWEST_BPM, TempoMap
from zeroknot.core.units import frame
from zeroknot.core.warp.time_map import MOST_RATIO
from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.studio.in_key import by_degrees, key_shift
from zeroknot.studio.moving import Strokes
from zeroknot.studio.sounding import crossfade_of, sounding_of, told_apart

EARLY_BEATS = 0.25  # before the one: of what is struck there, it is heard before the end
SURELY = 1.05  # times within the bounds of a stretch: no rounding reaches them
OWN_TIME = TempoMap.steady(120.0)


@dataclass(frozen=True, eq=False)
class Placement:
    """One pass of a strand somewhere in a project.

    rate       frames per second of the project
    tempo      by which it is laid
    beat       of that tempo map, on which its one lies
    semitones  by which it is shifted there
    feel       the song's groove there; None where the strand does not go by it
    by_note    semitones that notes of each pitch class move beside that; () for none
    reverse    it is played backwards
    strokes    what moves from stroke to stroke of its slices
    """

    strand: Strand
    loop: Loop
    rate: int
    tempo: TempoMap | Mirrored
    beat: float
    semitones: float
    feel: FeelFrom | None = None
    by_note: tuple[int, ...] = ()
    reverse: bool = False
    strokes: Strokes | None = None

    @classmethod
    def of(
        cls, project: Project, strand: Strand, loop: Loop, beat: float = 0.0,
        shift: float = 0.0, key_beat: float | None = None, reverse: bool = False,
        strokes: Strokes | None = None,
    ) -> "Placement":  # fmt: skip
        """The pass whose one lies on a beat of the project.

        shift     semitones on top of the strand's
        key_beat  whose key counts; that of the one where none is given
        """
        at = beat if key_beat is None else key_beat
        semitones = strand.shift + strand.cents / 100.0 + shift + key_shift(project, strand, at)
        # In its own time it is the same wherever it lies.
        tempo: TempoMap | Mirrored = project.tempo_map if strand.follows else OWN_TIME
        beat = beat if strand.follows else 0.0
        feel = project.song_feel.from_beat(beat) if goes_by_the_song(strand) else None
        by_note = by_degrees(project, strand, at) if loop.is_midi else ()
        if reverse and strand.follows:  # turned round it falls on the song's own beats
            tempo = Mirrored(project.tempo_map, beat, beat + strand.round_beats)
        return cls(
            strand, loop, project.rate, tempo, beat, semitones, feel, by_note, reverse,
            strokes if strand.cut is not None else None,
        )  # fmt: skip

    @cached_property
    def warp(self) -> WarpMap:
        """Base knots and layers, as they are there."""
        laid = self.strand.groove
        if self.feel is None or laid is None:
            return self.strand.warp
        return laid.layer.over(self.strand.tied.warp, self.feel)

    @property
    def bpm(self) -> float:
        """Quarter notes a minute where it begins."""
        return self.tempo.bpm_at(self.beat)

    @property
    def law(self) -> object:
        """Where it is the same, a strand has the same plan."""
        feel = self.feel.feel.phase(self.beat, self._felt_beats) if self.feel else None
        moving = self.reverse, self.strokes
        return self._time_law, feel, self.semitones, self.by_note, moving

    @property
    def _felt_beats(self) -> float:
        return max(self.strand.span, self.strand.round_beats)

    @property
    def _time_law(self) -> object:
        if not self.strand.follows:
            return None
        if not self._is_steady:
            return self.beat
        lengths = (self.strand.span, self.strand.round_beats)
        return self.bpm, *(self._frames_until(beats) for beats in lengths)

    def _frames_until(self, beats: float) -> int:
        """Frames from its one until so many beats later."""
        frames = self.tempo.frame_of_beat
        return frames(self.beat + beats, self.rate) - frames(self.beat, self.rate)

    @cached_property
    def seconds(self) -> float:
        """How long its body lasts there."""
        if not self.strand.follows:
            return self.warp.body_seconds
        return self._frames_until(self.strand.span) / self.rate

    @property
    def beat_table(self) -> list[tuple[float, int]]:
        """Beats of the pass and the frames of its body that they fall on; straight between them."""
        return self._beats_until(self.strand.span)

    @property
    def round_table(self) -> list[tuple[float, int]]:
        """The same of a round."""
        return self._beats_until(self.strand.round_beats)

    def _beats_until(self, length: float) -> list[tuple[float, int]]:
        if not self.strand.follows or self._is_steady:
            return [(0.0, 0), (length, self._frame_in_round(length))]
        steps = max(1, math.ceil(length / RAMP_STEP_BEATS))
        return [(b, self._frames_until(b)) for b in (length * i / steps for i in range(steps + 1))]

    def clicks(self, targets: Targets) -> ClickPlan:
        """A groove's steps over the pass, as ticks beside it; what is early wraps round."""
        span = self.strand.span
        beats, frames = zip(*self.beat_table, strict=True)
        strikes = {
            (frame(float(np.interp(s.beat % span, beats, frames))), s.accent_db, s.register)
            for s in targets.strikes(-EARLY_BEATS, span)
        }
        told = [(at, db, REGISTERS.index(register)) for at, db, register in sorted(strikes)]
        return ClickPlan(self.rate, self.loop.channels, frames[-1], tuple(told))

    @cached_property
    def case(self) -> Case:
        """What Auto and strain go by."""
        hearing = self.loop.hearing
        return Case(
            sound=self.loop.sound_reading,
            density=len(hearing.attack_seconds()) / max(self.loop.seconds, 0.1),
            ratio=self.seconds / self.warp.body_seconds,
            semitones=self.semitones,
            struck_db=hearing.struck_db,
        )

    @cached_property
    def choice(self) -> Choice:
        """The method and its settings: as the strand says, or as Auto chooses."""
        strand, loop = self.strand, self.loop
        if loop.is_midi:
            voice = strand.settings.voice or loop.claims.voice
            return Choice(NOTES.key, replace(strand.settings, voice=voice))
        parts = told_apart(strand, loop)
        if strand.method != AUTO:
            return Choice(strand.method, strand.settings, parts or "whole")
        choice = choose(self.case, strand.settings)
        return replace(choice, parts=parts) if parts else choice

    @property
    def why_chosen(self) -> str:
        """Why the method, in a few words; nothing where a person said so."""
        if self.loop.is_midi:
            return "it is MIDI"
        return why_chosen(self.case) if self.strand.method == AUTO else ""

    @cached_property
    def strain(self) -> float | None:
        """How audibly it is stretched and shifted; None where likeness is not wanted."""
        if self.loop.is_midi or method_named(self.choice.method).family != "keep":
            return None
        return strain_of(self.case, self.choice.method)

    @cached_property
    def heard(self) -> PassPlan:
        """What is rendered of a round: the pass, or the order of its pieces.

        Raises StretchError as `plan` does.
        """
        return ReversePlan(self._forwards) if self.reverse else self._forwards

    def sent(self, bus: Bus) -> PassPlan | None:
        """What its slices send to the room or the echo; None where that is nothing."""
        cut, order = self.strand.cut, self.order
        if cut is None or order is None or not any(p.sends(bus) for p in cut.all_pieces):
            return None
        plan = self._of_order(cut, order, bus)
        if not plan.voices:
            return None
        return ReversePlan(plan) if self.reverse else plan

    @property
    def _forwards(self) -> RenderPlan | OrderPlan:
        order, cut = self.order, self.strand.cut
        if order is None and cut is not None and self.strokes is not None:
            order = Order.as_cut(cut.starts, self.warp)
        if order is None or cut is None:
            return self.plan
        return self._of_order(cut, order)

    def _of_order(self, cut: Cut, order: Order, bus: Bus | None = None) -> OrderPlan:
        return plan_order(
            base=self._pieces.plan, cut=cut, order=order, frame_of=self._frame_in_round,
            channels=self.loop.channels, moves=self._moves, bus=bus,
        )  # fmt: skip

    @property
    def _moves(self) -> Strokes | None:
        if self.strokes is None or not self.reverse:
            return self.strokes
        return replace(self.strokes, turned=self.strand.round_beats)

    @property
    def order(self) -> Order | None:
        """What its pieces play there, by the groove that is laid over it; None where it is whole.

        As it was cut its hits are moved, as without cuts; a new order's tiles are.
        """
        strand, laid = self.strand, self.strand.groove
        if strand.order is None or strand.cut is None or laid is None:
            return strand.played
        edges = (*strand.cut.starts, strand.warp.end.second)
        pieces = heard_pieces(laid.hits, edges)
        return felt(strand.order, laid.layer, laid.groove or self.feel, pieces)

    @property
    def _pieces(self) -> "Placement":
        """The pass that its pieces are of: in a new order they are as without a groove."""
        if self.strand.order is None or self.strand.groove is None:
            return self
        return replace(self, strand=self.strand.changed(groove=None), feel=None)

    def live(self, apart: Collection[int]) -> LivePlan | None:
        """The same for who mixes it; None where it is not cut.

        apart  pieces that something is about to be done to
        """
        cut = self.strand.cut
        if cut is None:
            return None
        return plan_live(
            base=self._pieces.plan, cut=cut, order=self.order or self.strand.as_cut,
            frame_of=self._frame_in_round, channels=self.loop.channels, apart=apart,
        )  # fmt: skip

    @property
    def pads(self) -> tuple[OrderPlan, tuple[Pad, ...]]:
        """Every piece by itself, as pads play it."""
        cut = self.strand.cut or Cut.at((self.warp.zero.second,))
        return plan_pads(self._pieces.plan, cut, self._frame_in_round, self.loop.channels)

    def _frame_in_round(self, beat: float) -> int:
        """Where a beat of the order lies; counted from the round, as the knots of a plan are."""
        if not self.strand.follows:
            return frame(beat * self.warp.body_seconds / self.strand.span * self.rate)
        if self._is_steady and beat != self.strand.round_beats:
            return frame(beat * 60.0 / self.bpm * self.rate)
        return self._frames_until(beat)

    @cached_property
    def plan(self) -> RenderPlan:
        """The loop as a whole. Raises StretchError where it cannot be laid at the tempo there."""
        strand, loop, warp = self.strand, self.loop, self.warp
        lead_from, tail_to = sounding_of(strand, loop)
        gains: tuple[tuple[float, float], ...] = ()
        below: WarpMap | None = None  # by which notes keep their lengths
        if strand.groove:
            below = strand.tied.warp
            gains = strand.groove.layer.gains(below, self.feel)
            if not (loop.is_midi and strand.groove.keeps_lengths):
                below = None
        if not strand.follows:
            span = OWN_TIME.beat_of_second(warp.body_seconds)
            warp, below = warp.with_span(span), below.with_span(span) if below else None
        return plan_pass(
            source=loop.sha,
            rate=self.rate,
            warp=warp,
            tempo_map=self.tempo,
            start_beat=self.beat,
            lead_from=lead_from,
            tail_to=tail_to,
            settings=self.choice.settings,
            semitones=self.semitones,
            method=self.choice.method,
            crossfade_s=crossfade_of(strand, loop),
            gains=gains,
            lengths_by=below,
            by_note=self.by_note,
            parts=self.choice.parts,
            notes=tuple(astuple(n) for n in strand.notes or ()),
        )

    @cached_property
    def why_silent(self) -> str | None:
        """Why it cannot be laid at the tempo there, so is not heard; None if it can."""
        if abs(self.semitones) > STEEPEST_SHIFT:
            return f"it would be shifted by {self.semitones:+g} st, over {STEEPEST_SHIFT:g}"
        if self._is_surely_laid:
            return None
        try:
            _ = self.plan
        except StretchError as error:
            return f"{error}; {self._what_could_be_laid()}"
        return None

    @property
    def _is_surely_laid(self) -> bool:
        """Is every stretch of it well within its bounds? Asked of every clip after every edit.

        False says nothing: the plan knows.
        """
        if not self.strand.follows:
            return self.strand.groove is None
        if not self._is_steady or self.feel:
            return False
        fewest, most = self.strand.paces
        second = self.bpm / 60.0
        return fewest / second > SURELY / MOST_RATIO and most / second < MOST_RATIO / SURELY

    @property
    def _is_steady(self) -> bool:
        span = self.strand.span
        until = max(3 * span, 2 * self.strand.round_beats)
        first, last = self.beat - LONGEST_LEAD_BEATS - span, self.beat + until
        return self.tempo.is_steady_between(first, last)

    def _what_could_be_laid(self) -> str:
        """The spans at the tempo there and the tempos at its span that it can be laid at."""
        span = self.strand.span
        fewest, most = self.strand.paces
        if most > MOST_RATIO**2 * fewest:
            return "its knots lie too unevenly for any: move them"
        if not self._is_steady:
            return "change its span, its knots or the tempo there"
        second = self.bpm / 60.0
        least = span * second / (fewest * MOST_RATIO)
        longest = span * second * MOST_RATIO / most
        slowest = max(SLOWEST_BPM, 60.0 * most / MOST_RATIO)
        fastest = min(FASTEST_BPM, 60.0 * fewest * MOST_RATIO)
        words = f"at {self.bpm:g} BPM it can be laid on {inwards(least, longest)} beats"
        if slowest <= fastest:
            words += f", or as it is at {inwards(slowest, fastest)} BPM"
        return words


def inwards(least: float, most: float) -> str:
    """A range in words, of hundredths that lie within it, so that what is said can be typed."""
    return f"{math.ceil(least * 100) / 100:g} to {math.floor(most * 100) / 100:g}"


def goes_by_the_song(strand: Strand) -> bool:
    """Does the song's groove say where its hits lie?"""
    return strand.follows and strand.groove is not None and strand.groove.follows
