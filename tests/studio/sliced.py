"""A break on the shelf and in hand, in a project of 96, to be cut."""

from tests.sounds import rendered
from tests.studio.helper import StudioTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.intents.cutting import CutUp
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.placement import Placement
from zeroknot.studio.tasks.rendering import rendering_of


class OnABreak(StudioTest):
    def setUp(self):
        super().setUp()
        self.loop = self.bring(wav_bytes(rendered("drums_103"), 24), "drums.wav")
        self.project = self.studio.projects.create("Slices")
        self.do(SetSteadyTempo(bpm=96))

    def do(self, intent):
        return self.submit(self.project, intent).project

    def tree(self):
        return self.studio.projects.state(self.project).project

    def strand(self):
        return self.tree().strands[0]

    def cut(self, **how):
        how = how or {"by": "equal", "count": 16}
        return self.do(CutUp(hand=self.hand, **how)).strands[0]

    @property
    def hand(self):
        tree = self.tree()
        return tree.strands[0].id if tree.strands else self.loop.sha

    def placed(self):
        held = self.studio.hand(self.tree(), self.hand)
        return Placement.of(self.tree(), held.strand, held.loop)

    def heard(self):
        return rendering_of(self.studio.store.folder, self.placed().heard).whole()

    def pieces(self):
        strand = self.strand()
        return [t.piece for t in (strand.order or strand.as_cut).tiles]

    def undo(self):
        self.studio.projects.undo(self.project)
