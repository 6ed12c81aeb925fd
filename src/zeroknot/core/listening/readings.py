"""How many bars is a loop, how fast, and where is its one?

Method: joint hypotheses of start, end, bars and metre, each judged by how the attacks sit on its
grid, how the sound repeats at its beat and bar, whether it starts where a loop starts, and how
common such a tempo and length are. A loop nearly always holds a whole number of bars, so its
length outvotes the ear (Font & Serra, "Tempo estimation for music loops and a simple confidence
measure", ISMIR 2016). The weights were set by hand.
"""

from dataclasses import dataclass, replace

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attacks import (
    Attacks,
    Envelope,
    Floats,
    attack_envelope,
    find_attacks,
    sounding_range,
)
from zeroknot.core.listening.reading import Claims, Reading

MOST_READINGS = 5
SLOWEST_BPM, FASTEST_BPM = 50.0, 210.0
BARS_COMMON = {1: -0.5, 2: 0.1, 4: 0.2, 8: -0.1, 16: -0.8, 3: -2.2, 5: -2.8, 6: -2.2, 12: -2.4,
               7: -3.0, 32: -1.6, 24: -2.8, 64: -2.2}  # fmt: skip
METRES_COMMON = {4: 0.0, 3: -1.8}
NO_CLAIMS = Claims()
NONE_OF_THESE = -1.0  # score of an answer that is not among the hypotheses


@dataclass(frozen=True, eq=False)
class Heard:
    """Everything listening makes out."""

    attacks: Attacks
    readings: tuple[Reading, ...]
    sounding: tuple[float, float]
    warnings: tuple[str, ...]

    @property
    def best(self) -> Reading | None:
        return self.readings[0] if self.readings else None

    def beats(self) -> tuple[float, ...]:
        """Seconds of the best reading's pulses inside the pass."""
        best = self.best
        if best is None:
            return ()
        step = (best.end_s - best.downbeat_s) / best.pulses
        return tuple(best.downbeat_s + i * step for i in range(best.pulses))


def listen(sound: Audio, claims: Claims = NO_CLAIMS) -> Heard:
    """Attacks and readings of a sound, claims weighed in. Silence has neither."""
    if sound.peak() < 1e-4 or float(np.ptp(sound.samples)) < 1e-5:
        return Heard(Attacks.none(), (), (0.0, sound.seconds), ("there is nothing to hear",))
    envelope = attack_envelope(sound)
    attacks = find_attacks(sound, envelope)
    sounding = sounding_range(sound)
    warnings = [] if attacks.seconds.size else ["no attacks: tempo cannot be told from the sound"]
    if sound.peak() >= 0.999 and _is_clipped(sound):
        warnings.append("the recording is clipped")
    hypotheses = _hypotheses(sound, attacks, sounding, claims)
    hypotheses += _before_a_tail(sound, attacks, envelope, hypotheses)
    if not hypotheses:
        return Heard(attacks, (), sounding, (*warnings, "too short to hold a bar"))
    scores = np.asarray(
        [_score(h, sound, attacks, sounding[0], envelope, claims) for h in hypotheses]
    )
    return Heard(attacks, _ranked(hypotheses, scores), sounding, tuple(warnings))


def _is_clipped(sound: Audio) -> bool:
    at_top = np.abs(sound.samples) >= 0.999
    return bool((at_top[:, 1:] & at_top[:, :-1]).sum() > 8)


