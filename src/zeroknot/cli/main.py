"""The `zeroknot` command: one file a command, each loaded when it is the one that is run."""

import sys
from collections.abc import Sequence
from importlib import import_module
from typing import NamedTuple

import typer

ABOUT = "Bring loops into one time and key, hear them, print new ones."


class Command(NamedTuple):
    """module and function of `zeroknot.cli`; about: what `--help` says of it, as its docstring"""

    module: str
    function: str
    about: str


COMMANDS = {
    "serve": Command("serve", "serve", "Start the application and print its address."),
    "demo": Command(
        "demo", "demo",
        "Make the demo project where there is none yet, and start the application on it.",
    ),
    "listen": Command(
        "listen", "listen_command",
        "Say what tempo, length, downbeat, attacks and key files have, and how sure that is.",
    ),
    "fit": Command(
        "fit", "fit", "Write IN, stretched and shifted, to OUT, whose format follows its ending."
    ),
    "groove": Command(
        "groove", "groove",
        "Take the groove of FILE: how early, late, loud and soft each step is played.",
    ),
    "slice": Command(
        "slice", "slice_command",
        "Cut IN up; write its slices, or a new order of them, to OUT.",
    ),
    "resample": Command(
        "offshoots", "resample",
        "Make the loop of a recipe again from its recordings, or lay it over another LOOP.",
    ),
    "grow": Command(
        "offshoots", "grow", "Grow new variations of LOOP, each with its recipe.",
    ),
    "mix": Command("mix", "mix", "Mix PROJECT down to a file, as the application does."),
    "export": Command("mix", "export", "Write PROJECT with all its recordings to a file."),
    "like": Command("like", "like", "Find what on the shelf sounds like FILE."),
    "bring": Command(
        "shelf", "bring",
        "Bring files and whole folders onto the shelf; say how it went with each that gave "
        "trouble.",
    ),
    "shelf": Command("shelf", "shelf", "Find loops on the shelf."),
    "exchange": Command(
        "exchange", "exchange",
        "A practice exchange with made-up loops; point ZEROKNOT_EXCHANGE at it.",
    ),
}  # fmt: skip


def app_for(arguments: Sequence[str]) -> typer.Typer:
    """The application with the command that is asked for; the others by name alone."""
    app = typer.Typer(
        help=ABOUT, no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False
    )
    # A callback keeps it a group, however many commands it has.
    app.callback()(lambda: None)
    asked = arguments[0] if arguments else ""
    for name, (module, function, about) in COMMANDS.items():
        if name == asked:
            app.command(name)(getattr(import_module(f"zeroknot.cli.{module}"), function))
        else:
            app.command(name, help=about)(lambda: None)
    return app


def run(app: typer.Typer) -> None:
    """Known failures are one line on stderr and exit status 1."""
    try:
        app()
    except Exception as error:
        from zeroknot.core.errors import ZeroKnotError

        if not isinstance(error, ZeroKnotError):
            raise
        print(f"zeroknot: {error}", file=sys.stderr)
        sys.exit(1)
