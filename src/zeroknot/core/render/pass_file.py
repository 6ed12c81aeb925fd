"""How is one pass cut out of a render, as a file of its own?"""

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.range_plan import RangePlan

SEAMS = ("wrap", "cut", "ring")


def folded(
    plan: PassPlan | RangePlan | DeskPlan, axis: Samples, seam: str, with_lead: bool
) -> Samples:
    """One pass as a file of its own.

    axis       float32 [channels, plan.frames]: lead, body and tail
    seam       "wrap": the tail is added to the start, as heard when the pass repeats; "cut": the
               tail is left out; "ring": the tail is kept past the end
    with_lead  the lead is kept in front
    returns    float32 [channels, body_frames (+ lead with_lead) (+ tail when ringing)]
    """
    lead, body = plan.lead_frames, plan.body_frames
    out = np.array(axis[:, lead : lead + body])
    tail = axis[:, lead + body :]
    if seam == "wrap":
        for start in range(0, tail.shape[1], body):
            part = tail[:, start : start + body]
            out[:, : part.shape[1]] += part
    elif seam == "ring":
        out = np.concatenate([out, tail], axis=1)
    if with_lead:
        out = np.concatenate([axis[:, :lead], out], axis=1)
    return out
