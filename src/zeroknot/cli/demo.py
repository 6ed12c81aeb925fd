"""`zeroknot demo`: the application with the demo project, in a data folder of its own."""

import socket
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

        marker.write_text(build(settings))
    if not build_only:
        if not settings.exchange:
            from zeroknot.standins.loop_exchange import run_beside

            settings = settings.model_copy(
                update={"exchange": run_beside("127.0.0.1", free_port())}
            )
        start(settings, home=marker.read_text())


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port
