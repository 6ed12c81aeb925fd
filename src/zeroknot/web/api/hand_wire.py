"""What is in hand, as the Fit view and its loom need it."""

from dataclasses import asdict, replace
from typing import Any

import numpy as np

from zeroknot.core.errors import StretchError
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.beats import curve_of
from zeroknot.core.listening.counting import Proposal, follows
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Loop
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.stretch.auto import AUTO, Case
from zeroknot.core.stretch.methods import METHODS, NOTES, method_named
from zeroknot.core.stretch.settings import LIMITS, SHIFTED, STEEPEST_SHIFT
from zeroknot.core.stretch.strain import in_words, level_of, strain_along
from zeroknot.core.synth.voices import VOICES
from zeroknot.core.warp.straighten import tempo_over_time
from zeroknot.core.warp.time_map import MOST_RATIO
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand
from zeroknot.studio.hand import Hand, beats_of, pulses_heard
from zeroknot.studio.intents.readings import reading_of
from zeroknot.studio.intents.stretch import why_whole
from zeroknot.studio.placement import Placement
from zeroknot.web.api.wire import strand_json

SAME_SECONDS = 0.002
MOST_CURVE_POINTS = 300
MOST_STRAINS = 240


def hand_json(project: Project, hand: Hand, beat: float = 0.0) -> Any:
    """What is in hand, as the Fit view needs it.

    beat  of the project, whose tempo counts
    """
    loop, strand = hand.loop, hand.strand
    warp, reading = strand.warp, strand.reading
    metre = project.metre_map.metre_at(1)
    is_span = beats_of(reading, metre) if reading else strand.span
    shown = strand_json(project, strand, loop)
    placed = Placement.of(project, strand, loop, beat)
    plan, case, choice = _plan(placed), placed.case, placed.choice
    attacks = loop.hearing.attacks_at(SENSITIVITY)
    return {
        **shown,
        "hand": hand.shelved if hand.is_new else strand.id,
        "shelved": hand.shelved,
        "is_print": strand.printed is not None or bool(loop.recipe and loop.recipe.run),
        "is_made_again": strand.printed is not None,
        "is_new": hand.is_new,
        "loop_name": loop.name,
        "channels": loop.channels,
        "file_kind": loop.file_kind,
        "source_rate": loop.rate,
        "is_stated": loop.stated is not None,
        "once_beats": is_span,
        "bars": reading.bars if reading else None,
        "beats_per_bar": reading.beats_per_bar if reading else metre.pulses_per_bar,
        "tempo_bpm": reading.pulses * 60.0 / warp.body_seconds if reading else None,
        "confidence": reading.confidence if reading else 0.0,
        **_laid(project, strand, beat),
        "strained": _strain(project, strand, plan, case),
        "attacks": [list(a) for a in loop.hearing.attacks],
        "sensitivity": SENSITIVITY,
        "beats": list(loop.hearing.beats),
        "sounding": list(loop.hearing.sounding),
        "is_by_hand": strand.by_hand,
        "fastened": [list(s) for s in strand.fastened],
        "straighten": _straighten(strand),
        "has_groove": strand.groove is not None,
        "steadiness": _steadiness(project, strand, loop),
        "own_time": _own_time(project, strand, beat),
        "key": loop.key,
        "key_from": loop.key_from,
        "heard_key": asdict(loop.hearing.key),
        "sound": loop.sound,
        "warnings": list(loop.warnings),
        "claims": {k: v for k, v in asdict(loop.claims).items() if v not in (None, ())},
        "readings": _readings(project, hand),
        "proposals": proposals_json(follows(reading_of(project, strand), attacks)),
        "methods": _methods(loop, plan, case),
        "voices": [{"key": v.key, "name": v.name} for v in VOICES.values()],
        "voice": choice.settings.voice,
        "shifted": plan.semitones if plan else 0.0,
        "parts_sounding": plan.parts if plan else "whole",
        "why_whole": why_whole(loop),
        "limits": {
            **{name: list(limits) for name, limits in LIMITS.items()},
            "shift": [-STEEPEST_SHIFT, STEEPEST_SHIFT],
            "crossfade_ms": [0.0, LONGEST_CROSSFADE_MS],
        },
        "chosen": {
            "method": choice.method, "name": method_named(choice.method).name,
            "why": placed.why_chosen,
        },
    }  # fmt: skip


def proposals_json(proposals: tuple[Proposal, ...]) -> Any:
    """What may be meant, in words, and the intent it would be."""
    return [{"words": p.words, "intent": {"kind": "state_reading", **p.given}} for p in proposals]


def _laid(project: Project, strand: Strand, beat: float) -> dict[str, Any]:
    """Where everything lies.

    knots       (second, beat of the project's grid, 1 where it is of the straighten layer)
    beat_share  times a strand's own beat is a beat of the grid; 1 where it follows the project
    pace        fewest and most beats a second that can be rendered
    most_ratio  how many times as long or short a stretch may be
    """
    ties = {t.second for t in strand.straighten.ties} if strand.straighten else set()
    share = 1.0
    low = high = project.tempo_map.bpm_at(beat)
    if strand.follows:
        inside = project.tempo_map.breaks_between(beat, beat + strand.span)
        tempos = [project.tempo_map.bpm_at(b) for b in (beat, *inside, beat + strand.span)]
        low, high = min(tempos), max(tempos)
    else:
        share = project.tempo_map.bpm_at(beat) / strand.own_bpm
    return {
        "knots": [
            [k.second, k.beat * share, int(k.second in ties)] for k in strand.tied.warp.knots
        ],
        "beat_share": share,
        "pace": [high / 60.0 / MOST_RATIO, low / 60.0 * MOST_RATIO],
        "most_ratio": MOST_RATIO,
    }


