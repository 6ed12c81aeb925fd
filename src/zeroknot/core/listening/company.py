"""What do others that a loop came with, and who works with it, say of it? Odds beside the sound.

Of loops from one pack or folder most are cut alike and many share a tempo, and what a pack's names
say is right for all of it or for none (common practice, no source). So what was stated of some has
a say in how the next is read; so has, half as much, what was surely heard. Whether a loop is one
bar at 77 or two at 154 nobody hears: there the project's tempo and what this person counted
elsewhere tell. All of it weighs in and never binds.
"""

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.reading import Claims, Reading

if TYPE_CHECKING:  # what listens is not loaded where only its company is told
    from zeroknot.core.listening.hypothesis import Hypotheses

Odds = NDArray[np.float64]
EXACT_SECONDS = 0.006  # within which a pass begins and ends with its file
SAME_TEMPO = 0.001  # of the tempo
USUALLY_EXACT, AS_MANY_AS = 0.7, 2.0  # share of loops that are cut exactly, and what that weighs
MOST_TEMPO_ODDS = 2.5
HEARD, HABIT = 0.5, 0.2  # what one that was heard, or counted elsewhere, weighs beside one stated
MOST_HABIT = 3.0  # what all that were counted elsewhere weigh at most
NEAR_OCTAVES = 0.35
TOLD_FROM = 0.3  # odds from which on it is said


@dataclass(frozen=True)
class Member:
    """One that a person stated the reading of.

    is_exact     its pass is its file
    claimed_bpm  what its name or tags say; None where they say nothing
    sha          of its bytes
    """

    tempo_bpm: float
    is_exact: bool
    claimed_bpm: float | None = None
    sha: str = ""

    @classmethod
    def of(cls, sha: str, seconds: float, claims: Claims, stated: Reading) -> "Member":
        """From what was stated of a recording so many seconds long."""
        is_exact = is_whole(stated.downbeat_s, stated.end_s, seconds)
        return cls(stated.tempo_bpm, bool(is_exact), claims.tempo_bpm, sha)


def is_whole(start: float | Odds, end: float | Odds, seconds: float) -> NDArray[np.bool_]:
    """Is a pass the whole file? bool [n] for starts and ends of [n]."""
    near = np.abs(np.asarray(start)) < EXACT_SECONDS
    return np.asarray(near & (np.abs(np.asarray(end) - seconds) < EXACT_SECONDS))


