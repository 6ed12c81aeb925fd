"""What the player ordered, played once more by the core's sums.

The log holds every order the browser's player carried out. A part is its block times its event's
gain and fades and its own ramps; a release lets go what was ordered before it, linearly, from
whatever it is at. Tracks go through the core's desk, from run to run; where nothing but levels is
changed by hand, these move over 14 steps of 32 frames from the frame they were given at.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from zeroknot.core.mixing.desk.desk_run import DeskRun, MasterRun
from zeroknot.core.mixing.desk.echo import EchoRun
from zeroknot.core.mixing.desk.room_sizes import ROOMS
from zeroknot.core.mixing.desk.strip import STEP, Desk, Lane, RoomReturn, Strip, desk_of, value_at
from zeroknot.core.mixing.desk.strip_run import StripRun
from zeroknot.core.render.room_plan import RoomPlan

GLIDE_STEPS = 14
RATE = 44_100
LEVELS = {"level_db", "muted"}
Line = list[tuple[float, float]]
Runs = list[tuple[int, int, Desk | None, bool]]  # context frame, song frame, desk, does it move?


class Replay:
    """read: (digest, index) to float32 [channels, frames] of that block."""

    def __init__(self, rate: int, read: Callable[[str, int], np.ndarray]):
        self._rate, self._read = rate, read

    def play(self, log: list[dict], frames: int) -> np.ndarray:
        """[2, frames] from context frame 0 on."""
        sounds = self._sounds(log, frames)
        runs = _runs(log)
        desks = [_desk(o["sheet"]["desk"]) for o in log if o["do"] == "levels"]
        if all(_is_plain(desk) for desk in desks):
            return self._by_hand(log, sounds, runs, frames)
        return self._through(desks[0], sounds, runs, frames)

    def _sounds(self, log: list[dict], frames: int) -> dict[str, np.ndarray]:
        """Of each track before its strip."""
        out: dict[str, np.ndarray] = {}
        for part, going in _parts(log):
            first, last = part["at"], min(frames, part["at"] + part["frames"])
            if last <= first:
                continue
            at = np.arange(first, last, dtype=np.float64)
            event = part["event"]
            inside = part["from"] + at - part["at"]
            gain = np.full(at.size, event["gain"])
            gain = gain * _along(event["shape"], inside) if event["shape"] else gain
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
            track = out.setdefault(event["track"], np.zeros((2, frames)))
            track[:, first:last] += sound * gain
        return out

    def _through(
        self, desk: Desk, sounds: dict[str, np.ndarray], runs: Runs, frames: int
    ) -> np.ndarray:
        """Through the desk as it was told first, and as each run brings it."""
        run, master = _Retold(desk, self._rate), _RetoldMaster(desk, self._rate)
        ends = [run[0] for run in runs[1:]] + [frames]
        out = []
        for (at, song, told, is_moving), end in zip(runs, ends, strict=True):
            desk = told or desk
            now = desk if is_moving else _standing(desk, song)
            run.adopt(now)
            master.adopt(now)
            if end > at:
                own = {id_: sound[:, at:end] for id_, sound in sounds.items()}
                sums = run.run(own, song, end - at).all
                out.append(master.run(sums, song))
        return np.concatenate(out, axis=1)

    def _by_hand(
        self, log: list[dict], sounds: dict[str, np.ndarray], runs: Runs, frames: int
    ) -> np.ndarray:
        at = np.arange(frames, dtype=np.float64)
        tracks: dict[str, Line] = {}
        master: Line = []
        levels: dict[str, dict[str, float]] = {}
        for order in log:
            if order["do"] != "levels":
                continue
            desk = _desk(order["sheet"]["desk"])
            given = order["given"]
            song = max((r for r in runs if r[0] <= given), key=lambda r: r[0])
            first = given + (-(song[1] + given - song[0])) % STEP
            for strip in desk.strips:
                told = {name: strip.value(name) for name in LEVELS}
                _move(tracks.setdefault(strip.id, []), first, levels.get(strip.id, told), told)
                levels[strip.id] = told
            told = {name: desk.master.value(name) for name in LEVELS}
            _move(master, first, levels.get("master", told), told)
            levels["master"] = told
        whole = sum(sound * _along(tracks[id_], at) for id_, sound in sounds.items())
        return (whole * _along(master, at)).astype(np.float32)


class _Retold(DeskRun):
    """A desk whose lines may be others from a run on; what it remembers stays."""

    def adopt(self, desk: Desk) -> None:
        for strip in desk.strips:
            old = self._strips[strip.id]
            new = StripRun(strip, old.rate)
            new._states, new._held = old._states, old._held
            self._strips[strip.id] = new
        if self._echo:
            echo = EchoRun(desk.echo, old.rate)
            echo._line, echo._at, echo._states = (
                self._echo._line, self._echo._at, self._echo._states,
            )  # fmt: skip
            self._echo = echo


class _RetoldMaster(MasterRun):
    def adopt(self, desk: Desk) -> None:
        new = StripRun(desk.master, self._strip.rate)
        new._states, new._held = self._strip._states, self._strip._held
        self._strip = new


def _desk(told: dict) -> Desk:
    rest = {name: value for name, value in told.items() if name not in ("room", "ceiling_db")}
    desk = desk_of({**rest, "ceiling_db": told["ceiling_db"]})
    room = told["room"]
    size = next((s for s in ROOMS if RoomPlan(s, RATE).digest == room["digest"]), "medium")
    return replace(desk, room=RoomReturn(size, room["level_db"]))


def _standing(desk: Desk, song: int) -> Desk:
    """Its lines where they are at a frame of the song."""

    def still(lane: Lane) -> Lane:
        return ((0, value_at(lane, song)),)

    def stood(strip: Strip) -> Strip:
        return replace(strip, lanes=tuple((n, still(lane)) for n, lane in strip.lanes))

    echo = replace(desk.echo, delay=still(desk.echo.delay))
    strips = tuple(stood(strip) for strip in desk.strips)
    return replace(desk, strips=strips, echo=echo, master=stood(desk.master))


def _is_plain(desk: Desk) -> bool:
    strips = (*desk.strips, desk.master)
    return not any(s.lanes or {n for n, _ in s.values} - LEVELS for s in strips)


def _runs(log: list[dict]) -> Runs:
    """Those that were not taken back."""
    found: Runs = [(0, 0, None, False)]
    for order in log:
        if order["do"] == "run":
            found = [r for r in found if r[0] < order["at"]]
            sheet = order["sheet"]
            desk = _desk(sheet["desk"]) if sheet else None
            found.append((order["at"], order["song"], desk, order["isMoving"]))
    return found


def _gain(levels: dict[str, float]) -> float:
    db = levels["level_db"]
    return 0.0 if db <= -60 else (1 - levels["muted"]) * 10 ** (db / 20)


def _move(line: Line, at: float, before: dict[str, float], now: dict[str, float]) -> None:
    if not line:
        line.append((at, _gain(now)))
        return
    if before == now:
        return
    for i in range(GLIDE_STEPS + 1):
        share = i / GLIDE_STEPS
        line.append(
            (at + i * STEP, _gain({n: before[n] + (now[n] - before[n]) * share for n in now}))
        )


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
