"""What does the song's key ask of a strand at a beat?"""

from zeroknot.core.harmony.degrees import degrees_kept
from zeroknot.core.harmony.fit import interval
from zeroknot.document.project import Project
from zeroknot.document.strand import Strand


def key_shift(project: Project, strand: Strand, beat: float) -> int:
    """Semitones that the song's key asks of a strand at a beat."""
    asked = strand.in_key
    if asked is None:
        return 0
    if asked.along and asked.own and project.keys:
        first = project.key_map.changes[0][1]
        return interval(asked.own, first) + project.key_map.moved_at(beat)
    return project.key_map.shift_at(beat, asked.profile, asked.own, asked.prefers, asked.leeway)


def by_degrees(project: Project, strand: Strand, beat: float) -> tuple[int, ...]:
    """What notes move beside the shift so that they keep their degree; () where they need not."""
    asked, key = strand.in_key, project.key_map.key_at(beat)
    if asked is None or not asked.along or asked.own is None or key is None:
        return ()
    kept = degrees_kept(asked.own, key)
    return kept if any(kept) else ()
