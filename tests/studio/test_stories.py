"""Two people at one project, with all that goes wrong: whatever they do, it can be read and played.

A story is a seed. `STORIES=400 python -m tests tests.studio.test_stories` tells more of them.
"""

import json
import os
import random
import unittest
from dataclasses import asdict

from pydantic import TypeAdapter, ValidationError

from tests.core.listening.test_midi_reading import midi
from tests.js.node import NodeTest
from tests.studio.helper import StudioTest
from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.document.edits.any_edit import AskedEdit
from zeroknot.document.stored import edit_value
from zeroknot.store.revisions import RevisionStore
from zeroknot.studio.audition import AS_IT_IS
from zeroknot.studio.intents.any_intent import AnyIntent
from zeroknot.studio.shelf_edits import AnyShelfEdit
from zeroknot.studio.song_sheets import SongSheets
from zeroknot.web.api.shown import ShownProjects
from zeroknot.web.api.slices import hand_slices_json

STORIES = int(os.environ.get("STORIES", "6"))
STEPS = 40
asked: TypeAdapter = TypeAdapter(AnyIntent | AskedEdit)
shelf_edit: TypeAdapter = TypeAdapter(AnyShelfEdit)


class Story:
    """What is drawn next: likely values, borders, and now and then what cannot be."""

    def __init__(self, seed, tree, loops):
        self.draw, self.tree, self.loops = random.Random(seed), tree, loops

    def one(self, items, other="gone"):
        found = [item.id for item in items]
        return self.draw.choice(found) if found and self.draw.random() < 0.95 else other

    def hand(self):
        return self.draw.choice([*self.loops, *(s.id for s in self.tree.strands)])

    def clip(self):
        return self.one(self.tree.clips)

    def groove(self):
        return self.one(self.tree.grooves)

    def track(self):
        return self.draw.choice([None, self.one(self.tree.tracks)])

    def beat(self):
        return self.draw.choice([0, 0, 1, 4, 4, 8, 16, 2.5, 3.9999999, 1e-9, 99_999.5])

    def second(self):
        return self.draw.choice([0, 0.01, 0.3, 1.1, 2.33, 4.6, -0.5, 30.0, self.draw.uniform(0, 5)])

    def intent(self):
        """The JSON of an intent or an edit, as a page would send it."""
        d = self.draw
        number = d.choice([0.5, 1, 2, 3, 4, 7, 8, 16, 64, 99, 1000])
        return d.choice(
            (
                lambda: {"kind": "place", "hand": self.hand(), "beat": self.beat(),
                         "track": self.track(), "passes": d.choice([1, 1, 2, 5])},
                lambda: {"kind": "new_track"},
                lambda: {"kind": "repeat_clips", "clips": [self.clip()],
                         "to": d.choice([None, "next", "end"]), "times": d.choice([-1, 1, 3])},
                lambda: {"kind": "separate_clip", "clip": self.clip()},
                lambda: {"kind": "copy_clips", "clips": [self.clip(), self.clip()],
                         "beat": d.choice([None, self.beat()])},
                lambda: {"kind": "set_steady_tempo", "bpm": d.choice([20, 60, 97, 300, 19])},
                lambda: {"kind": "set_tempo_point", "beat": self.beat(),
                         "bpm": d.choice([30, 90, 200]),
                         "shape": d.choice(["step", "ramp"]), "bend": d.choice([0, 0, 3, -8])},
                lambda: {"kind": "remove_tempo_point", "beat": self.beat()},
                lambda: {"kind": "set_metre_at", "bar": d.choice([1, 2, 3, 9]),
                         "metre": d.choice(["4/4", "7/8", "3/4", "6/8", "0/3"])},
                lambda: {"kind": "remove_metre", "bar": d.choice([1, 2, 3, 9])},
                lambda: {"kind": "take_tempo", "hand": self.hand()},
                lambda: {"kind": "take_time", "hand": self.hand()},
                lambda: {"kind": "state_reading", "hand": self.hand(),
                         **{d.choice(["bars", "beats_per_bar"]): d.choice([1, 2, 3, 4, 7, 32])}},
                lambda: {"kind": "state_reading", "hand": self.hand(),
                         **d.choice([{"tempo_bpm": d.choice([10, 60, 103, 240, 1000])},
                                     {"downbeat_s": self.second()}, {"end_s": self.second()}])},
                lambda: {"kind": "adopt_reading", "hand": self.hand(),
                         "index": d.choice([0, 1, 2, 9])},
                lambda: {"kind": "withdraw_reading", "hand": self.hand()},
                lambda: {"kind": "follow_loop", "hand": self.hand()},
                lambda: {"kind": "lay_on", "hand": self.hand(), "beats": number},
                lambda: {"kind": "shift_grid", "hand": self.hand(),
                         "beats": d.choice([-4, -1, .5, 1])},
                lambda: {"kind": "tie_knots", "hand": self.hand(), "knots": [
                    {"second": self.second(), "beat": d.choice([None, self.beat()]),
                     "at": d.choice([None, self.second()])}]},
                lambda: {"kind": "remove_knots", "hand": self.hand(), "seconds": [self.second()]},
                lambda: {"kind": "fasten", "hand": self.hand(), "start_s": self.second(),
                         "end_s": self.second()},
                lambda: {"kind": "loosen", "hand": self.hand()},
                lambda: {"kind": "straighten", "hand": self.hand(), "every": d.choice([1, 2, 4])},
                lambda: {"kind": "set_straightening", "hand": self.hand(), "amount": d.random()},
                lambda: {"kind": "unstraighten", "hand": self.hand()},
                lambda: {"kind": "follow_tempo", "hand": self.hand(), "follows": d.random() < 0.5},
                lambda: {"kind": "set_method", "hand": self.hand(), "method": d.choice(
                    ["auto", "weave", "strike", "voice", "scatter", "spool", "nothing"])},
                lambda: {"kind": "set_shift", "hand": self.hand(),
                         "semitones": d.choice([-24, -1.5, 0, 7, 24, None, 25])},
                lambda: {"kind": "set_stretch", "hand": self.hand(),
                         "formants": d.choice([0, 0.5, None, 2])},
                lambda: {"kind": "set_crossfade", "hand": self.hand(),
                         "ms": d.choice([0, 5, 40, 900])},
                lambda: {"kind": "set_lead", "hand": self.hand(), "lead": d.choice([0, 1, 8])},
                lambda: {"kind": "move_clips", "moves": [
                    {"clip": self.clip(), "beat": self.beat(), "track": self.one(self.tree.tracks)}
                    for _ in range(d.choice([1, 2]))]},
                lambda: {"kind": "change_clip", "clip": self.clip(),
                         **d.choice([{"length": number}, {"passes": d.choice([1, 3])},
                                     {"slip": self.beat()}, {"beat": self.beat()}])},
                lambda: {"kind": "lay_over", "hand": self.hand(), **d.choice([
                    {"kept": self.groove()}, {"song": True}, {"per_beat": d.choice([2, 3, 4, 9])},
                    {"per_beat": 4, "swing": d.choice([62, 75, 80])}])},
                lambda: {"kind": "set_groove", "hand": self.hand(), **d.choice([
                    {"timing": d.random()}, {"accents": d.random()}, {"reach": d.choice([.5, .1])},
                    {"sensitivity": d.random()}, {"registers": d.choice([[], ["low"]])},
                    {"keeps_lengths": False}])},
                lambda: {"kind": "take_off_groove", "hand": self.hand()},
                lambda: {"kind": "take_groove", "hand": self.hand(), "bars": d.choice([1, 2, 4])},
                lambda: {"kind": "take_groove", "tracks": [self.one(self.tree.tracks)],
                         "first_bar": d.choice([1, 2]), "bars": d.choice([1, 2])},
                lambda: {"kind": "make_swing", "percent": d.choice([50, 62, 80]),
                         "per_beat": d.choice([2, 4])},
                lambda: {"kind": "draw_step", "groove": self.groove(), "number": d.choice([0, 1]),
                         "offset": d.uniform(-0.4, 0.4), "accent_db": d.uniform(-12, 12)},
                lambda: {"kind": "set_song_groove", "bar": d.choice([1, 2, 5]),
                         "groove": d.choice([None, self.groove()]), "follow": d.random() < 0.5},
                lambda: {"kind": "remove_song_groove", "bar": d.choice([1, 2, 5])},
                lambda: {"kind": "let_groove_go", "groove": self.groove()},
                lambda: {"kind": "set_key_at", "bar": d.choice([1, 2, 5]),
                         "key": d.choice(["Dm", "E dorian", "B♭ tonic only", "H"])},
                lambda: {"kind": "remove_key_at", "bar": d.choice([1, 2, 5])},
                lambda: {"kind": "follow_key", "hand": self.hand(), "follows": d.random() < 0.7},
                lambda: {"kind": "correct_tuning", "hands": [self.hand()],
                         "cents": d.choice([None, -14, 200])},
                lambda: {"kind": "place_in_gaps", "hand": self.hand()},
                lambda: {"kind": "set_a4", "hertz": d.choice([442, 100])},
                lambda: {"kind": "treat_bars", "hand": self.hand(), "first_bar": d.choice([1, 2]),
                         "last_bar": d.choice([1, 3]), "shift": d.choice([None, -2, 30]),
                         "muted": d.choice([None, True])},
                *self.of_slices(),
                *self.of_kits(),
                *self.of_the_coil(),
                *self.of_the_family(),
                *self.of_the_desk(),
                lambda: {"kind": "remove_clips", "clips": [self.clip()]},
                lambda: {"kind": "remove_track", "track": self.one(self.tree.tracks)},
                lambda: {"kind": "change_track", "track": self.one(self.tree.tracks),
                         "level_db": d.choice([-60, -3, 6])},
                lambda: {"kind": "set_keys", "changes": [{"bar": 1, "key": d.choice(["Dm", "H"])}]},
                lambda: {"kind": "rename_project", "name": d.choice(["A", "x" * 300, ""])},
            )
        )()  # fmt: skip

    def of_the_desk(self):
        """Filters, sends, room and echo, lines; bars that go by them."""
        d = self.draw
        names = ["level_db", "pan", "muted", "low_cut_hz", "ratio", "room_db", "colour"]
        value = d.choice([0, 1, -6, -60, 12, 440, 9000])
        points = [{"beat": self.beat(), "value": value, "bend": d.choice([0, 3, -8])},
                  {"beat": self.beat() + 4, "value": d.choice([0, 1, 80, -12]),
                   "shape": d.choice(["line", "step"])}]  # fmt: skip
        track = d.choice([self.one(self.tree.tracks), self.one(self.tree.tracks), "master"])
        return (
            lambda: {"kind": "change_sound", "track": track, "values": {
                d.choice(["low_cut_hz", "bell1_db", "ratio", "drive_db", "room_db"]): value}},
            lambda: {"kind": "change_sound", "track": track,
                     "listens_to": d.choice(["", self.one(self.tree.tracks)])},
            lambda: {"kind": "set_room", "room": {"size": d.choice(["small", "large", "vast"])}},
            lambda: {"kind": "set_echo", "echo": {"beats": d.choice([0.25, 4, 9])}},
            lambda: {"kind": "set_ceiling", "ceiling_db": d.choice([None, -1, 3])},
            lambda: {"kind": "set_line", "track": track, "name": d.choice(names),
                     "points": d.choice([points, points, []])},
            lambda: {"kind": "write_line", "track": track, "name": d.choice(names),
                     "points": [[self.beat(), value], [self.beat() + 1, value], [0, 0]]},
            lambda: {"kind": "make_room", "track": self.one(self.tree.tracks),
                     "bars": [[d.choice([1, 2]), d.choice([1, 2, 5])]]},
            lambda: {"kind": "do_bars", "what": d.choice(["insert", "remove", "repeat"]),
                     "bar": d.choice([1, 2, 4]), "count": d.choice([1, 2])},
        )  # fmt: skip

    def of_slices(self):
        """Cuts, pieces, tiles, deals, what was played."""
        d = self.draw
        which = d.choice([[], [0], [0, 1], [3], [40]])
        kind = "treat_order"
        hows = ["remove", "repeat", "double", "halve", "swap", "rotate", "mirror", "thin", "fill",
                "only", "half_time", "double_time", "grid", "length", "as_cut"]  # fmt: skip
        return (
            lambda: {"kind": "cut_up", "hand": self.hand(), **d.choice([
                {"by": "attacks", "sensitivity": d.random()}, {"by": "knots"},
                {"by": "beats", "beats": d.choice([0.25, 1 / 3, 0.01])},
                {"by": "equal", "count": d.choice([1, 5, 16, 400]), "snap": True}])},
            lambda: {"kind": "mend_cut", "hand": self.hand(), "index": d.choice([0, 1, 7]),
                     "how": d.choice(["add", "move", "join", "split"]), "second": self.second()},
            lambda: {"kind": "change_pieces", "hand": self.hand(), "which": which, **d.choice([
                {"pan": -0.5}, {"reverse": True}, {"muted": True}, {"by": d.choice([-7, 30])},
                {"length": d.choice(["left", "filled"])}, {"rings": True}, {"name": "a"},
                {"shape": {"filter": "low", "sweep": 2}}, {"shape": {"cutoff_hz": 1}}])},
            lambda: {"kind": kind, "hand": self.hand(), "how": d.choice(hows), "which": which,
                     "beats": d.choice([-1, 0.5, 4, 16, 1000]), "wanted": d.choice([[], [3, 4]])},
            lambda: {"kind": "change_tiles", "hand": self.hand(), "which": which, **d.choice([
                {"hits": d.choice([4, 99])}, {"semitones": 5}, {"gain_db": -60}, {"piece": 2}])},
            lambda: {"kind": "move_tiles", "hand": self.hand(), "which": which or [1],
                     "by": d.choice([-1, 0.3, 2, 900]), "copies": d.random() < 0.5},
            lambda: {"kind": "put_tile", "hand": self.hand(), "beat": self.beat(), "beats": 0.5,
                     "piece": d.choice([0, 3, 900])},
            lambda: {"kind": "deal_order", "hand": self.hand(), "seed": d.randrange(9),
                     "density": d.choice([1, 0.1]), "rolls": d.choice([0, 1]),
                     "held": which, "like": d.random() < 0.3},
            lambda: {"kind": "deal_order", "hand": self.hand(), "back": d.choice([0, 1, 11])},
            lambda: {"kind": "keep_round", "hand": self.hand(), "beats": d.choice([4, 8, 0.001]),
                     "strokes": [{"beat": d.uniform(-1, 9), "piece": d.choice([0, 1, 30])}]},
            lambda: {"kind": "play_round", "hand": self.hand(), "strength": d.random()},
            lambda: {"kind": "leave_whole", "hand": self.hand()},
        )  # fmt: skip

    def of_kits(self):
        """Slices of others, pads, several at once, notes."""
        d = self.draw
        which = d.choice([[0], [0, 1], [2], [40]])
        return (
            lambda: {"kind": "take_slices", "hand": self.hand(), "of": self.hand(),
                     "which": d.choice([[], [0], [7]])},
            lambda: {"kind": "give_back", "hand": self.hand(), "index": d.choice([1, 5, 16])},
            lambda: {"kind": "swap_pads", "hand": self.hand(), "pad": d.choice([0, 3]),
                     "other": d.choice([0, 1, 40])},
            lambda: {"kind": "make_kit", "hand": self.hand(), "replaces": d.random() < 0.5},
            lambda: {"kind": "play_notes", "hand": self.hand(), "of": self.hand()},
            lambda: {"kind": "stack_tiles", "hand": self.hand(), "which": d.choice(
                [[0, 1], [1, 2, 3], [0, 40]])},
            lambda: {"kind": "change_pieces", "hand": self.hand(), "which": which, **d.choice([
                {"choke": d.choice([1, 9])}, {"sway": 0.5, "sway_beats": 0.5}, {"method": "spool"},
                {"shape": {"release_ms": 200, "bend": 5, "bend_sustain": 0.5}},
                {"shape": {"wave": 2, "filter": "band"}}])},
            lambda: {"kind": "add_note", "hand": self.hand(), "beat": self.beat(), "beats": 0.5,
                     "pitch": d.choice([36, 60, 127])},
            lambda: {"kind": "move_notes", "hand": self.hand(), "which": which,
                     "by": d.choice([-9, 0.25, 3]), "semitones": d.choice([-12, 0, 90]),
                     "copies": d.random() < 0.5},
            lambda: {"kind": "treat_notes", "hand": self.hand(), "which": which,
                     "how": d.choice(["remove", "lengthen", "strike", "grid", "as_recorded"]),
                     "beats": d.choice([-1, 1])},
            lambda: {"kind": "take_groove", "hand": self.hand(), "bars": 1, "order": True},
        )  # fmt: skip

    def of_the_family(self):
        """Grown, kept, dropped, taken up, laid over others."""
        d = self.draw
        loop = d.choice(self.loops)
        grown = self.one(self.tree.offshoots)
        of = d.choice([grown, self.hand(), f"~{loop}", "~gone"])
        return (
            lambda: {"kind": "grow", "of": of, "count": d.choice([1, 3, 65]), "far": d.random(),
                     "seed": d.randrange(9), "may": d.choice([[], ["order", "speed"], ["key"]])},
            lambda: {"kind": "quick_one", "of": of, "seed": 3, "what": d.choice(
                ["reverse", "half", "double", "down", "hold", "chop"])},
            lambda: {"kind": "lay_recipe", "of": of, "over": [d.choice([loop, "gone"])]},
            lambda: {"kind": "drop_grown", "offshoots": [grown]},
            lambda: {"kind": "name_grown", "offshoot": grown, **d.choice([
                {"name": "A"}, {"favourite": True}, {}])},
            lambda: {"kind": "keep_grown", "offshoot": grown, "sha": loop},
            lambda: {"kind": "take_up", "of": of},
            lambda: {"kind": "take_recipe", "text": d.choice(["{}", "nonsense"])},
            lambda: {"kind": "lay_as_printed", "hand": self.hand(), "as_printed": True},
            lambda: {"kind": "place", "hand": of, "beat": self.beat()},
        )  # fmt: skip

    def slot(self):
        return self.one(self.tree.coil)

    def of_the_coil(self):
        """Loops on keys, and what was switched."""
        d = self.draw
        return (
            lambda: {"kind": "coil_loop", "hand": self.hand()},
            lambda: {"kind": "change_slot", "slot": self.slot(), **d.choice([
                {"speed": d.choice([0.5, 1.5, 2, 9])}, {"anew": True}, {"place": d.choice([0, 3])},
                {"key": d.choice(["KeyA", "Digit1"])}])},
            lambda: {"kind": "uncoil_loop", "slot": self.slot()},
            lambda: {"kind": "lay_switched", "switched": [
                {"slot": self.slot(), "beat": self.beat(), "end": self.beat() + d.choice([0.5, 6]),
                 "origin": d.choice([0, self.beat()])} for _ in range(d.choice([1, 3]))]},
        )  # fmt: skip

    def of_the_shelf(self):
        return self.draw.choice(
            ({"kind": "correct", "bars": self.draw.choice([1, 2, 4])}, {"kind": "withdraw"},
             {"kind": "take_off"}, {"kind": "put_back"}, {"kind": "state_key", "key": "Am"})
        )  # fmt: skip


