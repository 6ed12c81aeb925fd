"""How does a very large project answer? 10 000 clips and 2 000 strands, over HTTP.

    python -m benchmarks.large

Edits of clips, strands and places, undo and new tempos are asked for as a page asks for them, each
with the sheet that follows it.
"""

import json
import random
import tempfile
import time
import urllib.parse
import urllib.request
from pathlib import Path

import numpy as np
from tests.server import Server

from benchmarks.shelf import fill
from zeroknot.document.project import Clip, Project, Track
from zeroknot.store.database import opened_database
from zeroknot.store.loops import LoopStore
from zeroknot.store.revisions import RevisionStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.hand import fresh_strand, new_id
from zeroknot.studio.projects import Projects

STRANDS, CLIPS, TRACKS = 2_000, 10_000, 40
BAR = 4.0
EDITS, UNDOS, TEMPOS = 99, 20, (97.0, 101.0, 104.0)


def table() -> str:
    """Milliseconds and kilobytes of every kind of question."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        fill(Path(folder), STRANDS)
        project = large(Path(folder))
        server = Server(Path(folder))
        try:
            asking = Asking(server, project)
            asking.all()
        finally:
            server.stop()
    return asking.told()


def large(data: Path) -> str:
    """A project as large as one may become; its id."""
    engine = opened_database(data / "zeroknot.sqlite")
    loops = LoopStore(engine)
    chance = random.Random(1)
    project = Project(id=new_id(), name="Large")
    found = loops.named(loops.shas())
    strands = tuple(fresh_strand(project, found[sha]) for sha in sorted(found)[:STRANDS])
    tracks = tuple(Track(id=new_id(), name=f"Track {i + 1}") for i in range(TRACKS))
    clips = tuple(
        Clip(
            id=new_id(), strand=chance.choice(strands).id, track=tracks[i % TRACKS].id,
            beat=i // TRACKS * BAR, length=BAR,
        )
        for i in range(CLIPS)
    )  # fmt: skip
    full = project.changed(strands=strands, tracks=tracks, clips=clips)
    made = Projects(RevisionStore(engine), loops, Announcer()).adopt(full, "large")
    engine.dispose()
    return made


class Asking:
    """A page that edits: what it asks, and how long each answer took."""

    def __init__(self, server: Server, project: str):
        self._server, self._path = server, f"/api/projects/{project}"
        self._took: dict[str, list[float]] = {}
        self._most: dict[str, int] = {}
        self._known: dict[str, str | None] = {"state": None, "sheet": None}
        self._revision = 0

    def all(self) -> None:
        chance = random.Random(2)
        state = self._ask("state", "whole state, first", "")
        self._ask("sheet", "whole sheet, first", "/sheet")
        clips = [c["id"] for c in state["clips"]]
        strands = [s["id"] for s in state["strands"]]
        tracks = [t["id"] for t in state["tracks"]]
        for i in range(EDITS):
            clip = chance.choice(clips)
            move = {"clip": clip, "beat": (CLIPS // TRACKS + i) * BAR, "track": tracks[i % TRACKS]}
            intent = (
                {"kind": "change_clip", "clip": clip, "gain_db": -1.0 - i / 100},
                {"kind": "set_shift", "hand": chance.choice(strands), "semitones": 1.0 + i % 5},
                {"kind": "move_clips", "moves": [move]},
            )[i % 3]
            self._edit(("edit of a clip", "edit of a strand", "clip moved")[i % 3], intent)
        for _ in range(UNDOS):
            self._ask("state", "undo", "/undo", {})
            self._ask("sheet", "sheet after undo", "/sheet")
        for bpm in TEMPOS:
            self._edit("new tempo", {"kind": "set_steady_tempo", "bpm": bpm})

    def _edit(self, what: str, intent: dict) -> None:
        self._ask("state", what, "/intents", {"intent": intent})
        self._ask("sheet", f"sheet after {what}", "/sheet")

    def _ask(self, kind: str, what: str, path: str, body: dict | None = None) -> dict:
        known = {"known": self._known[kind]} if self._known[kind] else {}
        url = self._server.base + self._path + path
        data = None
        if body is not None:
            data = json.dumps({"revision": self._revision, **known, **body}).encode()
        elif known:
            url += "?" + urllib.parse.urlencode(known)
        request = urllib.request.Request(url, data, {"content-type": "application/json"})
        began = time.perf_counter()
        with urllib.request.urlopen(request, timeout=120) as response:
            text = response.read()
        self._took.setdefault(what, []).append(1000 * (time.perf_counter() - began))
        self._most[what] = max(self._most.get(what, 0), len(text))
        answer = json.loads(text)
        self._revision = answer["revision"]
        self._known[kind] = answer.get("token")
        return answer

    def told(self) -> str:
        lines = ["| | n | median, ms | 95th percentile, ms | most kB |", "|---|---|---|---|---|"]
        for what, times in self._took.items():
            middle, late = np.percentile(times, (50, 95))
            size = self._most[what] / 1000
            lines.append(f"| {what} | {len(times)} | {middle:.0f} | {late:.0f} | {size:.0f} |")
        return "\n".join(lines)


if __name__ == "__main__":
    print(table())
