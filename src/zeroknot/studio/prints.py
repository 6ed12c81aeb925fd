"""How does a strand become a new loop, and a loop a file to take away?"""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

from zeroknot.core.formats.claims import without_tempo
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import NO_KEY, Loop
from zeroknot.core.recipe.recipe import Recipe
from zeroknot.core.recipe.run import Run
from zeroknot.core.recipe.text import Written
from zeroknot.core.render.any_plan import PassPlan, shifts_of
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.document.offshoot import Offshoot
from zeroknot.document.project import Project
from zeroknot.document.steps import in_short
from zeroknot.document.stored import strand_told
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.loops import LoopStore
from zeroknot.studio.desk import sent_by
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import ITSELF, Hand, in_hand
from zeroknot.studio.made_loops import MadeLoops, NewLoop
from zeroknot.studio.placement import Placement
from zeroknot.studio.song_range import SongRange, parts_of, plan_of_range

NEARLY_A_SEMITONE = 0.15  # off a whole one, and still the same key


@dataclass(frozen=True)
class Download:
    """A file to take away, which whoever takes it removes.

    name        to save it under
    lowered_db  by how much its level was taken down, 0 if not
    """

    name: str
    file: Path
    lowered_db: float


@dataclass(frozen=True)
class RangeHow:
    """seam, with_lead  as of `Prints.print_strand`
    through  as its tracks sound: filters, compressor, sends
    levels   at the levels of its tracks; else as if all were at 0 dB
    """

    seam: str = "wrap"
    with_lead: bool = False
    through: bool = False
    levels: bool = True

    @classmethod
    def in_place(cls, project: Project, where: SongRange) -> "RangeHow":
        """As what takes the place of its pieces: before the strip of their track, if it is one.

        What slices send is heard beside it: then, as where they lie on several, after all strips.
        """
        sends = any(sent_by(strand) for strand in where.strands(project))
        is_one = where.tracks is not None and len(where.tracks) == 1 and not sends
        return cls("ring", with_lead=True, through=not is_one, levels=not is_one)


class Named(NamedTuple):
    """What a print is called, how it is made, and under which id a page asked for it."""

    name: str
    recipe: Recipe
    asked: str | None


