"""Grooves: taken, made, mixed, drawn, kept; laid over what is in hand; the song's own."""

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from zeroknot.core.errors import EditError, GrooveError
from zeroknot.core.groove.groove import (
    MOST_BEATS,
    Groove,
    Played,
    even,
    mixed,
    swing,
    with_step,
)
from zeroknot.core.groove.hit import REGISTERS, Register, at_sensitivity
from zeroknot.core.groove.take import fits, grids_of, merged, played_of, taken
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.order.felt import heard_pieces, played_by
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.groove import (
    ChangeGroove,
    ForgetGroove,
    KeepGroove,
    LayGroove,
    SetFeel,
)
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.groove import FeelChange, KeptGroove, LaidGroove
from zeroknot.document.project import Clip, Project
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.studio.hand import LONGEST_HAND, Hand, in_hand, new_id
from zeroknot.studio.intents.base import FitIntent, Intent, Resolved
from zeroknot.studio.intents.by_bar import with_change, without_change
from zeroknot.studio.known import Known
from zeroknot.studio.placement import Placement

MOST_BARS = 16
SAME_BEATS = 1e-6


class LayOver(FitIntent):
    """Lay a groove over what is in hand, with the amounts that another had.

    kept      id of one that the project keeps
    per_beat  even steps of so many a quarter note, or those that a swing is counted in
    swing     percent that the first of each two steps takes
    song      follow the song's groove
    """

    kind: Literal["lay_over"] = "lay_over"
    kept: str | None = Field(None, max_length=40)
    per_beat: int | None = None
    swing: float = 50.0
    song: bool = False

    def measure(self, project: Project, known: Known) -> None:
        hand = in_hand(project, known.loops, self.hand)
        if hand.strand.groove is None:
            known.hits(hand.loop)

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        groove = self._groove(project)
        before = hand.strand.groove
        if before:
            laid = before.changed(groove=groove, kept=self.kept)
        elif not hand.hits:
            raise EditError(f"no hits were heard in {hand.strand.name} that a groove could move")
        else:
            laid = LaidGroove(hits=hand.hits, groove=groove, kept=self.kept)
        what = f"lay {groove.name}" if groove else "follow the song's groove"
        return hand.strand.changed(groove=laid), what

    def _groove(self, project: Project) -> Groove | None:
        if self.song:
            return None
        if self.kept is not None:
            return by_value(project.kept_groove(self.kept).groove)
        if self.per_beat is None:
            raise EditError("say which groove: a kept one, even steps, a swing, or the song's")
        return even(self.per_beat) if self.swing == 50.0 else swing(self.swing, self.per_beat)

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        lay = LayGroove(strand=strand.id, laid=strand.groove)
        if not hand.is_new:
            return lay
        plain = strand.changed(groove=None)
        return Together(edits=(AddStrand(strand=plain), lay), what=what)


class TakeOff(FitIntent):
    """No groove over what is in hand any more."""

    kind: Literal["take_off_groove"] = "take_off_groove"

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if hand.strand.groove is None:
            raise EditError("no groove is laid over this")
        return hand.strand.changed(groove=None), "take the groove off"

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        return LayGroove(strand=strand.id, laid=None)


class SetGroove(FitIntent):
    """How much of it, and to what: those that are given change, the rest stays as it is."""

    kind: Literal["set_groove"] = "set_groove"
    timing: float = Field(1.0, ge=0, le=1)
    accents: float = Field(0.0, ge=0, le=1)
    reach: float = Field(0.4, gt=0, le=0.5)
    sensitivity: float = Field(SENSITIVITY, ge=0, le=1)
    registers: tuple[Register, ...] = REGISTERS
    apart: bool = True
    keeps_lengths: bool = True

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if not self._given():
            raise EditError("no amount of the groove is given")
        edit = self._edit(hand.strand.id)
        if hand.is_new:
            raise EditError("no groove is laid over this yet; choose one first")
        return edit.apply(project).strand(hand.strand.id), edit.label()

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        return self._edit(strand.id)

    def _edit(self, strand: str) -> ChangeGroove:
        return ChangeGroove(strand=strand, **self._given())

    def _given(self) -> dict[str, Any]:
        return self.model_dump(exclude={"kind", "hand"}, exclude_unset=True)


