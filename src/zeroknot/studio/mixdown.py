"""How does the song leave as files? Mixed down in the background: all of it, a stretch, its stems.

What is to be mixed is written down when it is asked for: what is changed afterwards has no say, and
after a restart it goes on. The files lie in a folder of the job's own until they are a week old.
"""

import json
import shutil
import time
import uuid
import zipfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any, Literal

from zeroknot.core.errors import EditError, NotFoundError
from zeroknot.core.formats.handed import stem, unlike_names
from zeroknot.core.formats.midi_tempo import write_time
from zeroknot.core.formats.mix_file import MixHow
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.document.project import Project
from zeroknot.document.steps import in_short
from zeroknot.store.audio_store import write_whole
from zeroknot.store.jobs import LISTED, Job
from zeroknot.store.loops import LoopStore
from zeroknot.studio.ahead import Ahead, Step
from zeroknot.studio.executors import Executors
from zeroknot.studio.jobs import CancelledError, Jobs, Progress
from zeroknot.studio.sheets import SheetMaker, gain
from zeroknot.studio.song_notes import song_notes
from zeroknot.studio.song_range import SongRange, desk_plan, refuse_too_long
from zeroknot.studio.stems import stem_plan, stems_of

MIX = "mix"
PLAN, CREDITS, TEMPO, NOTES = "plan.json", "credits.txt", "tempo.mid", "notes.mid"
Stems = Literal["none", "tracks", "phrases"]

PACKED_AT = (1980, 1, 1, 0, 0, 0)  # the same files, the same bytes


@dataclass(frozen=True)
class AskedMix:
    """where   of the song, as it is heard
    how       the file of the mix; stems are as loud as they are in it, before the limiter
    stems     files beside it: of each track, of each phrase and what is left of the tracks, or none
    bare      stems are as their tracks are before their effects: at their levels, without sends
    """

    where: SongRange
    how: MixHow
    stems: Stems = "none"
    bare: bool = False


@dataclass(frozen=True)
class MixPlan:
    """What is to be mixed, apart from any project.

    files   each with the name it gets and its plan's text, the mix first
    master  linear: the level of its strip, which stems do not go through
    credits in lines
    tempo   the song's tempo and metre as a MIDI file, in hexadecimal digits
    notes   what its MIDI tracks play, as `song_notes` tells it; "" for nothing
    """

    title: str
    how: MixHow
    master: float
    files: tuple[tuple[str, str], ...]
    credits: str
    tempo: str = ""
    notes: str = ""

    @property
    def text(self) -> str:
        return json.dumps(asdict(self))

    @classmethod
    def read(cls, text: str) -> "MixPlan":
        told = json.loads(text)
        files = tuple((str(name), str(plan)) for name, plan in told["files"])
        return cls(**told | {"how": MixHow(**told["how"]), "files": files})

    @property
    def plans(self) -> list[DeskPlan]:
        found = [plan_of_text(text) for _, text in self.files]
        return [plan for plan in found if isinstance(plan, DeskPlan)]


class Mixdowns:
    def __init__(self, folder: Path, loops: LoopStore, executors: Executors, jobs: Jobs):
        self._folder, self._loops = folder, loops
        self._executors, self._jobs = executors, jobs
        jobs.learn(MIX, self._mix)
        self._sweep()

    def begin(self, project: Project, asked: AskedMix, id_: str | None = None) -> Job:
        """Mix in the background; returns at once. Raises EditError where nothing sounds."""
        id_ = id_ or uuid.uuid4().hex
        if known := self._jobs.known(id_):  # asked again: what it was then is mixed
            return known
        mix = mix_plan_of(project, self._loops, asked)
        place = self._place(id_)
        place.mkdir(parents=True, exist_ok=True)
        write_whole(place / PLAN, mix.text.encode())
        return self._jobs.begin(MIX, f"mixing {mix.title}", {"place": place.name}, id_)

    def file(self, job: str) -> Path:
        """What a job that is over made. Raises NotFoundError where there is nothing (any more)."""
        result = self._jobs.job(job).result or {}
        place = self._place(str(result.get("place", ""))) / str(result.get("file", ""))
        if not result.get("file") or not place.is_file():
            raise NotFoundError("that mix is not there (any more); mix it once more")
        return place

    def _place(self, name: str) -> Path:
        return self._folder / "mixes" / "".join(c for c in name if c.isalnum() or c == "-")

    def _sweep(self) -> None:
        """Files that nobody fetches any more."""
        too_old = time.time() - LISTED.total_seconds()
        for place in (self._folder / "mixes").glob("*"):
            if place.stat().st_mtime < too_old:
                shutil.rmtree(place, ignore_errors=True)

    def _mix(self, job: Job, progress: Progress) -> dict[str, Any]:
        place = self._place(job.arguments["place"])
        try:
            mix = MixPlan.read((place / PLAN).read_text())
        except OSError as error:
            raise EditError("what was to be mixed is not there any more; mix it anew") from error
        try:
            file, said = Mixing(self._folder, self._executors).run(mix, place, progress.step)
        except CancelledError:
            shutil.rmtree(place, ignore_errors=True)
            raise
        return {"place": place.name, "file": file.name, "said": said}


