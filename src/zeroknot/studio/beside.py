"""What do clips have to do with those beside them, and with what another track plays?

Conventions
-----------
- Of two clips that meet on a track the later says how one goes over into the other (`cross_ms`):
  each plays past the border from its own recording, as far on both sides of it. Their bodies do
  not overlap.
- A clip of a track that gives way is silent where the other track plays: between the beats at
  which clips of that begin and end.
"""

import itertools
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from zeroknot.core.mixing.shape import Curve
from zeroknot.document.project import FADE_MS, Clip, Project, Track

SLACK = 1e-6  # beats


class Over(NamedTuple):
    """Seconds over which one clip goes over into another, and how."""

    seconds: float = 0.0
    curve: Curve = "power"


NOT_OVER = Over()


class Beside(NamedTuple):
    """before, behind  does the clip there go on as if both were one?
    comes, goes        over from the one before, into the one behind
    gaps               beats of the song between which it is silent
    """

    before: bool = False
    behind: bool = False
    comes: Over = NOT_OVER
    goes: Over = NOT_OVER
    gaps: tuple[tuple[float, float], ...] = ()


ALONE = Beside()


def beside(project: Project) -> dict[str, Beside]:
    """By clip; those that have nothing to do with others are not in it."""
    found: dict[str, Beside] = {}
    rows: dict[str, list[Clip]] = {}
    for clip in project.clips:
        if not clip.muted:
            rows.setdefault(clip.track, []).append(clip)
    for row in rows.values():
        row.sort(key=lambda c: c.beat)
        for clip, following in itertools.pairwise(row):
            one, other = found.get(clip.id, ALONE), ALONE
            if is_continued(project, clip, following):
                one, other = one._replace(behind=True), other._replace(before=True)
            elif over := over_between(project, clip, following):
                one, other = one._replace(goes=over), other._replace(comes=over)
            if one != ALONE:
                found[clip.id] = one
            if other != ALONE:
                found[following.id] = other
    for track in project.tracks:
        gaps = gaps_of(project, track, rows) if track.gives_way_to else ()
        for clip in rows.get(track.id, ()) if gaps else ():
            end = project.clip_end(clip)
            own = tuple((a, b) for a, b in gaps if a < end and b > clip.beat)
            if own:
                found[clip.id] = found.get(clip.id, ALONE)._replace(gaps=own)
    return found


def over_between(project: Project, clip: Clip, following: Clip) -> Over | None:
    """How one goes over into the next, as far as both have room; None where they do not."""
    end = project.clip_end(clip)
    if not following.cross_ms or abs(end - following.beat) > SLACK:
        return None
    second_of = project.tempo_map.second_of_beat
    room = second_of(end) - second_of(clip.beat)
    room = min(room, second_of(project.clip_end(following)) - second_of(following.beat))
    return Over(min(following.cross_ms / 1000.0, room), following.cross_curve)


def gaps_of(
    project: Project, track: Track, rows: Mapping[str, Sequence[Clip]]
) -> tuple[tuple[float, float], ...]:
    """Beats between which another track plays that this one gives way to.

    rows  clips that sound, by track and place
    """
    solo = any(t.solo for t in project.tracks)
    other = next((t for t in project.tracks if t.id == track.gives_way_to), None)
    if other is None or other.muted or (solo and not other.solo):
        return ()
    found: list[tuple[float, float]] = []
    for clip in rows.get(other.id, ()):
        start, end = clip.beat, project.clip_end(clip)
        if found and start <= found[-1][1] + SLACK:
            found[-1] = (found[-1][0], end)
        else:
            found.append((start, end))
    return tuple(found)


def is_continued(project: Project, clip: Clip, following: Clip) -> bool:
    """Does what one clip plays go on in another as if nothing lay between them?"""
    same = ("strand", "track", "shift", "gain_db", "muted", "reverse")
    if any(getattr(clip, name) != getattr(following, name) for name in same):
        return False
    if clip.fade_out_ms != FADE_MS or following.fade_in_ms != FADE_MS:
        return False  # somebody wants to hear a fade there
    if clip.is_whole and following.is_whole:
        return False  # placed one after the other, each begins with what leads to it
    if abs(project.clip_end(clip) - following.beat) > SLACK:
        return False
    strand = project.strand(clip.strand)
    later = clip.slip + following.beat - clip.beat - following.slip
    if (clip.gain_line or following.gain_line) and (
        clip.gain_line != following.gain_line or abs(later) > SLACK
    ):
        return False  # each has its own line
    if not strand.follows:  # its passes lie by where the first begins
        return abs(later) < SLACK
    turns = later / strand.round_beats
    return abs(turns - round(turns)) * strand.round_beats < SLACK