@dataclass(frozen=True)
class Company:
    """name     of the set
    members     those of it that something was stated of
    heard       tempos of others of it that were surely heard, by their hashes
    habit       tempos that this person stated of anything, lately, by their hashes
    project_bpm of the project that is worked on; None where it has no tempo of its own yet
    """

    name: str = ""
    members: tuple[Member, ...] = ()
    heard: tuple[tuple[str, float], ...] = ()
    habit: tuple[tuple[str, float], ...] = ()
    project_bpm: float | None = None

    def without(self, sha: str) -> "Company":
        """The others of one of them."""
        return replace(
            self, members=tuple(m for m in self.members if m.sha != sha),
            heard=tuple(h for h in self.heard if h[0] != sha),
            habit=tuple(h for h in self.habit if h[0] != sha),
        )  # fmt: skip

    def odds(self, h: "Hypotheses", claims: Claims, seconds: float) -> Odds:
        """Logarithms of odds that it adds to each hypothesis: float64 [hypotheses]."""
        whole = is_whole(h.start, h.end, seconds)
        found = whole * self._exact_odds + self._tempo_odds(h.tempo)
        if claims.tempo_bpm:
            found = found + self._names_odds * _same(h.tempo, claims.tempo_bpm)
        return np.asarray(found, np.float64)

    def said(
        self, reading: Reading, claims: Claims, seconds: float, is_doubted: bool = False
    ) -> str:
        """In a few words, what of that speaks for a reading; "" where nothing does.

        is_doubted  it may be counted in half or double the tempo as well
        """
        found = [self._said_of_members(reading, claims, seconds), self._said_of_heard(reading)]
        if is_doubted and self.project_bpm and _near(reading.tempo_bpm, self.project_bpm):
            found.append(f"counted near the project's {self.project_bpm:.5g}")
        elif is_doubted and self._leans(reading.tempo_bpm) > TOLD_FROM:
            found.append("counted as you counted others")
        return "; ".join(words for words in found if words)

    def _said_of_heard(self, reading: Reading) -> str:
        stated = any(_same(np.asarray(reading.tempo_bpm), m.tempo_bpm) for m in self.members)
        alike = sum(bool(_same(np.asarray(reading.tempo_bpm), bpm)) for _, bpm in self.heard)
        if stated or not alike:
            return ""
        return f"at the tempo of {alike} other{'s' * (alike != 1)} of {self.name}"

    def _said_of_members(self, reading: Reading, claims: Claims, seconds: float) -> str:
        words = []
        if is_whole(reading.downbeat_s, reading.end_s, seconds) and self._exact_odds > TOLD_FROM:
            words.append("cut exactly")
        if any(_same(np.asarray(reading.tempo_bpm), m.tempo_bpm) for m in self.members):
            words.append("at the same tempo")
        claimed = claims.tempo_bpm and _same(np.asarray(reading.tempo_bpm), claims.tempo_bpm)
        if claimed and self._names_odds > TOLD_FROM:
            words.append("named rightly")
        count = len(self.members)
        others = f"as {count} other{'s' * (count != 1)} of {self.name} that you stated"
        return f"{' and '.join(words)}, {others}" if words else ""

    @property
    def _exact_odds(self) -> float:
        exact = sum(m.is_exact for m in self.members) + USUALLY_EXACT * AS_MANY_AS
        share = exact / (len(self.members) + AS_MANY_AS)
        return _logit(share) - _logit(USUALLY_EXACT)

    @property
    def _names_odds(self) -> float:
        told = [m for m in self.members if m.claimed_bpm]
        right = sum(bool(_same(np.asarray(m.tempo_bpm), m.claimed_bpm or 0.0)) for m in told)
        return math.log((right + 1) / (len(told) - right + 1))

    def _tempo_odds(self, tempos: Odds) -> Odds:
        """More for a tempo that others have, less where they are counted in its half or double."""
        same = np.zeros(tempos.size)
        near, apart = same.copy(), same.copy()
        project = (self.project_bpm,) if self.project_bpm else ()
        for others, weight, is_of_set in (
            (tuple(m.tempo_bpm for m in self.members), 1.0, True),
            (tuple(bpm for _, bpm in self.heard), HEARD, True),
            (
                tuple(bpm for _, bpm in self.habit),
                min(HABIT, MOST_HABIT / max(1, len(self.habit))),
                False,
            ),
            (project, 1.0, False),
        ):
            octaves = np.log2(tempos[:, None] / np.asarray(others, float))
            near += weight * (np.abs(octaves) < NEAR_OCTAVES).sum(axis=1)
            apart += weight * (np.abs(np.abs(octaves) - 1.0) < NEAR_OCTAVES).sum(axis=1)
            if is_of_set:
                same += weight * (np.abs(octaves) < SAME_TEMPO / math.log(2)).sum(axis=1)
        counted = np.log((near + 1.0) / (near + apart + 1.0))
        return np.asarray(np.minimum(np.log1p(2.0 * same), MOST_TEMPO_ODDS) + counted)

    def _leans(self, bpm: float) -> float:
        """How many more were counted near a tempo than near its half or double: log odds."""
        near = sum(_near(t, bpm) for _, t in self.habit)
        apart = sum(_near(t, 2 * bpm) or _near(t, bpm / 2) for _, t in self.habit)
        return math.log((near + 1) / (apart + 1))


NOBODY = Company()


def _near(bpm: float, other: float) -> bool:
    return abs(math.log2(bpm / other)) < NEAR_OCTAVES


def _same(tempos: Odds, tempo: float) -> NDArray[np.bool_]:
    return np.asarray(np.abs(tempos / tempo - 1.0) < SAME_TEMPO) if tempo else tempos < 0.0


def _logit(share: float) -> float:
    return math.log(share / (1.0 - share))
