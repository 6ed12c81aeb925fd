"""The song's key and its changes; who follows it; tuning."""

import itertools
import math
from collections.abc import Iterator
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.harmony.fit import Prefers
from zeroknot.core.harmony.key import Key
from zeroknot.core.loop import Loop
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import AddClips, RemoveClips
from zeroknot.document.edits.key import FollowKey, SetConcertPitch, Tune
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.time import SetKeys
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import Clip, KeyChange, Project, Track
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.studio.hand import LONGEST_HAND, Hand, has_notes, in_hand, in_key_of, new_id
from zeroknot.studio.intents.base import FitIntent, Intent, Resolved
from zeroknot.studio.intents.by_bar import with_change, without_change
from zeroknot.studio.known import Known

FOLLOWING = ("bass", "chords", "line", "voice", "pad")  # that follow the key unless told otherwise
MOST_HANDS = 500
SAME_BEATS = 1e-6
# Of loops in tune nine in ten are heard within this, and a person hears no less (5 to 10 cents;
# common practice, no source).
IN_TUNE_CENTS = 8.0


class SetKeyAt(Intent):
    """The song's key from a bar on. With its first key, all that has one by nature follows it.

    was  the bar at which a change stood that is moved
    """

    kind: Literal["set_key_at"] = "set_key_at"
    bar: int = Field(1, ge=1, le=100_000)
    key: str = Field(max_length=40)
    was: int | None = None

    def measure(self, project: Project, known: Known) -> None:
        if not project.keys:
            list(_all_by_nature(project, known))

    def resolve(self, project: Project, known: Known) -> Resolved:
        key = str(Key.parse(self.key))
        bar = self.bar if project.keys else 1
        if self.was is not None and all(change.bar != self.was for change in project.keys):
            raise EditError("the key does not change there (any more)")
        if self.was is not None and self.was == project.keys[0].bar and bar != self.was:
            raise EditError("the first key stays where the song begins")
        changes = with_change(project.keys, KeyChange(bar=bar, key=key), self.was)
        keys = SetKeys(changes=changes)
        if project.keys:
            return Resolved(keys)
        edits = (keys, *_all_by_nature(project, known))
        return Resolved(Together(edits=edits, what=keys.label()))


class RemoveKeyAt(Intent):
    """The key does not change at that bar any more; at the first, the song has none."""

    kind: Literal["remove_key_at"] = "remove_key_at"
    bar: int

    def resolve(self, project: Project, known: Known) -> Resolved:
        kept = without_change(project.keys, self.bar, "the key")
        is_first = self.bar == project.keys[0].bar
        if is_first and len(project.keys) > 1:
            raise EditError("the first key stays while there are later ones; change it instead")
        return Resolved(SetKeys(changes=kept))


class Follow(FitIntent):
    """Whether what is in hand follows the song's key.

    prefers  tonic to tonic, or to that of the key with the same notes, where both do as well
    along    notes of MIDI keep their degree of the scale
    anew     by the key and the notes that its loop has by now, not those it came with
    """

    kind: Literal["follow_key"] = "follow_key"
    follows: bool = True
    prefers: Prefers | None = None
    along: bool | None = None
    anew: bool = False

    def change(self, project: Project, hand: Hand) -> tuple[Strand, str]:
        if not self.follows:
            return hand.strand.changed(in_key=None), "keep own key"
        found = hand.in_key_anew if self.anew else hand.strand.in_key or hand.in_key_anew
        if found is None:
            raise EditError(f"no notes were heard in {hand.strand.name} that could follow a key")
        if self.prefers:
            found = found.changed(prefers=self.prefers)
        if self.along and not hand.loop.is_midi:
            raise EditError("only notes can be moved along the scale; this is a recording")
        if self.along and found.own is None:
            raise EditError("say in which key it is first: degrees are counted from its tonic")
        if self.along is not None:
            found = found.changed(along=self.along)
        return hand.strand.changed(in_key=found), "follow the key"

    def edit(self, hand: Hand, strand: Strand, what: str) -> Edit:
        follow = FollowKey(strand=strand.id, in_key=strand.in_key)
        if not hand.is_new:
            return follow
        plain = strand.changed(in_key=None)
        return Together(edits=(AddStrand(strand=plain), follow), what=what)


