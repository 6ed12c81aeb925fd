"""Which parts does a mix have? Its tracks, or its phrases and what is left of the tracks."""

from collections.abc import Iterator
from dataclasses import replace

from zeroknot.core.mixing.desk.strip import Strip
from zeroknot.core.render.desk_plan import DeskPlan, DeskTrack
from zeroknot.core.render.range_plan import RangePlan
from zeroknot.document.project import Project
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange, desk_plan

BARE = ("level_db", "muted", "pan")  # of a strip that does nothing else


def stem_plan(whole: DeskPlan, heard: tuple[str, ...] | None, parts: tuple[str, ...]) -> DeskPlan:
    """One part of a mix, before the master's strip."""
    keys = {s.key for s in whole.desk.strips if heard is None or s.id in heard}
    tracks = tuple(t for t in whole.tracks if heard is None or t.id in heard or t.id in keys)
    return replace(whole, tracks=tracks, heard=heard, parts=parts, whole=False)


def stems_of(
    project: Project, maker: SheetMaker, where: SongRange, whole: DeskPlan, bare: bool,
    by_phrase: bool,
) -> Iterator[tuple[str, DeskPlan]]:  # fmt: skip
    """Names and plans of the parts, each as long as the mix.

    bare       as they are before their effects: at their levels, without sends
    by_phrase  phrases, and of each track what belongs to none
    """
    if bare:
        strips = tuple(_bare(strip) for strip in whole.desk.strips)
        whole = replace(whole, desk=replace(whole.desk, strips=strips))
    clips = where.clips(project)
    if by_phrase:
        for phrase in project.phrases:
            own = frozenset(c.id for c in clips if c.phrase == phrase.id)
            if own:
                rows = tuple(dict.fromkeys(c.track for c in clips if c.id in own))
                yield phrase.name, _only(project, maker, where, whole, rows, own)
    for track in project.tracks:
        loose = frozenset(
            c.id for c in clips if c.track == track.id and not (by_phrase and c.phrase)
        )
        if not loose:
            continue
        if by_phrase:
            yield track.name, _only(project, maker, where, whole, (track.id,), loose)
        else:
            yield track.name, stem_plan(whole, (track.id,), ("dry",))


def _only(
    project: Project, maker: SheetMaker, where: SongRange, whole: DeskPlan,
    rows: tuple[str, ...], clips: frozenset[str],
) -> DeskPlan:  # fmt: skip
    """Some clips of some tracks. What a compressor goes by beside them is all there."""
    first, end = where.frames(project)
    part = desk_plan(project, maker, first, end, rows, only=clips)
    own = {t.id: t for t in part.tracks if t.id in rows}
    stem = stem_plan(whole, rows, ("dry",))
    return replace(stem, tracks=tuple(_with(t, own.get(t.id), t.id in rows) for t in stem.tracks))


def _with(track: DeskTrack, own: DeskTrack | None, is_meant: bool) -> DeskTrack:
    if not is_meant:
        return track
    if own is not None:
        return own
    nothing: RangePlan = replace(track.range, passes=(), placed=())
    return replace(track, range=nothing)


def _bare(strip: Strip) -> Strip:
    return Strip(
        strip.id,
        tuple((name, value) for name, value in strip.values if name in BARE),
        tuple((name, lane) for name, lane in strip.lanes if name in BARE),
    )
