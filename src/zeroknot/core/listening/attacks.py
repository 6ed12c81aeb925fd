"""When does something begin to sound?

Conventions
-----------
- An attack's time is the start of its rise, seconds from the recording's start.
- Strengths are 0…1, the strongest attack of a recording at 1.
- Sureness is the probability that it is an attack at all. Whoever asks for more sensitivity gets
  all that was there before and more.

Method: peaks of the spectral rise (see `picture`), each judged by how it stands out from what is
around it in six bands and in level, by a small network; then moved to where the waveform's own
envelope, or that of its treble, starts to rise.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import SENSITIVITY, Attacks, Floats
from zeroknot.core.listening.network import network
from zeroknot.core.listening.picture import Picture, picture_of
from zeroknot.core.listening.tempo import periods

VERSION = 2
LEAST_SURENESS = 0.03  # below it nothing is kept
NEAREST_SECONDS = 0.022
SEARCH_BEFORE, SEARCH_AFTER = 0.008, 0.018  # seconds round a peak in which the rise is looked for
PEAK_EARLY_SECONDS = 0.0055  # a peak of the spectral rise comes before the attack by about this
TRUSTED_SECONDS = 0.004
SOUNDING_AT_ONCE = 0.25  # of the top nearby: a sound that begins so begins with the file
SURE_AT_ONCE = 0.9
CLEAR_RISE = 2.0  # of log level over STEP_SECONDS: the waveform tells, whatever was expected
FAINTEST_RISE = 0.5  # of log level over STEP_SECONDS: below it the waveform does not tell
QUIETEST_RMS = 1e-4  # −80 dBFS: below it there is nothing to hear
SMOOTH_SECONDS = 0.0015
STEP_SECONDS = 0.003

Table = NDArray[np.float32]


def find_attacks(sound: Audio, sensitivity: float = SENSITIVITY) -> Attacks:
    """The attacks of a sound, in order; none in silence."""
    return all_attacks(sound).at_sensitivity(sensitivity)


def all_attacks(sound: Audio, picture: Picture | None = None) -> Attacks:
    """Everything that may be an attack, in order; none in silence."""
    if is_silent(sound):
        return Attacks.none()
    picture = picture or picture_of(sound)
    at = candidates(picture)
    if at.size == 0:
        return Attacks.none()
    levels = envelopes(sound)
    rows = attack_features(picture, levels, sound.rate, at)
    sureness = 1.0 / (1.0 + np.exp(-network("attacks").scores(rows)))
    if at[0] <= 1 and _sounds_at_once(levels, sound.rate):
        sureness[0] = max(sureness[0], SURE_AT_ONCE)
    keep = sureness >= LEAST_SURENESS
    at, sureness, rows = at[keep], sureness[keep], rows[keep]
    seconds = attack_times(
        levels, sound.rate, np.asarray(at * picture.hop_seconds, np.float64), rows
    )
    strengths = picture.total[at].astype(np.float64)
    # The surest of neighbours stays, whatever the sensitivity: it may then only add.
    taken: list[int] = []
    for i in np.argsort(-sureness, kind="stable"):
        if all(abs(seconds[i] - seconds[j]) >= NEAREST_SECONDS for j in _near(taken, seconds, i)):
            taken.append(int(i))
    order = np.asarray(sorted(taken, key=lambda i: seconds[i]), np.int64)
    if order.size == 0:
        return Attacks.none()
    strongest = max(float(strengths[order].max()), 1e-9)
    return Attacks(seconds[order], strengths[order] / strongest, sureness[order])


def _near(taken: list[int], seconds: Floats, i: int) -> list[int]:
    return [j for j in taken if abs(seconds[i] - seconds[j]) < NEAREST_SECONDS]


def is_silent(sound: Audio) -> bool:
    """Is there nothing to hear: silence, or a constant?"""
    if float(np.ptp(sound.samples)) < 1e-5:
        return True
    return float(np.sqrt(np.mean(np.square(sound.samples, dtype=np.float64)))) < QUIETEST_RMS


def candidates(picture: Picture) -> NDArray[np.int64]:
    """Frames of `picture` where the rise has a peak, in all bands together or in two of them.

    returns  int64 [candidates], rising
    """
    values = picture.total
    is_peak = (values == ndimage.maximum_filter1d(values, 5)) & (values > 0.004)
    votes = np.zeros(values.size, np.int64)
    for band in picture.rises.T:
        peak = (band == ndimage.maximum_filter1d(band, 7)) & (band > 0.03)
        votes += ndimage.maximum_filter1d(peak.astype(np.int64), 3)
    is_peak |= (votes >= 3) & (votes == ndimage.maximum_filter1d(votes, 5)) & (values > 0.004)
    at = np.flatnonzero(is_peak)
    if at.size:
        at = at[np.concatenate([[True], np.diff(at) > 1])]
    return at


@dataclass(frozen=True, eq=False)
class Envelopes:
    """Smoothed size of the waveform and of its treble: float32 [frames] each."""

    full: Table
    treble: Table


def envelopes(sound: Audio) -> Envelopes:
    """How loud each band is over time."""
    width = max(1, round(SMOOTH_SECONDS * sound.rate))
    found = []
    for samples in (sound.samples, np.diff(sound.samples, axis=1, prepend=0.0)):
        size = np.abs(samples).max(axis=0)
        # A running mean may come out a rounding error below nothing.
        found.append(np.maximum(ndimage.uniform_filter1d(size, width, mode="nearest"), 0.0))
    return Envelopes(found[0], found[1])


def attack_features(picture: Picture, levels: Envelopes, rate: int, at: NDArray[np.int64]) -> Table:
    """How each candidate stands out: float32 [candidates, features]."""
    values, hop = picture.total, picture.hop_seconds
    frames = values.size

    def around(table: Table, before: float, after: float, how: str) -> Floats:
        """Mean or maximum over a window of seconds round each candidate."""
        a, b = round(before / hop), round(after / hop)
        if how == "max":
            wide = ndimage.maximum_filter1d(table, b - a + 1, mode="constant")
        else:
            wide = ndimage.uniform_filter1d(table, b - a + 1, mode="nearest")
        middles = np.clip(at + (a + b) // 2, 0, frames - 1)
        return np.asarray(wide[middles], np.float64)

    tiny = 1e-4
    top = float(np.percentile(values, 99)) + tiny
    here = values[at].astype(np.float64)
    columns = [
        np.log(here / top + 0.01),
        np.log(here + 0.002),
        np.log((here + tiny) / (around(values, -0.1, 0.1, "mean") + tiny)),
        np.log((here + tiny) / (around(values, -0.3, 0.3, "mean") + tiny)),
        here / (around(values, -0.03, 0.03, "max") + tiny),
        here / (around(values, -0.06, -0.01, "max") + tiny),
        here / (around(values, 0.01, 0.06, "max") + tiny),
        here / (around(values, -0.15, 0.15, "max") + tiny),
        here / (around(values, -1.0, 1.0, "max") + tiny),
    ]
    for band in picture.rises.T:
        peak = around(band, -0.006, 0.006, "max")
        band_top = float(np.percentile(band, 99)) + 0.02
        columns += [
            peak / band_top,
            np.log((peak + 0.01) / (around(band, -0.1, 0.1, "mean") + 0.01)),
            peak,
        ]
    seconds = at * hop
    for level in (levels.full, levels.treble):
        cumulated = np.concatenate([[0.0], np.cumsum(level, dtype=np.float64)])

        def mean(start: float, stop: float, sums: Floats = cumulated) -> Floats:
            a = np.clip(((seconds + start) * rate).astype(np.int64), 0, sums.size - 2)
            b = np.clip(((seconds + stop) * rate).astype(np.int64), a + 1, sums.size - 1)
            return np.asarray((sums[b] - sums[a]) / (b - a))

        floor = 1e-4 + 0.002 * float(level.max())
        columns += [
            np.log((mean(0.0, 0.015) + floor) / (mean(-0.035, -0.012) + floor)),
            np.log((mean(0.0, 0.04) + floor) / (mean(-0.08, -0.012) + floor)),
            np.log((mean(0.0, 0.02) + floor) / (float(level.mean()) + floor)),
        ]
    columns += [np.minimum(seconds, 0.1) * 10, np.minimum((frames * hop - seconds), 0.2) * 5]
    # The shape of the rise, frame by frame.
    padded = np.pad(values, 4)
    columns += [padded[at + 4 + k] / (here + tiny) for k in (-4, -3, -2, -1, 1, 2, 3, 4)]
    for band in picture.rises.T:
        padded_band = np.pad(band, 2)
        columns += [padded_band[at + 2 + k] for k in (-2, 2)]
    # What stands a beat or more away: a quiet hit comes again.
    wide = np.pad(ndimage.maximum_filter1d(values, 5), frames)
    for period in (*periods(picture), 0.0, 0.0)[:2]:
        for times in (-2, -1, 1, 2):
            there = wide[at + frames + np.clip(round(times * period / hop), -frames, frames - 1)]
            columns.append(np.log((there + 0.005) / (here + 0.005)) * (period > 0))
    crowd = np.histogram(seconds, np.arange(0, frames * hop + 0.5, 0.25))[0]
    columns += [
        crowd[(seconds / 0.25).astype(int)] / 5.0,
        np.full(at.size, np.log(top)),
        np.full(at.size, top / (float(values.mean()) + tiny) / 10),
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def attack_times(levels: Envelopes, rate: int, peaks: Floats, rows: Table) -> Floats:
    """Seconds of attacks: where the waveform rises, if that is about where it is expected.

    In a mix the waveform may show another voice's rise: then the expectation holds.

    peaks    float64 [attacks] seconds at which they are expected
    rows     float [attacks, numbers] of what was seen round each
    returns  float64 [attacks]
    """
    seen, steepness = starts_of_rise(levels, rate, peaks)
    inputs = timing_rows(rows, seen - peaks)
    expected = peaks + network("attack-times").scores(inputs) / 1000.0
    trusted = (np.abs(seen - expected) < TRUSTED_SECONDS) | (seen == 0.0)
    trusted |= steepness > CLEAR_RISE
    return np.maximum(0.0, np.where(trusted, seen, expected))


def timing_rows(rows: Table, shift: Floats) -> Table:
    """Features, and how far after the peak the waveform rises: float32 [n, features + 1]."""
    return np.concatenate([rows, 1000.0 * shift[:, None]], axis=1).astype(np.float32)


def starts_of_rise(levels: Envelopes, rate: int, seconds: Floats) -> tuple[Floats, Floats]:
    """Where the envelope near each moment starts to rise, and how steeply.

    seconds  float64 [moments]
    returns  seconds, and the rise of the log level over STEP_SECONDS: float64 [moments] each
    """
    found = [_start_of_rise(levels, rate, float(s)) for s in seconds]
    return np.asarray([f[0] for f in found], np.float64), np.asarray([f[1] for f in found])


def _sounds_at_once(levels: Envelopes, rate: int) -> bool:
    top = float(levels.full[: int(SEARCH_AFTER * rate) + 1].max())
    return float(levels.full[0]) > SOUNDING_AT_ONCE * top > 0.0


def _start_of_rise(levels: Envelopes, rate: int, second: float) -> tuple[float, float]:
    low = max(0, int((second - SEARCH_BEFORE) * rate))
    high = min(levels.full.size, int((second + SEARCH_AFTER) * rate) + 1)
    if high - low < 8:
        return second, 0.0
    step = max(1, round(STEP_SECONDS * rate))
    if low == 0 and _sounds_at_once(levels, rate):
        return 0.0, CLEAR_RISE
    best, steepest, chosen, top = -np.inf, 0.0, levels.full[low:high], 0
    for level in (levels.full[low:high], levels.treble[low:high]):
        if level.size <= step:
            return second, 0.0
        # The steepest relative rise over 3 ms, in whichever envelope shows it best.
        floor = 1e-5 + 0.02 * float(level.max())
        gain = np.log((level[step:] + floor) / (level[:-step] + floor))
        weight = gain * np.sqrt(level[step:] / (float(level.max()) + 1e-9))
        i = int(np.argmax(weight))
        if weight[i] > best:
            best, steepest, chosen, top = float(weight[i]), float(gain[i]), level, i + step
    if steepest < FAINTEST_RISE:
        return second + PEAK_EARLY_SECONDS, 0.0
    before = max(0, top - 2 * step)
    base = float(chosen[before : before + step].mean()) if before else float(chosen[0])
    threshold = base + 0.12 * (float(chosen[top : top + step].max()) - base)
    i = top
    while i > before and chosen[i] > threshold:
        i -= 1
    # A moving mean rises half its width early.
    width = max(1, round(SMOOTH_SECONDS * rate))
    at = 0 if i == 0 and low == 0 else i + width // 4
    return (low + at) / rate, steepest


def sounding_range(sound: Audio, floor_db: float = -72.0) -> tuple[float, float]:
    """First and last second that are louder than the floor; the whole if none is.

    floor_db  under the peak. Where the quietest tenth of a second is louder than that (a noisy
              recording), 8 dB above it counts as the floor, up to −38 dB.
    """
    peak = sound.peak()
    if peak == 0.0:
        return 0.0, sound.seconds
    size = np.abs(sound.samples).max(axis=0)
    width = max(1, sound.rate // 50)
    blocks = size[: size.size // width * width].reshape(-1, width).max(axis=1)
    if blocks.size >= 5:
        noise = float(np.maximum(blocks[:-1], blocks[1:]).min())
        noise_db = 20 * np.log10(max(noise, 1e-9) / peak) + 8.0
        floor_db = float(np.clip(noise_db, floor_db, -38.0)) if noise_db < -38.0 else floor_db
    loud = size > peak * 10 ** (floor_db / 20)
    first = int(np.argmax(loud))
    last = sound.frames - int(np.argmax(loud[::-1]))
    return first / sound.rate, last / sound.rate
