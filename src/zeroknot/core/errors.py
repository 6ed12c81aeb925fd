"""Every failure a person can cause or mend. All else is a bug and keeps its traceback.

A message says what came, what was wanted and what to do.
"""


class ZeroKnotError(Exception):
    """A known failure; its text is shown to the person as it stands."""


class AudioError(ZeroKnotError):
    """Sound that cannot be held or worked on."""


class FormatError(ZeroKnotError):
    """A file that cannot be read or written."""


class TimeError(ZeroKnotError):
    """A tempo, metre or time map that makes no sense."""


class KnotError(ZeroKnotError):
    """Knots that cross, meet or ask for more than the stretch can give."""


class GrooveError(ZeroKnotError):
    """A groove, or an amount of one, that makes no sense."""


class SliceError(ZeroKnotError):
    """Cuts, slices or tiles that make no sense."""


class StretchError(ZeroKnotError):
    """A stretch that cannot be rendered."""


class EditError(ZeroKnotError):
    """An edit that does not fit the project it is applied to."""


class NotFoundError(ZeroKnotError):
    """Something named that is not there (any more)."""


class StaleError(ZeroKnotError):
    """An edit made on an older revision, touching what has changed since."""

    def __init__(self, message: str, since: list[str]):
        super().__init__(message)
        self.since = since
