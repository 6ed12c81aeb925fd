"""Where do a song's tracks fight below 150 Hz? Measured in the background, told in sentences."""

from dataclasses import replace
from pathlib import Path
from typing import Any

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.fights import Fight, fights_of, said_bars
from zeroknot.core.mixing.desk.strip import owner_of
from zeroknot.core.render.any_plan import plan_of_text
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.document.project import Project
from zeroknot.store.jobs import Job
from zeroknot.store.loops import LoopStore
from zeroknot.studio.ahead import Ahead
from zeroknot.studio.executors import Executors
from zeroknot.studio.jobs import Jobs, Progress
from zeroknot.studio.sheets import SheetMaker
from zeroknot.studio.song_range import SongRange, desk_plan, refuse_too_long

LOW_END = "low end"


def without_sends(plan: DeskPlan) -> DeskPlan:
    """Its tracks alone: what slices send beside them is heard by way of room and echo."""
    strips = tuple(s for s in plan.desk.strips if not s.is_send)
    tracks = tuple(t for t in plan.tracks if owner_of(t.id) == t.id)
    return replace(plan, desk=replace(plan.desk, strips=strips), tracks=tracks)


class LowEnds:
    def __init__(self, folder: Path, loops: LoopStore, executors: Executors, jobs: Jobs):
        self._folder, self._loops = folder, loops
        self._executors, self._jobs = executors, jobs
        jobs.learn(LOW_END, self._measure)

    def begin(self, project: Project, id_: str | None = None) -> Job:
        """Measure the whole song in the background. Raises EditError where nothing sounds."""
        metres, frame_of = project.metre_map, project.tempo_map.frame_of_beat
        whole = SongRange(0.0, metres.beat_of_bar(project.last_bar + 1))
        refuse_too_long(project, whole)
        maker = SheetMaker(project, self._loops.named(project.loops()))
        plan = without_sends(desk_plan(project, maker, *whole.frames(project)))
        if len(plan.tracks) < 2:
            raise EditError("it takes two tracks that sound to fight for the low end")
        bars = range(1, project.last_bar + 2)
        arguments = {
            "plan": plan.text,
            "lines": [frame_of(metres.beat_of_bar(bar), project.rate) for bar in bars],
            "names": {t.id: t.name for t in project.tracks},
        }
        return self._jobs.begin(LOW_END, f"low end of {project.name}", arguments, id_)

    def _measure(self, job: Job, progress: Progress) -> dict[str, Any]:
        plan = plan_of_text(job.arguments["plan"])
        assert isinstance(plan, DeskPlan)
        names = dict(job.arguments["names"])
        ahead = Ahead(self._folder, self._executors)
        waiting = list(ahead.missing(plan))
        total = len(waiting) + 1
        ahead.render(waiting, total, progress.step)
        lines = tuple(job.arguments["lines"])
        future = self._executors.listen("low_end_of", self._folder, plan, lines)
        levels, overlaps = ahead.waited(future, len(waiting), total, progress.step)
        progress.step(total, total)
        fights = fights_of(levels, overlaps)
        return {
            "tracks": [
                {"id": id_, "name": names[id_], "levels": [round(db, 1) for db in bars]}
                for id_, bars in levels.items()
            ],
            "fights": [told_fight(fight, names) for fight in fights],
        }


def told_fight(fight: Fight, names: dict[str, str]) -> dict[str, Any]:
    """As the page shows it, with its sentence."""
    one, other = (names[id_] for id_ in fight.tracks)
    bar, db = fight.worst
    most = f", most in bar {bar}" if sum(b - a + 1 for a, b in fight.bars) > 1 else ""
    return {
        "tracks": list(fight.tracks),
        "bars": [list(pair) for pair in fight.bars],
        "worst_db": round(db, 1),
        "said": f"{one} and {other} fight below 150 Hz in {said_bars(fight.bars)}{most}, where "
        f"what is in both is {abs(db):.1f} dB below all that the louder one has.",
    }
