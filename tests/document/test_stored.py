"""What was written once is read for ever: files that were stored by each version of the schema."""

import json
import unittest
import zlib
from pathlib import Path

from tests.studio.helper import StudioTest
from zeroknot.core.errors import FormatError
from zeroknot.core.harmony.fit import HEARD, NEAR, SAID
from zeroknot.core.warp.warp_map import WarpMap
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

    def test_what_followed_a_key_before_leeways_were_kept_is_shifted_as_it_was(self):
        strand = {
            "id": "s", "name": "S", "loop": "0" * 64, "reading": None,
            "knots": [{"second": 0, "beat": 0}, {"second": 2, "beat": 4}],
            "in_key": {"profile": [0.5, 0.0, 0.5] + [0.0] * 9, "key": "A minor"},
        }  # fmt: skip
        tree = {"schema": 8, "id": "p", "name": "P", "strands": [strand]}
        self.assertEqual(tree_value(json.dumps(tree)).strands[0].in_key.leeway, NEAR)

    def test_hits_that_were_kept_before_they_were_in_doubt_are_known_as_they_were(self):
        """So a groove that was laid then lays them where it did."""
        strand = {
            "id": "s", "name": "S", "loop": "0" * 64, "reading": None,
            "knots": [{"second": 0, "beat": 0}, {"second": 2, "beat": 4}],
            "groove": {"hits": [[0.0, 0.9, 1.0, "low", -9.0], [0.53, 0.05, 0.7, "high", -30.0]],
                       "groove": {"name": "G", "per_beat": 2, "steps": [{}, {}],
                                  "played": [[0.0, 0.5, "low", 0.0, False]]}},
        }  # fmt: skip
        tree = {"schema": 9, "id": "p", "name": "P", "strands": [strand]}
        laid = tree_value(json.dumps(tree)).strands[0].groove
        self.assertEqual([hit.doubt_s for hit in laid.hits], [0.0, 0.0])
        self.assertEqual([hit.doubt for hit in laid.groove.played], [0.0])
        moved = laid.layer.moves(WarpMap.between(0.0, 2.0, 4.0))
        self.assertEqual([m.after for m in moved], [0.0, 1.0])


class Stored(StudioTest):
    """A data folder as the application left it once, opened by the one of today."""

    schema = 0

    def opened(self):
        data = zlib.decompress((STORED / f"database_{self.schema}.sqlite.z").read_bytes())
        (self.folder / "zeroknot.sqlite").write_bytes(data)
        self.opened = super().opened
        return super().opened()

    def bundle(self):
        with (STORED / f"bundle_{self.schema}.zip").open("rb") as file:
            return self.studio.bundles.read(file)

    def read_whole_history(self, project):
        revisions = RevisionStore(self.studio._engine)
        for number in range(1, revisions.head(project).number + 1):
            with self.subTest(number=number):
                kept = revisions.revision(project, number)
                self.assertEqual(self.studio.projects._tree(project, number).id, project)
                if kept.edit:
                    self.assertEqual(edit_value(kept.edit).label(), kept.label)

    def same_as_its_file(self, project):
        trees = (self.studio.projects.state(p).project for p in (self.bundle(), project))
        new, then = (tree.changed(id="x") for tree in trees)
        self.assertEqual(new, then)
        self.assertTrue(self.studio.sheet(new).events)


