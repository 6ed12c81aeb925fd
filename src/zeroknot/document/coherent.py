"""Does a whole tree hold together? Asked of what comes from outside; edits keep it so."""

import itertools
from collections.abc import Iterable

from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.harmony.key import Key
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import METHODS
from zeroknot.document.edits.coil import SetCoil
from zeroknot.document.edits.phrase import SetSections
from zeroknot.document.edits.slices import refuse_unknown_pieces
from zeroknot.document.project import Project

RATES = (44_100, 48_000, 88_200, 96_000)  # frames a second that a project may have


def coherent(project: Project) -> Project:
    """The project itself. Raises FormatError where a page could not show or play it."""
    if project.rate not in RATES:
        raise FormatError(f"a project has no rate of {project.rate} Hz")
    for parts in (
        project.tracks, project.strands, project.clips, project.grooves, project.offshoots,
        project.phrases,
    ):  # fmt: skip
        _refuse_doubles(part.id for part in parts)
    try:
        for change in project.keys:
            Key.parse(change.key)
        for strand in (*project.strands, *(o.strand for o in project.offshoots)):
            if strand.method not in (AUTO, *METHODS):
                raise FormatError(f"there is no stretch method {strand.method!r} here")
            _ = strand.warp, strand.paces, strand.played
            refuse_unknown_pieces(strand.cut, strand.order, strand.name)
        _ = project.song_feel, project.key_map
        if any(a.bar >= b.bar for a, b in itertools.pairwise(project.keys)):
            raise FormatError("the song's keys do not come one after another")
        if any(a.bar >= b.bar for a, b in itertools.pairwise(project.feel)):
            raise FormatError("the song's grooves do not come one after another")
        for track in project.tracks:
            for other in (track.sound.listens_to, track.gives_way_to):
                if other is not None:
                    project.track(other)
        for line in (*project.master_lines, *(one for t in project.tracks for one in t.lines)):
            line.refuse_outside()
        for clip in project.clips:
            project.track(clip.track)
            project.strand(clip.strand)
        SetSections(sections=project.sections).apply(project)
        SetCoil(slots=project.coil, what="").apply(project)
        _ = project.metre_map.position(project.end_beat), project.last_bar
    except (ZeroKnotError, ArithmeticError, ValueError, StopIteration) as error:
        raise FormatError(f"the project does not hold together: {error}") from error
    return project


def _refuse_doubles(ids: Iterable[str]) -> None:
    known: set[str] = set()
    for id_ in ids:
        if id_ in known:
            raise FormatError(f"two parts of the project are called {id_!r}")
        known.add(id_)
