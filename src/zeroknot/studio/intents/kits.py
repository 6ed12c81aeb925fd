"""Kits: slices taken from other loops, pads put in order, notes of a MIDI loop played on them."""

from dataclasses import replace
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.formats.order_midi import order_of_notes
from zeroknot.core.slicing.cut import MOST_BORROWED, MOST_PIECES, Borrowed, Cut
from zeroknot.core.slicing.piece import Piece
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.project import Project
from zeroknot.document.strand import LONGEST_NAME, YARNS, Strand
from zeroknot.studio.hand import LONGEST_HAND, Hand, in_hand, new_id
from zeroknot.studio.intents.base import Intent, Resolved, refuse_unplayable
from zeroknot.studio.intents.slicing import (
    SliceIntent,
    Which,
    cut_of,
    edges_of,
    laid_slices,
    meant,
    numbers,
)
from zeroknot.studio.known import Known
from zeroknot.studio.lanes import notes_in_beats
from zeroknot.studio.placement import Placement

MOST_PADS = MOST_PIECES + MOST_BORROWED


class TakeSlices(Intent):
    """Slices of another loop beside its own, by value: what becomes of that one changes nothing.

    of     a strand's id or a loop's SHA-256
    which  of its slices; all where there are none, and the whole of a loop that is not cut
    """

    kind: Literal["take_slices"] = "take_slices"
    hand: str
    of: str = Field(min_length=1, max_length=LONGEST_HAND)
    which: Which = Field((), max_length=MOST_BORROWED)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        other = in_hand(project, known.loops, self.of)
        borrowed = borrowed_of(project, other, self.which)
        strand = hand.strand
        if hand.loop.is_midi:
            raise EditError("MIDI has no sound to put beside others: print it first")
        cut = strand.cut or Cut.at((strand.warp.zero.second,))
        if len(cut.borrowed) + len(borrowed) > MOST_BORROWED:
            raise EditError(f"at most {MOST_BORROWED} slices are taken from others")
        strand = strand.changed(cut=cut.with_borrowed(borrowed))
        refuse_unplayable(project, hand, strand)
        who = numbers(tuple(range(len(borrowed))), "slice") if len(borrowed) > 1 else "a slice"
        return Resolved(laid_slices(hand, strand, f"take {who} of {other.strand.name}"))


def borrowed_of(project: Project, other: Hand, which: Which) -> tuple[Borrowed, ...]:
    """Slices of a loop, as another takes them. Raises EditError where it has no sound."""
    strand, loop = other.strand, other.loop
    if loop.is_midi:
        raise EditError(f"{strand.name} is MIDI: print it first, then its sound can be cut")
    warp = strand.warp
    cut = strand.cut or Cut.at((warp.zero.second,))
    edges = edges_of(strand) or (warp.zero.second, warp.end.second)
    method = Placement.of(project, strand, loop).choice.method
    found = []
    for i in meant(which, cut.count, "slice"):
        if i >= len(cut.pieces):  # it was borrowed there: from where it was
            found.append(cut.borrowed[i - len(cut.pieces)])
            continue
        start, stop = max(0.0, edges[i]), min(edges[i + 1], loop.seconds)
        if stop <= start:
            continue
        piece = cut.pieces[i]
        if not piece.name and cut.count == 1:
            piece = replace(piece, name=strand.name[:60])
        found.append(
            Borrowed(
                source=loop.sha, start=start, stop=stop, seconds=loop.seconds,
                channels=min(2, loop.channels), bpm=min(2000.0, strand.own_bpm), method=method,
                name=strand.name, piece=piece,
            )
        )  # fmt: skip
    if not found:
        raise EditError(f"nothing of {strand.name} lies inside its recording")
    return tuple(found)


class GiveBack(SliceIntent):
    """A slice that was taken from another loop goes; tiles that played it alone rest."""

    kind: Literal["give_back"] = "give_back"
    index: int = Field(ge=0, lt=MOST_PADS)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        strand, index = hand.strand, self.index
        cut = cut_of(hand).without_borrowed(index)
        order = strand.order.without_piece(index) if strand.order else None
        rounds = tuple(
            replace(
                r, strokes=tuple(
                    replace(s, piece=s.piece - (s.piece > index))
                    for s in r.strokes if s.piece != index
                ),
            )
            for r in strand.rounds if any(s.piece != index for s in r.strokes)
        )  # fmt: skip
        changed = strand.changed(
            cut=cut, order=order if order and order.tiles else None, rounds=rounds,
            dealt=tuple(
                d.changed(base=d.base.without_piece(index), order=d.order.without_piece(index))
                for d in strand.dealt
            ),
        )  # fmt: skip
        return changed, f"give slice {index + 1} back"


class SwapPads(SliceIntent):
    """Two pads change places; what tiles play stays."""

    kind: Literal["swap_pads"] = "swap_pads"
    pad: int = Field(ge=0, lt=MOST_PADS)
    other: int = Field(ge=0, lt=MOST_PADS)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        cut = cut_of(hand).swapped(self.pad, self.other)
        return hand.strand.changed(cut=cut), f"exchange pads {self.pad + 1} and {self.other + 1}"


class MakeKit(Intent):
    """A strand of single sounds: each slice as it was recorded, ringing out where it is struck.

    replaces  clips of what is in hand play the kit from now on; else they stay as they are
    """

    kind: Literal["make_kit"] = "make_kit"
    hand: str
    replaces: bool = False

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        strand = hand.strand
        cut = cut_of(hand)
        pieces = [_alone(p) for p in cut.all_pieces]
        kit = strand.changed(
            id=new_id(), name=f"{strand.name[: LONGEST_NAME - 4]} kit",
            cut=cut.with_pieces(pieces), order=strand.order or strand.as_cut, groove=strand.groove,
            yarn=(strand.yarn + 1) % YARNS,
        )  # fmt: skip
        edits: list[SingleEdit] = [] if not hand.is_new else [AddStrand(strand=strand)]
        edits.append(AddStrand(strand=kit))
        if self.replaces:
            played = [c for c in project.clips if c.strand == strand.id]
            edits += [ChangeClip(clip=c.id, strand=kit.id) for c in played]
        return Resolved(Together(edits=tuple(edits), what=f"make a kit of {strand.name}"))


def _alone(piece: Piece) -> Piece:
    return replace(piece, length="left", rings=True)


class PlayNotes(Intent):
    """The notes of a MIDI loop play its pads: they become its order.

    of  a strand's id or a loop's SHA-256
    """

    kind: Literal["play_notes"] = "play_notes"
    hand: str
    of: str = Field(min_length=1, max_length=LONGEST_HAND)

    def measure(self, project: Project, known: Known) -> None:
        loop = in_hand(project, known.loops, self.of).loop
        if loop.is_midi:
            known.score(loop)

    def resolve(self, project: Project, known: Known) -> Resolved:
        other = in_hand(project, known.loops, self.of)
        if not other.loop.is_midi:
            raise EditError(f"{other.strand.name} is a recording; notes are in MIDI loops")
        hand = in_hand(project, known.loops, self.hand)
        notes = notes_in_beats(other.strand, known.score(other.loop))
        order = order_of_notes(notes, cut_of(hand).on_pads, other.strand.span)
        strand = hand.strand.changed(order=order)
        refuse_unplayable(project, hand, strand)
        return Resolved(laid_slices(hand, strand, f"play {other.strand.name} on it"))
