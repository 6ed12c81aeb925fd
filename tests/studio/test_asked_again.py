"""Sent once, heard never, sent again: it is done once."""

from tests.studio.helper import StudioTest
from zeroknot.core.errors import StaleError
from zeroknot.document.edits.track import AddTrack
from zeroknot.document.project import Track
from zeroknot.studio.intents.placing import NewTrack
from zeroknot.studio.intents.time import SetSteadyTempo
from zeroknot.studio.shelf_edits import Correct


class AskedAgainTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("P")

    def test_an_intent_is_applied_once_over_a_restart_too(self):
        for studio in (self.studio, self.studio, self.opened()):
            state = studio.projects.submit(self.project, 1, NewTrack(), "id-1")
            self.assertEqual((state.revision, len(state.project.tracks)), (2, 1))

    def test_undo_and_redo_go_one_step_each(self):
        for i in range(3):
            self.submit(self.project, SetSteadyTempo(bpm=100 + i))
        for _ in range(2):
            state = self.studio.projects.undo(self.project, 4, "undo-1")
            self.assertEqual(state.project.tempo[0].bpm, 101)
        for _ in range(2):
            state = self.studio.projects.redo(self.project, 3, "redo-1")
            self.assertEqual(state.project.tempo[0].bpm, 102)

    def test_undo_names_what_was_done_elsewhere_and_takes_nothing_back(self):
        self.submit(self.project, SetSteadyTempo(bpm=100))
        elsewhere = AddTrack(track=Track(id="t2", name="Drums"))
        self.submit(self.project, elsewhere)
        for act in (self.studio.projects.undo, self.studio.projects.redo):
            with self.subTest(act.__name__), self.assertRaises(StaleError) as raised:
                act(self.project, 2)
            self.assertIn(elsewhere.label(), str(raised.exception))
        self.assertEqual(self.studio.projects.state(self.project).revision, 3)

    def test_a_change_of_the_shelf_is_made_once_and_taken_back_once(self):
        loop = self.loop()
        for _ in range(2):
            change = self.studio.shelf.change([loop.sha], Correct(times=2), "double")
            self.assertEqual(change.count, 1)
        doubled = self.studio.shelf.loop(loop.sha).reading.tempo_bpm
        self.assertAlmostEqual(doubled, 2 * loop.reading.tempo_bpm)
        for _ in range(2):
            self.studio.shelf.take_back(change.id, "back")
            self.assertAlmostEqual(
                self.studio.shelf.loop(loop.sha).reading.tempo_bpm, loop.reading.tempo_bpm
            )