class CorrectTuning(Intent):
    """Bring loops from the tuning that was heard in them to the song's concert pitch.

    cents  by which one is tuned instead; 0 leaves it as it was recorded
    """

    kind: Literal["correct_tuning"] = "correct_tuning"
    hands: tuple[str, ...] = Field(min_length=1, max_length=MOST_HANDS)
    cents: float | None = Field(None, ge=-100, le=100)

    def resolve(self, project: Project, known: Known) -> Resolved:
        edits: list[SingleEdit] = []
        for name in self.hands:
            hand = in_hand(project, known.loops, name)
            cents = self.cents if self.cents is not None else correction_of(project, hand.loop)
            if cents is None or hand.strand.cents == cents:
                continue
            if hand.is_new:
                edits.append(AddStrand(strand=hand.strand.changed(cents=cents)))
            else:
                edits.append(Tune(strand=hand.strand.id, cents=cents))
        if not edits:
            raise EditError("no tuning was heard there that would have to be corrected")
        return Resolved(Together(edits=tuple(edits), what="correct the tuning"))


class SetA4(Intent):
    """The song's concert pitch, Hz of A4."""

    kind: Literal["set_a4"] = "set_a4"
    hertz: float = Field(ge=400, le=480)

    def resolve(self, project: Project, known: Known) -> Resolved:
        return Resolved(SetConcertPitch(hertz=self.hertz))


def correction_of(project: Project, loop: Loop) -> float | None:
    """Cents that bring a loop to the song's concert pitch; None where no tuning was heard.

    What is heard nearly at 440 Hz is taken to be there: most loops are, and it is heard no more
    exactly than that.
    """
    heard = loop.hearing.key.cents
    if loop.is_midi or heard is None:
        return None
    own = 0.0 if abs(heard) <= IN_TUNE_CENTS else heard
    return round(1200.0 * math.log2(project.a4_hz / 440.0) - own, 2)


def by_nature(loop: Loop) -> bool:
    """Does a loop follow the key unless told otherwise?"""
    return loop.sound in FOLLOWING


def natural(project: Project, hand: Hand, known: Known) -> Strand:
    """A new strand as it comes into the song: in its key, where it follows one by nature."""
    if not project.keys or not by_nature(hand.loop):
        return hand.strand
    return hand.strand.changed(in_key=in_key_of(hand.loop, known.tones(hand.loop)))


def _all_by_nature(project: Project, known: Known) -> Iterator[FollowKey]:
    for strand in project.strands:
        loop = known.loops.get(strand.loop)
        if strand.in_key is None and by_nature(loop):
            found = in_key_of(loop, known.tones(loop))
            if found:
                yield FollowKey(strand=strand.id, in_key=found)


