"""Loaded first in the process that workers are forked off: Ctrl+C is for the server alone.

A terminal tells every process that it started; workers end when the server lets them go.
"""

import signal

signal.signal(signal.SIGINT, signal.SIG_IGN)
