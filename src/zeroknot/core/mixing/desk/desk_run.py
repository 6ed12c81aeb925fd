"""How do tracks become the song? Through their strips, the room, the echo and the master's."""

from collections.abc import Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Samples
from zeroknot.core.mixing.desk.echo import EchoRun
from zeroknot.core.mixing.desk.room import Convolved, impulse
from zeroknot.core.mixing.desk.strip import Desk, Strip
from zeroknot.core.mixing.desk.strip_run import StripRun, amplitude
from zeroknot.core.mixing.limiter import Limiter

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Sums:
    """What came of a piece, float64 [2, n] each.

    dry     all strips after level and balance
    room, echo  what came back
    """

    dry: Floats
    room: Floats
    echo: Floats

    @property
    def all(self) -> Floats:
        """Their sum: float64 [2, n]."""
        return self.dry + self.room + self.echo


class DeskRun:
    """A desk with what it remembers; pieces may follow one another from anywhere in the song.

    heard  ids of the strips that are; the others are only listened to. All where None
    """

    def __init__(
        self, desk: Desk, rate: int, heard: Collection[str] | None = None, threads: int = 2
    ):
        self.desk, self._threads = desk, threads
        self._strips = {s.id: StripRun(s, rate) for s in desk.strips}
        self._heard = set(self._strips if heard is None else heard)
        keys = {s.key for s in desk.strips if s.id in self._heard}
        self._needed = [s for s in desk.strips if s.id in self._heard or s.id in keys]
        own = replace(desk, strips=tuple(s for s in desk.strips if s.id in self._heard))
        self._room = Convolved(impulse(desk.room.size, rate)) if own.sends("room") else None
        self._room_gain = float(amplitude(np.asarray(desk.room.level_db)))
        self._echo = EchoRun(desk.echo, rate) if own.sends("echo") else None

    def run(self, sounds: Mapping[str, Samples], first: int, count: int) -> Sums:
        """The tracks added up.

        sounds  by id, float32 [1 or 2, count] each; who is missing is silent
        first   song frame of their first
        """
        dry, to_room, to_echo = (np.zeros((2, count)) for _ in range(3))
        for id_, out in self.tracks(sounds, first, count).items():
            run = self._strips[id_]
            if not run.strip.is_send:
                dry += out
            for name, bus in (("room", to_room), ("echo", to_echo)):
                if run.sends(name):
                    run.send(name, out, bus, first)
        with ThreadPoolExecutor(1) as pool:
            back = pool.submit(self._room.run, to_room) if self._room else None
            echo = self._echo.run(to_echo, first) if self._echo else to_echo
            room = back.result() * self._room_gain if back else to_room
        return Sums(dry, room, echo)

    def tracks(self, sounds: Mapping[str, Samples], first: int, count: int) -> dict[str, Floats]:
        """Those that are heard after their strips, by id: float64 [2, count] each.

        sounds, first  as of `run`
        """
        silence = np.zeros((2, count), np.float32)

        def take_in(strip: Strip) -> Floats:
            return self._strips[strip.id].filtered(_wide(sounds.get(strip.id, silence)), first)

        def finish(strip: Strip) -> Floats:
            return self._strips[strip.id].finished(filtered[strip.id], keys[strip.id], first)

        heard = [s for s in self._needed if s.id in self._heard]
        with ThreadPoolExecutor(self._threads) as pool:
            ids = [s.id for s in self._needed]
            filtered = dict(zip(ids, pool.map(take_in, self._needed), strict=True))
            keys = self._keys(filtered)
            return dict(zip((s.id for s in heard), pool.map(finish, heard), strict=True))

    def _keys(self, filtered: Mapping[str, Floats]) -> dict[str, Floats]:
        """Whom another goes by is heard by it as it is after its own filters."""
        return {
            s.id: filtered[s.key].copy() if s.key and s.key in filtered else filtered[s.id]
            for s in self._needed
        }


class MasterRun:
    """The master's strip and its ceiling."""

    def __init__(self, desk: Desk, rate: int):
        self._strip = StripRun(desk.master, rate)
        self._limiter = Limiter(rate, 2, desk.ceiling_db) if desk.ceiling_db is not None else None

    @property
    def lead(self) -> int:
        """Frames by which what comes out is late."""
        return self._limiter.lead if self._limiter else 0

    def run(self, sound: Floats, first: int) -> Samples:
        """float64 [2, n] in, float32 [2, n] out."""
        out = self._strip.filtered(sound, first)
        whole = self._strip.finished(out, out, first).astype(np.float32)
        return self._limiter.feed(whole) if self._limiter else whole


def _wide(sound: Samples) -> Samples:
    return sound if sound.shape[0] == 2 else np.repeat(sound[:1], 2, axis=0)
