"""A small project as its file holds it: to begin with, and to spoil."""

import json
from dataclasses import asdict

from benchmarks.shelf import made_up

from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.document.project import Clip, KeyChange, Project, Track
from zeroknot.document.stored import tree_text
from zeroknot.studio.hand import fresh_strand


def written() -> bytes:
    """The tree, a zero byte, its loops."""
    import random

    loop = made_up(3, random.Random(1))
    empty = Project(
        id="p", name="Small", tracks=(Track(id="t", name="One"),),
        keys=(KeyChange(bar=1, key="D minor"),),
        tempo=(TempoPoint(0.0, 96.0, "ramp", 1.0), TempoPoint(8.0, 120.0)),
    )  # fmt: skip
    strand = fresh_strand(empty, loop)
    clips = (
        Clip(id="a", strand=strand.id, track="t", beat=0.0),
        Clip(id="b", strand=strand.id, track="t", beat=40.0, length=3.0, slip=1.0),
    )
    tree = empty.changed(strands=(strand,), clips=clips)
    return tree_text(tree).encode() + b"\0" + json.dumps([asdict(loop)]).encode()
