"""Loaded first in the process that workers are forked off, and nowhere else: see `terminal`."""

from zeroknot.studio.terminal import leave_it_to_the_server

leave_it_to_the_server()