class TreatBars(Intent):
    """Shift what is in hand in some bars of the song alone, or let it rest there.

    first_bar, last_bar  of the song, both included
    shift  semitones on top of what its clips have there; None leaves it
    muted  whether it rests there; None leaves it
    """

    kind: Literal["treat_bars"] = "treat_bars"
    hand: str = Field(max_length=LONGEST_HAND)
    first_bar: int = Field(ge=-8, le=100_000)
    last_bar: int = Field(ge=-8, le=100_000)
    shift: float | None = Field(None, ge=-24, le=24)
    muted: bool | None = None

    def resolve(self, project: Project, known: Known) -> Resolved:
        if self.shift is None and self.muted is None:
            raise EditError("say what is to be done in these bars: a shift, or to rest")
        metre = project.metre_map
        start = metre.beat_of_bar(self.first_bar)
        end = metre.beat_of_bar(max(self.first_bar, self.last_bar) + 1)
        hand = in_hand(project, known.loops, self.hand)
        found = [
            clip for clip in project.clips
            if clip.strand == hand.strand.id
            and clip.beat < end - SAME_BEATS and project.clip_end(clip) > start + SAME_BEATS
        ]  # fmt: skip
        if not found:
            raise EditError(f"{hand.strand.name} does not play in these bars")
        pieces = [piece for clip in found for piece in self._pieces(project, clip, start, end)]
        edits = (RemoveClips(clips=tuple(c.id for c in found)), AddClips(clips=tuple(pieces)))
        bars = f"bar {self.first_bar}"
        if self.last_bar > self.first_bar:
            bars = f"bars {self.first_bar}–{self.last_bar}"
        what = f"rest in {bars}" if self.muted else f"shift {bars}"
        return Resolved(Together(edits=edits, what=what))

    def _pieces(self, project: Project, clip: Clip, start: float, end: float) -> Iterator[Clip]:
        """A clip before, in and after the bars; what is not cut stays as it is."""
        first, last = clip.beat, project.clip_end(clip)
        edges = [
            first,
            *(b for b in (start, end) if first + SAME_BEATS < b < last - SAME_BEATS),
            last,
        ]
        origin = clip.beat - clip.slip
        for i, (a, b) in enumerate(itertools.pairwise(edges)):
            piece = clip
            if len(edges) > 2:
                id_ = clip.id if i == 0 else new_id()
                piece = clip.changed(id=id_, beat=a, length=b - a, slip=a - origin)
            if start - SAME_BEATS <= a < end - SAME_BEATS:
                shift = clip.shift if self.shift is None else clip.shift + self.shift
                muted = clip.muted if self.muted is None else self.muted
                piece = piece.changed(shift=shift, muted=muted)
            yield piece


class PlaceInGaps(Intent):
    """Play what is in hand in the bars of the song in which nothing else with notes plays."""

    kind: Literal["place_in_gaps"] = "place_in_gaps"
    hand: str = Field(max_length=LONGEST_HAND)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        edits: list[SingleEdit] = [AddStrand(strand=hand.strand)] if hand.is_new else []
        gaps = list(self._gaps(project, known, hand.strand))
        if not gaps:
            raise EditError("something with notes plays in every bar of the song")
        track = next((c.track for c in project.clips if c.strand == hand.strand.id), None)
        if track is None:
            track = new_id()
            edits.append(AddTrack(track=Track(id=track, name=hand.strand.name[:LONGEST_NAME])))
        clips = tuple(
            Clip(id=new_id(), strand=hand.strand.id, track=track, beat=a, length=b - a)
            for a, b in gaps
        )
        edits.append(AddClips(clips=clips))
        return Resolved(Together(edits=tuple(edits), what=f"play {hand.strand.name} in the gaps"))

    def _gaps(
        self, project: Project, known: Known, strand: Strand
    ) -> Iterator[tuple[float, float]]:
        """Beats from which to which bars are free, itself among what takes them."""
        silent = {track.id for track in project.tracks if track.muted}
        pitched = {
            s.id for s in project.strands
            if s.id == strand.id or has_notes(s, known.loops.get(s.loop))
        }  # fmt: skip
        taken = [
            (clip.beat, project.clip_end(clip)) for clip in project.clips
            if clip.strand in pitched and not clip.muted and clip.track not in silent
        ]  # fmt: skip
        metre, begun = project.metre_map, None
        for bar in range(1, project.last_bar + 2):
            start, end = metre.beat_of_bar(bar), metre.beat_of_bar(bar + 1)
            is_free = bar <= project.last_bar and not any(
                a < end - SAME_BEATS and b > start + SAME_BEATS for a, b in taken
            )
            if is_free and begun is None:
                begun = start
            if not is_free and begun is not None:
                yield begun, start
                begun = None
