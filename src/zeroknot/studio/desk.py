"""How does a project sound through its desk? Its tracks' strips, on song frames.

What is said in beats is worked out here, so that the core and the page run by the same numbers.
"""

import itertools
import math
from collections.abc import Iterator, Mapping
from functools import lru_cache

from zeroknot.core.mixing.desk.strip import Desk, EchoLine, Lane, RoomReturn, Strip
from zeroknot.core.slicing.piece import BUSES, Bus
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.document.desk import ON_STRIP, Line
from zeroknot.document.edits.desk import MASTER
from zeroknot.document.lines import LEAST_BEND, between
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand

CURVE_PARTS = 24  # straight ones of a bent line
ECHO_GRID_BEATS = 1 / 8  # at which an echo's time is told where the tempo moves


def desk_of_project(project: Project) -> Desk:
    """All of it, with who is silent because another is solo."""
    solo = any(t.solo for t in project.tracks)
    strips = tuple(
        Strip.of(
            track.id, track.sound, track.level_db, track.muted or (solo and not track.solo),
            _lanes(project, track.lines, solo and not track.solo),
        )
        for track in project.tracks
    )  # fmt: skip
    lanes = _lanes(project, project.master_lines, False)
    sending = senders(project)
    sends = (s.sending(bus) for s in strips for bus in BUSES if (s.id, bus) in sending)
    return Desk(
        (*strips, *sends),
        RoomReturn(project.room.size, project.room.level_db),
        _echo(project),
        Strip.of(MASTER, project.master_sound, project.master_db, lanes=lanes),
        project.ceiling_db,
    )


def senders(project: Project) -> frozenset[tuple[str, Bus]]:
    """Tracks with clips whose slices send something, and where to."""
    buses = {strand.id: sent_by(strand) for strand in project.strands if strand.cut is not None}
    if not any(buses.values()):
        return frozenset()
    return frozenset((c.track, bus) for c in project.clips for bus in buses.get(c.strand, ()))


def sent_by(strand: Strand) -> tuple[Bus, ...]:
    """Where slices of a strand send something."""
    pieces = strand.cut.all_pieces if strand.cut else ()
    return tuple(bus for bus in BUSES if any(piece.sends(bus) for piece in pieces))


def _lanes(project: Project, lines: tuple[Line, ...], is_out: bool) -> Mapping[str, Lane]:
    """is_out: another track is solo, whatever its own line says."""
    return {
        line.name: lane_of(line, project.tempo_map, project.rate)
        for line in lines
        if line.name in ON_STRIP and not (is_out and line.name == "muted")
    }


@lru_cache(maxsize=4096)
def lane_of(line: Line, tempo: TempoMap, rate: int) -> Lane:
    """A line's points on song frames; bent ones, and those over a ramp of the tempo, in parts."""
    in_octaves = line.name.endswith("_hz")
    points = [
        (tempo.frame_of_beat(beat, rate), math.log2(value) if in_octaves else value)
        for beat, value in _points(line, tempo)
    ]
    return tuple(points)


def _points(line: Line, tempo: TempoMap) -> Iterator[tuple[float, float]]:
    in_octaves = line.name.endswith("_hz")
    for point, following in itertools.pairwise(line.points):
        yield point.beat, point.value
        if point.shape == "step":
            yield following.beat, point.value
            continue
        is_straight = abs(point.bend) < LEAST_BEND
        if is_straight and tempo.is_steady_between(point.beat, following.beat):
            continue
        for i in range(1, CURVE_PARTS):
            share = i / CURVE_PARTS
            yield (
                point.beat + (following.beat - point.beat) * share,
                between(point, following, share, in_octaves),
            )
    yield line.points[-1].beat, line.points[-1].value


def _echo(project: Project) -> EchoLine:
    echo = project.echo
    return EchoLine(
        delay=echo_delay(project.tempo_map, project.rate, echo.beats),
        feedback=echo.feedback,
        low_cut_hz=echo.low_cut_hz,
        high_cut_hz=echo.high_cut_hz,
        crossed=echo.crossed,
        level_db=echo.level_db,
    )


@lru_cache(maxsize=64)
def echo_delay(tempo: TempoMap, rate: int, beats: float) -> Lane:
    """Frames back to where the song was so many beats ago, along the song."""
    last = tempo.points[-1].beat + beats
    breaks = {p.beat for p in tempo.points} | {p.beat + beats for p in tempo.points}
    grid = {i * ECHO_GRID_BEATS for i in range(math.ceil(last / ECHO_GRID_BEATS) + 1)}
    found: list[tuple[int, float]] = []
    for beat in sorted(breaks | grid):
        at = tempo.frame_of_beat(beat, rate)
        back = float(at - tempo.frame_of_beat(beat - beats, rate))
        # Whole frames may be one apart where the tempo is the same.
        if found and abs(found[-1][1] - back) <= 1.0:
            back = found[-1][1]
        if len(found) > 1 and found[-1][1] == found[-2][1] == back:
            found[-1] = (at, back)
        else:
            found.append((at, back))
    is_steady = all(back == found[0][1] for _, back in found)
    return tuple(found[:1] if is_steady else found)
