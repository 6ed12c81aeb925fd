"""What every plan has in common: an address that everything with a say in it makes up."""

from abc import ABC, abstractmethod
from functools import cached_property

from zeroknot.core.digest import canonical, digest_of_text, said
from zeroknot.core.render.blocks import BLOCK_FRAMES


class Addressed(ABC):
    """A plan, a dataclass: equal plans have one address, whatever they were made for."""

    @property
    @abstractmethod
    def kind(self) -> str:
        """Who renders it."""

    @property
    @abstractmethod
    def frames(self) -> int:
        """Lead, body and tail together."""

    @cached_property
    def text(self) -> str:
        """Everything that has a say in it, as canonical JSON; `any_plan.plan_of_text` reads it."""
        return canonical({"kind": self.kind, **said(self)})

    @cached_property
    def digest(self) -> str:
        """The render's address."""
        return digest_of_text(self.text)

    @property
    def blocks(self) -> int:
        """How many blocks the render has."""
        return -(-self.frames // BLOCK_FRAMES)
