"""Grooves, and what one does to the hits in hand, as the Groove view needs them."""

from collections.abc import Iterable
from typing import Any

from zeroknot.core.groove.groove import GRIDS, REACH, Groove, Step, swing_ratio
from zeroknot.core.groove.hit import REGISTERS
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.document.groove import KeptGroove, LaidGroove
from zeroknot.document.project import Project
from zeroknot.store.grooves import ShelvedGroove
from zeroknot.studio.groove_view import SeenGroove, SeenHit, seen_groove
from zeroknot.studio.hand import Hand

SWUNG = 1.02  # times as long as the second: under that nobody calls it swing


def groove_json(groove: Groove) -> dict[str, Any]:
    """A groove with its steps: offset as a share of a step, accent in dB, spread, hits."""
    ratio = swing_ratio(groove) if len(groove.steps) > 1 else 1.0
    return {
        "name": groove.name,
        "origin": groove.origin,
        "per_beat": groove.per_beat,
        "grid": GRIDS[groove.per_beat],
        "beats": groove.beats,
        "swing_percent": 100.0 * ratio / (1.0 + ratio) if ratio > SWUNG else None,
        "steps": _steps(groove.steps),
        "rows": {register: _steps(groove.of(register)) for register in groove.registers},
        "hits": len(groove.played),
    }


def kept_json(kept: Iterable[KeptGroove | ShelvedGroove]) -> Any:
    """Those that a project keeps, or the shelf."""
    return [{"id": one.id, **groove_json(one.groove)} for one in kept]


def feel_json(project: Project) -> list[dict[str, Any]]:
    """The song's groove, bar by bar where it changes."""
    return [
        {
            "bar": change.bar,
            "groove": change.groove,
            "name": project.kept_groove(change.groove).groove.name if change.groove else None,
        }
        for change in project.feel
    ]


def hand_groove_json(project: Project, hand: Hand, beat: float = 0.0) -> Any:
    """What is laid over what is in hand, and every hit before and after.

    beat  of the project, whose tempo and groove count
    """
    seen = seen_groove(project, hand, beat)
    return {
        "laid": _laid(project, hand.strand.groove, beat),
        "hits": [_hit(hit) for hit in seen.hits],
        "span": hand.strand.span,
        "bpm": project.tempo_map.bpm_at(beat) if hand.strand.follows else hand.strand.own_bpm,
        "before_ms": seen.before_ms,
        "after_ms": seen.after_ms,
        "farthest": _farthest(project, seen),
        "left_out": seen.left_out,
        "held": seen.held,
        "sensitivity": seen.sensitivity,
        "grids": [
            {"per_beat": g.per_beat, "name": GRIDS[g.per_beat], "error_beats": g.error_beats,
             "left_out": g.left_out}
            for g in seen.grids
        ],
        "reach": REACH,
        "usual_sensitivity": SENSITIVITY,
    }  # fmt: skip


def _laid(project: Project, laid: LaidGroove | None, beat: float) -> dict[str, Any] | None:
    if laid is None:
        return None
    groove = laid.groove
    if groove is None:
        at = project.song_feel.change_at(beat)
        groove = project.song_feel.changes[at][1] if at >= 0 else None
    return {
        "groove": groove_json(groove) if groove else None,
        "kept": laid.kept if any(k.id == laid.kept for k in project.grooves) else None,
        "follows": laid.follows,
        "timing": laid.timing,
        "accents": laid.accents,
        "reach": laid.reach,
        "registers": list(laid.registers),
        "apart": laid.apart,
        "keeps_lengths": laid.keeps_lengths,
    }


def _hit(seen: SeenHit) -> dict[str, Any]:
    move = seen.move
    return {
        "second": move.second,
        "before": move.before,
        "after": move.after,
        "target": move.target,
        "strength": move.hit.strength,
        "register": REGISTERS.index(move.hit.register),
        "own_db": move.own_db,
        "gain_db": move.gain_db,
        "held": move.held,
        "leans": move.leans,
        "moved_ms": seen.moved_ms,
        "off_before_ms": seen.off_before_ms,
        "off_after_ms": seen.off_after_ms,
        "noticed": seen.is_noticed,
    }


def _farthest(project: Project, seen: SeenGroove) -> dict[str, Any] | None:
    if seen.farthest is None:
        return None
    place = project.metre_map.position(max(0.0, seen.farthest.move.before))
    return {"ms": seen.farthest.moved_ms, "place": str(place)}


def _steps(steps: tuple[Step, ...]) -> list[tuple[float, float, float, int]]:
    return [(s.offset, s.accent_db, s.spread, s.hits) for s in steps]
