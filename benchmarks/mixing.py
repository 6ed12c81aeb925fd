"""How long does a song of three minutes take to mix: 8 tracks with EQ, compressor, room and echo?

Stereo loops of eight seconds, each repeated through the song, every track with all of its filters,
a compressor, both sends and a line of its level; on a real server, from the order to the file.
First from nothing, then rendered. Memory is that of the largest process of the server.
"""

import contextlib
import tempfile
import time
from pathlib import Path

import numpy as np
from tests.server import Server

from benchmarks.sounds import eight_seconds
from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import wav_bytes

TRACKS = 8
LENGTHS = (3.0,)  # minutes
BPM = 120
SOUND = {
    "low_cut_hz": 60, "low_db": 2, "bell1_db": -3, "bell2_db": 2, "high_db": 3, "ratio": 3,
    "threshold_db": -24, "room_db": -12, "echo_db": -15,
}  # fmt: skip


def table() -> str:
    lines = ["| 8 tracks | from nothing, s | rendered, s | memory, MB |", "|---|---|---|---|"]
    for minutes in LENGTHS:
        told = _measured(minutes)
        lines.append(f"| {minutes:g} min | {told[0]:.1f} | {told[1]:.1f} | {told[2]:.0f} |")
    return "\n".join(lines)


def _measured(minutes: float) -> tuple[float, float, float]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        server = Server(Path(folder))
        try:
            project = _song(server, minutes)
            end = server.get(f"/api/projects/{project}")["end_beat"]
            seconds, memory = [], 0.0
            for _ in range(3):
                begun = time.perf_counter()
                job = server.post(f"/api/projects/{project}/mixes", start=0, end=end)["job"]
                while job["state"] in ("waiting", "running"):
                    time.sleep(0.1)
                    memory = max(memory, _largest(server.process.pid))
                    job = server.get(f"/api/jobs/{job['id']}")
                assert job["state"] == "done", job
                seconds.append(time.perf_counter() - begun)
        finally:
            server.stop()
    return seconds[0], min(seconds[1:]), memory


def _song(server: Server, minutes: float) -> str:
    for i in range(TRACKS):
        one = eight_seconds(("drums_103", "keys_88", "bass_97")[i % 3])
        sound = Audio(np.ascontiguousarray(one.samples * (1 - i / 1000)), one.rate)
        server.bring(wav_bytes(sound, 16), f"{i}.wav")
    server.settle(300)
    project = server.post("/api/projects", name="Bench")["id"]
    path = f"/api/projects/{project}"

    def intent(**what: object) -> None:
        server.post(f"{path}/intents", revision=server.get(path)["revision"], intent=what)

    intent(kind="set_steady_tempo", bpm=BPM)
    for row in server.rows():
        intent(kind="lay_on", hand=row["sha"], beats=16)
        intent(kind="place", hand=row["sha"], beat=0, passes=round(minutes * BPM / 16))
    for track in server.get(path)["tracks"]:
        intent(kind="change_sound", track=track["id"], values=SOUND)
        points = [{"beat": b, "value": -6 + b % 16 / 4} for b in range(0, 200, 4)]
        intent(kind="set_line", track=track["id"], name="level_db", points=points)
    return str(project)


def _largest(parent: int) -> float:
    """MB of the largest process under one, as Linux tells it."""
    largest = 0.0
    for place in Path("/proc").glob("[0-9]*/status"):
        with contextlib.suppress(OSError):
            told = dict(
                line.split(":\t", 1) for line in place.read_text().splitlines() if ":\t" in line
            )
            if "VmRSS" in told and parent in _above(int(told["Pid"])):
                largest = max(largest, int(told["VmRSS"].split()[0]) / 1000)
    return largest


def _above(pid: int) -> list[int]:
    found = [pid]
    with contextlib.suppress(OSError, ValueError, IndexError):
        while found[-1] > 1:
            stat = Path(f"/proc/{found[-1]}/stat").read_text()
            found.append(int(stat.rsplit(")", 1)[1].split()[1]))
    return found


if __name__ == "__main__":
    print(table())
