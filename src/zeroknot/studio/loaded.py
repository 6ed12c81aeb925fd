"""Loaded in the process that workers are forked off: their code, every kernel compiled."""

from zeroknot.studio.workers import warm_up

warm_up()
