"""What changes at bars of the song: its keys, its groove."""

from collections.abc import Iterable
from typing import Protocol, TypeVar

from zeroknot.core.errors import EditError


class AtBar(Protocol):
    @property
    def bar(self) -> int: ...


T = TypeVar("T", bound=AtBar)


def with_change(changes: Iterable[T], change: T, was: int | None = None) -> tuple[T, ...]:
    """With one more, in place of what changes at its bar; and of what did at `was`."""
    kept = [c for c in changes if c.bar not in (change.bar, was)]
    return tuple(sorted([*kept, change], key=lambda c: c.bar))


def without_change(changes: tuple[T, ...], bar: int, what: str) -> tuple[T, ...]:
    """Without the one at that bar. Raises EditError where `what` does not change there."""
    kept = tuple(c for c in changes if c.bar != bar)
    if len(kept) == len(changes):
        raise EditError(f"{what} does not change there (any more)")
    return kept
