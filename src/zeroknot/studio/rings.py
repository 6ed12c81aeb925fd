"""What comes back of what slices send, where their loop is heard without the song?"""

from zeroknot.core.mixing.desk.strip import Desk, Strip, send_id
from zeroknot.core.render.desk_plan import DeskPlan, DeskTrack, ring_frames
from zeroknot.core.render.range_plan import Placed, RangePlan
from zeroknot.core.slicing.piece import BUSES
from zeroknot.document.project import Project
from zeroknot.studio.desk import desk_of_project
from zeroknot.studio.placement import Placement

_HAND = Strip("hand")


def rings_of(project: Project, placed: Placement) -> DeskPlan | None:
    """The room and the echo alone, of a round at 0 dB, from its one on; None where nothing is sent.

    Those of the project: the echo is as long as it is where the round lies.
    """
    sent = {bus: plan for bus in BUSES if (plan := placed.sent(bus))}
    if not sent:
        return None
    song = desk_of_project(project)
    desk = Desk(tuple(_HAND.sending(bus) for bus in sent), song.room, song.echo)
    # Where the echo is the same everywhere, so is this: it is rendered once.
    moves = len(song.echo.delay) > 1
    first = project.tempo_map.frame_of_beat(placed.beat, project.rate) if moves else 0
    tracks = tuple(
        DeskTrack(
            send_id(_HAND.id, bus),
            first - plan.lead_frames,
            RangePlan(
                rate=project.rate, body_frames=plan.body_frames, passes=(plan,),
                placed=(Placed(0, -plan.lead_frames, 0, plan.frames, 1.0),),
                lead_frames=plan.lead_frames, tail_frames=plan.tail_frames,
            ),
        )
        for bus, plan in sent.items()
    )  # fmt: skip
    lead = max(plan.lead_frames for plan in sent.values())
    return DeskPlan(
        rate=project.rate, at=first - lead, body_frames=placed.heard.body_frames, tracks=tracks,
        desk=desk, lead_frames=lead,
        tail_frames=max(p.tail_frames for p in sent.values()) + ring_frames(desk, project.rate),
        whole=False, parts=BUSES,
    )  # fmt: skip
