"""How is a number shown? One place decides that 120.0 reads "120" and unknown reads "–"."""

UNKNOWN = "–"


def bpm(value: float | None) -> str:
    """Two decimals at most, none where there are none."""
    return UNKNOWN if value is None else f"{round(value, 2):g}"


def seconds(value: float | None) -> str:
    return UNKNOWN if value is None else f"{value:.2f} s"


def percent(value: float | None) -> str:
    return UNKNOWN if value is None else f"{value:.0%}"


def bars(value: int | None) -> str:
    return UNKNOWN if value is None else f"{value} bar{'' if value == 1 else 's'}"


def channels(value: int) -> str:
    return "mono" if value == 1 else "stereo"


FILTERS = {"bpm": bpm, "seconds": seconds, "percent": percent, "bars": bars, "channels": channels}