def _hypotheses(
    sound: Audio, attacks: Attacks, sounding: tuple[float, float], claims: Claims
) -> list[Reading]:
    starts = {0.0: "starts with the file"}
    if 0.01 < sounding[0] < 0.5 * sound.seconds:
        starts[sounding[0]] = f"the sound starts at {sounding[0]:.3f} s"
    early = attacks.seconds < min(4.0, 0.5 * sound.seconds)
    strongest = np.argsort(-attacks.strengths * early)[:6]
    for i in sorted(strongest[early[strongest]]):
        # An attack just after the sound begins is that beginning, heard late.
        if attacks.seconds[i] > sounding[0] + 0.08:
            starts[float(attacks.seconds[i])] = f"starts at {attacks.seconds[i]:.3f} s"
    ends = {sound.seconds: "ends with the file"}
    if sounding[1] < sound.seconds - 0.05:
        ends[sounding[1]] = "ends with the sound"
    if claims.loop_end_s is not None and claims.loop_start_s is not None:
        starts[claims.loop_start_s] = "the file marks a loop"
        ends[claims.loop_end_s] = "the file marks a loop"
    found = []
    for start, why_start in starts.items():
        for end, why_end in ends.items():
            for bars in BARS_COMMON:
                for beats in METRES_COMMON:
                    if end - start < 0.25:
                        continue
                    bpm = bars * beats * 60.0 / (end - start)
                    if SLOWEST_BPM <= bpm <= FASTEST_BPM:
                        why = f"{why_start}, {why_end}"
                        found.append(Reading(bars, beats, bpm, start, end, 0.0, why))
            # A tail: the body is shorter than the file by what is claimed or common.
            if claims.tempo_bpm:
                bar = 240.0 / claims.tempo_bpm
                bars = int((end - start) / bar + 0.02)
                if bars >= 1 and bars in BARS_COMMON and start + bars * bar < end - 0.02:
                    why = f"{why_start}, {bars} bars at the claimed tempo"
                    found.append(
                        Reading(bars, 4, claims.tempo_bpm, start, start + bars * bar, 0.0, why)
                    )
    return found


def _before_a_tail(
    sound: Audio, attacks: Attacks, envelope: Envelope, others: list[Reading]
) -> list[Reading]:
    """Readings that end before the file does: the last bar line, then only ringing.

    The beat comes from the attacks' own spacing, drawn straight by least squares.
    """
    found: list[Reading] = []
    if attacks.seconds.size < 4:
        return found
    for start in sorted({h.downbeat_s for h in others}):
        for coarse in _periods(envelope):
            beat = _straightened(attacks, start, coarse)
            for bars in BARS_COMMON:
                for beats in METRES_COMMON:
                    end = start + bars * beats * beat
                    rest = sound.seconds - end
                    if not 0.03 < rest < 0.9 * beats * beat:
                        continue
                    if attacks.seconds[-1] > end - 0.03 or end - attacks.seconds[-1] > 2.1 * beat:
                        continue
                    why = f"starts at {start:.3f} s, only ringing after {end:.2f} s"
                    found.append(Reading(bars, beats, 60.0 / beat, start, end, 0.0, why))
    return found


