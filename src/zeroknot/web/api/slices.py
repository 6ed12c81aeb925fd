"""Slices: how what is in hand is cut, and the order its pieces play in."""

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter

from zeroknot.document.project import Project
from zeroknot.studio.hand import Hand
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.projects import AtBeat

router = APIRouter(prefix="/api")


@router.get("/projects/{project}/hand/{hand}/slices")
def slices_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0
) -> answers.HandSlices:
    """Its pieces and the order they play in."""
    tree = studio.projects.state(project).project
    return hand_slices_json(tree, studio.hand(tree, hand))


@router.get("/projects/{project}/hand/{hand}/pads")
def pads_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0
) -> answers.HandPads:
    """Its pieces as pads play them: one render, and where in it each lies."""
    tree = studio.projects.state(project).project
    plan, pads = studio.pads(tree, hand, beat)
    return {
        "digest": plan.digest,
        "channels": plan.channels,
        "frames": plan.frames,
        "pads": list(pads),
    }


def hand_slices_json(project: Project, hand: Hand) -> Any:
    """Where it is cut, its pieces, the order they play in, and the deals there were."""
    strand, metre = hand.strand, project.metre_map.metre_at(1)
    warp, cut = strand.warp, strand.cut
    order = strand.order or strand.as_cut
    edges = [*cut.starts, warp.end.second] if cut else [warp.zero.second, warp.end.second]
    beats = [warp.beat_of_second(second) for second in edges]
    return {
        "is_cut": cut is not None,
        "edges": edges,
        "beats": beats,
        "pieces": [asdict(piece) for piece in cut.pieces] if cut else [],
        "order": {
            "beats": order.beats,
            "tiles": [asdict(tile) for tile in order.tiles] if cut else [],
            "is_own": strand.order is not None,
        },
        "dealt": [
            {
                "seed": d.deal.seed,
                "like": d.deal.like,
                "far": d.deal.far,
                "is_now": d.order == strand.order,
            }
            for d in strand.dealt
        ],
        "per_bar": metre.beats_per_bar,
        "pulse": metre.beats_per_pulse,
    }
