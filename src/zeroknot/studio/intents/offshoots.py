"""Intents about a loop's family: grow more, keep none or some of it, take one up again."""

from collections.abc import Sequence
from typing import Literal

from pydantic import Field, ValidationError

from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.listening.sound_kind import UNPITCHED
from zeroknot.core.loop import Loop
from zeroknot.core.order.deal import MOST_SEED
from zeroknot.core.recipe.text import MOST_BYTES, read_recipe
from zeroknot.document.edits.any_edit import Together
from zeroknot.document.edits.offshoot import AddOffshoots, ChangeOffshoot, DropOffshoots
from zeroknot.document.edits.slices import refuse_unknown_pieces
from zeroknot.document.edits.strand import AddStrand, ChangeStrand
from zeroknot.document.grow import CHANGES, Bed, Change, several, sound_of
from zeroknot.document.offshoot import MOST_OFFSHOOTS, Offshoot
from zeroknot.document.project import Project
from zeroknot.document.quick import QUICK
from zeroknot.document.relay import laid_over
from zeroknot.document.steps import in_short
from zeroknot.document.stored import strand_value
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.studio.hand import (
    ITSELF,
    SHA_DIGITS,
    Hand,
    fresh_strand,
    in_hand,
    made_again,
    new_id,
    of_itself,
)
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.slicing import edges_of
from zeroknot.studio.known import Known
from zeroknot.studio.placement import Placement
from zeroknot.studio.prints import descends_from

MOST_GROWN = 64


class GrowOffshoots(Intent):
    """New variations, none like another and none like one that is there.

    of    what they grow from: an offshoot, a strand, or a loop
    far   0 close … 1 far
    may   what may change; anything where none is named
    """

    kind: Literal["grow"] = "grow"
    of: str
    count: int = Field(8, ge=1, le=MOST_GROWN)
    far: float = Field(0.4, ge=0, le=1)
    may: tuple[Change, ...] = Field((), max_length=len(CHANGES))
    seed: int = Field(ge=0, le=MOST_SEED)

    def measure(self, project: Project, known: Known) -> None:
        hand = in_hand(project, known.loops, self.of)
        if hand.strand.cut:
            known.alike(hand.loop, edges_of(hand.strand))

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.of)
        _refuse_notes(hand.loop)
        there = [sound_of(o.strand) for o in project.offshoots]
        found = several(
            hand.strand, self.may or CHANGES, self.far, self.seed, self.count,
            _bed(project, hand, known), there,
        )  # fmt: skip
        found = [f for f in found if _can_be_heard(project, hand.loop, f[1])]
        if not found:
            raise EditError("nothing new grows here: allow more to change, or go farther")
        parents = parents_of(project, self.of, hand.strand)
        names = _names(project, hand.strand.name, len(found))
        made = tuple(
            _offshoot(name, parents, strand, said, seed)
            for name, (seed, strand, said) in zip(names, found, strict=True)
        )
        return Resolved(
            AddOffshoots(offshoots=made, what=f"grow {len(made)} of {hand.strand.name}")
        )


class QuickOne(Intent):
    """One of the quick ones, made of what is in hand.

    of    as of `grow`
    """

    kind: Literal["quick_one"] = "quick_one"
    of: str
    what: Literal["reverse", "half", "double", "down", "hold", "chop"]
    seed: int = Field(0, ge=0, le=MOST_SEED)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.of)
        _refuse_notes(hand.loop)
        said, change = QUICK[self.what]
        strand = change(hand.strand, hand.loop.hearing.attack_seconds(), self.seed)
        if why := Placement.of(project, strand, hand.loop).why_silent:
            raise EditError(why)
        parents = parents_of(project, self.of, hand.strand)
        name = f"{_plain(hand.strand.name)[: LONGEST_NAME - 30]} {said}"
        made = _offshoot(name, parents, strand, said, None)
        return Resolved(AddOffshoots(offshoots=(made,), what=f"{said}, of {hand.strand.name}"))