def _methods(loop: Loop, plan: RenderPlan | None, case: Case) -> list[dict[str, Any]]:
    """Ways to choose from, with what each would strain; what is done to notes is not chosen."""
    auto = {"key": AUTO, "name": "Auto", "family": "keep", "about": "chooses by the sound",
            "uses": sorted(SHIFTED), "shifts": True, "strain": None}  # fmt: skip
    if loop.is_midi:
        auto |= {"name": NOTES.name, "about": NOTES.about, "uses": sorted(NOTES.uses)}
        return [auto]
    found = [auto]
    for m in METHODS.values():
        strain = None
        if plan and m.family == "keep":
            strain = strain_along(plan.time_map, plan.rate, case, m.key).mean
        found.append(
            {"key": m.key, "name": m.name, "family": m.family, "about": m.about,
             "uses": sorted(m.uses), "shifts": m.shifts, "strain": strain}
        )  # fmt: skip
    return found


def _strain(
    project: Project, strand: Strand, plan: RenderPlan | None, case: Case
) -> dict[str, Any] | None:
    """How audibly it is stretched and shifted; None where likeness is not what is wanted.

    along  (second of the recording from which, strain, how it is heard as an index into WORDS)
    """
    if plan is None or method_named(plan.method).family != "keep":
        return None
    found = strain_along(plan.time_map, plan.rate, case, plan.method)
    seconds = plan.time_map.source_of(found.frames[:-1])
    most = int(np.argmax(found.values))
    bars = project.metre_map.position(strand.warp.beat_of_second(float(seconds[most])))
    edges = np.unique(np.linspace(0, seconds.size, MOST_STRAINS + 1).astype(int))[:-1]
    values = np.maximum.reduceat(found.values, edges)
    return {
        "mean": found.mean,
        "most": float(found.values[most]),
        "most_at": f"{bars.bar}.{bars.pulse}",
        "words": in_words(found.mean),
        "along": [[s, v, level_of(v)] for s, v in zip(seconds[edges], values, strict=True)],
    }


def _plan(placed: Placement) -> RenderPlan | None:
    """What would be rendered; None where the project's tempo is too far from the loop's for it.

    Fit opens all the same: that is where it is mended.
    """
    try:
        return placed.plan
    except StretchError:
        return None


def _straighten(strand: Strand) -> dict[str, Any] | None:
    layer = strand.straighten
    if layer is None:
        return None
    return {"every": layer.every, "amount": layer.amount, "ties": len(layer.ties)}


def _own_time(project: Project, strand: Strand, beat: float) -> dict[str, float] | None:
    """How far a strand that keeps its own time is off the grid; None where it follows.

    beats  of the project's grid that a pass lasts
    late   beats by which a pass ends late; negative where it ends early
    """
    if strand.follows:
        return None
    beats = strand.span * project.tempo_map.bpm_at(beat) / strand.own_bpm
    whole = (
        max(1.0, round(beats / strand.span)) * strand.span
        if beats > strand.span
        else (strand.span / max(1.0, round(strand.span / beats)))
    )
    return {"beats": beats, "late": beats - whole}


def _readings(project: Project, hand: Hand) -> list[dict[str, Any]]:
    """What the loop may be: the person's own first where it is none of the others (index −1)."""
    strand, loop = hand.strand, hand.loop
    warp, metre = strand.warp, project.metre_map.metre_at(1)
    own = strand.reading
    share = strand.span / (beats_of(own, metre) if own else strand.span)
    heard = len(loop.hearing.readings)

    def entry(index: int, reading: Reading, source: str, adopted: bool) -> dict[str, Any]:
        seconds = beats_of(reading, metre) * share * 60.0 / project.tempo_map.bpm_at(0.0)
        ratio = seconds / (reading.end_s - reading.downbeat_s)
        return {
            **asdict(reading), "index": index, "source": source, "adopted": adopted,
            "duration_ratio": ratio,
        }  # fmt: skip

    def holds(reading: Reading) -> bool:
        return bool(
            own
            and (reading.bars, reading.beats_per_bar) == (own.bars, own.beats_per_bar)
            and abs(reading.downbeat_s - warp.zero.second) < SAME_SECONDS
            and abs(reading.end_s - warp.end.second) < SAME_SECONDS
        )

    found = [
        entry(i, r, "heard" if i < heard else "claimed", holds(r))
        for i, r in enumerate(loop.readings)
    ]
    if own and not any(e["adopted"] for e in found):
        mine = replace(own, downbeat_s=warp.zero.second, end_s=warp.end.second)
        found.insert(0, entry(-1, mine, "stated", True))
    return found


def _steadiness(project: Project, strand: Strand, loop: Loop) -> dict[str, Any] | None:
    """How the tempo moves over the beats, as played and as laid; None where there are few."""
    heard = pulses_heard(strand, loop)
    heard = heard[(heard > strand.warp.zero.second - 0.1) & (heard < strand.warp.end.second + 0.1)]
    curve = curve_of(heard)
    over = tempo_over_time(strand.warp, heard, project.tempo_map.bpm_at(0.0))
    if curve is None or over is None or heard.size < 4:
        return None
    kept = np.unique(np.linspace(0, heard.size - 1, MOST_CURVE_POINTS).astype(int))
    return {
        "lowest_bpm": float(curve.bpm.min()),
        "highest_bpm": float(curve.bpm.max()),
        "deviation_bpm": curve.deviation_bpm,
        "drift_percent": 100.0 * curve.drift,
        "mean_bpm": curve.mean_bpm,
        "curve": [[heard[i], curve.bpm[i], over.after[i]] for i in kept],
        "after_deviation_bpm": float(over.after.std()),
        "after_mean_bpm": float(over.after.mean()),
    }
