"""What of slices leaves the application? A kit, a recording with its cuts, an order as MIDI."""

from collections.abc import Collection
from pathlib import Path
from typing import BinaryIO

from zeroknot.core.errors import EditError
from zeroknot.core.formats.order_midi import read_order, write_order
from zeroknot.core.order.order import Order
from zeroknot.core.render.live_plan import LivePlan
from zeroknot.core.render.order_plan import OrderPlan, Pad
from zeroknot.core.slicing.cut import Cut
from zeroknot.core.slicing.edges import Edge
from zeroknot.document.project import Project
from zeroknot.store.audio_store import AudioStore
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import Hand
from zeroknot.studio.placement import Placement
from zeroknot.studio.renders import Renders

MOST_PAD_SECONDS = 180  # of slices in a kit, and that a page holds for its pads


class SlicesOut:
    def __init__(self, store: AudioStore, executors: Executors, renders: Renders):
        self._store, self._executors, self._renders = store, executors, renders

    def pads(self, project: Project, hand: Hand, beat: float) -> tuple[OrderPlan, tuple[Pad, ...]]:
        """What pads play of what is in hand, at the tempo there; the render can be asked for."""
        _cut(hand)
        plan, pads = Placement.of(project, hand.strand, hand.loop, beat).pads
        if plan.frames > MOST_PAD_SECONDS * plan.rate:
            raise EditError(
                f"pads and kits hold {MOST_PAD_SECONDS // 60} minutes of slices, not "
                f"{plan.frames / plan.rate / 60:.1f}: crop a loop from it first"
            )
        self._renders.know({plan.digest: plan})
        return plan, pads

    def live(
        self, project: Project, hand: Hand, beat: float, apart: Collection[int]
    ) -> tuple[str, LivePlan] | None:
        """What a page mixes by itself, and the render that it sounds like; None where it is whole.

        apart  pieces that something is about to be done to
        """
        placed = Placement.of(project, hand.strand, hand.loop, beat)
        plan = placed.live(apart)
        if plan is None:
            return None
        self._renders.know({cell.digest: cell for cell, _ in plan.cells})
        return placed.heard.digest, plan

    def edges(self, hand: Hand) -> tuple[Edge, ...]:
        """Step and slope in dB at each cut, as they would click without fades."""
        task = "edges_of_cuts", self._store.folder, hand.loop.sha, _cut(hand).starts
        found: tuple[Edge, ...] = self._executors.look(*task).result()
        return found

    def kit(self, project: Project, hand: Hand, beat: float, name: str) -> Path:
        """A ZIP of an SFZ file and a WAV a slice, as pads play them."""
        plan, pads = self.pads(project, hand, beat)
        file = self._store.new_incoming()
        cut = _cut(hand)
        pads = tuple(pads[i] for i in cut.on_pads)
        pieces = tuple(cut.all_pieces[i] for i in cut.on_pads)
        task = "kit_to_zip", self._store.folder, plan, pads, pieces, name, file
        self._executors.look(*task).result()
        return file

    def with_cues(self, hand: Hand) -> Path:
        """The recording as a WAV of floats, its cuts as cue points with labels."""
        cut, file = _cut(hand), self._store.new_incoming()
        task = "cues_to_file", self._store.folder, hand.loop.sha, cut.starts, cut.pieces, file
        self._executors.look(*task).result()
        return file

    def midi(self, project: Project, hand: Hand, beat: float) -> bytes:
        """The order as a MIDI file at the tempo there, as it is heard: by its groove."""
        metre = project.metre_map.metre_at(1)
        strand, cut = hand.strand, _cut(hand)
        bpm = project.tempo_map.bpm_at(beat) if strand.follows else strand.own_bpm
        written = metre.numerator, metre.denominator
        order = Placement.of(project, strand, hand.loop, beat).order or strand.as_cut
        return write_order(order, cut.on_pads, bpm, written)

    def read_midi(self, project: Project, hand: Hand, file: BinaryIO) -> Order:
        """The order that a MIDI file plays of its slices."""
        per_bar = project.metre_map.metre_at(1).beats_per_bar
        return read_order(file, _cut(hand).on_pads, per_bar)


def _cut(hand: Hand) -> Cut:
    if hand.strand.cut is None:
        raise EditError(f"{hand.strand.name} is not cut yet: cut it first")
    return hand.strand.cut
