"""What kind of sound is it?

Method: colour, rises, tonality, range and density of the whole sound, how many notes sound at once
and how they move, judged by boosted trees; one hit by rule.
"""

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.material import Material
from zeroknot.core.listening.salience import highest_and_lowest, voices_at_once
from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT, SoundReading
from zeroknot.core.listening.trees import trees

Table = NDArray[np.float32]

LONGEST_HIT_SECONDS = 3.0
MOVES = 7  # numbers that say how notes move
VOICES = 5 + 2 * MOVES  # and those that say how many there are at once
DIED_AWAY = 0.06  # share of the loudest level that is left at the end of one hit


def sound_heard(material: Material, seconds: float) -> SoundReading:
    """The kind of a sound that lasts so many seconds."""
    if is_one_hit(material, seconds):
        return SoundReading(ONE_HIT, 0.9)
    scores = trees("sound").answers(sound_features(material)[None])[0]
    share = np.exp(scores - scores.max())
    share /= share.sum()
    best = int(np.argmax(share))
    return SoundReading(KINDS[best], float(share[best]))


def is_one_hit(material: Material, seconds: float) -> bool:
    """One attack near the start, and then it dies away."""
    sure = material.everything.at_sensitivity(0.5).seconds
    first = material.sounding[0]
    length = material.sounding[1] - first
    if length > LONGEST_HIT_SECONDS or (sure > first + 0.12).any():
        return False
    level = 10.0 ** material.picture.colours.astype(np.float64) - 1.0
    level = level.mean(axis=1)
    sounding = level[int(first / (seconds / level.size)) :]
    if sounding.size < 3:
        return True
    end = sounding[-max(1, sounding.size // 12) :].mean()
    middle = sounding[sounding.size // 2 : sounding.size // 2 + max(1, sounding.size // 8)].mean()
    peak = float(sounding.max()) + 1e-12
    return bool(end < DIED_AWAY * peak and middle < 0.6 * peak)


def sound_features(material: Material) -> Table:
    """float32 [features]: the whole sound in a row of numbers."""
    picture, peaks, attacks = material.picture, material.peaks, material.attacks
    colours = picture.colours
    mean = colours.mean(axis=0)
    rises = picture.rises.mean(axis=0)
    weights = np.sqrt(peaks.weights)
    total = weights.sum() + 1e-9
    if peaks.notes.size:
        centre = float((weights * peaks.notes).sum() / total)
        width = float(np.sqrt((weights * (peaks.notes - centre) ** 2).sum() / total))
        turn = np.abs(
            (np.exp(2j * np.pi * (peaks.notes - (material.cents or 0) / 100)) * weights).sum()
        )
        in_tune = float(turn / total)
        strong = peaks.weights > 0.1 * np.repeat(1.0, peaks.weights.size) * peaks.weights.max()
        many = float(np.log1p(strong.sum() / peaks.count))
        first = np.full(peaks.count, np.inf)
        np.minimum.at(first, peaks.frames, np.where(strong, peaks.notes, np.inf))
        lowest = first[np.isfinite(first)]
        low_notes = np.percentile(lowest, (10, 50, 90)) if lowest.size else np.zeros(3)
    else:
        centre = width = in_tune = many = 0.0
        low_notes = np.zeros(3)
    chroma = material.chroma
    frames = chroma / (chroma.sum(axis=1, keepdims=True) + 1e-9)
    entropy = float(-(frames * np.log(frames + 1e-9)).sum(axis=1).mean())
    overall = chroma.sum(axis=0) / (chroma.sum() + 1e-9)
    spread = float(-(overall * np.log(overall + 1e-9)).sum())
    steady = float(colours.mean(axis=1).std() / (colours.mean() + 1e-6))
    seconds = picture.seconds
    values = [
        *(mean / (mean.sum() + 1e-6) * 12), *np.log(rises + 1e-3),
        *(colours.std(axis=0) / (mean + 1e-3)),
        np.log(picture.total.mean() + 1e-4),
        float(np.percentile(picture.total, 99) / (picture.total.mean() + 1e-6)) / 10,
        np.log1p(attacks.seconds.size / seconds),
        float(attacks.strengths.mean()) if attacks.strengths.size else 0.0,
        float(attacks.strengths.std()) if attacks.strengths.size else 0.0,
        float(np.log(min(peaks.peakiness, 10.0) + 1e-3)),
        centre / 12, width / 12, in_tune, many, entropy, spread, steady,
        *(low_notes / 12), np.log2(seconds), *_voices(material),
    ]  # fmt: skip
    return np.nan_to_num(np.asarray(values, np.float32), posinf=0.0, neginf=0.0)


def _voices(material: Material) -> list[float]:
    """How many notes sound at once, without overtones, and how the highest and lowest move."""
    peaks = material.peaks
    own = material.note_weights
    count = voices_at_once(peaks, own)
    if not count.size:
        return [0.0] * VOICES
    found = [
        float(np.log1p(count.mean())), *(float((count <= n).mean()) for n in (1, 2, 3, 5)),
    ]  # fmt: skip
    for notes in highest_and_lowest(peaks, own):
        steps = np.abs(np.diff(notes))
        steps = steps[np.isfinite(steps)]
        there = notes[np.isfinite(notes)]
        if not steps.size:
            found += [0.0] * MOVES
            continue
        off = there - (material.cents or 0.0) / 100.0
        found += [
            float((steps < 0.12).mean()), float(((steps >= 0.12) & (steps < 0.7)).mean()),
            float((steps > 6.0).mean()), float(np.abs(off - np.round(off)).mean()),
            *(float(v) / 12 for v in np.percentile(there, (10, 50, 90))),
        ]  # fmt: skip
    return found
