"""What was written once is read for ever: files that were stored by each version of the schema."""

import json
import unittest
import zlib
from pathlib import Path

from tests.studio.helper import StudioTest
from zeroknot.core.errors import FormatError
from zeroknot.document.edits.project import RenameProject
from zeroknot.document.project import Project
from zeroknot.document.stored import (
    HEAD,
    SCHEMA,
    edit_text,
    edit_value,
    newest,
    tree_text,
    tree_value,
)
from zeroknot.store.revisions import RevisionStore

STORED = Path(__file__).parents[1] / "fixtures" / "stored"


class SchemaTest(unittest.TestCase):
    def test_a_tree_and_an_edit_carry_their_number_and_are_read_again(self):
        tree = Project(id="a", name="A", rate=44_100)
        self.assertTrue(tree_text(tree).startswith(HEAD))
        self.assertEqual(tree_value(tree_text(tree)), tree)
        self.assertEqual(tree_value(tree_text(tree, indent=1)), tree)
        self.assertEqual(tree_value(tree.model_dump_json()), tree)  # from before there were numbers
        edit = RenameProject(name="B")
        self.assertTrue(edit_text(edit).startswith(HEAD))
        self.assertEqual(edit_value(edit_text(edit)), edit)
        self.assertEqual(edit_value(edit.model_dump_json()), edit)

    def test_each_upgrade_is_done_once_and_in_order(self):
        upgrades = {
            1: lambda said: {**said, "steps": "1"},
            2: lambda said: {**said, "steps": said.get("steps", "") + "2"},
        }
        self.assertIn('"steps": "12"', newest('{"name": "A"}', upgrades, 3))
        self.assertIn('"steps": "2"', newest('{"schema": 2, "name": "A"}', upgrades, 3))
        self.assertEqual(newest('{"schema": 3, "name": "A"}', upgrades, 3), '{"name": "A"}')

    def test_what_a_later_version_wrote_is_said(self):
        with self.assertRaisesRegex(FormatError, "later version"):
            tree_value(f'{{"schema": {SCHEMA + 1}}}')
        for wrong in ("0", "-1", '"1"', "1.0", "true", "null"):
            with self.subTest(wrong), self.assertRaisesRegex(FormatError, "damaged"):
                tree_value(f'{{"schema": {wrong}}}')

    def test_a_shift_was_a_setting_once_and_before_that_the_strands_own(self):
        strand = {
            "id": "s", "name": "S", "loop": "0" * 64, "reading": None,
            "knots": [{"second": 0, "beat": 0}, {"second": 2, "beat": 4}],
        }  # fmt: skip
        for said, formants in (
            ({"settings": {"semitones": -3.0, "formants": 0.5}}, 0.5),
            ({"semitones": -3.0}, 0.0),
        ):
            with self.subTest(said):
                tree = {"id": "p", "name": "P", "strands": [strand | said]}
                read = tree_value(json.dumps(tree | {"schema": 1})).strands[0]
                self.assertEqual((read.shift, read.settings.formants), (-3.0, formants))
                change = {"kind": "change_strand", "strand": strand | said, "what": "x"}
                together = {"kind": "together", "edits": [change], "what": "x"}
                self.assertEqual(edit_value(json.dumps(change)).strand, read)
                self.assertEqual(edit_value(json.dumps(together)).edits[0].strand, read)


class StoredTest(StudioTest):
    """Written by the application as it was on 2026-11-27, before schemas had numbers."""

    def opened(self):
        data = zlib.decompress((STORED / "database_1.sqlite.z").read_bytes())
        (self.folder / "zeroknot.sqlite").write_bytes(data)
        self.opened = super().opened
        return super().opened()

    def test_a_data_folder_of_then_opens_with_its_whole_history(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual((tree.name, tree.key, len(tree.clips)), ("Old one", "D minor", 3))
        revisions = RevisionStore(self.studio._engine)
        head = revisions.head(entry.id).number
        for number in range(1, head + 1):
            with self.subTest(number=number):
                kept = revisions.revision(entry.id, number)
                self.assertEqual(self.studio.projects._tree(entry.id, number).id, entry.id)
                if kept.edit:
                    self.assertEqual(edit_value(kept.edit).label(), kept.label)
        before = len(tree.clips)
        self.assertEqual(len(self.studio.projects.undo(entry.id).project.clips), before - 1)
        kinds = {loop.recipe.kind: loop for loop in self.on_shelf() if loop.recipe}
        self.assertEqual(set(kinds), {"print", "crop"})
        self.assertIsNone(kinds["print"].recipe.key)
        self.assertTrue(all(len(loop.recipe.parents) == 1 for loop in kinds.values()))

    def test_a_projects_file_of_then_comes_in(self):
        [there] = self.studio.projects.list()
        with (STORED / "bundle_1.zip").open("rb") as file:
            new = self.studio.bundles.read(file)
        tree, then = (self.studio.projects.state(p).project for p in (new, there.id))
        self.assertEqual(tree.changed(id="x"), then.changed(id="x"))
        self.assertTrue(self.studio.sheet(tree).events)