class LayRecipe(Intent):
    """What was done to one, done to another loop.

    of    whose recipe
    over  the loops, by hash
    """

    kind: Literal["lay_recipe"] = "lay_recipe"
    of: str
    over: tuple[str, ...] = Field(min_length=1, max_length=MOST_GROWN)

    def resolve(self, project: Project, known: Known) -> Resolved:
        recipe = in_hand(project, known.loops, self.of).strand
        return Resolved(_laid(project, known, recipe, self.over))


OF_A_SONG = (
    "this is the recipe of a stretch of a song, not of one loop: it is made again from its "
    "recordings by `zeroknot resample`, but there is nothing to be laid over another loop"
)


class TakeRecipe(Intent):
    """A recipe from a file, or a way of working that was kept.

    text  as `core.recipe.text` writes it
    over  loops that it is laid over, by hash; those it was made of where none is named
    """

    kind: Literal["take_recipe"] = "take_recipe"
    text: str = Field(max_length=MOST_BYTES)
    over: tuple[str, ...] = Field((), max_length=MOST_GROWN)

    def resolve(self, project: Project, known: Known) -> Resolved:
        written = read_recipe(self.text)
        if not written.strand:
            raise EditError(OF_A_SONG)
        try:
            recipe = strand_value(written.strand)
            _ = recipe.warp, recipe.played
        except (ValidationError, ZeroKnotError) as error:
            raise EditError("this recipe is damaged: what was done cannot be read") from error
        named = recipe.changed(name=written.name[:LONGEST_NAME] or recipe.name)
        if self.over:
            return Resolved(_laid(project, known, named, self.over))
        missing = [name or sha[:8] for sha, name in written.sources if not known.loops.has(sha)]
        if missing or not known.loops.has(recipe.loop):
            raise EditError(
                f"it was made of {', '.join(missing) or 'a loop'}, which is not on this shelf: "
                "bring that in, or lay the recipe over another loop"
            )
        refuse_unknown_pieces(named.cut, named.order, named.name)
        if why := Placement.of(project, named, known.loops.get(named.loop)).why_silent:
            raise EditError(why)
        made = _offshoot(named.name, descends_from(named), named, in_short(named)[:400], None)
        return Resolved(AddOffshoots(offshoots=(made,), what=f"take the recipe of {made.name}"))


def _laid(project: Project, known: Known, recipe: Strand, over: Sequence[str]) -> AddOffshoots:
    """What was done to one, done to others."""
    made = []
    for sha in over:
        loop = known.loops.get(sha)
        _refuse_notes(loop)
        fresh = made_again(loop, known.loops) or fresh_strand(project, loop)
        strand = laid_over(recipe, fresh, loop.hearing.attack_seconds())
        if why := Placement.of(project, strand, known.loops.get(strand.loop)).why_silent:
            raise EditError(f"{loop.name}: {why}")
        name = f"{_plain(loop.name)[:140]} as {_plain(recipe.name)[:140]}"
        made.append(_offshoot(name, (sha,), strand, f"treated as {recipe.name}"[:400], None))
    whose = known.loops.get(over[0]).name if len(made) == 1 else f"{len(made)} loops"
    what = f"lay the recipe of {recipe.name} over {whose}"
    return AddOffshoots(offshoots=tuple(made), what=what)


