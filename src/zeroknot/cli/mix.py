"""`zeroknot mix` and `zeroknot export`: a project as sound, and as a file to open elsewhere."""

import json
import shutil
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer

from zeroknot.core.errors import EditError, FormatError
from zeroknot.core.formats.mix_file import CEILING_DB, Format, MixHow
from zeroknot.document.project import Project
from zeroknot.settings import Settings
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.damaged import DATABASE
from zeroknot.store.database import opened_database
from zeroknot.store.loops import LoopStore
from zeroknot.store.revisions import RevisionStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.bundles import Bundles
from zeroknot.studio.executors import Executors
from zeroknot.studio.known import Known
from zeroknot.studio.mixdown import AskedMix, Mixing, Stems, mix_plan_of
from zeroknot.studio.projects import Projects
from zeroknot.studio.song_range import SongRange

ENDINGS: dict[str, Format] = {".flac": "flac", ".ogg": "ogg", ".mp3": "mp3"}
WAVS: dict[int, Format] = {16: "wav16", 24: "wav24", 32: "wav32"}

ProjectArgument = Annotated[
    str, typer.Argument(metavar="PROJECT", help="a project's name or id, or a project file (ZIP)")
]
AsJson = Annotated[bool, typer.Option("--json", help="one JSON object")]


def mix(
    project: ProjectArgument,
    out: Annotated[Path, typer.Option(help="WAV, FLAC, OGG or MP3, by its ending")],
    stems: Annotated[
        Path | None, typer.Option(help="folder for a file a track, and credits")
    ] = None,
    phrases: Annotated[
        bool, typer.Option(help="stems of phrases, and the rest of each track")
    ] = False,
    bare: Annotated[bool, typer.Option(help="stems before their effects")] = False,
    bars: Annotated[str, typer.Option(help="A-B: only these")] = "",
    lufs: Annotated[
        float | None, typer.Option(help="integrated loudness; as loud as it is by itself")
    ] = None,
    bits: Annotated[int, typer.Option(help="of a WAV: 16, 24 or 32 (floats)")] = 24,
    peaks: Annotated[bool, typer.Option(help="hold true peaks under −1 dB")] = True,
    as_json: AsJson = False,
) -> None:
    """Mix PROJECT down to a file, as the application does."""
    how = MixHow(_format(out, bits), lufs, CEILING_DB if peaks else None)
    if not out.parent.is_dir():
        raise FormatError(f"{out} cannot be written: {out.parent} is no folder")
    with opened(project) as here, tempfile.TemporaryDirectory() as place:
        parts: Stems = "none" if stems is None else "phrases" if phrases else "tracks"
        asked = AskedMix(_span(here.tree, bars), how, parts, bare)
        plan = mix_plan_of(here.tree, here.loops, asked)
        mixing = Mixing(here.folder, Executors.inline())
        file, said = mixing.run(plan, Path(place), lambda _done, _total: None)
        if stems is None:
            shutil.copyfile(file, out)
        else:
            _unpack(file, out, stems)
    told = {"out": str(out), **said}
    typer.echo(
        json.dumps(told) if as_json else
        f"{out}: {said['frames']} samples, {said['integrated']:.1f} LUFS, "
        f"true peak {said['true_peak_db']:.1f} dB"
    )  # fmt: skip


def export(
    project: ProjectArgument,
    out: Annotated[Path, typer.Option(help="ZIP that opens on another machine")],
) -> None:
    """Write PROJECT with all its recordings to a file."""
    with opened(project) as here:
        try:
            with out.open("wb") as file:
                here.bundles.write(here.tree.id, file)
        except OSError as error:
            raise FormatError(f"{out} cannot be written: {error.strerror}") from error
        typer.echo(f"{out}: {here.tree.name}, {len(here.tree.loops())} loops")


@dataclass(frozen=True)
class Opened:
    """A project, and where what it needs lies."""

    folder: Path
    tree: Project
    loops: LoopStore
    bundles: Bundles


@contextmanager
def opened(project: str) -> Iterator[Opened]:
    """A project of the data folder by name or id, or one that lies in a file of its own.

    Beside a server that runs: nothing that it does is taken up here.
    """
    file = Path(project)
    with tempfile.TemporaryDirectory() as own:
        is_file = file.is_file()
        data = Path(own) if is_file else Settings().data
        if not is_file and not (data / DATABASE).exists():
            raise EditError(f"there is no project {project!r}: nothing was made here yet")
        engine = opened_database(data / DATABASE)
        try:
            loops, store = LoopStore(engine), AudioStore(data)
            projects = Projects(RevisionStore(engine), Known(loops), Announcer())
            bundles = Bundles(projects, loops, store)
            if is_file:
                with file.open("rb") as source:
                    id_ = bundles.read(source)
            else:
                id_ = _named(projects, project)
            yield Opened(data, projects.state(id_).project, loops, bundles)
        finally:
            engine.dispose()


def _named(projects: Projects, project: str) -> str:
    known = projects.list()
    found = [p for p in known if project in (p.id, p.name)]
    if not found:
        names = ", ".join(p.name for p in known) or "none"
        raise EditError(f"there is no project {project!r}; there are: {names}")
    if len(found) > 1:
        ids = ", ".join(p.id for p in found)
        raise EditError(f"{len(found)} projects are called {project!r}; name one by its id: {ids}")
    return found[0].id


def _format(out: Path, bits: int) -> Format:
    ending = out.suffix.casefold()
    if ending in ENDINGS:
        return ENDINGS[ending]
    if ending not in (".wav", ".wave"):
        raise FormatError(
            f"a mix ends in .wav, .flac, .ogg or .mp3, not {out.suffix or out.name!r}"
        )
    if bits not in WAVS:
        raise FormatError(f"a WAV file has 16, 24 or 32 bits, not {bits}")
    return WAVS[bits]


def _span(project: Project, bars: str) -> SongRange:
    """ "5-8" or "5"; all of the song where nothing is said."""
    metres = project.metre_map
    if not bars:
        last = metres.bar_of_beat(max(0.0, project.end_beat - 1e-6))
        return SongRange(0.0, metres.beat_of_bar(last + 1))
    first, _, last_text = bars.partition("-")
    try:
        start, end = int(first), int(last_text or first)
    except ValueError as error:
        raise EditError(f"bars are told as 5-8 or 5, not {bars!r}") from error
    if not 1 <= start <= end:
        raise EditError(f"bars {bars} end before they begin" if start >= 1 else "bars count from 1")
    return SongRange(metres.beat_of_bar(start), metres.beat_of_bar(end + 1))


def _unpack(packed: Path, out: Path, folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    with zipfile.ZipFile(packed) as archive:
        mix_, *others = archive.namelist()
        for name in others:
            with archive.open(name) as source, (folder / name).open("wb") as target:
                shutil.copyfileobj(source, target, 1 << 20)
        with archive.open(mix_) as source, out.open("wb") as target:
            shutil.copyfileobj(source, target, 1 << 20)
    print(f"{len(others) - 1} stems and credits in {folder}", file=sys.stderr)
