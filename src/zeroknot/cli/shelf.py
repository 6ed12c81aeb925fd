"""`zeroknot bring` and `zeroknot shelf`: the shelf from the command line."""

import json
import ssl
import sys
import time
import urllib.error
import urllib.request
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from zeroknot.cli.serve import held_folder, running_at
from zeroknot.core.errors import ZeroKnotError
from zeroknot.settings import Settings
from zeroknot.store.incoming import DONE, DOUBLE, REFUSED, WAITING, Incoming
from zeroknot.web.certificate import trusting

LOOK_EVERY_SECONDS = 0.2


def bring(
    paths: Annotated[list[Path], typer.Argument(help="files, folders, ZIP archives")],
    as_json: Annotated[bool, typer.Option("--json", help="one JSON object")] = False,
) -> None:
    """Bring files and whole folders onto the shelf; say how it went with each that gave trouble."""
    missing = [path for path in paths if not path.exists()]
    if missing:
        raise ZeroKnotError(f"{missing[0]} is not there")
    settings = Settings()
    address = running_at(settings.data)
    ended = (
        _by_server(settings.data, address, paths)
        if address
        else _by_ourselves(settings, paths, as_json)
    )
    counts = {s: sum(i["state"] == s for i in ended) for s in (DONE, DOUBLE, REFUSED)}
    troubles = [{"name": i["name"], "reason": i["reason"]} for i in ended if i["state"] == REFUSED]
    if as_json:
        print(json.dumps({**counts, "troubles": troubles}))
    else:
        for trouble in troubles:
            print(f"zeroknot: {trouble['name']}: {trouble['reason']}", file=sys.stderr)
        print(
            f"{counts[DONE]} brought in, {counts[DOUBLE]} there already, {counts[REFUSED]} refused"
        )
    if troubles:
        raise typer.Exit(1)


def shelf(
    words: Annotated[str, typer.Argument(help='words, "92 bpm", "D minor"')] = "",
    kind: Annotated[list[str] | None, typer.Option(help="audio or midi")] = None,
    sound: Annotated[list[str] | None, typer.Option(help="drums, bass, chords, ...")] = None,
    bars: Annotated[list[int] | None, typer.Option(help="length in bars")] = None,
    key: Annotated[list[str] | None, typer.Option(help='"D minor"')] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="name of a set")] = None,
    tag: Annotated[list[str] | None, typer.Option(help="a tag")] = None,
    tempo_from: Annotated[float | None, typer.Option(help="BPM")] = None,
    tempo_to: Annotated[float | None, typer.Option(help="BPM")] = None,
    favourite: Annotated[bool, typer.Option("--favourite", help="only favourites")] = False,
    hits: Annotated[str, typer.Option(help="all, loops or hits")] = "all",
    project: Annotated[str | None, typer.Option(help="name or id: what fits it, and how")] = None,
    stretch_within: Annotated[float | None, typer.Option(help="percent; with --project")] = None,
    shift_within: Annotated[int | None, typer.Option(help="semitones; with --project")] = None,
    sort: Annotated[str, typer.Option(help="added, name, set, length, tempo, key, ...")] = "added",
    descending: Annotated[bool, typer.Option("--descending", help="the other way round")] = False,
    first: Annotated[int, typer.Option(help="rows to pass over")] = 0,
    count: Annotated[int, typer.Option(help="rows")] = 50,
    as_json: Annotated[bool, typer.Option("--json", help="rows and facets as on the page")] = False,
) -> None:
    """Find loops on the shelf."""
    from zeroknot.store.damaged import DATABASE
    from zeroknot.store.database import opened_database
    from zeroknot.store.jobs import JobStore
    from zeroknot.store.loops import LoopStore
    from zeroknot.store.revisions import RevisionStore
    from zeroknot.store.searches import SearchStore
    from zeroknot.studio.announcer import Announcer
    from zeroknot.studio.jobs import Jobs
    from zeroknot.studio.known import Known
    from zeroknot.studio.projects import Projects
    from zeroknot.studio.shelf import Shelf
    from zeroknot.web.api.shelf import AskShelf
    from zeroknot.web.api.wire import found_json

    if hits not in ("all", "loops", "hits"):
        raise typer.BadParameter("one of all, loops, hits", param_hint="--hits")
    asked = AskShelf(
        words=words, kinds=kind or [], sounds=sound or [], bars=bars or [], keys=key or [],
        sets=set_ or [], tags=tag or [], tempo_from=tempo_from, tempo_to=tempo_to,
        favourite=favourite, hits=hits, sort=sort, descending=descending,
        stretch_within=stretch_within, shift_within=shift_within,
    )  # fmt: skip
    if project is None and (stretch_within is not None or shift_within is not None):
        raise typer.BadParameter("needs --project: what is to fit which?", param_hint="--project")
    engine = opened_database(Settings().data / DATABASE)
    loops, announcer = LoopStore(engine), Announcer()
    tree = None
    if project is not None:
        projects = Projects(RevisionStore(engine), Known(loops), announcer)
        named = [p.id for p in projects.list() if project in (p.id, p.name)]
        if not named:
            raise ZeroKnotError(f"there is no project {project!r}")
        tree = projects.state(named[0]).project
    jobs = Jobs(JobStore(engine), announcer)  # none is done here
    shelf = Shelf(loops, SearchStore(engine), announcer, jobs)
    found = shelf.find(asked.query(), tree, first, count)
    told = found_json(found, tree, first)
    if as_json:
        print(json.dumps(told))
        return
    for row in told["rows"]:
        tempo = f"{row['tempo_bpm']:.2f}" if row["tempo_bpm"] else "–"
        about = (row["sound"] or "–", f"{row['bars'] or '–'} bars", row["key"] or "–", row["set"])
        print(f"{row['name'][:48]:48}  {tempo:>7} BPM  " + "  ".join(about))
    print(f"{told['total']} loops")


