"""`zeroknot serve`: the application in the browser."""

from typing import Annotated

import typer

from zeroknot.settings import Settings


def serve(
    host: Annotated[str | None, typer.Option(help="address to listen on")] = None,
    port: Annotated[int | None, typer.Option(help="port to listen on")] = None,
) -> None:
    """Start the application and print its address."""
    settings = Settings()
    given = {k: v for k, v in (("host", host), ("port", port)) if v is not None}
    start(settings.model_copy(update=given))


def start(settings: Settings) -> None:
    """Run the server until it is told to stop."""
    import uvicorn

    from zeroknot.web.app import make_app

    shown = f"[{settings.host}]" if ":" in settings.host else settings.host
    print(f"Zero Knot: http://{shown}:{settings.port}", flush=True)
    uvicorn.run(
        make_app(settings), host=settings.host, port=settings.port, log_level="warning",
        server_header=False, timeout_graceful_shutdown=2,
    )  # fmt: skip
