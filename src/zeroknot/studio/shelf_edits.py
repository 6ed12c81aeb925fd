"""What may a person change of loops on the shelf? Each change for one loop or for many.

Strands that exist keep the reading they were made with: a correction here says what a loop is from
now on.
"""

import json
from abc import abstractmethod
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, field_validator

from zeroknot.core.errors import EditError
from zeroknot.core.harmony.key import Key
from zeroknot.core.listening.corrected import Correction, corrected, unread
from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT
from zeroknot.core.loop import NO_KEY, Loop
from zeroknot.store.codec import reading_text
from zeroknot.store.loops import Columns

LONGEST_NAME = 300
LONGEST_TAG, MOST_TAGS = 60, 40


class ShelfEdit(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @abstractmethod
    def changed(self, loop: Loop) -> Columns:
        """The loop's own columns as they become. Raises EditError where they cannot."""

    @abstractmethod
    def label(self) -> str:
        """What was done, as a notice says it after the loops: "renamed"."""


class Rename(ShelfEdit):
    kind: Literal["rename"] = "rename"
    name: str = Field(max_length=1000)

    def changed(self, loop: Loop) -> Columns:
        return {"name": named(self.name)}

    def label(self) -> str:
        return "renamed"


class MoveToSet(ShelfEdit):
    """Loops that belong together; "" takes them out of their set."""

    kind: Literal["move_to_set"] = "move_to_set"
    set_name: str = Field(max_length=LONGEST_NAME)

    def changed(self, loop: Loop) -> Columns:
        return {"set_name": self.set_name.strip()}

    def label(self) -> str:
        return f"put into {self.set_name.strip()}" if self.set_name.strip() else "out of their set"


class Tag(ShelfEdit):
    kind: Literal["tag"] = "tag"
    add: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()

    @field_validator("add", "remove")
    @classmethod
    def _bare(cls, tags: tuple[str, ...]) -> tuple[str, ...]:
        bare = tuple(dict.fromkeys(t.strip() for t in tags if t.strip()))
        if any(len(t) > LONGEST_TAG for t in bare):
            raise ValueError(f"a tag has up to {LONGEST_TAG} characters")
        return bare

    def changed(self, loop: Loop) -> Columns:
        gone = {t.casefold() for t in self.remove}
        tags = {t.casefold(): t for t in (*loop.tags, *self.add)}
        kept = [t for key, t in tags.items() if key not in gone]
        if len(kept) > MOST_TAGS:
            raise EditError(f"{loop.name} would have over {MOST_TAGS} tags")
        return {"tags": json.dumps(kept)}

    def label(self) -> str:
        said = [f"tagged {', '.join(self.add)}"] if self.add else []
        said += [f"no longer {', '.join(self.remove)}"] if self.remove else []
        return " and ".join(said) or "tagged"


class Favour(ShelfEdit):
    kind: Literal["favour"] = "favour"
    favourite: bool

    def changed(self, loop: Loop) -> Columns:
        return {"favourite": self.favourite}

    def label(self) -> str:
        return "a favourite" if self.favourite else "no favourite any more"


class TakeOff(ShelfEdit):
    """Off the shelf; the recordings stay on disk."""

    kind: Literal["take_off"] = "take_off"

    def changed(self, loop: Loop) -> Columns:
        return {"on_shelf": False}

    def label(self) -> str:
        return "off the shelf"


class PutBack(ShelfEdit):
    """On the shelf again, as it was."""

    kind: Literal["put_back"] = "put_back"

    def changed(self, loop: Loop) -> Columns:
        return {"on_shelf": True}

    def label(self) -> str:
        return "back on the shelf"


class Correct(ShelfEdit):
    """The person's own reading; what is not given follows."""

    kind: Literal["correct"] = "correct"
    bars: int | None = Field(None, ge=1, le=1024)
    beats_per_bar: int | None = Field(None, ge=1, le=32)
    tempo_bpm: float | None = Field(None, ge=10, le=1000)
    downbeat_s: float | None = Field(None, ge=-60, le=1800)
    times: float | None = Field(None, ge=0.125, le=8)

    def changed(self, loop: Loop) -> Columns:
        said = Correction(**self.model_dump(exclude={"kind"}))
        before = loop.reading or unread(loop.seconds)
        return {"stated": reading_text(corrected(before, said, loop.seconds))}

    def label(self) -> str:
        if self.bars:
            return f"read as {self.bars} bar{'s' * (self.bars != 1)}"
        if self.tempo_bpm:
            return f"read at {self.tempo_bpm:g} BPM"
        return "corrected"


class Adopt(ShelfEdit):
    """One of the readings in the list of a loop."""

    kind: Literal["adopt"] = "adopt"
    index: int = Field(ge=0, le=100)

    def changed(self, loop: Loop) -> Columns:
        if self.index >= len(loop.readings):
            raise EditError(f"{loop.name} has no such reading")
        reading = loop.readings[self.index]
        return {"stated": None if reading == loop.hearing.best else reading_text(reading)}

    def label(self) -> str:
        return "read another way"


class Withdraw(ShelfEdit):
    """What was heard holds again: reading, key and kind of sound."""

    kind: Literal["withdraw"] = "withdraw"

    def changed(self, loop: Loop) -> Columns:
        return {"stated": None, "stated_key": None, "stated_sound": None}

    def label(self) -> str:
        return "as heard again"


class StateKey(ShelfEdit):
    """None: it has none."""

    kind: Literal["state_key"] = "state_key"
    key: str | None = Field(max_length=20)

    @field_validator("key")
    @classmethod
    def _known(cls, key: str | None) -> str | None:
        return None if key is None else str(Key.parse(key))

    def changed(self, loop: Loop) -> Columns:
        return {"stated_key": self.key or NO_KEY}

    def label(self) -> str:
        return f"in {self.key}" if self.key else "without a key"


class StateSound(ShelfEdit):
    kind: Literal["state_sound"] = "state_sound"
    sound: str

    @field_validator("sound")
    @classmethod
    def _known(cls, sound: str) -> str:
        if sound not in (*KINDS, ONE_HIT):
            raise ValueError(f"a sound is one of {', '.join(KINDS)}")
        return sound

    def changed(self, loop: Loop) -> Columns:
        return {"stated_sound": self.sound}

    def label(self) -> str:
        return f"said to be {self.sound}"


def named(name: str) -> str:
    """A name as it is kept. Raises EditError where there is nothing to it, or too much."""
    name = "".join(c for c in name if c.isprintable()).strip()
    if not 0 < len(name) <= LONGEST_NAME:
        raise EditError(f"a loop's name has 1 to {LONGEST_NAME} characters")
    return name


AnyShelfEdit = Annotated[
    Rename
    | MoveToSet
    | Tag
    | Favour
    | TakeOff
    | PutBack
    | Correct
    | Adopt
    | Withdraw
    | StateKey
    | StateSound,
    Field(discriminator="kind"),
]
any_shelf_edit: TypeAdapter[ShelfEdit] = TypeAdapter(AnyShelfEdit)
