"""How does a loop come out of a long take? Found, chosen by hand, mended, cropped."""

from dataclasses import dataclass, replace

import numpy as np

from zeroknot.core.errors import EditError
from zeroknot.core.listening.reading import Reading
from zeroknot.core.listening.seams import FoundLoop, overhang_of
from zeroknot.core.loop import Loop
from zeroknot.core.recipe.recipe import Recipe
from zeroknot.core.warp.straighten import Counted, counted
from zeroknot.document.project import Project
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.loops import LoopStore
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import Hand, in_hand, pulses_heard
from zeroknot.studio.intents.readings import reading_of
from zeroknot.studio.made_loops import MadeLoops, NewLoop
from zeroknot.studio.sounding import crossfade_of, sounding_of

SHORTEST_SECONDS = 0.02
WHOLE_WITHIN = 0.12  # bars that a range may be off a whole number of them


@dataclass(frozen=True)
class RangeFacts:
    """What a stretch of a take comes to.

    pulses      heard in it, parts of them among it
    bars        the whole number of bars it is meant to be; at least 1
    beats_per_bar
    tempo_bpm   pulses a minute if it is so many bars
    overhang_s  by how much it overhangs its own beginning; None where no hits tell
    mended_s    the end without the overhang
    crossing_s  start and end moved to the nearest rise through zero
    seam        0…1, how the seam sounds
    """

    start_s: float
    end_s: float
    pulses: float
    bars: int
    beats_per_bar: int
    tempo_bpm: float
    overhang_s: float | None
    mended_s: float
    crossing_s: tuple[float, float]
    seam: float


@dataclass(frozen=True)
class SeamFacts:
    """The seam of what is in hand.

    jump      how many times the step over it exceeds what is usual beside it, as recorded
    is_heard  whether that is a click
    heard_jump, is_mended  the same with the crossfade that was chosen
    """

    jump: float
    is_heard: bool
    heard_jump: float
    is_mended: bool


