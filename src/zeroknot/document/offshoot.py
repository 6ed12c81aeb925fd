"""What does a project hold of what was grown in it? Recipes: nothing of them is rendered to a file,
and none is on the shelf, until it is kept."""

from pydantic import Field

from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.document.value import Named

MOST_OFFSHOOTS = 600
MOST_PARENTS = 16
LONGEST_SAID = 400


class Offshoot(Named):
    """One of a loop's family.

    parents  what it descends from: SHA-256 of loops, ids of other offshoots
    strand   how its recording is treated
    said     what makes it other than the one it grew from
    seed     by which it was grown; None of what a person made
    kept     SHA-256 of the loop that it was printed to; None while it is a recipe alone
    """

    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    parents: tuple[str, ...] = Field(min_length=1, max_length=MOST_PARENTS)
    strand: Strand
    said: str = Field("", max_length=LONGEST_SAID)
    seed: int | None = None
    favourite: bool = False
    kept: str | None = None