class DropGrown(Intent):
    """Let go what was grown."""

    kind: Literal["drop_grown"] = "drop_grown"
    offshoots: tuple[str, ...] = Field(min_length=1, max_length=MOST_OFFSHOOTS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        known_ones = [project.offshoot(id_) for id_ in self.offshoots]
        count = len(known_ones)
        what = f"drop {known_ones[0].name}" if count == 1 else f"drop {count} offshoots"
        return Resolved(DropOffshoots(offshoots=self.offshoots, what=what))


class NameGrown(Intent):
    """Name one that was grown, or take it to heart."""

    kind: Literal["name_grown"] = "name_grown"
    offshoot: str
    name: str | None = Field(None, min_length=1, max_length=LONGEST_NAME)
    favourite: bool | None = None

    def resolve(self, project: Project, known: Known) -> Resolved:
        before = project.offshoot(self.offshoot)
        changed, what = before, ""
        if self.name is not None:
            changed, what = changed.changed(name=self.name.strip() or before.name), "name"
        if self.favourite is not None:
            changed, what = changed.changed(favourite=self.favourite), "heart"
        if not what:
            raise EditError("nothing of it is given")
        return Resolved(ChangeOffshoot(offshoot=changed, what=f"{what} of {before.name}"))


class KeepGrown(Intent):
    """It is on the shelf from now on.

    sha  of what it was printed to
    """

    kind: Literal["keep_grown"] = "keep_grown"
    offshoot: str
    sha: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        loop = known.loops.get(self.sha)
        if loop.recipe is None:
            raise EditError(f"{loop.name} was not printed here")
        grown = project.offshoot(self.offshoot).changed(kept=self.sha)
        return Resolved(ChangeOffshoot(offshoot=grown, what=f"keep {grown.name}"))


class TakeUp(Intent):
    """The recipe of an offshoot or a print as a strand of its own, to be changed: a new branch."""

    kind: Literal["take_up"] = "take_up"
    of: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        name = self.of.removeprefix(ITSELF)
        if len(name) == SHA_DIGITS or project.grew(name):
            strand = of_itself(project, known.loops, name)
        else:
            strand = project.strand(name).changed(id=new_id())
        edit = AddStrand(strand=strand)
        return Resolved(Together(edits=(edit,), what=f"take up {strand.name}"))


class LayAsPrinted(Intent):
    """A print is laid as it was printed, or made again from its recordings wherever it lies."""

    kind: Literal["lay_as_printed"] = "lay_as_printed"
    hand: str
    as_printed: bool

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        loop = known.loops.get(hand.shelved)
        again = made_again(loop, known.loops)
        if again is None:
            raise EditError(f"{loop.name} was not printed here from loops that are still here")
        other = fresh_strand(project, loop) if self.as_printed else again
        strand = other.changed(id=hand.strand.id, yarn=hand.strand.yarn, name=hand.strand.name)
        way = "as it was printed" if self.as_printed else "from its recordings"
        what = f"{strand.name} {way}"
        if hand.is_new:
            return Resolved(Together(edits=(AddStrand(strand=strand),), what=what))
        return Resolved(ChangeStrand(strand=strand, what=what))


def parents_of(project: Project, name: str, strand: Strand) -> tuple[str, ...]:
    """What grows from something is a child of that: of the loop where there is one."""
    name = name.removeprefix(ITSELF)
    if len(name) == SHA_DIGITS:
        return (name,)
    if project.grew(name):
        return (project.offshoot(name).kept or name,)
    return descends_from(strand)


def _bed(project: Project, hand: Hand, known: Known) -> Bed:
    metre = project.metre_map.metre_at(1)
    strand = hand.strand
    distances = known.alike(hand.loop, edges_of(strand)) if strand.cut else None
    return Bed(
        attacks=hand.loop.hearing.attack_seconds(),
        distances=distances,
        is_tuned=hand.loop.sound not in UNPITCHED,
        bar=metre.beats_per_bar,
        pulse=metre.beats_per_pulse,
    )


def _refuse_notes(loop: Loop) -> None:
    if loop.is_midi:
        raise EditError(f"{loop.name} is notes: print it, and grow from what is printed")


def _can_be_heard(project: Project, loop: Loop, strand: Strand) -> bool:
    return Placement.of(project, strand, loop).why_silent is None


def _offshoot(
    name: str, parents: tuple[str, ...], strand: Strand, said: str, seed: int | None
) -> Offshoot:
    own = strand.changed(id=new_id(), printed=None, rounds=())
    return Offshoot(id=new_id(), name=name, parents=parents, strand=own, said=said, seed=seed)


def _plain(name: str) -> str:
    """Without the number that a growing gave it, or the length a print did."""
    plain = name.split(", ")[0]
    head, _, tail = plain.rpartition(" ")
    return head if head and tail.isdigit() and len(tail) <= 3 else plain


def _names(project: Project, name: str, count: int) -> Sequence[str]:
    """The name of what they grow from, numbered on."""
    plain = _plain(name)[: LONGEST_NAME - 8]
    taken = {o.name for o in project.offshoots}
    found: list[str] = []
    number = 1
    while len(found) < count:
        if f"{plain} {number}" not in taken:
            found.append(f"{plain} {number}")
        number += 1
    return found
