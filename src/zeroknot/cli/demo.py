"""`zeroknot demo`: the application with the demo project, in a data folder of its own."""

from pathlib import Path
from typing import Annotated

import typer

from zeroknot.cli.serve import start
from zeroknot.settings import Settings


def demo(
    data: Annotated[Path, typer.Option(help="folder for the demo's data")] = Path(".data/demo"),
    host: Annotated[str | None, typer.Option(help="address to listen on")] = None,
    port: Annotated[int | None, typer.Option(help="port to listen on")] = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="make the demo data anew")] = False,
    build_only: Annotated[
        bool, typer.Option("--build-only", help="make the data and stop")
    ] = False,
) -> None:
    """Make the demo project where there is none yet, and start the application on it."""
    settings = Settings()
    given = {k: v for k, v in (("host", host), ("port", port)) if v is not None}
    settings = settings.model_copy(update={"data": data.resolve(), **given})
    marker = settings.data / "demo-built"
    if fresh or not marker.exists():
        from zeroknot.demo.build import build

        build(settings)
        marker.touch()
    if not build_only:
        start(settings)
