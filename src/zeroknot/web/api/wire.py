"""How do values travel to the browser? As plain JSON, everything computed that it would need."""

import json
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from zeroknot.core.harmony.fit import shift_between
from zeroknot.core.listening.attacks import SENSITIVITY
from zeroknot.core.listening.beats import curve_of
from zeroknot.core.listening.reading import Reading
from zeroknot.core.loop import Loop
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import METHODS, NOTES, method_named
from zeroknot.core.stretch.settings import LIMITS, SHIFTED
from zeroknot.core.stretch.strain import in_words, strain_along
from zeroknot.core.synth.voices import VOICES
from zeroknot.core.units import semitones_of_ratio
from zeroknot.document.project import Project, Strand
from zeroknot.store.shelf_index import Found
from zeroknot.store.shelf_query import LOWEST_BPM, TEMPO_BIN_BPM, Facts
from zeroknot.studio.hand import Hand, beats_of, case_of, plan_at, quarters_of, stretch_of
from zeroknot.studio.projects import State
from zeroknot.studio.studio import Studio

SAME_SECONDS = 0.002
MOST_CURVE_POINTS = 300


def state_json(studio: Studio, state: State) -> dict[str, Any]:
    """A project as every view needs it: bar lines and clip ends worked out."""
    project = state.project
    loops = studio.loops.named(project.loops())
    metre = project.metre_map.metre_at(1)
    return {
        "id": project.id,
        "revision": state.revision,
        "undo": state.undo,
        "redo": state.redo,
        "notes": list(state.notes),
        "name": project.name,
        "rate": project.rate,
        "bpm": project.tempo_map.bpm_at(0.0),
        "tempo_points": len(project.tempo),
        "metre": str(metre),
        "beats_per_bar": metre.beats_per_bar,
        "beats_per_pulse": metre.beats_per_pulse,
        "key": project.key,
        "master_db": project.master_db,
        "last_bar": project.last_bar,
        "end_beat": project.end_beat,
        "tracks": [t.model_dump() for t in project.tracks],
        "strands": [_strand_json(project, s, loops[s.loop]) for s in project.strands],
        "clips": [
            {
                **c.model_dump(),
                "beats": project.clip_length(c),
                "is_whole": c.is_whole,
                "bar": project.metre_map.bar_of_beat(c.beat),
                "place": str(project.metre_map.position(c.beat)),
            }
            for c in project.clips
        ],
    }


def _strand_json(project: Project, strand: Strand, loop: Loop) -> dict[str, Any]:
    warp = strand.warp
    project_bpm = project.tempo_map.bpm_at(0.0)
    fitted_seconds = strand.span * 60.0 / project_bpm
    speed = warp.body_seconds / fitted_seconds
    return {
        "id": strand.id,
        "name": strand.name,
        "loop": strand.loop,
        "yarn": strand.yarn,
        "span": strand.span,
        "zero_s": warp.zero.second,
        "end_s": warp.end.second,
        "lead": strand.lead,
        "method": strand.method,
        "settings": asdict(strand.settings),
        "gain_db": strand.gain_db,
        "duration_ratio": fitted_seconds / warp.body_seconds,
        "tempo_change_percent": 100.0 * (speed - 1.0),
        "spool_semitones": semitones_of_ratio(speed),
        "recorded_bpm": warp.span * 60.0 / warp.body_seconds,
        "seconds": loop.seconds,
    }


def hand_json(studio: Studio, project: Project, hand: Hand) -> dict[str, Any]:
    """What is in hand, as the Fit view needs it."""
    loop, strand = hand.loop, hand.strand
    warp, reading = strand.warp, strand.reading
    metre = project.metre_map.metre_at(1)
    is_span = beats_of(reading, metre) if reading else strand.span
    shown = _strand_json(project, strand, loop)
    return {
        **shown,
        "hand": loop.sha if hand.is_new else strand.id,
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
        "knots": [[k.second, k.beat] for k in warp.knots],
        "attacks": [list(a) for a in loop.hearing.attacks],
        "sensitivity": SENSITIVITY,
        "beats": list(loop.hearing.beats),
        "sounding": list(loop.hearing.sounding),
        "steadiness": _steadiness(loop),
        "key": asdict(loop.hearing.key),
        "sound": asdict(loop.hearing.sound),
        "warnings": list(loop.warnings),
        "claims": {k: v for k, v in asdict(loop.claims).items() if v not in (None, ())},
        "readings": _readings(project, hand),
        "methods": _methods(loop),
        "voices": [{"key": v.key, "name": v.name} for v in VOICES.values()],
        "voice": stretch_of(project, strand, loop, 0.0).settings.voice,
        "limits": {name: list(limits) for name, limits in LIMITS.items()},
        "chosen": _chosen(project, strand, loop),
        "strain": _strain(project, strand, loop),
    }  # fmt: skip


