"""`zeroknot exchange`: the practice exchange alone."""

from typing import Annotated

import typer

from zeroknot.cli.serve import listening_on


def exchange(
    port: Annotated[int, typer.Option(help="port to listen on")] = 8421,
    host: Annotated[str, typer.Option(help="address to listen on")] = "127.0.0.1",
) -> None:
    """A practice exchange with made-up loops; point ZEROKNOT_EXCHANGE at it."""
    with listening_on(host, port) as door:
        import uvicorn

        from zeroknot.standins.loop_exchange import make_exchange

        print(f"Practice exchange: http://{host}:{port}", flush=True)
        uvicorn.Server(uvicorn.Config(make_exchange(), log_level="warning")).run(sockets=[door])
