"""How do loops leave the application? One, several, or a family as a pack with a page."""

from collections.abc import Sequence

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.claims import without_tempo
from zeroknot.core.formats.handed import ENDINGS, HandOver, stem, unlike_names
from zeroknot.core.formats.pack_page import PackLoop
from zeroknot.core.formats.riff import WavTags
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.ticks import ticks_of
from zeroknot.core.loop import Loop
from zeroknot.core.recipe.text import Written
from zeroknot.document.steps import steps
from zeroknot.document.stored import strand_told
from zeroknot.document.strand import Strand
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.loops import LoopStore
from zeroknot.studio.executors import Executors
from zeroknot.studio.family import steps_of_print
from zeroknot.studio.hand import made_again
from zeroknot.studio.handed import Handed
from zeroknot.studio.prints import Download, printed_from

MOST_LOOPS = 500
SAME_TEMPO = 1e-3


class HandingOver:
    def __init__(self, store: AudioStore, loops: LoopStore, executors: Executors):
        self._store, self._loops, self._executors = store, loops, executors

    def files(self, shas: Sequence[str], how: HandOver, pack: str | None = None) -> Download:
        """One file, or a ZIP of several; a pack of that title has a page and recipes with it."""
        if not shas:
            raise ZeroKnotError("nothing is chosen to hand over")
        if len(shas) > MOST_LOOPS:
            raise ZeroKnotError(f"at most {MOST_LOOPS} loops are handed over at once")
        loops = [self._loops.get(sha) for sha in dict.fromkeys(shas)]
        stems = unlike_names([_stem(loop, how.names, i) for i, loop in enumerate(loops, 1)])
        every = [self._handed(loop, name, pack) for loop, name in zip(loops, stems, strict=True)]
        file = self._store.new_incoming()
        if len(every) == 1 and pack is None:
            task = self._executors.look("hand_one", self._store.folder, every[0], how, file)
            return Download(f"{stems[0]}.{ENDINGS[how.format]}", file, 0.0 - task.result())
        task = self._executors.look("hand_many", self._store.folder, tuple(every), how, pack, file)
        changed: float = task.result()
        name = stem("{name}", {"name": pack or loops[0].set_name or "loops"})
        return Download(f"{name}.zip", file, 0.0 - changed)

    def _handed(self, loop: Loop, name: str, pack: str | None) -> Handed:
        self._store.path(loop.sha)
        reading, key = loop.reading, Key.parse(loop.key) if loop.key else None
        body = (reading.downbeat_s, reading.end_s) if reading else None
        tempo = reading.tempo_bpm if reading else None
        tags = WavTags(title=loop.name, tempo_bpm=tempo, key=key.tkey if key else None)
        strand = made_again(loop, self._loops)
        page = PackLoop("", loop.name, _about(loop), ticks_of(loop), _told(loop, strand))
        return Handed(
            loop.sha, loop.rate, loop.claims.voice, body, tags, name,
            cuts=cues_of(loop, strand) if strand else (),
            page=page if pack is not None else None,
            recipe=self._recipe(loop, strand) if pack is not None else "",
        )  # fmt: skip

    def _recipe(self, loop: Loop, strand: Strand | None) -> str:
        run = loop.recipe.run if loop.recipe else None
        if run is None:
            return ""
        told = strand_told(strand) if strand else {}
        return Written(loop.name, printed_from(run, self._loops), run, told).text


def cues_of(loop: Loop, strand: Strand) -> tuple[tuple[float, str], ...]:
    """Where the pieces of what was cut begin in its print, in seconds, and which of them each is;
    nothing where it was printed under a tempo that moves.

    strand  that it was printed from
    """
    reading, order = loop.reading, strand.played
    tempo = loop.recipe.made_by.get("tempo_bpm") if loop.recipe else None
    if not reading or not isinstance(tempo, float | int):
        return ()
    if abs(reading.tempo_bpm / tempo - 1.0) > SAME_TEMPO:
        return ()
    if order is not None:
        places = [
            (tile.beat / order.beats, tile.piece + 1) for tile in order.tiles if not tile.muted
        ]
    elif strand.cut is not None:
        beat_of = strand.warp.beat_of_second
        starts = [beat_of(second) / strand.warp.span for second in strand.cut.starts]
        places = [(place, i) for i, place in enumerate(starts, 1)]
    else:
        return ()
    seconds = reading.end_s - reading.downbeat_s
    return tuple(
        (reading.downbeat_s + place * seconds, str(piece))
        for place, piece in sorted(places)
        if 0.0 <= place < 1.0
    )


def _told(loop: Loop, strand: Strand | None) -> tuple[str, ...]:
    found = (*steps_of_print(loop), *(steps(strand) if strand else ()))
    return tuple(f"{step.title}: {step.said}" for step in found)


def _about(loop: Loop) -> str:
    reading = loop.reading
    parts = []
    if reading:
        parts += [f"{reading.bars} bar{'s' * (reading.bars != 1)}", f"{reading.tempo_bpm:.4g} BPM"]
    if loop.key:
        parts.append(loop.key)
    parts.append(f"{loop.seconds:.1f} s")
    return " · ".join(parts)


def _stem(loop: Loop, pattern: str, number: int) -> str:
    reading, key = loop.reading, Key.parse(loop.key) if loop.key else None
    fields = {
        "name": without_tempo(loop.name.split(", ")[0]),
        "bpm": f"{round(reading.tempo_bpm, 2):g}" if reading else "",
        "key": key.tkey if key else "", "bars": reading.bars if reading else "",
        "set": loop.set_name, "n": f"{number:02}",
    }  # fmt: skip
    return stem(pattern, fields)
