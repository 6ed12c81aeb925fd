"""What renders a recipe again, to the bit?

Conventions
-----------
- A run says everything that has a say in the bytes: recordings by hash, places in frames, every
  setting and seed, the version of every method. It names no project, no loop's name and no time.
- Same run, same version of the methods, same machine: same bytes.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from zeroknot.core.audio import Audio, Samples
from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.formats.riff import FLOAT_BITS, LoopMark, wav_bytes
from zeroknot.core.render.any_plan import PassPlan, plan_of_text
from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.pass_file import SEAMS, folded
from zeroknot.core.render.range_plan import RangePlan
from zeroknot.core.render.room_plan import RoomPlan
from zeroknot.core.units import gain_of_db


@dataclass(frozen=True)
class Run:
    """plan   of one pass, or of a stretch of the song
    seam      what becomes of its tail, as `render.pass_file.folded` names it
    with_lead  what sounds before the one is kept in front
    gain_db   level of the whole
    """

    plan: PassPlan | RangePlan | DeskPlan
    seam: str = "wrap"
    with_lead: bool = False
    gain_db: float = 0.0

    def __post_init__(self) -> None:
        if self.seam not in SEAMS:
            raise ZeroKnotError(f"a seam is one of {', '.join(SEAMS)}, not {self.seam!r}")

    @property
    def sources(self) -> tuple[str, ...]:
        """SHA-256 of every recording that it needs, that of the pass first."""
        return self.plan.recordings

    @property
    def loop_frames(self) -> tuple[int, int]:
        """First frame of its body in the file, and the one after its last."""
        lead = self.plan.lead_frames if self.with_lead else 0
        return lead, lead + self.plan.body_frames

    def file(self, axis: Samples) -> bytes:
        """The WAV of floats, its loop marked.

        axis  float32 [channels, plan.frames]: the whole render of the plan
        """
        sound = folded(self.plan, axis, self.seam, self.with_lead)
        sound = sound * np.float32(gain_of_db(self.gain_db))
        audio = Audio(np.ascontiguousarray(sound, dtype=np.float32), self.plan.rate)
        return wav_bytes(audio, FLOAT_BITS, LoopMark(*self.loop_frames))

    def told(self) -> dict[str, Any]:
        """As JSON holds it."""
        return {
            "plan": json.loads(self.plan.text),
            "seam": self.seam,
            "with_lead": self.with_lead,
            "gain_db": self.gain_db,
        }


def run_of(told: Mapping[str, Any]) -> Run:
    """Raises FormatError where that is no run."""
    try:
        plan = plan_of_text(json.dumps(told["plan"]))
        if isinstance(plan, ClickPlan | RoomPlan):
            raise FormatError("that is no loop to be made again")
        lead, gain_db = bool(told["with_lead"]), float(told["gain_db"])
        return Run(plan, str(told["seam"]), lead, gain_db)
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise FormatError("this recipe is damaged: what renders it cannot be read") from error