def _by_ourselves(settings: Settings, paths: list[Path], quiet: bool) -> list[dict[str, Any]]:
    from zeroknot.studio.executors import Executors
    from zeroknot.studio.studio import Studio

    with held_folder(settings.data):
        studio = Studio(settings, Executors.processes(settings.workers))
        try:
            before = {item.id for item in studio.bringing.items()}
            studio.bringing.begin_paths(path.resolve() for path in paths)
            while (left := studio.bringing.counts()[WAITING]) > 0:
                _say(left, quiet)
                time.sleep(LOOK_EVERY_SECONDS)
            _say(0, quiet)
            return [_told(i) for i in studio.bringing.items() if i.id not in before]
        finally:
            studio.close()


def _told(item: Incoming) -> dict[str, Any]:
    return {"name": item.name, "state": item.state, "reason": item.reason}


def _by_server(data: Path, address: str, paths: list[Path]) -> list[dict[str, Any]]:
    """A server holds the data folder: it brings them in, and goes on should this command end."""
    ask = partial(_ask, address, trusting(data) if address.startswith("https") else None)
    before = {i["id"] for i in ask("/api/bring/items")}
    ask("/api/bring/paths", {"paths": [str(path.resolve()) for path in paths]})
    while True:
        items = [i for i in ask("/api/bring/items") if i["id"] not in before]
        if all(i["state"] != WAITING for i in items):
            return items
        time.sleep(LOOK_EVERY_SECONDS)


def _ask(
    address: str, trusted: ssl.SSLContext | None, path: str, body: dict[str, Any] | None = None
) -> Any:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(address + path, data)
    request.add_header("content-type", "application/json")
    try:
        with urllib.request.urlopen(request, timeout=60, context=trusted) as response:
            return json.load(response)
    except (OSError, urllib.error.URLError) as error:
        raise ZeroKnotError(f"the server at {address} does not answer: {error}") from error


def _say(left: int, quiet: bool) -> None:
    """How far it is, on a terminal."""
    if not quiet and sys.stderr.isatty():
        print(f"\r{left} to go   " if left else "\r" + " " * 20 + "\r", end="", file=sys.stderr)
