"""How many bars is a loop, how fast, and where is its one?

Hypotheses of start, end, bars and metre are judged together (see `hypotheses`, `evidence`,
`judge`); what comes to the same answer is added up, so that a reading's confidence is the
probability that its tempo (within 0.1 BPM) and its bars are right. What the file claims, and what a
person stated of others that it came with, is weighed in as odds.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.apart.apart import struck_db
from zeroknot.core.audio import Audio
from zeroknot.core.harmony.tones import profile_of_peaks
from zeroknot.core.listening.attacks import is_silent
from zeroknot.core.listening.beats import TempoCurve, beats_along, share_on
from zeroknot.core.listening.company import NOBODY, Company
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.hypotheses import hypotheses
from zeroknot.core.listening.hypothesis import (
    END_BEAT,
    END_BEYOND,
    END_FILE,
    END_MARK,
    END_SEAM,
    END_SOUND,
    START_ATTACK,
    START_BACK,
    START_BEFORE,
    START_FILE,
    START_MARK,
    START_SOUND,
    Hypotheses,
)
from zeroknot.core.listening.judge import judged
from zeroknot.core.listening.key_heard import key_heard
from zeroknot.core.listening.material import Material, material_of
from zeroknot.core.listening.reading import LONGEST_LOOP_SECONDS, Claims, Reading
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.listening.sound_kind import ONE_HIT
from zeroknot.core.listening.takes import take_of

MOST_READINGS = 5
LEAST_CONFIDENCE = 0.01
SAME_TEMPO_BPM = 0.1
SAME_ANSWER = 0.004
SHORTEST_TAKE_SECONDS = 12.0  # from here on a player's tempo may have moved
SAME_MEAN_TEMPO, LEAST_WANDERING = 0.01, 0.02
TAKE_FITS_BETTER = 0.25  # share of the attacks that only the followed beats are on
# What was learnt from has as many odd metres and lengths as even ones; what people bring has not.
# Logarithms of how much rarer each is (common practice, no source).
RARER_METRES = {2: -0.6, 3: -1.2, 5: -0.9, 7: -1.3}
RARER_BARS = {3: -0.8, 5: -1.2} | {bars: -2.5 for bars in (6, 7, 12, 24, 32, 64)}
NO_CLAIMS = Claims()

STARTS = {
    START_FILE: "starts with the file", START_SOUND: "starts where the sound does",
    START_ATTACK: "starts on a hit", START_BEFORE: "the file starts after the one",
    START_BACK: "counted back from the end", START_MARK: "starts where the file marks a loop",
}  # fmt: skip
ENDS = {
    END_FILE: "ends with the file", END_SOUND: "ends with the sound",
    END_BEAT: "only ringing follows", END_BEYOND: "the file stops before the last beat is over",
    END_SEAM: "then the beginning comes again", END_MARK: "ends where the file marks a loop",
}  # fmt: skip


def listen(sound: Audio, claims: Claims = NO_CLAIMS, company: Company = NOBODY) -> Hearing:
    """Everything that is heard in a sound, claims and company weighed in. Silence has nothing."""
    return listen_closely(sound, claims, company)[0]


def listen_closely(
    sound: Audio, claims: Claims = NO_CLAIMS, company: Company = NOBODY
) -> tuple[Hearing, Material | None]:
    """The same, and what it was heard in; None of silence."""
    if is_silent(sound):
        quiet = Hearing(sounding=(0.0, sound.seconds), warnings=("there is nothing to hear",))
        return quiet, None
    material = material_of(sound)
    warnings = ["the recording is clipped"] if is_clipped(sound) else []
    kind = sound_heard(material, sound.seconds)
    readings: tuple[Reading, ...] = ()
    curve = None
    if sound.seconds > LONGEST_LOOP_SECONDS:
        readings, curve = take_of(material)
    elif kind.kind != ONE_HIT:
        readings = _readings(material, claims, company)
        if sound.seconds > SHORTEST_TAKE_SECONDS and readings:
            readings, curve = _or_a_take(material, readings)
    if not readings and kind.kind != ONE_HIT:
        warnings.append("no tempo can be told from the sound")
    everything = material.everything
    hearing = Hearing(
        attacks=tuple(
            zip(
                everything.seconds.tolist(),
                everything.strengths.tolist(),
                everything.sureness.tolist(),
                strict=True,
            )
        ),
        sounding=material.sounding,
        readings=readings,
        warnings=tuple(warnings),
        key=key_heard(material, kind),
        sound=kind,
        tones=profile_of_peaks(material.peaks, material.cents or 0.0),
        struck_db=struck_db(sound, kind.kind),
    )
    if hearing.best is None:
        return hearing, material
    beats = beats_along(material.attacks, material.picture.seconds, hearing.best, curve)
    return replace(hearing, beats=beats), material


def _or_a_take(
    material: Material, readings: tuple[Reading, ...]
) -> tuple[tuple[Reading, ...], TempoCurve | None]:
    """What was read as a steady loop, unless beats that are followed fit it much better.

    returns  the readings, and the beats that were followed where they are to be gone by
    """
    takes, curve = take_of(material)
    if not takes or curve is None:
        return readings, None
    take, best = takes[0], readings[0]
    is_even = curve.deviation_bpm < LEAST_WANDERING * curve.mean_bpm
    if is_even and abs(take.tempo_bpm / best.tempo_bpm - 1.0) < SAME_MEAN_TEMPO:
        return readings, None  # the loop's own grid says as much, and where it ends, too
    steady = beats_along(material.attacks, material.picture.seconds, best, None)
    # As fine a grid for the one as for the other, or whatever is counted faster would fit better.
    parts = max(2, round(2 * curve.mean_bpm / best.tempo_bpm))
    on_steady = share_on(np.asarray([*steady, best.end_s]), material.attacks, parts)
    better = share_on(curve.seconds, material.attacks, 2) - on_steady
    if better < TAKE_FITS_BETTER:
        return readings, None
    as_take = sum(one.confidence for one in takes)
    left = tuple(replace(r, confidence=r.confidence * (1 - as_take)) for r in readings)
    if left[0].confidence > as_take:
        return (left[0], take, *left[1 : MOST_READINGS - 1]), None
    others = sorted((*takes[1:], *left), key=lambda r: -r.confidence)
    return (take, *others[: MOST_READINGS - 1]), curve


def is_clipped(sound: Audio) -> bool:
    """Do samples stand against full scale, several in a row?"""
    if sound.peak() < 0.999:
        return False
    at_top = np.abs(sound.samples) >= 0.999
    return bool((at_top[:, 1:] & at_top[:, :-1]).sum() > 8)


def _readings(material: Material, claims: Claims, company: Company) -> tuple[Reading, ...]:
    mark = None
    if claims.loop_start_s is not None and claims.loop_end_s is not None:
        mark = claims.loop_start_s, claims.loop_end_s
    found = hypotheses(
        material.picture, material.attacks, material.sounding, mark, material.edge.seconds
    )
    if not len(found):
        return ()
    taken, scores = judged(material, found)
    seconds = material.picture.seconds
    scores = scores + rarity(taken) + claimed_odds(taken, claims)
    scores = scores + company.odds(taken, claims, seconds)
    ranked = _ranked(material, taken, scores)
    return tuple(
        replace(one, reason=f"{one.reason}; {said}")
        if (said := company.said(one, claims, seconds, _is_doubted(one, ranked)))
        else one
        for one in ranked
    )


def _is_doubted(reading: Reading, others: tuple[Reading, ...]) -> bool:
    """May it be counted in half or double the tempo as well?"""
    return any(
        abs(abs(np.log2(reading.tempo_bpm / other.tempo_bpm)) - 1.0) < SAME_ANSWER
        for other in others
    )


def rarity(h: Hypotheses) -> NDArray[np.float64]:
    """How much rarer each hypothesis is than among what was learnt from: logarithms.

    float64 [hypotheses]
    """
    metres = np.asarray([RARER_METRES.get(int(m), 0.0) for m in h.metre])
    bars = np.asarray([RARER_BARS.get(int(b), 0.0) for b in h.bars])
    return np.asarray(metres + bars)


def claimed_odds(h: Hypotheses, claims: Claims) -> NDArray[np.float64]:
    """What the file's own words add to each score: logarithms of odds, set by hand.

    A claimed tempo is right about nine times in ten, its half or double now and then; the sound can
    still say otherwise.
    returns  float64 [hypotheses]
    """
    odds = np.zeros(len(h))
    if claims.tempo_bpm:
        octaves = np.log2(h.tempo / claims.tempo_bpm)
        # As exact as a tempo is written: half its last place, and never narrower than 0.2 %.
        width = max(0.003, 0.6 / claims.tempo_bpm / np.log(2)) if _is_whole(claims) else 0.003
        odds += 3.2 * np.exp(-((octaves / width) ** 2))
        odds += 0.8 * np.exp(-(((np.abs(octaves) - 1.0) / width) ** 2))
    if claims.bars:
        odds += 2.0 * (h.bars == claims.bars)
    return odds


def _is_whole(claims: Claims) -> bool:
    return claims.tempo_bpm is not None and claims.tempo_bpm == round(claims.tempo_bpm)


def _ranked(material: Material, h: Hypotheses, scores: NDArray[np.float64]) -> tuple[Reading, ...]:
    weight = np.exp(scores - scores.max())
    share = weight / weight.sum()
    left = share.copy()
    merged: list[tuple[float, int]] = []
    for _ in range(3 * MOST_READINGS):
        i = int(np.argmax(left))
        if left[i] < 1e-4:
            break
        alike = (h.bars == h.bars[i]) & (h.metre == h.metre[i]) & (left > 0)
        same = alike & (np.abs(h.tempo - h.tempo[i]) < SAME_TEMPO_BPM)
        mass = float(left[same].sum())
        # Of several starts of one length, the one that most weight stands near.
        members = np.flatnonzero(same)
        near = np.abs(h.start[members, None] - h.start[None, members]) < 0.012
        best = int(members[np.argmax((near * left[members]).sum(axis=1) + 1e-6 * left[members])])
        merged.append((mass, best))
        # What differs by a few thousandths only is no other answer, but no agreement either.
        left[alike & (np.abs(h.tempo / h.tempo[i] - 1.0) < SAME_ANSWER)] = 0.0
    merged.sort(reverse=True)
    return tuple(
        Reading(
            bars=int(h.bars[i]),
            beats_per_bar=int(h.metre[i]),
            tempo_bpm=float(h.tempo[i]),
            downbeat_s=float(h.start[i]),
            end_s=float(h.end[i]),
            confidence=mass,
            reason=_reason(material, h, i),
        )
        for mass, i in merged[:MOST_READINGS]
        if mass >= LEAST_CONFIDENCE
    )


def _reason(material: Material, h: Hypotheses, i: int) -> str:
    bars, start = int(h.bars[i]), float(h.start[i])
    words = [f"{bars} bar{'s' * (bars != 1)} at {h.tempo[i]:.2f}".rstrip("0").rstrip(".")]
    words += [STARTS[int(h.start_kind[i])], ENDS[int(h.end_kind[i])]]
    lead = start / float(h.period[i])
    if h.start_kind[i] in (START_ATTACK, START_BACK) and lead > 0.2:
        before = material.attacks.seconds < start - 0.02
        if before.any():
            words[1] = f"a pickup of {lead:.2g} beat{'s' * (lead > 1.05)}"
    return "; ".join(words)
