"""`zeroknot resample` and `zeroknot grow`: a recipe run again, or laid over another loop, and new
ones grown from a loop."""

import json
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, cast

import typer

from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.loop import Loop
from zeroknot.core.order.deal import MOST_SEED
from zeroknot.core.recipe.run import Run
from zeroknot.core.recipe.text import Written, read_recipe
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.edits.time import SetTempo
from zeroknot.document.grow import CHANGES, Change
from zeroknot.document.project import Project
from zeroknot.document.relay import laid_over
from zeroknot.document.stored import strand_value
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import fresh_strand
from zeroknot.studio.intents.offshoots import GrowOffshoots
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.studio import Studio
from zeroknot.studio.tasks.files import print_to_file

MOST_GROWN = 64
AsJson = Annotated[bool, typer.Option("--json", help="say what was done as JSON")]


@contextmanager
def a_while() -> Iterator[Studio]:
    """A studio of its own, whose folder is gone afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        studio = Studio(Settings(data=Path(folder)), Executors.inline())
        try:
            yield studio
        finally:
            studio.close()


def brought(studio: Studio, file: Path) -> Loop:
    """A file on that studio's shelf. Raises FormatError with the reason where it is refused."""
    if not file.is_file():
        raise FormatError(f"{file} cannot be opened: there is no such file")
    [item] = studio.bringing.begin_paths([file])
    item = studio.bringing.item(item.id)
    if item.sha is None:
        raise FormatError(f"{file}: {item.reason or 'it could not be brought in'}")
    return studio.loops.get(item.sha)


def resample(
    loops: Annotated[
        list[Path], typer.Argument(metavar="LOOP", help="its recordings, or another loop instead")
    ],
    recipe: Annotated[Path, typer.Option(help="of the loop that is to be made")],
    out: Annotated[Path, typer.Option(help="WAV of 32-bit floats")],
    tempo: Annotated[
        float | None, typer.Option(help="BPM instead of the recipe's", min=10, max=999)
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Make the loop of a recipe again from its recordings, or lay it over another LOOP."""
    try:
        written = read_recipe(recipe.read_bytes())
    except OSError as error:
        raise FormatError(f"{recipe} cannot be opened: {error.strerror}") from error
    with a_while() as studio:
        known = [brought(studio, file) for file in loops]
        is_same = {sha for sha, _ in written.sources} <= {loop.sha for loop in known}
        if is_same and tempo is None:
            run, how = written.run, "the same again"
        else:
            run, how = _laid(written, known, tempo, is_same)
        _refuse_unwritable(out)
        print_to_file(studio.store.folder, run, out)
    lead, end = run.loop_frames
    told = {"out": str(out), "how": how, "frames": end - lead, "rate": run.plan.rate,
            "digest": run.plan.digest}  # fmt: skip
    typer.echo(json.dumps(told) if as_json else f"{out}: {end - lead} samples, {how}")


def _laid(
    written: Written, known: list[Loop], tempo: float | None, is_same: bool
) -> tuple[Run, str]:
    """The recipe at another tempo, or laid over another loop."""
    if not written.strand:
        raise ZeroKnotError(
            "this is the recipe of a stretch of a song: name all its recordings "
            f"({', '.join(name for _, name in written.sources)}), and no tempo"
        )
    recipe, plan = strand_value(written.strand), written.run.plan
    bpm = tempo or recipe.round_beats * 60.0 * plan.rate / plan.body_frames
    project = Project(id="cli", name="cli", rate=plan.rate)
    project = SetTempo(points=(TempoPoint(0.0, round(bpm, 3)),)).apply(project)
    strand, loop = recipe, next((k for k in known if k.sha == recipe.loop), known[0])
    how = f"made again at {bpm:g} BPM"
    if not is_same:
        strand = laid_over(recipe, fresh_strand(project, loop), loop.hearing.attack_seconds())
        how = f"its recipe laid over {loop.name}"
    placed = Placement.of(project, strand.changed(follows=True), loop)
    if placed.why_silent:
        raise ZeroKnotError(placed.why_silent)
    return Run(placed.heard, written.run.seam, written.run.with_lead, strand.gain_db), how


def grow(
    loop: Annotated[Path, typer.Argument(metavar="LOOP")],
    out: Annotated[Path, typer.Option(help="folder for a WAV and a recipe of each")],
    n: Annotated[int, typer.Option("--n", help="how many", min=1, max=MOST_GROWN)] = 16,
    far: Annotated[float, typer.Option(help="0 close … 1 far", min=0, max=1)] = 0.4,
    seed: Annotated[int, typer.Option(help="the same grows the same", min=0, max=MOST_SEED)] = 1,
    may: Annotated[
        str, typer.Option(help=f"what may change, of {', '.join(CHANGES)}; anything by itself")
    ] = "",
    tempo: Annotated[
        float | None, typer.Option(help="BPM; its own by itself", min=10, max=999)
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Grow new variations of LOOP, each with its recipe."""
    changes = [word.strip() for word in may.split(",") if word.strip()]
    for change in changes:
        if change not in CHANGES:
            raise ZeroKnotError(f"nothing called {change!r} may change; choose from "
                                f"{', '.join(CHANGES)}")  # fmt: skip
    told = []
    with a_while() as studio:
        source = brought(studio, loop)
        project = studio.projects.create("cli")
        reading = source.reading
        bpm = tempo or (reading.tempo_bpm if reading else 120.0)
        _submit(studio, project, SetSteadyTempo(bpm=round(bpm, 3)))
        asked = tuple(cast("list[Change]", changes))
        grown = GrowOffshoots(of=source.sha, count=n, far=far, seed=seed, may=asked)
        _submit(studio, project, grown)
        _refuse_unwritable(out / "x")
        tree = studio.projects.state(project).project
        for number, offshoot in enumerate(tree.offshoots, 1):
            name = f"{number:02}_{_plain(offshoot.said)}"
            written = studio.prints.recipe(tree, offshoot.id)
            print_to_file(studio.store.folder, written.run, out / f"{name}.wav")
            (out / f"{name}.json").write_text(written.text)
            told.append({"wav": f"{name}.wav", "said": offshoot.said, "seed": offshoot.seed})
    if as_json:
        typer.echo(json.dumps({"out": str(out), "grown": told}))
        return
    for one in told:
        typer.echo(f"{one['wav']}: {one['said']}")


def _submit(studio: Studio, project: str, intent: GrowOffshoots | SetSteadyTempo) -> None:
    studio.projects.submit(project, studio.projects.state(project).revision, intent)


def _plain(said: str) -> str:
    """Words that make a file's name."""
    return re.sub(r"[^a-z0-9+-]+", "_", said.lower()).strip("_")[:60] or "offshoot"


def _refuse_unwritable(out: Path) -> None:
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(f"{out} cannot be written: {error.strerror}") from error