class TakeGroove(Intent):
    """Take the groove of what is in hand, or of all that plays on tracks in bars of the song.

    first_bar, bars  of the loop, or of the song where tracks are named
    order            what plays is the order of its slices, in place of its own hits
    per_beat         the grid; the likeliest where none is said
    fold_bars        that it is folded to; 0 keeps it whole
    """

    kind: Literal["take_groove"] = "take_groove"
    hand: str | None = Field(None, max_length=LONGEST_HAND)
    tracks: tuple[str, ...] = Field((), max_length=200)
    first_bar: int = Field(1, ge=1, le=100_000)
    bars: int = Field(ge=1, le=MOST_BARS)
    order: bool = False
    per_beat: int | None = None
    fold_bars: int = Field(0, ge=0, le=MOST_BARS)
    registers: tuple[Register, ...] = Field(REGISTERS, min_length=1)
    sensitivity: float = Field(SENSITIVITY, ge=0, le=1)
    name: str = Field("", max_length=LONGEST_NAME)

    def measure(self, project: Project, known: Known) -> None:
        if self.hand:
            known.hits(in_hand(project, known.loops, self.hand).loop)
        strands = {clip.strand for clip in project.clips if clip.track in self.tracks}
        for id_ in strands:
            known.hits(known.loops.get(project.strand(id_).loop))

    def resolve(self, project: Project, known: Known) -> Resolved:
        groove = self.groove(project, known)
        kept = KeptGroove(id=new_id(), groove=groove)
        return Resolved(KeepGroove(kept=kept, what=f"take {groove.name}"))

    def groove(self, project: Project, known: Known) -> Groove:
        """What it comes to. Raises EditError or GrooveError with a sentence."""
        metre = project.metre_map.metre_at(1 if self.hand else self.first_bar)
        per_bar = metre.beats_per_bar
        beats = self.bars * per_bar
        if beats > MOST_BEATS:
            raise EditError(f"a groove has at most {MOST_BEATS} quarter notes")
        if self.fold_bars and self.bars % self.fold_bars:
            raise EditError(f"{self.bars} bars cannot be folded to {self.fold_bars}")
        if self.hand:
            source, played = self._of_hand(project, known, per_bar, beats)
        else:
            source, played = self._of_song(project, known, beats)
        if not played:
            raise GrooveError("no hits were heard there that a groove could be taken from")
        folded = self.fold_bars * per_bar
        likely = (e.per_beat for e in grids_of(played) if fits(e.per_beat, folded or beats))
        per_beat = self.per_beat or next(likely, None)
        if per_beat is None:
            raise GrooveError(f"no grid here divides {folded or beats:g} beats evenly")
        name = self.name.strip() or f"{source[: LONGEST_NAME - 5]} feel"
        bars = f"bar {self.first_bar}"
        if self.bars > 1:
            bars = f"bars {self.first_bar}–{self.first_bar + self.bars - 1}"
        return taken(
            played, per_beat, beats, folded, self.registers, name,
            f"{bars} of {source}"[:LONGEST_NAME],
        )  # fmt: skip

    def _of_hand(
        self, project: Project, known: Known, per_bar: float, beats: float
    ) -> tuple[str, tuple[Played, ...]]:
        hand = replace(in_hand(project, known.loops, self.hand or ""), measure=known.hits)
        first = (self.first_bar - 1) * per_bar
        strand = hand.strand
        span = strand.round_beats if self.order else strand.span
        if first + beats > span + SAME_BEATS:
            raise EditError(
                f"{hand.strand.name} has {span / per_bar:g} bars; take it from fewer of them"
            )
        if self.order:
            if strand.played is None:
                raise EditError(f"{strand.name} plays as it was recorded: take the groove of that")
            edges = (*strand.cut.starts, strand.warp.end.second) if strand.cut else ()
            # As its tiles were put: what lies over that may be another groove.
            played = played_by(strand.order or strand.as_cut, heard_pieces(hand.hits, edges))
            inside = (p for p in played if first <= p.beat < first + beats)
            return f"{strand.name}, ordered", tuple(p._replace(beat=p.beat - first) for p in inside)
        # As it is read and straightened: what lies over that may be another groove.
        hits = at_sensitivity(hand.hits, self.sensitivity)
        return hand.strand.name, played_of(hits, hand.strand.tied.warp, first, beats)

    def _of_song(
        self, project: Project, known: Known, beats: float
    ) -> tuple[str, tuple[Played, ...]]:
        names = [project.track(track).name for track in self.tracks]
        if not names:
            raise EditError("say from what: what is in hand, or tracks")
        first = project.metre_map.beat_of_bar(self.first_bar)
        parts = [
            self._of_clip(project, known, clip, first, beats)
            for clip in project.clips
            if clip.track in self.tracks and not clip.muted
        ]
        return ", ".join(names), merged(parts)

    def _of_clip(
        self, project: Project, known: Known, clip: Clip, first: float, beats: float
    ) -> tuple[Played, ...]:
        """What a clip plays in the range, as it is heard there."""
        strand = project.strand(clip.strand)
        if not strand.follows:
            return ()
        loop = known.loops.get(strand.loop)
        measured = strand.groove.hits if strand.groove else known.hits(loop)
        hits = at_sensitivity(measured, self.sensitivity)
        begin = max(first, clip.beat)
        end = min(first + beats, project.clip_end(clip))
        found: list[Played] = []
        for beat in _rounds(clip, strand, begin, end):
            placed = Placement.of(project, strand, loop, beat)
            order = placed.order
            if order and strand.cut and strand.order:
                edges = (*strand.cut.starts, strand.warp.end.second)
                for hit in played_by(order, heard_pieces(measured, edges)):
                    if begin - 0.25 <= beat + hit.beat < end:
                        found.append(hit._replace(beat=beat + hit.beat - first))
                continue
            warp = placed.warp
            for hit in played_of(hits, warp, 0.0, strand.span):
                at = beat + hit.beat
                if begin - 0.25 <= at < end:
                    found.append(hit._replace(beat=at - first))
        return tuple(found)


