"""What does a person ask for? Intents, resolved here into self-contained edits.

An intent may need the shelf, new ids or what was heard; the edit it becomes needs nothing. Where
an intent corrects what a loop is, it says so of the loop, too.
"""

from abc import abstractmethod
from dataclasses import dataclass, replace

from zeroknot.core.errors import StretchError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Statement
from zeroknot.document.edits.any_edit import Together
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.strand import AddStrand, ChangeStrand
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.document.value import Value
from zeroknot.studio.hand import Hand, in_hand
from zeroknot.studio.known import Known
from zeroknot.studio.placement import Placement


@dataclass(frozen=True)
class Resolved:
    """The edit, and what it states of a loop; None where it states nothing."""

    edit: Edit
    statement: Statement | None = None


class Intent(Value):
    @abstractmethod
    def resolve(self, project: Project, known: Known) -> Resolved: ...

    def measure(self, project: Project, known: Known) -> None:
        """Ask for what takes a worker a while, so that resolving finds it there.

        Done before edits of others have to wait for this one.
        """
        return


class FitIntent(Intent):
    """A change of what is in hand; makes the strand where there is none yet.

    What can be rendered stays so: a change after which it could not is refused (StretchError).
    """

    hand: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        hand = replace(
            hand,
            measure=known.hits,
            listen=known.tones,
            begin=known.begun,
            compare=known.alike,
            zeros=known.zeros,
            score=known.score,
        )
        strand, what = self.change(project, hand)
        refuse_unplayable(project, hand, strand)
        edit = self.edit(hand, strand, what)
        if not self.says(hand, strand):
            return Resolved(edit)
        return Resolved(edit, Statement(hand.loop.sha, hand.loop.stated, self.stated(hand, strand)))

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        """What makes the strand what it becomes."""
        if hand.is_new:
            return Together(edits=(AddStrand(strand=strand),), what=what)
        return ChangeStrand(strand=strand, what=what)

    def says(self, hand: Hand, strand: Strand) -> bool:
        """Does the change say what the loop itself is?"""
        return False

    @abstractmethod
    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        """The strand as it becomes, and what that is called."""

    def stated(self, hand: Hand, strand: Strand) -> Reading | None:
        """The person's reading of the loop itself from now on, where the intent states one."""
        return strand.reading


def refuse_unplayable(project: Project, hand: Hand, strand: Strand) -> None:
    """Raises StretchError where a pass, now or on one of its clips, could not be rendered any more.

    What could not be rendered before may be changed step by step until it can.
    """
    beats = {0.0} | {c.beat for c in project.clips if c.strand == strand.id}
    for beat in sorted(beats):
        why = Placement.of(project, strand, hand.loop, beat).why_silent
        if why and not Placement.of(project, hand.strand, hand.loop, beat).why_silent:
            raise StretchError(why)