class Prints:
    def __init__(
        self, store: AudioStore, loops: LoopStore, executors: Executors, made_loops: MadeLoops
    ):
        self._store, self._loops = store, loops
        self._executors, self._made_loops = executors, made_loops

    def print_strand(
        self, project: Project, hand_name: str, seam: str, with_lead: bool, beat: float = 0.0,
        asked: str | None = None,
    ) -> NewLoop:  # fmt: skip
        """One pass as a new loop on the shelf, float32, its recipe with it.

        seam   "wrap" adds the tail to the start, "cut" leaves it out, "ring" keeps it past the end
        beat   the beat of the project whose tempo counts
        asked  as of `MadeLoops.keep`
        """
        hand = in_hand(project, self._loops, hand_name)
        strand, run = self.run_of(project, hand, seam, with_lead, beat)
        plan = Placement.of(project, strand, hand.loop, beat).heard
        tempo = project.tempo_map.bpm_at(beat) if strand.follows else round(strand.own_bpm, 2)
        metre = project.metre_map.metre_at(1)
        bars = strand.round_beats / metre.beats_per_bar
        name = without_tempo(strand.name.split(", ")[0] if strand.printed else strand.name)
        name = f"{name}, {bars:g} bar{'s' * (bars != 1)} at {tempo:g}"
        itself = hand_name.removeprefix(ITSELF)
        grown = project.offshoot(itself) if project.grew(itself) else None
        if grown:
            name = grown.name
        made_by = {"run": run.told(), "strand": strand_told(strand), "tempo_bpm": tempo}
        if grown:
            made_by |= {"said": grown.said, "seed": grown.seed}
        else:
            made_by["said"] = in_short(strand)
        key = printed_key(hand.loop, plan)
        parents = kept_parents(project, grown) if grown else descends_from(strand)
        recipe = Recipe(kind="print", parents=parents, made_by=made_by, key=key)
        as_ = Named(name, recipe, asked)
        return self._printed(run, as_, strand.round_beats, metre, hand.loop)

    def print_range(
        self,
        project: Project,
        where: SongRange,
        how: "RangeHow | None" = None,
        asked: str | None = None,
    ) -> NewLoop:
        """A stretch of the song as a new loop on the shelf, float32, its recipe with it.

        Raises EditError where nothing sounds there.
        """
        how = how or RangeHow()
        where = replace(where, by_lines=how.through)
        plan = plan_of_range(project, self._loops, where, how.through, how.levels)
        run = Run(plan, how.seam, how.with_lead)
        strands = where.strands(project)
        first = where.first_bar(project)
        tempo = project.tempo_map.bpm_at(where.start)
        tracks = {
            project.strand(c.strand).id: project.track(c.track).name for c in where.clips(project)
        }
        sounding = [{"track": tracks[s.id], "name": s.name, "said": in_short(s)} for s in strands]
        made_by = {
            "run": run.told(),
            "tempo_bpm": tempo,
            "said": where.said(project) + (", as its tracks sound" if how.through else ""),
            "song": sounding,
            "parts": parts_of(project, where),
        }
        parents = tuple(dict.fromkeys(sha for s in strands for sha in descends_from(s)))
        sources = [self._loops.get(s.loop) for s in strands]
        likest = next((loop for loop in sources if loop.stated_key != NO_KEY), sources[0])
        recipe = Recipe(kind="print", parents=parents, made_by=made_by)
        name = f"{where.named(project)} at {tempo:g}"[:LONGEST_NAME]
        metre = project.metre_map.metre_at(first)
        as_ = Named(name, recipe, asked)
        return self._printed(run, as_, where.end - where.start, metre, likest)

    def _printed(self, run: Run, as_: "Named", beats: float, metre: Metre, source: Loop) -> NewLoop:
        """Rendered and onto the shelf, with the beats that it was made to."""
        incoming = self._store.new_incoming()
        # Not by the worker that renders for playing: a long print must not hold up the sound.
        self._executors.look("print_to_file", self._store.folder, run, incoming).result()
        rate, (first, end) = run.plan.rate, run.loop_frames
        pulses = beats / metre.beats_per_pulse
        per_bar = metre.pulses_per_bar
        known = Reading(
            bars=max(1, round(pulses / per_bar)),
            beats_per_bar=per_bar if pulses % per_bar == 0 else round(pulses),
            tempo_bpm=pulses * 60.0 * rate / (end - first),
            downbeat_s=first / rate,
            end_s=end / rate,
            confidence=1.0,
            reason="printed here",
        )
        made = self._made_loops.listened(incoming, as_.name, as_.recipe, source)
        hearing = replace(made.hearing, readings=(known,), beats=())
        heard = replace(made, hearing=hearing)
        return self._made_loops.keep(incoming, heard, "printed", as_.asked)

    def run_of(
        self, project: Project, hand: Hand, seam: str, with_lead: bool, beat: float
    ) -> tuple[Strand, Run]:
        """How it is treated, and what renders it there."""
        strand = hand.strand
        plan = Placement.of(project, strand, hand.loop, beat).heard
        return strand, Run(plan, seam, with_lead, strand.gain_db)

    def recipe(self, project: Project, hand_name: str, beat: float = 0.0) -> Written:
        """The recipe of what is in hand, to be handed on; of a print the one that made it."""
        hand = in_hand(project, self._loops, hand_name)
        strand, run = self.run_of(project, hand, "wrap", False, beat)
        printed = self._loops.get(strand.printed or strand.loop).recipe if hand.is_new else None
        if printed and printed.run:  # to the bit as it was printed
            run = printed.run
        told = {} if printed and printed.is_of_a_song else strand_told(strand)
        return Written(strand.name, printed_from(run, self._loops), run, told)


def printed_from(run: Run, loops: LoopStore) -> tuple[tuple[str, str], ...]:
    """Hash and name of each recording that a run needs."""
    named = loops.named(run.sources)
    return tuple((sha, named[sha].name if sha in named else "") for sha in run.sources)


def descends_from(strand: Strand) -> tuple[str, ...]:
    """The loops that what a strand makes is a child of: a print that it makes again, or all that
    it sounds from."""
    return (strand.printed,) if strand.printed else tuple(dict.fromkeys(strand.sources))


def kept_parents(project: Project, grown: Offshoot) -> tuple[str, ...]:
    """The same of what was grown: the nearest ones above it that are loops."""
    found: dict[str, None] = {}
    for parent in grown.parents:
        if not project.grew(parent):
            found[parent] = None
            continue
        above = project.offshoot(parent)
        kept = (above.kept,) if above.kept else kept_parents(project, above)
        found.update(dict.fromkeys(kept))
    return tuple(found)


def printed_key(loop: Loop, plan: PassPlan) -> str | None:
    """The key of a pass, where that of its loop is sure and the shift one of whole semitones."""
    if loop.key is None or loop.key_confidence < 1.0:
        return None
    shift, *others = shifts_of(plan)
    if others or abs(shift - round(shift)) > NEARLY_A_SEMITONE:
        return None
    return str(Key.parse(loop.key).shifted(round(shift)))
