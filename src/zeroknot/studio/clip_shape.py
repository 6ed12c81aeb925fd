"""How loud is a clip from its beginning to its end? Fades, crossfades, its gain line, its gaps."""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from zeroknot.core.mixing.shape import PIECES, Corners, Curve, cut, fall, in_db, product, rise
from zeroknot.core.mixing.sheet import fades_within
from zeroknot.document.lines import LEAST_BEND, between
from zeroknot.document.project import Clip, Project
from zeroknot.document.strand import QUIETEST_DB
from zeroknot.studio.beside import Beside

GAP_SECONDS = 0.005  # over which it gives way and comes back
STEP_SECONDS = 0.003  # over which its line steps
EDGE_SECONDS = 0.02  # a straight fade no longer than that only keeps an edge from clicking


class Fade(NamedTuple):
    frames: int
    curve: Curve


@dataclass(frozen=True)
class ClipShape:
    """Frames count from the song frame `first`, where it begins to be heard.

    line     corners over all of it: all that is more than an edge
    edges    frames over which it comes and goes at its edges beside that, straight
    """

    first: int
    line: Corners
    edges: tuple[int, int]

    @classmethod
    def of(
        cls, project: Project, clip: Clip, beside: Beside, first: int, last: int
    ) -> "ClipShape":  # fmt: skip
        """first, last  song frames between which it is heard, with what leads to it and rings"""
        rate = project.rate
        comes, goes = (Fade(round(over.seconds * rate), over.curve) for over in beside[2:4])
        begins = Fade(round(clip.fade_in_ms * rate / 1000), clip.fade_in_curve)
        ends = Fade(round(clip.fade_out_ms * rate / 1000), clip.fade_out_curve)
        begins = Fade(0, "gain") if beside.before else comes if comes.frames else begins
        ends = Fade(0, "gain") if beside.behind else goes if goes.frames else ends
        lengths = fades_within(max(0, last - first), begins.frames, ends.frames)
        begins, ends = Fade(lengths[0], begins.curve), Fade(lengths[1], ends.curve)
        is_edge = [_is_edge(fade, rate) for fade in (begins, ends)]
        lines = [
            () if is_edge[0] else rise(0, *begins),
            () if is_edge[1] else fall(last - first, *ends),
            tuple((x - first, gain) for x, gain in _gaps(project, beside)),
            tuple((x - first, gain) for x, gain in gain_line(project, clip)),
        ]
        edges = begins.frames if is_edge[0] else 0, ends.frames if is_edge[1] else 0
        return cls(first, product(lines, max(1, last - first)), edges)

    def within(self, at: int, frames: int, begins: int, ends: int) -> tuple[int, int, Corners]:
        """Fades and shape from a song frame on, for so many frames.

        begins, ends  straight fades of its own there
        """
        fades = fades_within(frames, begins, ends)
        own = cut(self.line, at - self.first, frames)
        if not own:
            return *fades, ()
        edges = rise(0, fades[0], "gain"), fall(frames, fades[1], "gain")
        return 0, 0, product([own, *edges], frames)


def gain_line(project: Project, clip: Clip) -> Corners:
    """A clip's own line as corners on song frames; () where it has none."""
    origin, rate = clip.beat - clip.slip, project.rate
    tempo = project.tempo_map
    points: list[tuple[int, float]] = []
    for beat, db in _points(project, clip):
        at = tempo.frame_of_beat(origin + beat, rate)
        points.append((at if not points else max(at, points[-1][0] + 1), db))
    silent = 10 ** (QUIETEST_DB / 20) * 1.0001
    return tuple((x, 0.0 if gain <= silent else gain) for x, gain in in_db(points))


def _points(project: Project, clip: Clip) -> Iterator[tuple[float, float]]:
    """Beats from where its first pass begins, and dB."""
    origin = clip.beat - clip.slip
    for point, following in itertools.pairwise(clip.gain_line):
        yield point.beat, point.value
        if point.shape == "step":
            second = project.tempo_map.second_of_beat(origin + following.beat) - STEP_SECONDS
            yield max(point.beat, project.tempo_map.beat_of_second(second) - origin), point.value
        elif abs(point.bend) >= LEAST_BEND:
            for i in range(1, PIECES):
                beat = point.beat + (following.beat - point.beat) * i / PIECES
                yield beat, between(point, following, i / PIECES, False)
    if clip.gain_line:
        yield clip.gain_line[-1].beat, clip.gain_line[-1].value


def _gaps(project: Project, beside: Beside) -> Corners:
    """Silence between some beats, on song frames."""
    over = round(GAP_SECONDS * project.rate)
    frame_of = project.tempo_map.frame_of_beat
    corners: list[tuple[int, float]] = []
    for start, end in beside.gaps:
        a, b = frame_of(start, project.rate), frame_of(end, project.rate)
        if corners and a - over <= corners[-1][0]:  # not worth coming back for
            corners[-2:] = [(b - over, 0.0), (b, 1.0)]
        elif b - over > a:
            corners += [(a - over, 1.0), (a, 0.0), (b - over, 0.0), (b, 1.0)]
    return tuple(corners)


def _is_edge(fade: Fade, rate: int) -> bool:
    return fade.curve == "gain" and fade.frames <= EDGE_SECONDS * rate
