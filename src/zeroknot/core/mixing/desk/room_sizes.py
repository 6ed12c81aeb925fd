"""Which rooms are there, and how long do they ring?"""

from collections.abc import Mapping
from dataclasses import dataclass

from zeroknot.core.errors import EditError

SABINE = 0.161  # s/m
BANDS_HZ = (125.0, 500.0, 2000.0, 8000.0)


@dataclass(frozen=True)
class Box:
    """sides     metres
    absorbed  share of energy that its surfaces take, by band
    """

    sides: tuple[float, float, float]
    absorbed: tuple[float, float, float, float]

    @property
    def volume(self) -> float:
        """Cubic metres."""
        a, b, c = self.sides
        return a * b * c

    @property
    def surface(self) -> float:
        """Square metres."""
        a, b, c = self.sides
        return 2 * (a * b + b * c + c * a)

    @property
    def seconds(self) -> tuple[float, ...]:
        """Time over which each band dies away by 60 dB, by Sabine's formula."""
        return tuple(SABINE * self.volume / (self.surface * share) for share in self.absorbed)

    @property
    def free_metres(self) -> float:
        """From wall to wall, on the whole."""
        return 4 * self.volume / self.surface


ROOMS: Mapping[str, Box] = {
    "small": Box((4.2, 3.1, 2.6), (0.16, 0.17, 0.2, 0.3)),
    "medium": Box((11.0, 8.3, 4.7), (0.15, 0.15, 0.18, 0.3)),
    "large": Box((27.0, 17.0, 11.0), (0.15, 0.14, 0.18, 0.36)),
}


def frames_of(size: str, rate: int) -> int:
    """Frames of an impulse. Raises EditError for a size that is not there."""
    if size not in ROOMS:
        raise EditError(f"a room is {', '.join(ROOMS)}; not {size}")
    return round(max(ROOMS[size].seconds) * rate)
