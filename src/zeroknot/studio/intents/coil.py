"""The coil: loops on keys, and what was switched as clips."""

from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.coil import LONGEST_KEY, MOST_SLOTS, SPEEDS, Slot
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.clip import AddClips
from zeroknot.document.edits.coil import SetCoil
from zeroknot.document.edits.strand import AddStrand
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import Clip, Project, Track
from zeroknot.document.strand import LONGEST_NAME, YARNS, Strand
from zeroknot.document.value import Value
from zeroknot.studio.coil import JOIN_MS, at_speed
from zeroknot.studio.hand import in_hand, new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.key import natural
from zeroknot.studio.known import Known
from zeroknot.studio.placement import Placement

# Keys by their place: the digits, then the two rows under them.
KEYS = (
    *(f"Digit{n}" for n in (1, 2, 3, 4, 5, 6, 7, 8, 9, 0)),
    *(f"Key{letter}" for letter in "QWERTYUIOPASDFGHJKLZXC"),
)
COIL_NAME = "Coil"
LEAST_BEATS = 1 / 64
MOST_SEGMENTS = 2048
SAME = 1e-6


class CoilLoop(Intent):
    """A loop on a key of the coil: what is in hand, a strand, or one of the shelf.

    key  of the keyboard; the next that is free where none is said
    """

    kind: Literal["coil_loop"] = "coil_loop"
    hand: str
    key: str = Field("", max_length=LONGEST_KEY)

    def measure(self, project: Project, known: Known) -> None:
        natural(project, in_hand(project, known.loops, self.hand), known)

    def resolve(self, project: Project, known: Known) -> Resolved:
        hand = in_hand(project, known.loops, self.hand)
        strand = natural(project, hand, known) if hand.is_new else hand.strand
        if len(project.coil) == MOST_SLOTS:
            raise EditError(f"the coil holds {MOST_SLOTS} loops; take one off first")
        taken = {slot.key for slot in project.coil}
        key = self.key or next((k for k in KEYS if k not in taken), "")
        slot = Slot(id=new_id(), strand=strand.id, key="" if key in taken else key)
        what = f"{strand.name} to the coil"
        edits: list[SingleEdit] = [AddStrand(strand=strand)] if hand.is_new else []
        edits.append(SetCoil(slots=(*project.coil, slot), what=what))
        return Resolved(Together(edits=tuple(edits), what=what))