class Mixing:
    """Makes what a plan says, step by step."""

    def __init__(self, folder: Path, executors: Executors):
        self._folder, self._executors = folder, executors
        self._ahead = Ahead(folder, executors)

    def run(self, mix: MixPlan, place: Path, step: Step) -> tuple[Path, Mapping[str, Any]]:
        """The file, or the ZIP with all files, and what the mix came to.

        place  folder for the files
        step   told how many of how many steps are done; may end it by CancelledError
        """
        plans = mix.plans
        waiting = list(self._ahead.missing(plans[0]))
        total = len(waiting) + len(plans)
        self._ahead.render(waiting, total, step)
        told, made, how = None, [], mix.how
        gains = [1.0] * len(plans)  # the mix goes through the master's strip itself
        for i, ((name, _), plan) in enumerate(zip(mix.files, plans, strict=True)):
            file = place / f"{name}.{how.ending}"
            task = (
                "mix_to_file", self._folder, plan, gains[i], how, mix.title, file,
                place / "mix.f32",
            )  # fmt: skip
            # By workers that can be let go of, however long it takes.
            mixed = self._ahead.waited(self._executors.listen(*task), len(waiting) + i, total, step)
            made.append(file)
            step(len(waiting) + i + 1, total)
            if told is None:
                told = mixed
                # What the mix was changed by, its stems are; a limiter is for the sum.
                how = replace(how, lufs=None, ceiling_db=None)
                gains[1:] = [mix.master * gain(mixed.gain_db)] * (len(plans) - 1)
        assert told
        if len(made) == 1:
            return made[0], asdict(told)
        notes = b""
        if mix.notes:
            notes = self._executors.listen("song_midi", self._folder, mix.notes).result()
        file = _packed(place, mix, made, notes)
        return file, asdict(told)


def mix_plan_of(project: Project, loops: LoopStore, asked: AskedMix) -> MixPlan:
    """What is to be mixed. Raises EditError where nothing sounds there, or it is too long."""
    where = asked.where
    refuse_too_long(project, where)
    maker = SheetMaker(project, loops.named(project.loops()))
    first, end = where.frames(project)
    whole = desk_plan(project, maker, first, end, where.tracks)
    title = f"{project.name}" if where.start <= 0 else where.named(project)
    files = [(stem("{name}", {"name": title}), whole.text)]
    if asked.stems != "none":
        by_phrase = asked.stems == "phrases"
        found = list(stems_of(project, maker, where, whole, asked.bare, by_phrase))
        names = unlike_names(
            [f"{i:02} {stem('{name}', {'name': name})}" for i, (name, _) in enumerate(found, 1)]
        )
        # All as long as the mix: laid side by side they are it.
        files += [(name, plan.text) for name, (_, plan) in zip(names, found, strict=True)]
        for name in () if asked.bare else ("room", "echo"):
            if whole.desk.sends(name):
                files.append((name.title(), stem_plan(whole, whole.heard, (name,)).text))
    return MixPlan(
        title,
        asked.how,
        gain(project.master_db),
        tuple(files),
        credits_of(project, loops, where),
        write_time(project.tempo_map, project.metre_map, where.end).hex(),
        song_notes(project, maker, where) if asked.stems != "none" else "",
    )


def credits_of(project: Project, loops: LoopStore, where: SongRange) -> str:
    """What came from where, in lines."""
    lines = [f"{where.named(project)}", ""]
    named = loops.named(project.loops())
    for strand in where.strands(project):
        loop = named[strand.loop]
        reading = loop.reading
        about = [loop.set_name, f"{reading.tempo_bpm:.4g} BPM" if reading else "", loop.key or ""]
        lines.append(f"{loop.name} ({', '.join(a for a in about if a)})")
        lines.append(f"    as {strand.name}: {in_short(strand)}")
        lines.append(f"    sha256 {loop.sha}")
    return "\n".join(lines) + "\n"


def _packed(place: Path, mix: MixPlan, files: list[Path], notes: bytes) -> Path:
    packed = place / f"{mix.files[0][0]} stems.zip"
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
        for file in files:
            with (
                file.open("rb") as source,
                archive.open(
                    zipfile.ZipInfo(file.name, PACKED_AT), "w", force_zip64=True
                ) as target,
            ):
                shutil.copyfileobj(source, target, 1 << 20)
            file.unlink()
        archive.writestr(zipfile.ZipInfo(CREDITS, PACKED_AT), mix.credits)
        archive.writestr(zipfile.ZipInfo(TEMPO, PACKED_AT), bytes.fromhex(mix.tempo))
        if notes:
            archive.writestr(zipfile.ZipInfo(NOTES, PACKED_AT), notes)
    return packed
