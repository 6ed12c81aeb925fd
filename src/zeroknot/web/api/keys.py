"""The song's key and what is in hand: notes inside and outside, shifts, clashes."""

from typing import Any

from fastapi import APIRouter

from zeroknot.core.harmony.clash import HEARD, Clash, pair_text
from zeroknot.core.harmony.key import NAMES
from zeroknot.document.project import Project
from zeroknot.studio.hand import Hand
from zeroknot.studio.key_view import OtherReading, seen_key
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep
from zeroknot.web.api.projects import AskTrial, AtBeat

router = APIRouter(prefix="/api")


@router.get("/projects/{project}/hand/{hand}/key")
def key_in_hand(studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0) -> answers.HandKey:
    """The notes in hand against the song's key."""
    tree = studio.projects.state(project).project
    told: answers.HandKey = hand_key_json(tree, studio.hand(tree, hand), beat)
    return told


@router.get("/projects/{project}/hand/{hand}/clash")
def clash_in_hand(studio: StudioDep, project: str, hand: str) -> answers.HandClash:
    """Bar by bar, how roughly what is in hand goes with what else plays."""
    tree = studio.projects.state(project).project
    return clash_of(studio, tree, studio.hand(tree, hand))


@router.post("/projects/{project}/hand/{hand}/clash/trial")
def try_clash(studio: StudioDep, project: str, hand: str, ask: AskTrial) -> answers.HandClash:
    """The same after an intent; nothing is kept."""
    tree = studio.projects.tried(project, ask.intent)
    return clash_of(studio, tree, studio.hand(tree, hand))


@router.get("/projects/{project}/hand/{hand}/clash/shifts")
def clash_by_shift(studio: StudioDep, project: str, hand: str) -> list[answers.ShiftClash]:
    """How roughly it would go with all that plays, for each shift on top of what it has."""
    tree = studio.projects.state(project).project
    found = studio.clashes.by_shift(tree, studio.hand(tree, hand))
    return [{"shift": n, "clash": value} for n, value in found.items()]


def clash_of(studio: StudioDep, tree: Project, hand: Hand) -> answers.HandClash:
    seen = studio.clashes.of(tree, hand)
    return {
        "first_bar": seen.first_bar,
        "count": seen.count,
        "left_out": seen.left_out,
        "heard": HEARD,
        "sentence": seen.sentence,
        "rows": [
            {"strand": row.strand, "name": row.name, "bars": [_bar(c) for c in row.bars]}
            for row in seen.rows
        ],
    }


def _bar(found: Clash | None) -> answers.BarClash | None:
    if found is None:
        return None
    return {"clash": found.value, "worst": pair_text(found.worst) if found.worst else ""}


def _other(reading: OtherReading) -> answers.OtherKey:
    return {"key": reading.key, "confidence": reading.confidence, "shift": reading.shift}


def hand_key_json(project: Project, hand: Hand, beat: float = 0.0) -> Any:
    """beat  of the project, whose key counts"""
    seen = seen_key(project, hand, beat)
    return {
        "names": list(NAMES),
        "profile": list(seen.profile),
        "key": str(seen.key) if seen.key else None,
        "weights": list(seen.key.weights) if seen.key else [1.0] * 12,
        "own": str(seen.own) if seen.own else None,
        "follows": hand.strand.in_key is not None,
        "prefers": hand.strand.in_key.prefers if hand.strand.in_key else "tonic",
        "along": hand.strand.in_key.along if hand.strand.in_key else False,
        "is_midi": hand.loop.is_midi,
        "outside": list(seen.outside),
        "asked": seen.asked,
        "shift": hand.strand.shift,
        "set_cents": hand.strand.cents,
        "shifted": seen.shifted,
        "shares": [{"shift": n, "inside": share} for n, share in seen.shares.items()],
        "proposed": seen.proposed,
        "rule_key": seen.rule.key if seen.rule else None,
        "by_key": seen.by_key,
        "leeway": seen.leeway,
        "anew": _other(seen.anew) if seen.anew else None,
        "others": [_other(o) for o in seen.others],
        "confidence": hand.loop.key_confidence,
        "key_from": hand.loop.key_from,
        "cents": seen.cents,
        "correction": seen.correction,
        "spool_cents": seen.spool_cents,
        "mending": seen.mending,
    }
