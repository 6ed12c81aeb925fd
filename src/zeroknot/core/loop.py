"""What is known of a loop? What its file says, what was heard in it, what a person stated."""

from dataclasses import dataclass

from zeroknot.core.listening.reading import Claims, Reading


@dataclass(frozen=True)
class Statement:
    """A person's own reading of a loop, and the one it takes the place of; None where none."""

    loop: str
    before: Reading | None
    after: Reading | None


@dataclass(frozen=True, kw_only=True)
class Loop:
    """One recording on the shelf. Its bytes never change.

    sha        SHA-256 of the bytes
    file_kind  "wav", "aiff", "flac", "ogg" or "mp3"
    seconds, rate, channels, frames   of the file as it came
    attacks    (second, strength 0…1) of each, rising
    sounding   first and last second that are not silence
    readings   heard ones, likeliest first, made by `listening_version`
    stated     the person's own reading; None where there is none
    recipe     what it was printed from; None for what came from outside
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
    attacks: tuple[tuple[float, float], ...]
    sounding: tuple[float, float]
    readings: tuple[Reading, ...]
    warnings: tuple[str, ...]
    listening_version: int
    stated: Reading | None
    recipe: dict[str, object] | None
    added_at: str
    on_shelf: bool

    @property
    def reading(self) -> Reading | None:
        """The one to go by: stated before heard; None where nobody can tell."""
        return self.stated or (self.readings[0] if self.readings else None)

    @property
    def attack_seconds(self) -> tuple[float, ...]:
        return tuple(second for second, _ in self.attacks)
