"""Loaded in the process that workers are forked off: their code, every kernel compiled."""

from zeroknot.studio.tasks.table import TASKS
from zeroknot.studio.tasks.warming import warm_up

assert TASKS
warm_up()
