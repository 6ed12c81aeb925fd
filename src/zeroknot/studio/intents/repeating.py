"""A clip, a piece of one or several of them, again and again."""

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.any_edit import Together
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.document.project import Clip, Project
from zeroknot.studio.intents.base import Intent, Resolved
from zeroknot.studio.intents.clips import MOST_PIECES, Clips, replacing
from zeroknot.studio.intents.placing import SAME_BEATS, copies_of
from zeroknot.studio.known import Known

MOST_TIMES = 4096
NEAR_BEATS = 1e-4  # that copies end to end may lie off


class RepeatClips(Intent):
    """A whole clip gets more passes; of a piece, or of several, there are copies end to end.

    to     as many as fit before the next clip on these tracks, or before the song's end
    times  or so many more; below 0 fewer
    """

    kind: Literal["repeat_clips"] = "repeat_clips"
    clips: tuple[str, ...] = Clips
    to: Literal["next", "end"] | None = None
    times: int = Field(1, ge=-MOST_TIMES, le=MOST_TIMES)

    def resolve(self, project: Project, known: Known) -> Resolved:
        clips = [project.clip(id_) for id_ in dict.fromkeys(self.clips)]
        whole = _whole_passes(project, clips[0]) if len(clips) == 1 else None
        if whole is not None:
            return Resolved(self._passes(project, clips[0], whole))
        run = _Run(project, clips)
        if self.to is None and self.times < 0:
            gone = run.copies[max(0, len(run.copies) + self.times) :]
            if not gone:
                raise EditError("no copy of it follows that could be taken away")
            ids = [c.id for copy in gone for c in copy]
            return Resolved(replacing(ids, (), f"repeat {len(gone)} × fewer"))
        count = self.times
        if self.to is not None:
            room = _limit(project, clips, self.to, run.end) - run.end
            count = math.floor(room / run.span + SAME_BEATS)
        if count < 1:
            raise EditError("not one more of it fits there")
        if count * len(clips) > MOST_PIECES:
            raise EditError(f"that would be {count * len(clips)} clips; repeat it fewer times")
        turns = range(len(run.copies) + 1, len(run.copies) + 1 + count)
        copies = copies_of(project, clips, (k * run.span for k in turns))
        return Resolved(Together(edits=copies, what=f"repeat {count} ×"))

    def _passes(self, project: Project, clip: Clip, now: int) -> ChangeClip:
        if self.to is None:
            passes = max(1, now + self.times)
        else:
            one = _pass_beats(project, clip)
            end = _limit(project, [clip], self.to, clip.beat + SAME_BEATS)
            passes = math.floor((end - clip.beat) / one + SAME_BEATS)
        if passes < 1:
            raise EditError("not one whole pass fits there")
        return ChangeClip(clip=clip.id, passes=passes)


def _pass_beats(project: Project, clip: Clip) -> float:
    return project.clip_length(clip.changed(passes=1, length=None, slip=0.0))


def _whole_passes(project: Project, clip: Clip) -> int | None:
    """How many passes it plays, all of each; None where it is a piece."""
    if clip.length is None:
        return clip.passes
    passes = clip.length / _pass_beats(project, clip)
    is_whole = round(passes) > 0 and abs(passes - round(passes)) < NEAR_BEATS
    return round(passes) if is_whole and clip.slip == 0.0 else None


class _Run:
    """Clips, and the copies of them that follow end to end already.

    span    beats from one to the next
    copies  those of each, in order
    end     beat on which the next would begin
    """

    def __init__(self, project: Project, clips: Sequence[Clip]):
        first = min(c.beat for c in clips)
        self.span = max(project.clip_end(c) for c in clips) - first
        known = {_what(c, c.beat): c for c in project.clips}
        self.copies: list[list[Clip]] = []
        while True:
            by = (len(self.copies) + 1) * self.span
            found = [known.get(_what(c, c.beat + by)) for c in clips]
            copy = [c for c in found if c is not None]
            if len(copy) < len(clips):
                break
            self.copies.append(copy)
        self.end = first + (len(self.copies) + 1) * self.span


def _what(clip: Clip, beat: float) -> tuple[int, Clip]:
    """What it plays, how, and where."""
    return round(beat / NEAR_BEATS), clip.changed(id="any", beat=0.0, phrase=None)


def _limit(
    project: Project, clips: Sequence[Clip], to: Literal["next", "end"], end: float
) -> float:
    """The beat that copies must not go beyond."""
    if to == "end":
        return project.end_beat
    tracks, own = {c.track for c in clips}, {c.id for c in clips}
    later = [
        c.beat for c in project.clips
        if c.track in tracks and c.id not in own and c.beat > end - SAME_BEATS
    ]  # fmt: skip
    if not later:
        raise EditError("no clip comes after it on its track; repeat it to the song's end")
    return min(later)
