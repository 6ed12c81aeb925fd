"""Tests of everything, by `python -m tests`."""

from hypothesis import HealthCheck, settings

# How long an example takes is the machine's: others compute beside.
settings.register_profile("steady", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("steady")
