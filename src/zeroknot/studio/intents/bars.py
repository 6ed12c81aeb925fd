"""Whole bars of the song put in, taken out and said again, with all that goes by them."""

from collections.abc import Callable, Sequence
from typing import Literal, TypeVar

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.core.timeline.metre_map import MetreChange
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.desk import MOVABLE
from zeroknot.document.edits.any_edit import SingleEdit, Together
from zeroknot.document.edits.desk import MASTER, SetLine
from zeroknot.document.edits.groove import SetFeel
from zeroknot.document.edits.phrase import SetSections
from zeroknot.document.edits.time import SetKeys, SetMetres, SetTempo
from zeroknot.document.groove import FeelChange
from zeroknot.document.lines import with_bars_put_in, with_bars_repeated, with_bars_taken_out
from zeroknot.document.project import FARTHEST_BEAT, Clip, KeyChange, Project
from zeroknot.studio.hand import new_id
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.clips import pieces_of, replacing
from zeroknot.studio.known import Known

MOST_BARS = 512
_SLACK = 1e-6
V = TypeVar("V")


class DoBars(Intent):
    """Whole bars of the song: emptied ones put in before one, some taken out, some said again.

    bar    the first of them
    count  how many
    """

    kind: Literal["do_bars"] = "do_bars"
    what: Literal["insert", "remove", "repeat"]
    bar: int = Field(ge=1, le=100_000)
    count: int = Field(1, ge=1, le=MOST_BARS)

    def resolve(self, project: Project, known: Known) -> Resolved:
        metres = project.metre_map
        start, end = metres.beat_of_bar(self.bar), metres.beat_of_bar(self.bar + self.count)
        if self.what != "insert" and start >= project.end_beat - _SLACK:
            raise EditError(f"the song is over before bar {self.bar}")
        by = end - start if self.what != "remove" else start - end
        # Where what comes later is cut off from what stays.
        line = end if self.what == "repeat" else start
        cuts = (start,) if self.what == "insert" else (start, end)
        gone: list[str] = []
        made: list[Clip] = []
        for clip in project.clips:
            clips: list[Clip] = []
            for piece in pieces_of(project, clip, cuts):
                is_in = start - _SLACK <= piece.beat < end - _SLACK
                if self.what == "remove" and is_in:
                    continue
                is_later = piece.beat >= line - _SLACK
                clips.append(piece.changed(beat=piece.beat + by) if is_later else piece)
                if self.what == "repeat" and is_in:
                    clips.append(piece.changed(id=new_id(), beat=piece.beat + by))
            if clips != [clip]:  # what stays as it is is nobody's business
                gone.append(clip.id)
                made += clips
        if any(c.beat > FARTHEST_BEAT for c in made):
            raise EditError("the song would be too long")
        said = {"insert": "put in", "remove": "take out", "repeat": "repeat"}[self.what]
        what = f"{said} bar{'s' * (self.count > 1)} {self.bar}"
        if self.count > 1:
            what += f"–{self.bar + self.count - 1}"
        edits: list[SingleEdit] = [replacing(gone, made, what)] if gone else []
        edits += _time_moved(project, self.what, self.bar, self.count, start, end)
        edits += _lines_moved(project, self.what, start, end)
        if not edits:
            raise EditError("nothing comes after them")
        return Resolved(Together(edits=tuple(edits), what=what))


def _lines_moved(project: Project, what: str, start: float, end: float) -> list[SingleEdit]:
    """Lines stay with what they were drawn for."""
    owned = [(MASTER, line) for line in project.master_lines]
    owned += [(track.id, line) for track in project.tracks for line in track.lines]
    found: list[SingleEdit] = []
    for track, line in owned:
        in_octaves = MOVABLE[line.name].unit == "hz"
        if what == "insert":
            points = with_bars_put_in(line.points, start, end - start, in_octaves)
        elif what == "remove":
            points = with_bars_taken_out(line.points, start, end, in_octaves)
        else:
            points = with_bars_repeated(line.points, start, end, in_octaves)
        if points != line.points:
            found.append(SetLine(track=track, name=line.name, points=points))
    return found


def _time_moved(
    project: Project, what: str, bar: int, count: int, start: float, end: float
) -> list[SingleEdit]:
    """Tempo, metre, key and groove stay with what they were set for."""
    by_bars, by_beats = (count, end - start) if what != "remove" else (-count, start - end)
    last = bar + count if what != "insert" else bar
    line = end if what != "insert" else start
    found: list[SingleEdit] = []

    def moved(at: int) -> int | None:
        if at == 1:
            return at
        if what == "remove" and bar <= at < last:
            return None
        return at + by_bars if at >= last else at

    metres = _all_moved([(c.bar, c.metre) for c in project.metres], moved, bar)
    if tuple(metres) != tuple(c.bar for c in project.metres):
        found.append(SetMetres(changes=tuple(MetreChange(*one) for one in metres.items())))
    if project.keys:
        keys = _all_moved([(c.bar, c.key) for c in project.keys], moved, bar)
        found.append(SetKeys(changes=tuple(KeyChange(bar=at, key=k) for at, k in keys.items())))
    if project.feel:
        feel = _all_moved([(c.bar, c.groove) for c in project.feel], moved, bar)
        changes = tuple(FeelChange(bar=at, groove=groove) for at, groove in feel.items())
        found.append(SetFeel(changes=changes))
    if project.sections:
        sections = {s.bar: s for s in project.sections}
        kept_at = _all_moved(list(sections.items()), moved, bar)
        put = tuple(s.changed(bar=at) for at, s in kept_at.items())
        if put != project.sections:
            found.append(SetSections(sections=put))
    if len(project.tempo) > 1:
        points = [_tempo_moved(p, what, start, line, by_beats) for p in project.tempo]
        kept = {p.beat: p for p in points if p is not None}
        found.append(SetTempo(points=tuple(kept[beat] for beat in sorted(kept))))
    return found


def _all_moved(
    changes: Sequence[tuple[int, V]], moved: Callable[[int], int | None], bar: int
) -> dict[int, V]:
    """By bar; what is set inside what goes holds from there on, unless it is set anew."""
    kept = {new: value for at, value in changes if (new := moved(at)) is not None}
    inside = [value for at, value in changes if moved(at) is None]
    if inside and bar not in kept:
        kept[bar] = inside[-1]
    return dict(sorted(kept.items()))


def _tempo_moved(
    point: TempoPoint, what: str, start: float, line: float, by: float
) -> TempoPoint | None:
    beat = point.beat
    if beat > _SLACK and beat >= line - _SLACK:
        beat += by
    elif what == "remove" and start + _SLACK < beat < line:
        beat = start  # it holds from there on
    return TempoPoint(max(0.0, beat), point.bpm, point.shape, point.bend)