def _periods(envelope: Envelope) -> tuple[float, ...]:
    """Beat periods in seconds at which the envelope repeats, likeliest first; up to six."""
    values = envelope.values - envelope.values.mean()
    size = 2 ** int(np.ceil(np.log2(2 * values.size)))
    again = np.fft.irfft(np.abs(np.fft.rfft(values, size)) ** 2)[: values.size // 2]
    low, high = (int(60.0 / bpm / envelope.hop_seconds) for bpm in (FASTEST_BPM, SLOWEST_BPM))
    part = again[low : high + 1]
    if part.size < 3:
        return ()
    peaks = np.flatnonzero((part[1:-1] > part[:-2]) & (part[1:-1] >= part[2:])) + 1
    best = peaks[np.argsort(-part[peaks])][:6]
    return tuple(float((low + i) * envelope.hop_seconds) for i in best)


def _straightened(attacks: Attacks, start: float, coarse: float) -> float:
    """The beat whose halves fit the attacks best near a coarse one (least squares from start)."""
    beat = coarse
    for _ in range(3):
        places = np.round((attacks.seconds - start) / (beat / 2))
        off = attacks.seconds - start - places * (beat / 2)
        near = (np.abs(off) < 0.03) & (places > 0)
        if not near.any():
            return beat
        weights = attacks.strengths[near]
        at, n = attacks.seconds[near] - start, places[near]
        beat = 2.0 * float((weights * at * n).sum() / (weights * n * n).sum())
    return beat


def _score(
    h: Reading,
    sound: Audio,
    attacks: Attacks,
    first_sound: float,
    envelope: Envelope,
    claims: Claims,
) -> float:
    beat = (h.end_s - h.downbeat_s) / h.pulses
    score = BARS_COMMON[h.bars] + METRES_COMMON[h.beats_per_bar]
    # Tempo: log-normal about 112, a third of an octave wide; gentle, for slow and fast loops exist.
    score -= 0.5 * (np.log2(h.tempo_bpm / 112.0) / 0.42) ** 2
    if h.downbeat_s == 0.0:
        score += 1.2
    if h.end_s == sound.seconds:
        score += 1.0
    elif h.downbeat_s > 0.0:
        score -= 0.6  # cut at neither end: rarer than either
    if attacks.seconds.size:
        score += 5.0 * _on_grid(attacks, h.downbeat_s, beat / 4) + 1.5 * _on_grid(
            attacks, h.downbeat_s, beat
        )
        nearest = np.abs(attacks.seconds - h.downbeat_s)
        if nearest.min() < (0.06 if h.downbeat_s in (0.0, first_sound) else 0.025):
            score += 1.0 + 0.8 * float(attacks.strengths[np.argmin(nearest)])
        skipped = attacks.strengths[attacks.seconds < h.downbeat_s - 0.02].sum()
        score -= 2.0 * float(skipped / attacks.strengths.sum())
    score += 1.5 * _repeats(envelope, h, beat) + 1.5 * _repeats(envelope, h, beat * h.beats_per_bar)
    if claims.tempo_bpm:
        off = abs(np.log2(h.tempo_bpm / claims.tempo_bpm))
        off_octave = min(abs(off - 1.0), off)
        score += 3.0 * np.exp(-((off / 0.008) ** 2)) + 0.6 * np.exp(-((off_octave / 0.008) ** 2))
    if claims.bars == h.bars:
        score += 1.5
    if claims.loop_start_s is not None and abs(h.downbeat_s - claims.loop_start_s) < 0.002:
        score += 0.8
    return float(score)


def _on_grid(attacks: Attacks, origin: float, step: float) -> float:
    """Share of attack strength within 15 ms of a grid, over what chance would give. −1…1"""
    width = 0.015
    off = (attacks.seconds - origin) / step
    off = np.abs(off - np.round(off)) * step
    weights: Floats = attacks.strengths
    hit = float((weights * np.exp(-0.5 * (off / width) ** 2)).sum() / weights.sum())
    chance = min(1.0, width * np.sqrt(2 * np.pi) / step)
    return float(hit - chance)


def _repeats(envelope: Envelope, h: Reading, lag_seconds: float) -> float:
    """Correlation of the attack envelope with itself a lag later, the pass as a circle. −1…1"""
    hop = envelope.hop_seconds
    values = envelope.values[max(0, round(h.downbeat_s / hop)) : round(h.end_s / hop)]
    lag = round(lag_seconds / hop)
    if values.size < 8 or lag % values.size == 0:
        return 0.0
    smooth = np.convolve(values, np.hanning(7) / 3.0, mode="same")
    smooth = smooth - smooth.mean()
    power = float(np.dot(smooth, smooth))
    return float(np.dot(smooth, np.roll(smooth, lag))) / power if power > 0 else 0.0


def _ranked(hypotheses: list[Reading], scores: Floats) -> tuple[Reading, ...]:
    top = max(float(scores.max()), NONE_OF_THESE)
    weights = np.exp(scores - top)
    total = float(weights.sum()) + float(np.exp(NONE_OF_THESE - top)) + 0.15
    merged: dict[tuple[int, int, int], Reading] = {}
    for i in np.argsort(-scores):
        h = hypotheses[i]
        # Same bars, tempo and one: the same reading, whatever led to it.
        same = (h.bars, h.beats_per_bar, round(h.downbeat_s / 0.03))
        if same in merged:
            kept = merged[same]
            merged[same] = replace(kept, confidence=float(kept.confidence + weights[i] / total))
        else:
            reason = f"{h.bars} bar{'s' * (h.bars != 1)} at {h.tempo_bpm:.1f}; {h.reason}"
            merged[same] = replace(h, confidence=float(weights[i] / total), reason=reason)
    best = sorted(merged.values(), key=lambda r: -r.confidence)[:MOST_READINGS]
    return tuple(r for r in best if r.confidence >= 0.01) or tuple(best[:1])
