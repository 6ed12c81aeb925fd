"""Answers are what their types say, no field more or fewer: what no type names is not sent."""

import types
import typing

from typing_extensions import get_type_hints, is_typeddict

from tests.web.helper import WebTest
from zeroknot.store.shelf_query import Query
from zeroknot.web.api import answers
from zeroknot.web.api.groove_wire import hand_groove_json
from zeroknot.web.api.hand_wire import hand_json
from zeroknot.web.api.shown import ShownProjects
from zeroknot.web.api.wire import found_json, loop_json


class TypesTest(WebTest):
    def compare(self, type_, value, place):
        """Field by field, through lists and what may be None."""
        origin, inner = typing.get_origin(type_), typing.get_args(type_)
        if is_typeddict(type_):
            hints = get_type_hints(type_, include_extras=True)
            wanted = set(type_.__required_keys__)
            self.assertLessEqual(wanted, set(value), place)
            self.assertLessEqual(set(value), set(hints), place)
            for name, one in value.items():
                self.compare(hints[name], one, f"{place}.{name}")
        elif origin is list:
            for one in value[:20]:
                self.compare(inner[0], one, f"{place}[]")
        elif origin is dict:
            for one in list(value.values())[:5]:
                self.compare(inner[1], one, f"{place}{{}}")
        elif origin in (typing.Union, types.UnionType) and value is not None:
            for part in inner:
                if is_typeddict(part):
                    self.compare(part, value, place)

    def test_what_is_made_is_what_is_typed(self):
        sha, project = self.loop(), self.project()
        self.intent(project, kind="place", hand=sha, beat=0)
        self.intent(project, kind="straighten", hand=sha, every=1, unit="beats")
        self.intent(project, kind="make_swing", percent=60, per_beat=4)
        self.intent(project, kind="take_groove", hand=sha, bars=1)
        self.intent(project, kind="lay_over", hand=sha, per_beat=4)
        studio = self.client.app.state.studio
        made = studio.projects.state(project).project.grooves[0].id
        self.intent(project, kind="set_song_groove", bar=3, groove=made)
        state = studio.projects.state(project)
        tree = state.project
        found = studio.shelf.find(Query(), tree, 0, 10)
        for type_, made in (
            (answers.ProjectState, ShownProjects(studio).whole(state)),
            (answers.Sheet, studio.play_sheet(tree, sha)),
            (answers.HandSheet, studio.hand_sheet(tree, sha, 0.0)),
            (answers.Hand, hand_json(tree, studio.hand(tree, sha))),
            (answers.HandGroove, hand_groove_json(tree, studio.hand(tree, sha))),
            (answers.Found, found_json(found, tree, 0)),
            (answers.KnownLoop, loop_json(studio.shelf.loop(sha))),
        ):
            with self.subTest(type_.__name__):
                self.compare(type_, made, type_.__name__)

    def test_every_answer_has_a_type(self):
        """An answer that nobody has typed is unknown to the scripts, too."""
        described = self.client.app.openapi()
        for path, methods in described["paths"].items():
            if not path.startswith("/api/"):
                continue
            for method, operation in methods.items():
                for status, answer in operation["responses"].items():
                    schema = answer.get("content", {}).get("application/json", {}).get("schema")
                    with self.subTest(f"{method} {path}"):
                        if status.startswith("2") and schema:
                            self.assertFalse(schema.get("additionalProperties") is True, schema)
                            for one in schema.get("anyOf", [schema]):
                                self.assertTrue({"$ref", "items", "type"} & set(one), schema)
