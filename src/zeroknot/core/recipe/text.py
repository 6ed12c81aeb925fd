"""A recipe as a text to hand on: canonical JSON, so that equal recipes are equal texts.

    {"zeroknot": "recipe", "version": 1, "name": …, "sources": [{"sha": …, "name": …}, …],
     "run": {…}, "strand": {…}}

`run` makes it again from the recordings that `sources` names by their hashes, to the bit; `strand`
says how a person treated the first of them, to open it, change it, or lay it over another loop.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from zeroknot.core.digest import canonical
from zeroknot.core.errors import FormatError
from zeroknot.core.recipe.run import Run, run_of

KIND, VERSION = "recipe", 1
MOST_BYTES = 8 * 1024 * 1024


@dataclass(frozen=True)
class Written:
    """A recipe apart from any shelf.

    sources  SHA-256 and name of each recording
    strand   how the first of them is treated, as JSON holds it; {} of a stretch of a song
    """

    name: str
    sources: tuple[tuple[str, str], ...]
    run: Run
    strand: Mapping[str, Any]

    @property
    def text(self) -> str:
        """Canonical JSON, a line."""
        told = {
            "zeroknot": KIND,
            "version": VERSION,
            "name": self.name,
            "sources": [{"sha": sha, "name": name} for sha, name in self.sources],
            "run": self.run.told(),
            "strand": dict(self.strand),
        }
        return canonical(told) + "\n"


def read_recipe(text: str | bytes) -> Written:
    """Raises FormatError where that is no recipe, or one of a later version."""
    if len(text) > MOST_BYTES:
        raise FormatError("this is too long to be a recipe")
    try:
        told = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FormatError("this is no recipe: it is not JSON") from error
    if not isinstance(told, dict) or told.get("zeroknot") != KIND:
        raise FormatError("this is JSON, but no recipe of a loop")
    version = told.get("version")
    if not isinstance(version, int) or version < 1:
        raise FormatError("this recipe is damaged: it has no version")
    if version > VERSION:
        raise FormatError(f"this recipe is of a later version ({version})")
    try:
        sources = tuple((str(s["sha"]), str(s["name"])) for s in told["sources"])
        name, strand = str(told["name"]), dict(told["strand"])
        run = run_of(told["run"])
    except (KeyError, TypeError, ValueError) as error:
        raise FormatError("this recipe is damaged: parts of it are missing") from error
    if {sha for sha, _ in sources} != set(run.sources):
        raise FormatError("this recipe is damaged: it names other recordings than it renders")
    return Written(name, sources, run, strand)
