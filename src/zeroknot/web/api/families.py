"""A loop's family: who belongs to it, how each was made, and what is other in another."""

import itertools
from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.ticks import strongest, ticks_of
from zeroknot.core.loop import Loop
from zeroknot.core.units import gain_of_db
from zeroknot.document.project import Project
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.store.shelf_query import By
from zeroknot.store.shelf_query import Query as ShelfQuery
from zeroknot.studio.family import Member
from zeroknot.studio.hand import LONGEST_HAND
from zeroknot.studio.likenesses import Like
from zeroknot.studio.placement import Placement
from zeroknot.studio.studio import Studio
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.keeping import AskToComeBack, newly_kept
from zeroknot.web.api.projects import AtBeat, header_name

router = APIRouter(prefix="/api")
MOST_RANKED = 128


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
    other: Annotated[str | None, Query(max_length=LONGEST_HAND)] = None,
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


class AskWay(BaseModel):
    name: str = Field("", max_length=LONGEST_NAME)


@router.get("/ways")
def ways(studio: StudioDep) -> list[answers.KeptWay]:
    """Ways of working that are kept."""
    return [{"id": way.id, "name": way.name} for way in studio.ways.all()]


@router.get("/ways/{way}")
def way_text(studio: StudioDep, way: str) -> Response:
    """The recipe of one."""
    return Response(studio.ways.text(way), media_type="application/json")


@router.post("/projects/{project}/hand/{hand}/way", status_code=201)
def keep_way(studio: StudioDep, project: str, hand: str, ask: AskWay) -> answers.NewlyKept:
    """Keep how it is made, to be done to other loops."""
    return newly_kept(studio.keep_way(project, hand, ask.name))


@router.delete("/ways/{way}", status_code=204)
def forget_way(studio: StudioDep, way: str) -> None:
    studio.ways.forget(way)
    studio.announcer.say("ways")


@router.post("/ways/{way}/back", status_code=204)
def bring_back_way(studio: StudioDep, way: str, ask: AskToComeBack) -> None:
    studio.ways.bring_back(way, ask.instead_of)
    studio.announcer.say("ways")


@router.get("/projects/{project}/hand/{hand}/like")
def like(
    studio: StudioDep, project: str, hand: str, by: By = "all",
    count: Annotated[int, Query(ge=1, le=100)] = 10,
) -> answers.Likes:  # fmt: skip
    """What on the shelf is most like what is in hand."""
    tree = studio.projects.state(project).project
    shas = studio.shelf.among(ShelfQuery())
    found, waiting = studio.likenesses.nearest(tree, hand, by, count, shas)
    return _likes(studio, found, waiting)


@router.get("/projects/{project}/fits")
def fits(
    studio: StudioDep, project: str, beat: AtBeat = 0.0,
    count: Annotated[int, Query(ge=1, le=100)] = 10,
    without: Annotated[str, Query(max_length=LONGEST_HAND)] = "",
) -> answers.Likes:  # fmt: skip
    """What on the shelf goes with what plays at a beat, a strand left out."""
    tree = studio.projects.state(project).project
    shas = studio.shelf.among(ShelfQuery())
    if without and any(s.id == without for s in tree.strands):
        shas -= {tree.strand(without).loop}
    found, waiting = studio.likenesses.fitting(tree, beat, count, shas, without)
    return _likes(studio, found, waiting)


@router.get("/projects/{project}/family/{of}/ranks")
def ranks(studio: StudioDep, project: str, of: str, beat: AtBeat = 0.0) -> answers.Ranks:
    """How each that was grown goes with what plays, and how unlike it is to the one asked of."""
    tree = studio.projects.state(project).project
    names = [m.id for m in studio.families.of(tree, of) if m.kind == "grown"][:MOST_RANKED]
    found = studio.likenesses.ranked(tree, names, beat, of)
    told: list[answers.Rank] = [
        {"id": id_, "fit": round(r.fit.score, 3), "unlike": round(r.unlike, 3), "said": r.fit.said}
        for id_, r in found.items()
    ]
    return {"ranks": told}


def _likes(studio: Studio, found: list[Like], waiting: int) -> answers.Likes:
    loops = studio.loops.named(f.sha for f in found)
    rows: list[answers.LikeRow] = [
        {"sha": f.sha, "name": loops[f.sha].name, "alike": round(f.alike, 3), "why": f.why}
        for f in found
        if f.sha in loops
    ]
    return {"rows": rows, "waiting": waiting}


def _member(project: Project, member: Member, loops: dict[str, Loop]) -> answers.FamilyMember:
    if member.kind == "grown":
        strand = project.offshoot(member.id).strand
        yarn, ticks = strand.yarn, _ticks_of(strand, loops[strand.loop])
    else:
        loop = loops[member.id]
        yarn, ticks = project.dye_of(member.id), ticks_of(loop)
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


def _ticks_of(strand: Strand, loop: Loop) -> list[tuple[float, float]]:
    """The same of what its pieces play."""
    hits = [(s, strength) for s, strength, sure in loop.hearing.attacks if sure >= 1 - SENSITIVITY]
    order = strand.played
    if order is None:
        warp = strand.warp
        return strongest([(warp.beat_of_second(s) / warp.span, strength) for s, strength in hits])
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
    return strongest(found)
