"""How does a value become a row, and a row a value?"""

import json
import zlib
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.loop import Loop, Statement
from zeroknot.core.recipe.recipe import Recipe
from zeroknot.core.stretch.methods import NOTES
from zeroknot.store.tables import LoopRow

FACTS_VERSION = 1


def loop_row(loop: Loop) -> LoopRow:
    return LoopRow(
        sha=loop.sha,
        name=loop.name,
        set_name=loop.set_name,
        file_kind=loop.file_kind,
        seconds=loop.seconds,
        rate=loop.rate,
        channels=loop.channels,
        frames=loop.frames,
        claims=json.dumps(asdict(loop.claims)),
        heard=json.dumps({**asdict(loop.hearing), "file_warnings": loop.warnings}),
        listening_version=loop.hearing.version,
        stated=reading_text(loop.stated),
        recipe=recipe_text(loop.recipe),
        added_at=loop.added_at,
        on_shelf=loop.on_shelf,
        favourite=loop.favourite,
        tags=json.dumps(loop.tags),
        stated_key=loop.stated_key,
        stated_sound=loop.stated_sound,
    )


def loop_value(row: LoopRow) -> Loop:
    heard = json.loads(row.heard)
    return Loop(
        sha=row.sha,
        name=row.name,
        set_name=row.set_name,
        file_kind=row.file_kind,
        seconds=row.seconds,
        rate=row.rate,
        channels=row.channels,
        frames=row.frames,
        claims=claims_value(row.claims),
        hearing=Hearing.from_json(heard),
        warnings=tuple(heard.get("file_warnings", heard["warnings"])),
        stated=reading_value(row.stated) if row.stated else None,
        recipe=recipe_value(row.recipe),
        added_at=row.added_at,
        on_shelf=row.on_shelf,
        favourite=row.favourite,
        tags=tuple(json.loads(row.tags)),
        stated_key=row.stated_key,
        stated_sound=row.stated_sound,
    )


def facts_columns(loop: Loop, stamp: int) -> dict[str, Any]:
    """What the shelf goes by, from everything that is known of a loop: columns of `FactsRow`."""
    reading = loop.reading
    return dict(
        sha=loop.sha,
        stamp=stamp,
        version=FACTS_VERSION,
        on_shelf=loop.on_shelf,
        name=loop.name,
        set_name=loop.set_name,
        tags=json.dumps(loop.tags),
        file_kind=loop.file_kind,
        sound=loop.sound,
        key=loop.key,
        key_confidence=loop.key_confidence,
        is_key_stated=loop.stated_key is not None,
        bars=reading.bars if reading else None,
        beats_per_bar=reading.beats_per_bar if reading else None,
        tempo_bpm=reading.tempo_bpm if reading else None,
        body_s=reading.end_s - reading.downbeat_s if reading else None,
        confidence=reading.confidence if reading else 0.0,
        is_stated=loop.stated is not None,
        claimed_bpm=loop.claims.tempo_bpm,
        seconds=loop.seconds,
        rate=loop.rate,
        channels=loop.channels,
        loudness_db=loop.hearing.loudness_db,
        favourite=loop.favourite,
        is_print=loop.recipe is not None,
        warnings=json.dumps(loop.warnings),
        added_at=loop.added_at,
    )


def claims_value(text: str) -> Claims:
    claims = json.loads(text)
    return Claims(**{**claims, "sources": tuple(claims["sources"])})


def reading_value(text: str) -> Reading:
    return Reading(**json.loads(text))


def reading_text(reading: Reading | None) -> str | None:
    return json.dumps(asdict(reading)) if reading else None


def statement_text(statement: Statement | None) -> str | None:
    return json.dumps(asdict(statement)) if statement else None


def statement_value(text: str | None) -> Statement | None:
    if text is None:
        return None
    said = json.loads(text)
    before, after = (Reading(**said[k]) if said[k] else None for k in ("before", "after"))
    return Statement(said["loop"], before, after)


def recipe_text(recipe: Recipe | None) -> str | None:
    return json.dumps(asdict(recipe)) if recipe else None


def recipe_value(text: str | None) -> Recipe | None:
    if text is None:
        return None
    said = newest_recipe(json.loads(text))
    return Recipe(**said | {"parents": tuple(said["parents"])})


def newest_recipe(said: dict[str, Any]) -> dict[str, Any]:
    """A recipe as JSON holds it, in today's form.

    From before they had a kind they said less: their key was the project's, whatever the loop's,
    and is not believed.
    """
    if "crop_of" in said:
        rest = {name: value for name, value in said.items() if name != "crop_of"}
        return {"kind": "crop", "parents": [said["crop_of"]], "made_by": rest}
    if "kind" not in said:
        said = {"kind": "print", "parents": [_source_of(said["plan"])], "made_by": said}
    made_by = said["made_by"]
    if "plan" in made_by:
        said = {**said, "made_by": _with_run(made_by)}
    return said


def _source_of(plan: Mapping[str, Any]) -> str:
    """Of the first prints of all: of a pass, or of an order of its pieces."""
    return str(plan["source"] if "source" in plan else plan["sources"][0]["source"])


def _with_run(made_by: Mapping[str, Any]) -> dict[str, Any]:
    """What was printed before there were runs: the same plan, with what is its own."""
    plan = dict(made_by["plan"])
    plan["kind"] = (
        "order" if "voices" in plan else "notes" if plan.get("method") == NOTES.key else "pass"
    )
    strand = made_by.get("strand", {})
    run = {
        "plan": plan,
        "seam": made_by.get("seam", "wrap"),
        "with_lead": made_by.get("with_lead", False),
        "gain_db": strand.get("gain_db", 0.0),
    }
    rest = {n: v for n, v in made_by.items() if n not in ("plan", "seam", "with_lead")}
    return {**rest, "run": run}


def packed(text: str) -> bytes:
    return zlib.compress(text.encode())


def unpacked(data: bytes) -> str:
    return zlib.decompress(data).decode()
