"""How do values travel to the browser? As plain JSON, everything computed that it would need."""

import itertools
import json
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from zeroknot.core.harmony.fit import shift_between
from zeroknot.core.loop import Loop
from zeroknot.core.stretch.strain import in_words, level_of
from zeroknot.core.timeline.tempo_map import FASTEST_BPM, SLOWEST_BPM
from zeroknot.core.units import semitones_of_ratio
from zeroknot.document.project import Clip, Project
from zeroknot.document.strand import Strand, yarn_of
from zeroknot.store.shelf_index import Found
from zeroknot.store.shelf_query import LOWEST_BPM, TEMPO_BIN_BPM, Facts
from zeroknot.studio.hand import quarters_of
from zeroknot.studio.in_key import key_shift
from zeroknot.studio.likenesses import Like
from zeroknot.studio.placement import Placement
from zeroknot.studio.projects import State
from zeroknot.studio.sounding import sounding_of
from zeroknot.web.api.groove_wire import feel_json

LINE_POINTS = 24  # of a ramp
MOST_SHAPE = 65
UNHEARD_TEMPO = 0.0005  # of a tempo: nobody is asked about so little


def project_json(state: State) -> dict[str, Any]:
    """A project as every view needs it, its tracks, strands and clips aside."""
    project = state.project
    metre = project.metre_map.metre_at(1)
    return {
        "id": project.id,
        "revision": state.revision,
        "moves": state.moves,
        "undo": state.undo,
        "redo": state.redo,
        "notes": list(state.notes),
        "name": project.name,
        "rate": project.rate,
        "bpm": project.tempo_map.bpm_at(0.0),
        "tempos": tempos_json(project),
        "tempo_line": tempo_line(project),
        "metre": str(metre),
        "metres": metres_json(project),
        "offer": _offer(project),
        "beats_per_bar": metre.beats_per_bar,
        "beats_per_pulse": metre.beats_per_pulse,
        "key": project.key,
        "keys": keys_json(project),
        "a4_hz": project.a4_hz,
        "master_db": project.master_db,
        "last_bar": project.last_bar,
        "end_beat": project.end_beat,
        "master_sound": asdict(project.master_sound),
        "master_lines": [line.model_dump() for line in project.master_lines],
        "ceiling_db": project.ceiling_db,
        "room": project.room.model_dump(),
        "echo": project.echo.model_dump(),
        "phrases": [p.model_dump() for p in project.phrases],
        "sections": [s.model_dump() for s in project.sections],
        "feel": feel_json(project),
        "coil": [slot.model_dump() for slot in project.coil],
    }


def clip_json(project: Project, clip: Clip) -> dict[str, Any]:
    """A clip with what is worked out of it, what becomes of it at its place aside."""
    return {
        **dict(clip),
        "gain_line": [point.model_dump() for point in clip.gain_line],
        "beats": project.clip_length(clip),
        "pass_beats": _pass_beats(project, clip),
        "is_whole": clip.is_whole,
        "bar": project.metre_map.bar_of_beat(clip.beat),
        "place": str(project.metre_map.position(clip.beat)),
    }


def place_json(placed: Placement) -> dict[str, Any]:
    """What becomes of a pass at its place; `trouble`: why it is silent though nobody muted it."""
    return {
        "trouble": placed.why_silent,
        "duration_ratio": placed.case.ratio,
        **strain_json(placed.strain),
    }


def strain_json(strain: float | None) -> dict[str, Any]:
    """How audibly something is stretched and shifted; None where likeness is not wanted."""
    return {
        "strain": strain,
        "strain_level": None if strain is None else level_of(strain),
        "strain_words": None if strain is None else in_words(strain),
    }


def _offer(project: Project) -> dict[str, Any] | None:
    """The first loop's tempo where the project's was never decided and is another."""
    if project.tempo_settled or len(project.strands) != 1:
        return None
    strand = project.strands[0]
    bpm = strand.own_bpm
    is_same = abs(bpm / project.tempo_map.bpm_at(0.0) - 1.0) < UNHEARD_TEMPO
    if strand.reading is None or is_same or not SLOWEST_BPM <= bpm <= FASTEST_BPM:
        return None
    return {"strand": strand.id, "name": strand.name, "bpm": bpm}


def metres_json(project: Project) -> list[dict[str, Any]]:
    """Where each metre begins, for whoever draws or counts bars."""
    return [
        {
            "bar": change.bar,
            "beat": project.metre_map.beat_of_bar(change.bar),
            "metre": str(change.metre),
            "beats_per_bar": change.metre.beats_per_bar,
            "beats_per_pulse": change.metre.beats_per_pulse,
        }
        for change in project.metres
    ]


