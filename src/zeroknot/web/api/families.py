"""A loop's family: who belongs to it, how each was made, and what is other in another."""

import itertools
from typing import Annotated

from fastapi import APIRouter, Query, Response

from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.loop import Loop
from zeroknot.core.units import gain_of_db
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.studio.family import Member
from zeroknot.studio.hand import in_hand
from zeroknot.studio.placement import Placement
from zeroknot.studio.studio import Studio
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.projects import AtBeat, header_name

router = APIRouter(prefix="/api")
MOST_TICKS = 64


@router.get("/projects/{project}/family/{of}")
def family(studio: StudioDep, project: str, of: str) -> answers.Family:
    """Everybody of it, parents before their children, with their hits round a circle."""
    tree = studio.projects.state(project).project
    members = studio.families.of(tree, of)
    loops = studio.loops.named(m.id for m in members if m.kind != "grown")
    sources = {tree.offshoot(m.id).strand.loop for m in members if m.kind == "grown"}
    known = loops | studio.loops.named(sources)
    return {"members": [_member(tree, m, known) for m in members]}


@router.get("/projects/{project}/hand/{hand}/recipe")
def recipe(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0,
    other: Annotated[str | None, Query(max_length=80)] = None,
) -> answers.ShownRecipe:  # fmt: skip
    """How it is made, step by step, and what is otherwise in another.

    other  hash of a loop, or id of a strand or an offshoot
    """
    tree = studio.projects.state(project).project
    strand, steps = studio.families.steps(tree, hand)
    loop = studio.loops.get(strand.loop)
    placed = Placement.of(tree, strand, loop, beat)
    why = placed.why_silent
    unlike = studio.families.unlike(tree, hand, other) if other else ()
    return {
        "steps": [{"view": s.view, "title": s.title, "said": s.said} for s in steps],
        "beats": strand.round_beats,
        "bpm": round(placed.bpm, 3) if strand.follows else round(strand.own_bpm, 2),
        "frames": 0 if why else placed.heard.body_frames,
        "why_silent": why,
        "of": loop.name,
        "unlike": list(unlike),
    }


@router.get("/projects/{project}/hand/{hand}/recipe.json")
def recipe_file(studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0) -> Response:
    """The recipe as a text to hand on."""
    tree = studio.projects.state(project).project
    written = studio.prints.recipe(tree, hand, beat)
    name = header_name(written.name)
    return Response(
        written.text,
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="{name} recipe.json"'},
    )


def family_start(studio: Studio, project: Project, of: str) -> str:
    """The name that a view on a family begins with: the one in hand, as its family knows it."""
    members = studio.families.of(project, of)
    ids = {m.id for m in members}
    if of in ids or not members:
        return of
    strand = in_hand(project, studio.loops, of).strand
    known = (strand.printed, strand.loop)
    return next((sha for sha in known if sha in ids), members[0].id)


def _member(project: Project, member: Member, loops: dict[str, Loop]) -> answers.FamilyMember:
    if member.kind == "grown":
        strand = project.offshoot(member.id).strand
        yarn, ticks = strand.yarn, _ticks_of(strand, loops[strand.loop])
    else:
        loop = loops[member.id]
        yarn, ticks = int(member.id[:4], 16) % 8, _ticks(loop)
    return {
        "id": member.id,
        "kind": member.kind,
        "name": member.name,
        "parents": list(member.parents),
        "said": member.said,
        "seed": member.seed,
        "favourite": member.favourite,
        "on_shelf": member.on_shelf,
        "yarn": yarn,
        "ticks": ticks,
    }


def _ticks(loop: Loop) -> list[tuple[float, float]]:
    """Where round a pass its hits are, and how strong, 0…1 each."""
    reading = loop.reading
    start, end = (reading.downbeat_s, reading.end_s) if reading else (0.0, loop.seconds)
    return _spread(
        [
            ((second - start) / (end - start), strength)
            for second, strength, sure in loop.hearing.attacks
            if sure >= 1.0 - SENSITIVITY and start <= second < end
        ]
    )


def _ticks_of(strand: Strand, loop: Loop) -> list[tuple[float, float]]:
    """The same of what its pieces play."""
    hits = [(s, strength) for s, strength, sure in loop.hearing.attacks if sure >= 1 - SENSITIVITY]
    order = strand.played
    if order is None:
        warp = strand.warp
        return _spread([(warp.beat_of_second(s) / warp.span, strength) for s, strength in hits])
    cut = strand.cut
    starts = (*cut.starts, strand.warp.end.second) if cut else ()
    strengths = [
        max((st for s, st in hits if a - 0.02 <= s < b - 0.02), default=0.1)
        for a, b in itertools.pairwise(starts)
    ]
    found = []
    for tile in order.tiles:
        if tile.muted:
            continue
        own = strengths[tile.piece] if tile.piece < len(strengths) else 0.5
        for hit in range(tile.hits):
            place = (tile.beat + tile.beats * hit / tile.hits) / order.beats
            found.append((place, own * gain_of_db(tile.level_of(hit))))
    return _spread(found)


def _spread(hits: list[tuple[float, float]]) -> list[tuple[float, float]]:
    inside = [(place, level) for place, level in hits if 0.0 <= place < 1.0]
    strongest = sorted(inside, key=lambda h: -h[1])[:MOST_TICKS]
    most = max((level for _, level in strongest), default=1.0) or 1.0
    return [(round(place, 4), round(min(1.0, level / most), 2)) for place, level in strongest]
