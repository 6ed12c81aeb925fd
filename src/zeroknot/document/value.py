"""What is every part of the tree made of? Immutable values, checked whenever one is made."""

from typing import Self

from pydantic import BaseModel, ConfigDict, Field


class Value(BaseModel):
    """An immutable part of the tree."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def changed(self, **fields: object) -> Self:
        """The same value with other fields, checked again."""
        own = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**own, **fields})


class Named(Value):
    id: str = Field(min_length=1, max_length=40)