class Page:
    """Asks now and then for what is other since it last asked, and notes what it is told."""

    def __init__(self, project):
        self.project, self.told, self.tokens = project, [], {"state": None, "sheet": None}

    def ask(self, studio, shown, hand):
        """Beside each answer the whole, as who was never told anything gets it."""
        state = studio.projects.state(self.project)
        answers = {
            "state": (shown.since(state, self.tokens["state"]), ShownProjects(studio).whole(state)),
            "sheet": (
                studio.play_sheet(state.project, hand, known=self.tokens["sheet"]),
                SongSheets(studio.loops, studio.renders).told(state.project, hand, AS_IT_IS),
            ),
        }
        for name, (said, _) in answers.items():
            self.tokens[name] = said["token"]
        self.told.append(answers)


PUT_TOGETHER = """async (told) => {
  const { stateWith, sheetWith } = await import("/static/js/net/since.js");
  let state = null;
  let sheet = null;
  return told.map((answers) => {
    state = stateWith(state, answers.state);
    sheet = sheetWith(sheet, answers.sheet);
    return { state, sheet };
  });
}"""


class StoriesTest(StudioTest, NodeTest):
    def setUp(self):
        super().setUp()
        notes = [(i, i + 0.5, p, 0) for i, p in enumerate((36, 43, 60, 64))]
        line = self.bring(midi(notes, 84).getvalue(), "line.mid")
        self.loops = [self.loop("drums_103").sha, self.loop("keys_88").sha, line.sha]

    def test_whatever_two_people_do_it_can_be_read_and_played(self):
        told = {"done": 0, "refused": 0}
        for seed in range(STORIES):
            with self.subTest(seed=seed):
                self.tell(seed, told)
        # It would say nothing if next to all were refused, or nothing was.
        self.assertGreater(told["done"], 5 * STORIES)
        self.assertGreater(told["refused"], STORIES)

    def tell(self, seed, told):
        draw = random.Random(seed + 1_000_000)
        project = self.studio.projects.create(f"Story {seed}")
        seen = [1, 1]  # the revision that each of the two looks at
        last: list = []
        changes: list[int] = []
        page, shown = Page(project), ShownProjects(self.studio)
        for step in range(STEPS):
            who = draw.randrange(2)
            projects = self.studio.projects
            id_ = f"{seed}-{step}"
            what = draw.random()
            try:
                if what < 0.70:
                    tree = projects.state(project).project
                    said = Story(draw.random(), tree, self.loops).intent()
                    last = [seen[who], self.read(said), id_]
                    projects.submit(project, *last)
                elif what < 0.78 and last:  # the answer was lost: the same once more
                    before = projects.state(project)
                    done = RevisionStore(self.studio._engine).is_done(last[2])
                    projects.submit(project, *last)
                    if done:
                        self.assertEqual(projects.state(project).moves, before.moves)
                elif what < 0.86:
                    projects.undo(project, draw.choice([None, seen[who]]), id_)
                elif what < 0.88:
                    number = draw.randrange(1, projects.state(project).revision + 3)
                    projects.go_back(project, number, draw.choice([None, seen[who]]), id_)
                elif what < 0.91:
                    projects.redo(project, draw.choice([None, seen[who]]), id_)
                elif what < 0.96:
                    edit = Story(draw.random(), None, self.loops).of_the_shelf()
                    change = self.studio.shelf.change(
                        [draw.choice(self.loops)], shelf_edit.validate_python(edit)
                    )
                    changes.append(change.id)
                elif what < 0.98 and changes:
                    self.studio.shelf.take_back(draw.choice(changes))
                else:
                    self.studio.close()
                    self.studio = self.opened()
                    shown = ShownProjects(self.studio)
                told["done"] += 1
            except ZeroKnotError:  # a sentence; anything else is a defect
                told["refused"] += 1
            if draw.random() < 0.7:
                seen[who] = self.studio.projects.state(project).revision
            self.check(project)
            if draw.random() < 0.5:
                page.ask(self.studio, shown, draw.choice([None, self.loops[0]]))
        self.check_page(page)

    def check_page(self, page):
        """What the page's own script makes of the answers is the whole, each time."""
        said = [{name: jsonable(s) for name, (s, _) in told.items()} for told in page.told]
        for told, made in zip(page.told, self.evaluate(PUT_TOGETHER, said), strict=True):
            for name, (_, whole) in told.items():
                self.assertEqual(without_own(made[name]), without_own(jsonable(whole)))

    def read(self, said):
        """As the server reads it; what the models refuse is answered there, too."""
        try:
            return asked.validate_python(said)
        except ValidationError as error:
            raise EditError(str(error)) from error

    def check(self, project):
        """It can be read, shown and played, and is what its edits make of its beginning."""
        held = self.studio.projects.state(project).project
        self.studio.projects._trees.clear()
        state = self.studio.projects.state(project)
        self.assertEqual(held, state.project)
        ShownProjects(self.studio).whole(state)
        for strand in state.project.strands:
            hand_slices_json(state.project, self.studio.hand(state.project, strand.id))
        sheet = self.studio.sheet(state.project)
        self.assertTrue(all(e.frames > 0 for e in sheet.events))
        revisions = RevisionStore(self.studio._engine)
        kept = revisions.head(project)
        edits = []
        while kept.edit:
            edits.append(edit_value(kept.edit))
            kept = revisions.revision(project, kept.parent)
        tree = self.studio.projects._tree(project, kept.number)
        for edit in reversed(edits):
            tree = edit.apply(tree)
        self.assertEqual(tree, state.project)


def jsonable(answer):
    return json.loads(json.dumps(answer, default=asdict))


def without_own(answer):
    """Without what belongs to one answer alone."""
    return {name: value for name, value in answer.items() if name not in ("token", "notes")}


if __name__ == "__main__":
    unittest.main()
