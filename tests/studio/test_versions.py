"""Every state a project had can be named, listed, opened beside and gone back to."""

import unittest

from sqlmodel import Session, select

from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, NotFoundError, StaleError
from zeroknot.document.edits.project import RenameProject, SetMaster
from zeroknot.document.stored import SCHEMA
from zeroknot.store import revisions
from zeroknot.store.tables import RevisionRow
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.stretch import SetShift
from zeroknot.studio.intents.time import SetSteadyTempo

DRAGS = 150
MOST_BYTES_AN_EDIT = 2_000  # what a drag may cost of history (issue, numbers)


class VersionsTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.project = self.studio.projects.create("First")

    def tempo(self, bpm):
        return self.submit(self.project, SetSteadyTempo(bpm=bpm)).revision

    def bpm(self):
        return self.studio.projects.state(self.project).project.tempo[0].bpm

    def listed(self):
        found = self.studio.projects.versions(self.project)
        return {v.number: (v.name, v.label, v.edits) for v in found}

    def test_what_undo_left_is_listed_and_gone_back_to_and_that_is_undone_like_any_edit(self):
        self.tempo(90)
        kept = self.tempo(91)
        self.studio.projects.undo(self.project)
        self.assertEqual(self.listed(), {kept: (None, "tempo 91 BPM", 1)})
        self.studio.projects.undo(self.project)
        now = self.tempo(140)
        self.assertEqual(self.listed(), {kept: (None, "tempo 91 BPM", 2)})
        state = self.studio.projects.go_back(self.project, kept, now)
        self.assertEqual((self.bpm(), state.undo), (91, "back to tempo 91 BPM"))
        self.assertEqual(self.studio.projects.undo(self.project).undo, "tempo 140 BPM")
        self.assertEqual((self.bpm(), self.studio.projects.redo(self.project).redo), (140, None))
        self.assertEqual(self.bpm(), 91)

    def test_a_version_has_a_name_and_is_opened_beside(self):
        named = self.tempo(90)
        self.tempo(95)
        self.studio.projects.name_version(self.project, named, "  Slow one ")
        self.assertEqual(self.listed(), {named: ("Slow one", "tempo 90 BPM", 1)})
        beside = self.studio.projects.beside(self.project, named)
        tree = self.studio.projects.state(beside).project
        self.assertEqual((tree.name, tree.tempo[0].bpm), ("First: Slow one", 90))
        self.assertEqual(self.bpm(), 95)
        self.assertEqual(self.studio.projects.go_back(self.project, named).undo, "back to Slow one")
        self.studio.projects.name_version(self.project, named, "")
        self.assertEqual(self.listed(), {})

    def test_what_is_there_already_or_was_never_or_moved_on_is_a_sentence(self):
        first = self.tempo(90)
        self.tempo(95)
        with self.assertRaisesRegex(StaleError, "tempo 95"):
            self.studio.projects.go_back(self.project, 1, first)
        with self.assertRaisesRegex(EditError, "is now"):
            self.studio.projects.go_back(self.project, first + 1)
        for ask in (self.studio.projects.go_back, self.studio.projects.beside):
            with self.assertRaises(NotFoundError):
                ask(self.project, 99)
        with self.assertRaises(NotFoundError):
            self.studio.projects.name_version(self.project, 99, "x")

    def test_asked_again_it_is_done_once_and_an_edit_from_before_is_refused(self):
        first = self.tempo(90)
        second = self.tempo(95)
        moves = self.studio.projects.go_back(self.project, first, second, "ask").moves
        self.assertEqual(
            self.studio.projects.go_back(self.project, first, second, "ask").moves, moves
        )
        with self.assertRaisesRegex(StaleError, "back to"):
            self.studio.projects.submit(self.project, second, SetSteadyTempo(bpm=100))
        # What it did not touch can be changed from there.
        self.studio.projects.submit(self.project, second, SetMaster(level_db=-3))
        self.assertEqual(self.bpm(), 90)


class HistoryTest(StudioTest):
    def rows(self):
        with Session(self.studio._engine) as session:
            return list(session.exec(select(RevisionRow).order_by(RevisionRow.number)))

    def test_a_drag_costs_little_and_every_state_is_read_again(self):
        loop = self.loop()
        project = self.studio.projects.create("First")
        state = self.submit(project, Place(hand=loop.sha, beat=0))
        strand = state.project.strands[0].id
        trees = {state.revision: state.project}
        for i in range(DRAGS):
            drag = SetShift(hand=strand, semitones=-12 + i / 10)
            state = self.submit(project, drag)
            trees[state.revision] = state.project
        rows = self.rows()
        whole = [row.number for row in rows if row.tree is not None]
        self.assertEqual(whole, [1, 65, 129])
        for row in rows[2:]:
            kept = len(row.tree or row.change) + len(row.edit)
            self.assertLess(kept, MOST_BYTES_AN_EDIT, row.number)
        self.studio.close()
        self.studio = self.opened()
        for number, tree in trees.items():
            self.assertEqual(self.studio.projects._tree(project, number), tree)

    def test_the_first_of_a_newer_schema_is_whole(self):
        """Differences of one schema never lie over a tree of another."""
        project = self.studio.projects.create("First")
        self.submit(project, RenameProject(name="Second"))
        store = revisions.RevisionStore(self.studio._engine)
        whole = self.rows()[0].tree
        for schema, is_whole in ((SCHEMA + 1, True), (SCHEMA + 1, False)):
            head = store.head(project).number
            store.advance(project, head, "x", "{}", lambda: "{}", "x", written_in=schema)
            self.assertEqual(self.rows()[-1].tree is not None, is_whole)
        self.assertIsNotNone(whole)


if __name__ == "__main__":
    unittest.main()
