"""What the player ordered, played once more by the core's sums.

The log holds every order the browser's player carried out. A part is its block times its event's
gain and fades and its own ramps; a release lets go what was ordered before it, linearly, from
whatever it is at; levels move over 10 ms from the frame they were given at.
"""

from collections.abc import Callable

import numpy as np

RAMP_SECONDS = 0.01
Line = list[tuple[float, float]]


class Replay:
    """read: (digest, index) to float32 [channels, frames] of that block."""

    def __init__(self, rate: int, read: Callable[[str, int], np.ndarray]):
        self._rate, self._read = rate, read

    def play(self, log: list[dict], frames: int) -> np.ndarray:
        """[2, frames] from context frame 0 on."""
        levels, master = self._levels(log)
        out = np.zeros((2, frames))
        for part, going in _parts(log):
            first, last = part["at"], min(frames, part["at"] + part["frames"])
            if last <= first:
                continue
            at = np.arange(first, last, dtype=np.float64)
            event = part["event"]
            inside = part["from"] + at - part["at"]
            gain = event["gain"] * _along(levels[event["track"]], at) * _along(master, at)
            if event["fade_in"]:
                gain = gain * np.clip(inside / event["fade_in"], 0, 1)
            if event["fade_out"]:
                gain = gain * np.clip((event["frames"] - inside) / event["fade_out"], 0, 1)
            for a, b in part["rises"]:
                gain = gain * np.clip((at - a) / (b - a), 0, 1)
            for a, b in part["falls"]:
                gain = gain * np.clip((b - at) / (b - a), 0, 1)
            if going:
                gain = gain * _along([(going[0][0] - 1, 1.0), *going], at)
            block = self._read(event["digest"], part["index"])
            sound = block[:, part["offset"] : part["offset"] + last - first]
            out[:, first:last] += sound * gain
        return out.astype(np.float32)

    def _levels(self, log: list[dict]) -> tuple[dict[str, Line], Line]:
        tracks: dict[str, Line] = {}
        master: Line = []
        for order in log:
            if order["do"] != "levels":
                continue
            at = order["given"]
            sheet = order["sheet"]
            for track in sheet["tracks"]:
                self._move(tracks.setdefault(track["id"], []), at, track["gain"])
            self._move(master, at, sheet["master"])
        return tracks, master

    def _move(self, line: Line, at: float, gain: float) -> None:
        if not line:
            line.append((at, gain))
        elif line[-1][1] != gain:
            line += [(at, line[-1][1]), (at + RAMP_SECONDS * self._rate, gain)]


def _parts(log: list[dict]) -> list[tuple[dict, Line]]:
    """Every part that sounds, with the line along which it is let go."""
    parts: list[tuple[dict, Line]] = []
    for order in log:
        if order["do"] == "part":
            parts.append((order, []))
        if order["do"] != "release":
            continue
        at, end = order["at"], order["at"] + order["frames"]
        kept = []
        for part, going in parts:
            if part["span"] in order["spans"] and part["at"] + part["frames"] > at:
                if part["at"] >= end:
                    continue
                level = float(_along(going, np.array([at]))[0]) if going else 1.0
                going[:] = [(f, v) for f, v in going if f < at]
                going += [(at, level), (end, 0.0)]
            kept.append((part, going))
        parts = kept
    return parts


def _along(line: Line, at: np.ndarray) -> np.ndarray:
    frames, values = zip(*line, strict=True)
    return np.interp(at, frames, values)
