"""`zeroknot like`: what on the shelf sounds like a file."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from zeroknot.cli.sound import sound_of
from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.likeness import WEIGHTS
from zeroknot.core.listening.readings import listen
from zeroknot.settings import Settings
from zeroknot.store.damaged import DATABASE
from zeroknot.store.database import opened_database
from zeroknot.store.likenesses import LikenessStore
from zeroknot.store.loops import LoopStore
from zeroknot.store.shelf_query import By
from zeroknot.studio.likenesses import measured, why_alike

WAYS = ("all", *WEIGHTS)


def like(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    n: Annotated[int, typer.Option("--n", help="how many", min=1, max=1000)] = 10,
    by: Annotated[str, typer.Option(help=f"one of {', '.join(WAYS)}")] = "all",
    as_json: Annotated[bool, typer.Option("--json", help="one JSON object")] = False,
) -> None:
    """Find what on the shelf sounds like FILE."""
    if by not in WAYS:
        raise ZeroKnotError(f"likeness goes by one of {', '.join(WAYS)}, not {by!r}")
    way: By = by  # type: ignore[assignment]
    sound = sound_of(file)
    best = listen(sound).best
    start, end = (best.downbeat_s, best.end_s) if best else (0.0, sound.seconds)
    vector = likeness_in(sound, start, end, best.bars if best else None).packed
    data = Settings().data
    if not (data / DATABASE).exists():
        raise ZeroKnotError("the shelf is empty: bring loops onto it first")
    engine = opened_database(data / DATABASE)
    try:
        loops, store = LoopStore(engine), LikenessStore(engine)
        missing = store.table().missing(loops.on_shelf())
        for i, sha in enumerate(missing):
            if not as_json and i % 50 == 0:
                print(f"listening to {len(missing) - i} loops…", file=sys.stderr)
            store.keep(sha, measured(data, loops.get(sha)))
        table = store.table()
        found = table.nearest(vector, way, n, set(loops.on_shelf()))
        named = loops.named(sha for sha, _ in found)
        rows = [
            {"name": named[sha].name, "alike": round(alike, 3),
             "why": why_alike(vector, table.of(sha)), "sha": sha}
            for sha, alike in found if sha in named
        ]  # fmt: skip
    finally:
        engine.dispose()
    if as_json:
        print(json.dumps({"like": rows}))
        return
    for row in rows:
        print(f"{row['alike']:6.2f}  {row['name']}: {row['why']}")
