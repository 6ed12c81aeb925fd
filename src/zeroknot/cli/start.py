"""Where the `zeroknot` command begins: with nothing loaded, so that Ctrl+C ends it quietly."""

import signal
import sys
from importlib import import_module


def run() -> None:
    """Entry point. While modules are loaded Ctrl+C ends the process; then as commands want it."""
    before = signal.getsignal(signal.SIGINT)
    if before is signal.default_int_handler:  # a shell may want it to be ignored
        signal.signal(signal.SIGINT, signal.SIG_DFL)
    main = import_module("zeroknot.cli.main")
    app = main.app_for(sys.argv[1:])
    signal.signal(signal.SIGINT, before)
    main.run(app)