def _methods(loop: Loop) -> list[dict[str, Any]]:
    """Ways to choose from; what is done to notes is not chosen."""
    auto = {"key": AUTO, "name": "Auto", "family": "keep", "about": "chooses by the sound",
            "uses": sorted(SHIFTED)}  # fmt: skip
    if loop.is_midi:
        auto |= {"name": NOTES.name, "about": NOTES.about, "uses": sorted(NOTES.uses)}
        return [auto]
    return [
        auto,
        *(
            {"key": m.key, "name": m.name, "family": m.family, "about": m.about,
             "uses": sorted(m.uses)}
            for m in METHODS.values()
        ),
    ]  # fmt: skip


def _chosen(project: Project, strand: Strand, loop: Loop) -> dict[str, str]:
    choice = stretch_of(project, strand, loop, 0.0)
    return {"method": choice.method, "name": method_named(choice.method).name, "why": choice.why}


def _strain(project: Project, strand: Strand, loop: Loop) -> dict[str, Any] | None:
    """How audibly it is stretched and shifted; None where likeness is not what is wanted."""
    plan = plan_at(project, strand, loop, 0.0)
    if method_named(plan.method).family != "keep":
        return None
    found = strain_along(plan.time_map, plan.rate, case_of(project, strand, loop, 0.0), plan.method)
    return {"mean": found.mean, "most": float(found.values.max()), "words": in_words(found.mean)}


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


def _steadiness(loop: Loop) -> dict[str, Any] | None:
    """How the tempo moves over the beats that were heard; None where there are hardly any."""
    curve = curve_of(np.asarray(loop.hearing.beats))
    if curve is None or curve.seconds.size < 4:
        return None
    kept = np.unique(np.linspace(0, curve.seconds.size - 1, MOST_CURVE_POINTS).astype(int))
    return {
        "lowest_bpm": float(curve.bpm.min()),
        "highest_bpm": float(curve.bpm.max()),
        "deviation_bpm": curve.deviation_bpm,
        "drift_percent": 100.0 * curve.drift,
        "mean_bpm": curve.mean_bpm,
        "curve": [[s, b] for s, b in zip(curve.seconds[kept], curve.bpm[kept], strict=True)],
    }


def found_json(found: Found, project: Project | None, first: int) -> dict[str, Any]:
    """A page of the shelf, and how much there is of everything."""
    facets = asdict(found.facets)
    return {
        "total": found.total,
        "first": first,
        "rows": [row_json(row, project) for row in found.rows],
        "facets": {
            **facets,
            # As lists, largest first: a JSON object has no order to rely on.
            **{
                name: [{"value": value, "count": count} for value, count in facets[name].items()]
                for name in ("kinds", "sounds", "keys", "sets", "tags", "bars")
            },
            "tempo_from": LOWEST_BPM,
            "tempo_step": TEMPO_BIN_BPM,
        },
    }


def loop_json(loop: Loop) -> dict[str, Any]:
    """A loop with everything that it may be."""
    best, heard = loop.reading, len(loop.hearing.readings)
    return {
        "sha": loop.sha,
        "name": loop.name,
        "set": loop.set_name,
        "tags": list(loop.tags),
        "seconds": loop.seconds,
        "file_kind": loop.file_kind,
        "sound": loop.sound,
        "heard_sound": asdict(loop.hearing.sound),
        "key": loop.key,
        "heard_key": asdict(loop.hearing.key),
        "is_stated": loop.stated is not None,
        "is_key_stated": loop.stated_key is not None,
        "is_sound_stated": loop.stated_sound is not None,
        "claims": {k: v for k, v in asdict(loop.claims).items() if v not in (None, ())},
        "warnings": list(loop.warnings),
        "reading": asdict(best) if best else None,
        "readings": [
            {
                **asdict(r),
                "index": i,
                "source": "heard" if i < heard else "claimed",
                "adopted": r == best,
            }
            for i, r in enumerate(loop.readings)
        ],
    }


def row_json(row: Facts, project: Project | None) -> dict[str, Any]:
    """A line of the shelf."""
    ratio = shift = None
    if project and row.bars and row.beats_per_bar and row.body_s:
        beats = quarters_of(
            row.bars * row.beats_per_bar, row.beats_per_bar, project.metre_map.metre_at(1)
        )
        ratio = beats * 60.0 / project.tempo_map.bpm_at(0.0) / row.body_s
    if project and project.key and row.key:
        shift = shift_between(row.key, project.key)
    return {
        "sha": row.sha,
        "stamp": row.stamp,
        "name": row.name,
        "set": row.set_name,
        "tags": json.loads(row.tags),
        "file_kind": row.file_kind,
        "seconds": row.seconds,
        "channels": row.channels,
        "rate": row.rate,
        "bars": row.bars,
        "beats_per_bar": row.beats_per_bar,
        "tempo_bpm": row.tempo_bpm,
        "confidence": row.confidence,
        "is_stated": row.is_stated,
        "claimed_bpm": row.claimed_bpm,
        "key": row.key,
        "key_confidence": row.key_confidence,
        "is_key_stated": row.is_key_stated,
        "sound": row.sound,
        "is_print": row.is_print,
        "favourite": row.favourite,
        "duration_ratio": ratio,
        "shift": shift,
        "warnings": json.loads(row.warnings),
    }
