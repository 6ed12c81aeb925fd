"""What a page is told of what it had made or kept, so that it can take that back."""

from pydantic import BaseModel, Field

from zeroknot.store.by_name import Kept
from zeroknot.studio.made_loops import NewLoop
from zeroknot.web.api import answers


class AskToComeBack(BaseModel):
    """instead_of: the one that has its name now, and gives way"""

    instead_of: str | None = Field(None, max_length=64)


def newly_kept(kept: Kept) -> answers.NewlyKept:
    """What was kept by name."""
    return answers.NewlyKept(
        id=kept.id, name=kept.name, is_new=kept.is_new, instead_of=kept.instead_of
    )


def made_loop(made: NewLoop) -> answers.MadeLoop:
    """A loop that was made, on the shelf."""
    loop = made.loop
    return answers.MadeLoop(
        sha=loop.sha, name=loop.name, frames=loop.frames, rate=loop.rate, change=made.change,
        label=made.label,
    )  # fmt: skip
