"""A family of offshoots on a break, as tests of it have it."""

from tests.sounds import rendered
from tests.studio.sliced import OnABreak
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.intents.offshoots import (
    GrowOffshoots,
    KeepGrown,
)

# What makes a file again from a recipe alone, in a process of its own.
AGAIN = """
import sys
from pathlib import Path
from zeroknot.core.recipe.text import read_recipe
from zeroknot.studio.tasks.files import print_to_file
folder, recipe, out = map(Path, sys.argv[1:])
print_to_file(folder, read_recipe(recipe.read_text()).run, out)
"""


class Family(OnABreak):
    def grow(self, of=None, **how):
        asked = {"count": 8, "seed": 7, **how}
        before = {o.id for o in self.tree().offshoots}
        self.do(GrowOffshoots(of=of or self.hand, **asked))
        return [o for o in self.tree().offshoots if o.id not in before]

    def another(self, name):
        item = self.bring(wav_bytes(rendered(name), 16), f"{name}.wav")
        return self.studio.shelf.loop(item.sha)

    def members(self, of=None):
        return self.studio.families.of(self.tree(), of or self.hand)

    def keep(self, offshoot):
        """Printed and on the shelf, as the page does it."""
        loop = self.studio.prints.print_strand(self.tree(), offshoot.id, "wrap", False).loop
        self.do(KeepGrown(offshoot=offshoot.id, sha=loop.sha))
        return loop
