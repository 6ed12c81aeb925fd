"""What a terminal says is for the server alone.

Ctrl+C and the end of the terminal itself are told to every process that was started in it; workers
end when the server lets them go.
"""

import signal


def leave_it_to_the_server() -> None:
    for said in (signal.SIGINT, signal.SIGHUP):
        signal.signal(said, signal.SIG_IGN)
