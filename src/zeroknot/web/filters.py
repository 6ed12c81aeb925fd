"""How is a number shown? One place decides that 120.0 reads "120" and unknown reads "–"."""

from datetime import datetime

UNKNOWN = "–"
MONTHS = (
    "January", "February", "March", "April", "May", "June",
    "July", "August", "September", "October", "November", "December",
)  # fmt: skip


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


def when(value: str, now: datetime | None = None) -> str:
    """A moment as one says it: "today, 13:20", "yesterday, 9:05", "12 November", with the year
    where it is another.

    value  ISO 8601 with its offset
    """
    now = now or datetime.now().astimezone()
    at = datetime.fromisoformat(value).astimezone(now.tzinfo)
    days = (now.date() - at.date()).days
    if days in (0, 1):
        return f"{('today', 'yesterday')[days]}, {at.hour}:{at.minute:02}"
    year = "" if at.year == now.year else f" {at.year}"
    return f"{at.day} {MONTHS[at.month - 1]}{year}"


FILTERS = {
    "bpm": bpm, "seconds": seconds, "percent": percent, "bars": bars, "channels": channels,
    "when": when,
}  # fmt: skip
