"""Which place stands where by its name? Kept in order while names come, go and change."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.formats.sets import natural

NameKey = tuple[tuple[int, int, str], ...]


class NameOrder:
    """Places by the names at them, as people count: "kick 9" before "kick 10"."""

    def __init__(self) -> None:
        self._keys: list[NameKey] = []  # in order, and the place of each
        self._places: list[int] = []
        self._order: NDArray[np.intp] | None = None

    @property
    def places(self) -> NDArray[np.intp]:
        """In order."""
        if self._order is None:
            self._order = np.asarray(self._places, np.intp)
        return self._order

    def sort(self, names: Iterable[str]) -> None:
        """All of them anew: the name at each place."""
        keys = [natural(name) for name in names]
        self._places = sorted(range(len(keys)), key=keys.__getitem__)
        self._keys = [keys[place] for place in self._places]
        self._order = None

    def put(self, name: str, place: int) -> None:
        key = natural(name)
        at = bisect_right(self._keys, key)
        self._keys.insert(at, key)
        self._places.insert(at, place)
        self._order = None

    def take(self, name: str, place: int) -> None:
        """It has that name no more."""
        at = bisect_left(self._keys, natural(name))
        while self._places[at] != place:
            at += 1
        del self._keys[at], self._places[at]
        self._order = None