def tempos_json(project: Project) -> list[dict[str, Any]]:
    """The points of the tempo map with the places they stand at."""
    return [
        {**asdict(point), "place": str(project.metre_map.position(point.beat))}
        for point in project.tempo
    ]


def keys_json(project: Project) -> list[dict[str, Any]]:
    """The song's keys, with how far what follows them moves from the first."""
    found = zip(project.keys, project.key_map.changes, strict=True)
    return [
        {"bar": change.bar, "beat": beat, "key": change.key,
         "moved": project.key_map.moved_at(beat)}
        for change, (beat, _) in found
    ]  # fmt: skip


def tempo_line(project: Project) -> list[tuple[float, float]]:
    """(beat, BPM) along the tempo map: straight between them; steps have two at one beat."""
    line = []
    points = project.tempo
    for a, b in itertools.pairwise(points):
        if a.shape == "step" or a.bpm == b.bpm:
            line += [(a.beat, a.bpm), (b.beat, a.bpm)]
            continue
        for beat in np.linspace(a.beat, b.beat, LINE_POINTS, endpoint=False):
            line.append((float(beat), project.tempo_map.bpm_at(float(beat))))
        line.append((b.beat, b.bpm))
    return [*line, (points[-1].beat, points[-1].bpm)]


def strand_json(project: Project, strand: Strand, loop: Loop) -> dict[str, Any]:
    warp, placed = strand.warp, Placement.of(project, strand, loop)
    lead_from, tail_to = sounding_of(strand, loop)
    fitted_seconds = strand.span * 60.0 / placed.bpm if strand.follows else warp.body_seconds
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
        "crossfade_ms": strand.crossfade_ms,
        "follows": strand.follows,
        "method": strand.method,
        "parts": strand.parts,
        "shift": strand.shift,
        "cents": strand.cents,
        "follows_key": strand.in_key is not None,
        "key_shift": key_shift(project, strand, 0.0),
        "settings": asdict(strand.settings),
        "gain_db": strand.gain_db,
        "opens": bool(loop.recipe and "parts" in loop.recipe.made_by),
        "duration_ratio": fitted_seconds / warp.body_seconds,
        "tempo_change_percent": 100.0 * (speed - 1.0),
        "spool_semitones": semitones_of_ratio(speed),
        "recorded_bpm": warp.span * 60.0 / warp.body_seconds,
        "seconds": loop.seconds,
        "shape": _shape(strand),
        "lead_beats": max(0.0, -warp.beat_of_second(lead_from)),
        "tail_beats": max(0.0, warp.beat_of_second(tail_to) - warp.span),
        **strain_json(placed.strain),
    }


def _shape(strand: Strand) -> list[tuple[float, float]]:
    """(second, beat) of its knots, as many as a small picture of it needs."""
    knots = strand.warp.knots
    kept = np.unique(np.linspace(0, len(knots) - 1, MOST_SHAPE).astype(int))
    return [(knots[i].second, knots[i].beat) for i in kept]


def _pass_beats(project: Project, clip: Clip) -> float:
    """Beats of the project that the clip's first pass lasts."""
    strand = project.strand(clip.strand)
    if strand.follows:
        return strand.span
    one = clip.changed(beat=max(0.0, clip.beat - clip.slip), passes=1, length=None)
    return project.length_of(one, strand)


def found_json(
    found: Found, project: Project | None, first: int, near: Mapping[str, Like] | None = None,
    waiting: int = 0,
) -> Any:  # fmt: skip
    """A page of the shelf, and how much there is of everything.

    near     how near each is to what was asked for, by hash
    waiting  loops that nobody has listened to for that yet
    """
    facets = asdict(found.facets)
    return {
        "total": found.total,
        "first": first,
        "rows": [row_json(row, project) | _near((near or {}).get(row.sha)) for row in found.rows],
        "waiting": waiting,
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


def _near(like: Like | None) -> dict[str, Any]:
    return {"alike": round(like.alike, 3) if like else None, "why": like.why if like else ""}


def loop_json(loop: Loop) -> Any:
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
        "is_print": loop.recipe is not None,
        "opens": bool(loop.recipe and "parts" in loop.recipe.made_by),
        "is_stated": loop.stated is not None,
        "key_from": loop.key_from,
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
        "yarn": project.dye_of(row.sha) if project else yarn_of(row.sha),
        "duration_ratio": ratio,
        "shift": shift,
        "warnings": json.loads(row.warnings),
    }
