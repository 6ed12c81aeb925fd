"""What may a value be? Said with the range that can be, where it is outside it."""

from zeroknot.core.errors import SliceError


def within(what: str, value: float, least: float, most: float) -> None:
    """Raises SliceError, with the range that can be, where a value is outside it."""
    if not least <= value <= most:
        raise SliceError(f"{what} is from {least:g} to {most:g}, not {value:g}")