class ChangeSlot(Intent):
    """A loop of the coil otherwise: what is given changes. A key that another has comes from it.

    place  in the row, counted from 0
    """

    kind: Literal["change_slot"] = "change_slot"
    slot: str
    key: str | None = Field(None, max_length=LONGEST_KEY)
    speed: float | None = None
    anew: bool | None = None
    place: int | None = Field(None, ge=0, lt=MOST_SLOTS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        slot = _slot(project, self.slot)
        if self.speed is not None and all(abs(self.speed - s) > SAME for s in SPEEDS):
            said = ", ".join(f"{s:g}" for s in SPEEDS)
            raise EditError(f"a loop of the coil plays at {said} times its speed")
        given = self.model_dump(include={"key", "speed", "anew"}, exclude_none=True)
        if not given and self.place is None:
            raise EditError("nothing of the coil is given")
        changed = slot.changed(**given)
        _refuse_silent(project, known, changed)
        others = [
            s.changed(key="") if self.key and s.key == self.key else s
            for s in project.coil
            if s.id != slot.id
        ]
        at = project.coil.index(slot) if self.place is None else self.place
        others.insert(min(at, len(others)), changed)
        what = f"{project.strand(slot.strand).name} on the coil"
        return Resolved(SetCoil(slots=tuple(others), what=what))


class UncoilLoop(Intent):
    """A loop off the coil; its clips stay."""

    kind: Literal["uncoil_loop"] = "uncoil_loop"
    slot: str

    def resolve(self, project: Project, known: Known) -> Resolved:
        slot = _slot(project, self.slot)
        left = tuple(s for s in project.coil if s.id != slot.id)
        what = f"{project.strand(slot.strand).name} off the coil"
        return Resolved(SetCoil(slots=left, what=what))


class Switched(Value):
    """A stretch of the song in which one loop of the coil was heard.

    beat, end  quarter notes of the song
    origin     beat on which a pass of it began; it is repeated from there to both sides
    """

    slot: str
    beat: float = Field(ge=0, le=100_000)
    end: float = Field(ge=0, le=100_000)
    origin: float = Field(0.0, ge=-100_000, le=100_000)


class LaySwitched(Intent):
    """What was switched, as clips on a track of its own, over what lay there."""

    kind: Literal["lay_switched"] = "lay_switched"
    switched: tuple[Switched, ...] = Field(min_length=1, max_length=MOST_SEGMENTS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        track = next((t for t in project.tracks if t.name == COIL_NAME), None)
        edits: list[SingleEdit] = []
        if track is None:
            track = Track(id=new_id(), name=COIL_NAME)
            edits.append(AddTrack(track=track))
        strands: dict[str, Strand] = {}
        clips: list[Clip] = []
        for part in self.switched:
            slot = _slot(project, part.slot)
            if slot.id not in strands:
                strand = _played(project, slot)
                if all(s.id != strand.id for s in project.strands):
                    edits.append(AddStrand(strand=strand))
                strands[slot.id] = strand
            clips += _clips(project, slot, strands[slot.id], track.id, part)
        if not clips:
            raise EditError("nothing was switched that is long enough to be heard")
        edits.append(AddClips(clips=tuple(_in_turn(clips))))
        return Resolved(Together(edits=tuple(edits), what="lay what was switched"))


def _refuse_silent(project: Project, known: Known, slot: Slot) -> None:
    """Raises EditError where a slot could not be heard, at its speed and the song's tempo."""
    strand = project.strand(slot.strand)
    played = at_speed(strand, slot.speed)
    why = Placement.of(project, played, known.loops.get(strand.loop)).why_silent
    if why and slot.speed != 1.0:
        raise EditError(f"×{slot.speed:.3g} of {strand.name}: {why}")


def _slot(project: Project, id_: str) -> Slot:
    found = next((slot for slot in project.coil if slot.id == id_), None)
    if found is None:
        raise EditError("that loop is not on the coil (any more)")
    return found


def _played(project: Project, slot: Slot) -> Strand:
    """The strand that a slot plays: at another speed it is one of its own."""
    strand = project.strand(slot.strand)
    if slot.speed == 1.0:
        return strand
    name = f"{strand.name[: LONGEST_NAME - 8]} ×{slot.speed:.3g}"
    laid = at_speed(strand, slot.speed)
    for known in project.strands:
        if known.changed(id=laid.id, yarn=laid.yarn) == laid.changed(name=name):
            return known
    yarn = len(project.strands) % YARNS
    return laid.changed(id=new_id(), name=name, yarn=yarn)


def _clips(project: Project, slot: Slot, strand: Strand, track: str, part: Switched) -> list[Clip]:
    """A stretch as clips: one, or one a bar where the loop is begun anew in each."""
    edges = [(part.beat, part.end, part.origin)]
    if slot.anew:
        metres = project.metre_map
        edges = []
        beat = part.beat
        while beat < part.end - SAME:
            bar = metres.bar_of_beat(beat + SAME)
            line, to = metres.beat_of_bar(bar), metres.beat_of_bar(bar + 1)
            edges.append((beat, min(to, part.end), line))
            beat = to
    round_beats = strand.round_beats
    return [
        Clip(
            id=new_id(), strand=strand.id, track=track, beat=beat, length=end - beat,
            slip=round((beat - origin) % round_beats, 9) % round_beats,
            fade_in_ms=JOIN_MS, fade_out_ms=JOIN_MS,
        )
        for beat, end, origin in edges
        if end - beat >= LEAST_BEATS
    ]  # fmt: skip


def _in_turn(clips: list[Clip]) -> list[Clip]:
    """As they were played, each over what came before it; what is covered is left out."""
    kept: list[Clip] = []
    for clip in clips:
        assert clip.length is not None
        end = clip.beat + clip.length
        left = []
        for earlier in kept:
            assert earlier.length is not None
            stop = earlier.beat + earlier.length
            if stop <= clip.beat + SAME or earlier.beat >= end - SAME:
                left.append(earlier)
            elif clip.beat - earlier.beat >= LEAST_BEATS:
                left.append(earlier.changed(length=clip.beat - earlier.beat))
        kept = [*left, clip]
    return kept