class StoredTest(Stored):
    """Written on 2026-11-27, before schemas had numbers."""

    schema = 1

    def test_a_data_folder_of_then_opens_with_its_whole_history(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual((tree.name, tree.key, len(tree.clips)), ("Old one", "D minor", 3))
        self.read_whole_history(entry.id)
        before = len(tree.clips)
        self.assertEqual(len(self.studio.projects.undo(entry.id).project.clips), before - 1)
        kinds = {loop.recipe.kind: loop for loop in self.on_shelf() if loop.recipe}
        self.assertEqual(set(kinds), {"print", "crop"})
        self.assertIsNone(kinds["print"].recipe.key)
        self.assertTrue(all(len(loop.recipe.parents) == 1 for loop in kinds.values()))

    def test_a_projects_file_of_then_comes_in(self):
        [there] = self.studio.projects.list()
        self.same_as_its_file(there.id)


class StoredDifferencesTest(Stored):
    """Written on 2026-11-28: schema 2, a history of differences with a whole tree in it."""

    schema = 2

    def test_it_opens_with_its_history_its_versions_and_its_file(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual((tree.name, tree.key, len(tree.clips)), ("Old two", "D minor", 3))
        self.assertEqual((tree.strands[0].shift, tree.strands[0].method), (-3, "strike"))
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)
        named, left = self.studio.projects.versions(entry.id)[::-1]
        self.assertEqual((named.name, left.label), ("Kept", "tempo 140 BPM"))
        state = self.studio.projects.go_back(entry.id, named.number)
        self.assertEqual(state.project.tempo[0].bpm, 90 + 65 / 4)


class StoredGroovesTest(Stored):
    """Written on 2026-11-28: schema 3, with grooves, the song's feel, keys and tuning."""

    schema = 3

    def test_it_opens_with_its_history_its_grooves_and_its_keys(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual([k.key for k in tree.keys], ["D minor", "E dorian"])
        self.assertEqual((tree.grooves[0].groove.name, tree.feel[0].bar), ("Feel", 3))
        laid = tree.strands[0].groove
        self.assertEqual((laid.timing, laid.accents, laid.kept), (0.9, 0.4, tree.grooves[0].id))
        self.assertTrue(tree.strands[1].groove.follows)
        self.assertEqual((tree.a4_hz, tree.strands[0].cents), (442.0, -12.0))
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredPartsTest(Stored):
    """Written on 2026-11-28: schema 4, a strand taken apart."""

    schema = 4

    def test_it_opens_with_its_history_and_its_parts(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual([(s.name, s.parts) for s in tree.strands],
                         [("bursts tones", "tones"), ("bursts hits", "hits")])  # fmt: skip
        self.assertEqual([s.shift for s in tree.strands], [4.0, 4.0])
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredSlicesTest(Stored):
    """Written on 2026-11-28: schema 5, with slices of two loops, notes and a coil."""

    schema = 5

    def test_it_opens_with_its_history_its_slices_and_its_coil(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        bursts, line = tree.strands
        self.assertEqual((bursts.cut.count, bursts.cut.borrowed[0].name), (9, "taps"))
        self.assertEqual((bursts.cut.on_pads[0], bursts.cut.pieces[1].choke), (8, 1))
        self.assertEqual(bursts.cut.pieces[1].shape.release_ms, 80)
        self.assertEqual(len(bursts.order.tiles), 7)
        self.assertEqual(sum(len(t.also) for t in bursts.order.tiles), 1)
        self.assertEqual((bursts.dealt[0].deal.seed, bursts.rounds[0].strokes[0].semitones), (7, 3))
        self.assertEqual((len(line.notes), line.notes[2].pitch), (5, 72))
        self.assertEqual([(s.key, s.speed, s.anew) for s in tree.coil],
                         [("Digit1", 1.0, False), ("Digit2", 2.0, True)])  # fmt: skip
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredOffshootsTest(Stored):
    """Written on 2026-11-28: schema 6, with a family, some of it kept."""

    schema = 6

    def test_it_opens_with_its_history_and_its_family(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        kept, fog, child = tree.offshoots
        self.assertEqual((fog.name, fog.favourite, fog.kept), ("Fog", True, None))
        self.assertEqual(child.parents, (fog.id,))
        self.assertTrue(tree.strands[0].cut.pieces[1].held)
        self.assertEqual(tree.strands[1].printed, kept.kept)
        loop = self.studio.loops.get(kept.kept)
        self.assertEqual(loop.recipe.run.sources, (tree.strands[0].loop,))
        family = self.studio.families.of(tree, tree.strands[0].loop)
        self.assertEqual([m.kind for m in family], ["source", "print", "grown", "grown"])
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredDeskTest(Stored):
    """Written on 2026-11-29: schema 7, with sounds of tracks, room, echo and lines."""

    schema = 7

    def test_it_opens_with_its_history_its_desk_and_its_lines(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        drums, bass = tree.tracks
        self.assertEqual((drums.sound.low_cut_hz, drums.sound.room_db), (80, -12))
        self.assertEqual((bass.sound.listens_to, bass.sound.ratio), (drums.id, 4))
        self.assertEqual((tree.room.size, tree.echo.beats, tree.ceiling_db), ("large", 0.5, -1))
        self.assertEqual(tree.master_lines[0].points[0].bend, 2)
        self.assertEqual([line.name for line in bass.lines], ["pan"])
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredShapesTest(Stored):
    """Written on 2026-11-29: schema 8, with phrases, sections, shapes of clips, sends of slices."""

    schema = 8

    def test_it_opens_with_its_history_its_phrases_and_shapes(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        one, two = tree.tracks
        first, second = tree.clips_on(one.id)
        self.assertEqual((first.name, first.yarn, first.fade_in_curve), ("Opening", 4, "power"))
        self.assertEqual([p.value for p in first.gain_line], [-6, 0])
        self.assertEqual((second.cross_ms, second.reverse), (80, True))
        self.assertEqual({c.phrase for c in (first, second)}, {tree.phrases[0].id})
        self.assertEqual((two.gives_way_to, two.yarn), (one.id, 2))
        self.assertEqual([line.name for line in two.lines], ["shift_st"])
        piece = tree.strands[0].cut.pieces[1]
        self.assertEqual((piece.room_db, piece.echo_db), (-12, -6))
        self.assertEqual([(s.bar, s.name) for s in tree.sections], [(1, "Intro"), (3, "Hook")])
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredLeewayTest(Stored):
    """Written on 2026-11-30: schema 9, strands that go by a key that is said, and by one heard."""

    schema = 9

    def test_it_opens_with_its_history_and_how_far_a_key_stands(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        self.assertEqual([s.in_key.leeway for s in tree.strands], [SAID, HEARD])
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


class StoredDoubtTest(Stored):
    """Written on 2026-12-01: schema 10, a groove that was taken from hits that were heard."""

    schema = 10

    def test_it_opens_with_its_history_and_how_exactly_its_hits_are_known(self):
        [entry] = self.studio.projects.list()
        tree = self.studio.projects.state(entry.id).project
        [laid] = [s.groove for s in tree.strands if s.groove]
        self.assertTrue(all(0.001 <= hit.doubt_s < 0.04 for hit in laid.hits))
        self.assertTrue(all(hit.doubt > 0.0 for hit in laid.groove.played))
        self.read_whole_history(entry.id)
        self.same_as_its_file(entry.id)


if __name__ == "__main__":
    unittest.main()
