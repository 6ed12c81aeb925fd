"""What is known of a loop? What its file says, what was heard in it, what a person stated."""

from dataclasses import dataclass
from typing import Literal

from zeroknot.core.formats.sniff import MIDI
from zeroknot.core.listening.claimed import claimed_reading
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.recipe.recipe import Recipe

NO_KEY = "none"
LEAST_SURE_KEY = 0.5  # a key that was heard is gone by from here on

KeyFrom = Literal["stated", "claimed", "made", "heard"]


@dataclass(frozen=True)
class Statement:
    """A person's own reading of a loop, and the one it takes the place of; None where none."""

    loop: str
    before: Reading | None
    after: Reading | None

    def taken_back(self) -> "Statement":
        """What undoing it states."""
        return Statement(self.loop, self.after, self.before)


@dataclass(frozen=True, kw_only=True)
class Loop:
    """One recording on the shelf. Its bytes never change.

    sha        SHA-256 of the bytes
    file_kind  as `formats.sniff` names it
    seconds, rate, channels, frames   of the file as it came; of a MIDI loop as it is played here
    hearing    what was heard in it
    warnings   what is odd about the file and the sound
    stated     the person's own reading; None where there is none
    stated_key    the person's own; NO_KEY where it is said to have none; None where nothing is said
    stated_sound  the person's own kind of sound; None where nothing is said
    recipe     what it was made from; None for what came from outside
    """

    sha: str
    name: str
    set_name: str
    file_kind: str
    seconds: float
    rate: int
    channels: int
    frames: int
    claims: Claims
    hearing: Hearing
    warnings: tuple[str, ...]
    stated: Reading | None
    recipe: Recipe | None
    added_at: str
    on_shelf: bool
    favourite: bool = False
    tags: tuple[str, ...] = ()
    stated_key: str | None = None
    stated_sound: str | None = None

    @property
    def is_midi(self) -> bool:
        """Does it hold notes instead of sound?"""
        return self.file_kind == MIDI

    @property
    def reading(self) -> Reading | None:
        """The one to go by: stated before heard; None where nobody can tell."""
        return self.stated or self.hearing.best

    @property
    def key(self) -> str | None:
        """The one to go by; None where it has none or nobody can tell."""
        match self.key_from:
            case "stated":
                return None if self.stated_key == NO_KEY else self.stated_key
            case "claimed":
                return self.claims.key
            case "made":
                return self.recipe.key if self.recipe else None
            case "heard":
                return self.hearing.key.key
        return None

    @property
    def key_from(self) -> KeyFrom | None:
        """Who says its key: a person before its file, its recipe, and what was heard.

        None where what was heard is less likely than not.
        """
        if self.stated_key is not None:
            return "stated"
        if self.claims.key:
            return "claimed"
        if self.recipe and self.recipe.key:
            return "made"
        heard = self.hearing.key
        return "heard" if heard.key and heard.confidence >= LEAST_SURE_KEY else None

    @property
    def key_confidence(self) -> float:
        """How sure the key is; 1 where somebody says it."""
        is_said = self.key_from in ("stated", "claimed", "made")
        return 1.0 if is_said else self.hearing.key.confidence

    @property
    def sound(self) -> str | None:
        """The kind of sound to go by: stated before heard."""
        return self.sound_reading.kind

    @property
    def sound_reading(self) -> SoundReading:
        """The same with how sure that is: a person is."""
        if self.stated_sound:
            return SoundReading(self.stated_sound, 1.0)
        return self.hearing.sound

    @property
    def readings(self) -> tuple[Reading, ...]:
        """Heard ones, likeliest first; then what its file says, where that is something else."""
        claimed = claimed_reading(self.claims, self.hearing, self.seconds)
        return self.hearing.readings + ((claimed,) if claimed else ())
