"""How are trees and edits kept, so that what was written once is read for ever?

Each carries the number of the schema it was written in: `{"schema": 1, …}`; what has none is of
schema 1. `UPGRADES` leads from each number to the next. An upgrade is pure, knows JSON alone and is
never changed again; the models know the newest schema alone. Stored files of every schema are kept
as tests.
"""

import json
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from zeroknot.core.errors import FormatError
from zeroknot.document.difference import difference, with_difference
from zeroknot.document.edits.any_edit import any_edit
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand

Upgrade = Callable[[dict[str, Any]], dict[str, Any]]

SCHEMA = 10


def _shift_of_a_strand(strand: dict[str, Any]) -> dict[str, Any]:
    """1 to 2: the shift is the strand's, no setting of its stretch. Once it was all of these."""
    settings = dict(strand.get("settings", {}))
    rest = {name: value for name, value in strand.items() if name != "semitones"}
    shift = settings.pop("semitones", strand.get("semitones", 0.0))
    return {**rest, "shift": shift, "settings": settings}


def _tree_2(tree: dict[str, Any]) -> dict[str, Any]:
    return {**tree, "strands": [_shift_of_a_strand(s) for s in tree.get("strands", ())]}


def _edit_2(edit: dict[str, Any]) -> dict[str, Any]:
    if "edits" in edit:
        return {**edit, "edits": [_edit_2(part) for part in edit["edits"]]}
    if isinstance(edit.get("strand"), dict):
        return {**edit, "strand": _shift_of_a_strand(edit["strand"])}
    return edit


# From a schema's number to the next: for trees and for edits. From 2 on each only added what is
# none by itself (grooves; which parts of a recording are heard; slices, notes, the coil; slices
# that are held, offshoots; the desk; phrases, sections; how far a known key stands, which is as far
# as it was where nothing says so; how exactly hits are known, which is wholly where nothing says
# so), so there is nothing to do.
TREE_UPGRADES: Mapping[int, Upgrade] = {1: _tree_2}
EDIT_UPGRADES: Mapping[int, Upgrade] = {1: _edit_2}

NOBODY = "recipe"  # id of a strand that is in no project

HEAD = f'{{"schema":{SCHEMA},'


def tree_text(project: Project, indent: int | None = None) -> str:
    return _headed(project.model_dump_json(indent=indent))


def edit_text(edit: Edit) -> str:
    return _headed(edit.model_dump_json())


def tree_value(text: str | bytes) -> Project:
    """Raises ValidationError where it is no project, FormatError where a later version wrote it."""
    return Project.model_validate_json(newest(text, TREE_UPGRADES))


def change_text(old: Project, new: Project) -> str:
    """What is other in a later tree; read together with the earlier one's text."""
    return json.dumps(difference(old, new))


def tree_after(text: str, changes: Sequence[str]) -> Project:
    """The tree that differences lead to from an earlier one, all of one schema.

    Raises as `tree_value`.
    """
    if not changes:
        return tree_value(text)
    said = json.loads(text)
    for change in changes:
        said = with_difference(said, json.loads(change))
    return tree_value(json.dumps(said, separators=(",", ":")))


def strand_told(strand: Strand) -> dict[str, Any]:
    """A strand by itself as JSON, for a recipe: without what only its project knows it by.

    `strand_value` reads it.
    """
    plain = strand.changed(id=NOBODY, printed=None, yarn=0, rounds=())
    return {"schema": SCHEMA, **plain.model_dump(mode="json")}


def strand_value(told: Mapping[str, Any]) -> Strand:
    """Raises ValidationError where it is no strand, FormatError where a later version wrote it."""
    rest = {name: value for name, value in told.items() if name != "schema"}
    schema = told.get("schema", SCHEMA if "shift" in rest else 1)
    if not isinstance(schema, int) or schema > SCHEMA:
        raise FormatError("a later version of the application wrote this recipe")
    return Strand.model_validate(rest if schema > 1 else _shift_of_a_strand(rest))


def edit_value(text: str) -> Edit:
    """Raises as `tree_value`."""
    return any_edit.validate_json(newest(text, EDIT_UPGRADES))


def newest(text: str | bytes, upgrades: Mapping[int, Upgrade], schema: int = SCHEMA) -> str | bytes:
    """The same in the newest schema, without its number.

    Raises FormatError where the number is not one that is known.
    """
    if isinstance(text, str) and text.startswith(HEAD) and schema == SCHEMA:
        return "{" + text[len(HEAD) :]
    try:
        said = json.loads(text)
    except (ValueError, RecursionError):
        return text  # whoever reads it says what is wrong
    if not isinstance(said, dict):
        return text
    number = said.pop("schema", 1)
    if type(number) is not int or number < 1:
        raise FormatError(f"{number!r} is not the number of a schema; the project is damaged")
    if number > schema:
        raise FormatError("a later version of this application wrote it; bring that up to date")
    for step in range(number, schema):
        said = upgrades[step](said) if step in upgrades else said
    return json.dumps(said)


def _headed(text: str) -> str:
    return HEAD + text[1:]
