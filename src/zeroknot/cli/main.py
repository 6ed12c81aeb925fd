"""The `zeroknot` command: one file a command, wired together here."""

import sys

import typer

from zeroknot.cli import demo, exchange, fit, listen, serve, shelf
from zeroknot.core.errors import ZeroKnotError

app = typer.Typer(
    help="Bring loops into one time and key, hear them, print new ones.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
app.command("serve")(serve.serve)
app.command("demo")(demo.demo)
app.command("listen")(listen.listen_command)
app.command("fit")(fit.fit)
app.command("bring")(shelf.bring)
app.command("shelf")(shelf.shelf)
app.command("exchange")(exchange.exchange)


def run() -> None:
    """Entry point: known failures are one line on stderr and exit status 1."""
    try:
        app()
    except ZeroKnotError as error:
        print(f"zeroknot: {error}", file=sys.stderr)
        sys.exit(1)