def _rounds(clip: Clip, strand: Strand, begin: float, end: float) -> Iterator[float]:
    """Song beats on which the rounds of a clip begin that sound between two."""
    beat, length = clip.beat - clip.slip, strand.round_beats
    beat += max(0, int((begin - beat) // length)) * length
    while beat < end - SAME_BEATS:
        yield beat
        beat += length


class MakeSwing(Intent):
    """Keep a groove made from swing; 50 percent is even."""

    kind: Literal["make_swing"] = "make_swing"
    percent: float
    per_beat: int
    name: str = Field("", max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        made = swing(self.percent, self.per_beat)
        return _kept(replace(made, name=self.name.strip() or made.name), "make")


class MixGrooves(Intent):
    """Keep what lies between two that are kept.

    share  0 is the one, 1 the other
    """

    kind: Literal["mix_grooves"] = "mix_grooves"
    one: str = Field(max_length=40)
    other: str = Field(max_length=40)
    share: float = Field(ge=0, le=1)
    name: str = Field("", max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        one, other = (project.kept_groove(id_).groove for id_ in (self.one, self.other))
        made = mixed(one, other, self.share)
        return _kept(replace(made, name=self.name.strip() or made.name), "mix")


class BringGroove(Intent):
    """Keep a groove that comes from elsewhere: a file, or the shelf."""

    kind: Literal["bring_groove"] = "bring_groove"
    groove: Groove

    def resolve(self, project: Project, known: Known) -> Resolved:
        return _kept(self.groove, "bring in")


class KeepLaid(Intent):
    """Keep the groove that is laid over what is in hand."""

    kind: Literal["keep_laid_groove"] = "keep_laid_groove"
    hand: str = Field(max_length=LONGEST_HAND)
    name: str = Field("", max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        strand = in_hand(project, known.loops, self.hand).strand
        laid = strand.groove
        if laid is None or laid.groove is None:
            raise EditError("no groove of its own is laid over this")
        groove = replace(laid.groove, name=self.name.strip() or laid.groove.name)
        kept = KeptGroove(id=new_id(), groove=groove)
        what = f"keep {groove.name}"
        edits = (
            KeepGroove(kept=kept, what=what),
            LayGroove(strand=strand.id, laid=laid.changed(groove=groove, kept=kept.id)),
        )
        return Resolved(Together(edits=edits, what=what))


class RegridGroove(Intent):
    """Gather the hits that a kept groove was taken from on another grid, or folded otherwise.

    fold_beats  that it is folded to, 0 for whole; as it was where none is given
    """

    kind: Literal["regrid_groove"] = "regrid_groove"
    groove: str = Field(max_length=40)
    per_beat: int
    fold_beats: float | None = Field(None, ge=0, le=MOST_BEATS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        old = project.kept_groove(self.groove).groove
        if not old.played:
            raise EditError(f"{old.name} was not taken from hits, so it stays on its grid")
        # The hits may go on for longer than it was folded to.
        last = max(hit.beat for hit in old.played)
        beats = max(1, math.ceil((last + SAME_BEATS) / old.beats)) * old.beats
        folded = old.beats if self.fold_beats is None else self.fold_beats
        made = taken(old.played, self.per_beat, beats, folded, name=old.name, origin=old.origin)
        return _changed(project, self.groove, made, f"{old.name} on another grid")


class DrawStep(Intent):
    """One step of a kept groove by hand.

    number    of the step, from 0
    row       whose; the steps of all together without one
    offset    share of a step
    """

    kind: Literal["draw_step"] = "draw_step"
    groove: str = Field(max_length=40)
    number: int = Field(ge=0)
    row: Register | None = None
    offset: float = Field(ge=-1, le=1)
    accent_db: float = Field(ge=-12, le=12)

    def resolve(self, project: Project, known: Known) -> Resolved:
        old = project.kept_groove(self.groove).groove
        made = with_step(old, self.number, self.row, self.offset, self.accent_db)
        return _changed(project, self.groove, made, f"draw {old.name}")


class NameGroove(Intent):
    kind: Literal["name_groove"] = "name_groove"
    groove: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=LONGEST_NAME)

    def resolve(self, project: Project, known: Known) -> Resolved:
        name = self.name.strip()
        if not name:
            raise EditError("a groove needs a name")
        made = replace(project.kept_groove(self.groove).groove, name=name)
        return _changed(project, self.groove, made, f"call a groove {name}")


class LetGrooveGo(Intent):
    kind: Literal["let_groove_go"] = "let_groove_go"
    groove: str = Field(max_length=40)

    def resolve(self, project: Project, known: Known) -> Resolved:
        return Resolved(ForgetGroove(groove=self.groove))


class SetSongGroove(Intent):
    """The song's groove from a bar on.

    groove  id of one that is kept; None for none from there on
    follow  every strand that has hits goes by it from now on, too
    """

    kind: Literal["set_song_groove"] = "set_song_groove"
    bar: int = Field(1, ge=1, le=100_000)
    groove: str | None = Field(max_length=40)
    follow: bool = False

    def measure(self, project: Project, known: Known) -> None:
        if self.follow:
            list(_all_follow(project, known))

    def resolve(self, project: Project, known: Known) -> Resolved:
        if self.groove is not None:
            project.kept_groove(self.groove)
        changes = with_change(project.feel, FeelChange(bar=self.bar, groove=self.groove))
        edits: list[SingleEdit] = [SetFeel(changes=changes)]
        if self.follow:
            edits += _all_follow(project, known)
        return Resolved(Together(edits=tuple(edits), what="the song's groove"))


class RemoveSongGroove(Intent):
    """The song's groove does not change at that bar any more."""

    kind: Literal["remove_song_groove"] = "remove_song_groove"
    bar: int

    def resolve(self, project: Project, known: Known) -> Resolved:
        return Resolved(
            SetFeel(changes=without_change(project.feel, self.bar, "the song's groove"))
        )


def by_value(groove: Groove) -> Groove:
    """The groove as a strand has it: the hits it was taken from stay with the kept one."""
    return replace(groove, played=())


def _all_follow(project: Project, known: Known) -> Iterator[LayGroove]:
    for strand in project.strands:
        laid = strand.groove
        if laid is None and strand.follows:
            hits = known.hits(known.loops.get(strand.loop))
            if hits:
                yield LayGroove(strand=strand.id, laid=LaidGroove(hits=hits))
        elif laid and not laid.follows:
            yield LayGroove(strand=strand.id, laid=laid.changed(groove=None, kept=None))


def _kept(groove: Groove, verb: str) -> Resolved:
    kept = KeptGroove(id=new_id(), groove=groove)
    return Resolved(KeepGroove(kept=kept, what=f"{verb} {groove.name}"))


def _changed(project: Project, id_: str, groove: Groove, what: str) -> Resolved:
    """Another in the place of a kept one, and wherever that is laid."""
    edits: list[SingleEdit] = [KeepGroove(kept=KeptGroove(id=id_, groove=groove), what=what)]
    for strand in project.strands:
        if strand.groove and strand.groove.kept == id_:
            laid = strand.groove.changed(groove=by_value(groove))
            edits.append(LayGroove(strand=strand.id, laid=laid))
    return Resolved(Together(edits=tuple(edits), what=what))