class Takes:
    def __init__(
        self, store: AudioStore, loops: LoopStore, executors: Executors, made_loops: MadeLoops
    ):
        self._store, self._loops = store, loops
        self._executors, self._made_loops = executors, made_loops

    def loops_in(self, project: Project, hand_name: str) -> tuple[FoundLoop, ...]:
        """Loops of 1, 2, 4 and 8 bars that a take holds, best first."""
        hand = self._audio(project, hand_name)
        reading, beats = self._counted(project, hand)
        first = int(np.argmax((np.round(beats.numbers) % reading.beats_per_bar) == 0))
        task = ("loops_in_take", self._store.folder, hand.loop.sha, tuple(beats.seconds.tolist()),
                first, reading.beats_per_bar)  # fmt: skip
        found: tuple[FoundLoop, ...] = self._executors.look(*task).result()
        return found

    def range_of(
        self, project: Project, hand_name: str, start_s: float, end_s: float,
        bars: int | None = None,
    ) -> RangeFacts:  # fmt: skip
        """What a stretch comes to; as so many bars, or as many as its beats make likely."""
        hand = self._audio(project, hand_name)
        self._refuse_outside(hand.loop, start_s, end_s)
        reading, beats = self._counted(project, hand)
        pulses = beats.number_at(end_s) - beats.number_at(start_s)
        whole = bars or max(1, round(pulses / reading.beats_per_bar))
        seconds = end_s - start_s
        beat = seconds / max(1.0, pulses)
        overhang = overhang_of(hand.loop.hearing.attacks_at(), start_s, end_s, beat)
        if overhang is None:
            # Nothing is heard past it: then the beats that were heard say where its bars end.
            last = beats.number_at(start_s) + whole * reading.beats_per_bar
            off = end_s - beats.second_at(last)
            overhang = off if abs(off) < WHOLE_WITHIN * beat * reading.beats_per_bar else None
        mended = end_s - (overhang or 0.0)
        task = (
            "edges_of_range",
            self._store.folder,
            hand.loop.sha,
            hand.loop.rate,
            start_s,
            mended,
        )
        crossing, seam = self._executors.look(*task).result()
        tempo = whole * reading.beats_per_bar * 60.0 / seconds
        return RangeFacts(
            start_s, end_s, pulses, whole, reading.beats_per_bar, tempo, overhang, mended,
            crossing, seam,
        )  # fmt: skip

    def seam_of(self, project: Project, hand_name: str) -> SeamFacts:
        """How the pass in hand joins the next one. Raises EditError for MIDI."""
        hand = self._audio(project, hand_name)
        strand, loop = hand.strand, hand.loop
        warp, crossfade_s = strand.warp, crossfade_of(strand, loop)
        _, tail_to = sounding_of(strand.changed(crossfade_ms=0.0), loop)
        task = ("seams_of_pass", self._store.folder, loop.sha, loop.rate,
                warp.zero.second, warp.end.second, tail_to, crossfade_s)  # fmt: skip
        recorded, heard = self._executors.look(*task).result()
        is_mended = bool(crossfade_s) and not heard.is_heard
        return SeamFacts(recorded.jump, recorded.is_heard, heard.jump, is_mended)

    def crop(
        self, project: Project, hand_name: str, start_s: float, end_s: float, bars: int | None,
        asked: str | None = None,
    ) -> NewLoop:  # fmt: skip
        """A stretch as a new loop on the shelf, sample for sample; the take stays.

        bars   that it is said to be; None leaves that to listening
        asked  as of `MadeLoops.keep`
        """
        hand = self._audio(project, hand_name)
        loop = hand.loop
        self._refuse_outside(loop, start_s, end_s)
        incoming = self._store.new_incoming()
        task = ("crop_to_file", self._store.folder, loop.sha, loop.rate, start_s, end_s, incoming)
        frames: int = self._executors.look(*task).result()
        name = f"{loop.name}, from {_clock(start_s)}"
        made_by = {"start_s": start_s, "end_s": end_s, "frames": frames}
        key = loop.key if loop.key_confidence == 1.0 else None
        recipe = Recipe(kind="crop", parents=(loop.sha,), made_by=made_by, key=key)
        made = self._made_loops.listened(incoming, name, recipe, loop)
        if bars:
            per_bar = reading_of(project, hand.strand).beats_per_bar
            seconds = frames / loop.rate
            tempo = bars * per_bar * 60.0 / seconds
            said = Reading(bars, per_bar, tempo, 0.0, seconds, 1.0, "cropped from a take")
            made = replace(made, stated=said)
        return self._made_loops.keep(incoming, made, "cropped", asked)

    def _audio(self, project: Project, hand_name: str) -> Hand:
        hand = in_hand(project, self._loops, hand_name)
        if hand.loop.is_midi:
            raise EditError("loops are looked for in recordings; this is MIDI")
        return hand

    def _counted(self, project: Project, hand: Hand) -> tuple[Reading, Counted]:
        """The strand's reading, and its pulses as they were heard."""
        reading = reading_of(project, hand.strand)
        heard = pulses_heard(hand.strand, hand.loop)
        if heard.size < 3:
            step = (reading.end_s - reading.downbeat_s) / reading.pulses
            heard = reading.downbeat_s + step * np.arange(reading.pulses + 1.0)
        return reading, counted(reading.downbeat_s, reading.end_s, heard, 1.0)

    def _refuse_outside(self, loop: Loop, start_s: float, end_s: float) -> None:
        if not 0.0 <= start_s < end_s <= loop.seconds + 1e-6:
            raise EditError(
                f"{start_s:.3f} to {end_s:.3f} s is not inside the recording, which lasts "
                f"{loop.seconds:.3f} s"
            )
        if end_s - start_s < SHORTEST_SECONDS:
            raise EditError("that is too short for a loop; choose a longer stretch")


def _clock(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:04.1f}"
