"""What may a long recording be? Beats are followed, bars and other ways to count it weighed.

How fast it is, is heard rightly far more often than where its bars begin: of stretches of songs in
nine of ten against five. So the likeliest bars come first, then the next ones, and the same half a
beat later.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeroknot.core.listening.beats import REFINED_SECONDS, TempoCurve, curve_of, followed_rises
from zeroknot.core.listening.material import Material
from zeroknot.core.listening.picture import COARSE
from zeroknot.core.listening.reading import Reading

Floats = NDArray[np.float64]

FEWEST_BEATS = 8
FOLLOWED_HOP = 2  # frames of the picture a step when a take is followed: 10 ms
# What stands out on ones, and how much a standard error more of it says: fitted to recorded songs
# and pieces written as rows (decision 0034). How much begins in the lows, and altogether; how far
# chord and colour are from those on the beat, or over the beats, before; how much bass comes in.
ACCENTS = {
    "low": 0.29, "all": -0.12, "chord": 0.13, "chord, 4": 0.40, "colour, 1": 0.21,
    "colour, 4": 0.23, "bass, 4": 0.08, "bass, 8": 0.06,
}  # fmt: skip
METRES = {4: 2.0, 3: 0.6, 5: -0.3, 7: -0.6}  # what each has over others before it is heard
NEAR = 7  # frames of the picture that a beat's accent may lie in
BASS = 3  # colours that are bass
LEAST_SHARE, MOST_BARS = 0.05, 3  # of what is said of where bars begin
OFF_BEAT = 0.4  # of what is left where the beats are not those followed: they lie between


def take_of(material: Material) -> tuple[tuple[Reading, ...], TempoCurve | None]:
    """A long take: what it may be, likeliest first, and the beats of the first of these.

    Each reading holds whole bars.
    """
    beats = beats_of(material)
    curve = curve_of(beats)
    if beats.size < FEWEST_BEATS or curve is None:
        return (), None
    sure = _sureness(material, beats, curve)
    low, high = np.percentile(curve.bpm, (5, 95))
    said = f"a take: its beats were followed; {low:.1f} to {high:.1f} BPM"
    bars = bars_of(material, beats)
    first = _counted(material, beats, bars[0], sure, said)
    if first is None:
        return (), curve
    others = [_counted(material, beats, one, sure, said) for one in bars[1:]]
    between = 0.5 * (beats[1:] + beats[:-1])
    metre, phase, _ = bars_of(material, between)[0]
    words = f"{said}; its beats half a beat later"
    others.append(_counted(material, between, (metre, phase, OFF_BEAT), 1.0 - sure, words))
    told = [_beside(first, one) for one in others if one]
    return (first, *sorted(told, key=lambda r: -r.confidence)), curve


def beats_of(material: Material) -> Floats:
    """Seconds of the beats of a take of which nothing is known: float64 [n], rising."""
    step = material.picture.hop_seconds * FOLLOWED_HOP
    return followed_rises(steps_of(material), step, material.attacks)


def steps_of(material: Material) -> Floats:
    """How much begins in every FOLLOWED_HOP frames of the picture, in standard deviations.

    float64 [steps]
    """
    rises = material.picture.total.astype(np.float64)
    usable = rises.size // FOLLOWED_HOP * FOLLOWED_HOP
    pairs = rises[:usable].reshape(-1, FOLLOWED_HOP).max(axis=1)
    return np.asarray(pairs / (pairs.std() + 1e-9))


def bars_of(material: Material, beats: Floats) -> list[tuple[int, int, float]]:
    """As `bars_of_accents`, by all ACCENTS; beats: float64 [n] seconds."""
    return bars_of_accents(accents_of(material, beats), np.asarray(list(ACCENTS.values())))


def accents_of(material: Material, beats: Floats) -> Floats:
    """How much there is of each of ACCENTS on every beat: float64 [kinds, beats]."""
    picture = material.picture
    i = np.clip(np.round(beats / picture.hop_seconds).astype(int), 0, picture.total.size - 1)
    chords = _by_beat(material.chroma, beats / material.chroma_hop)
    chords = chords / (np.linalg.norm(chords, axis=1, keepdims=True) + 1e-6)
    colours = _by_beat(picture.colours, beats / (picture.hop_seconds * COARSE))
    found = {
        "low": ndimage.maximum_filter1d(picture.rises[:, :2].sum(axis=1), NEAR)[i],
        "all": ndimage.maximum_filter1d(picture.total, NEAR)[i],
        "chord": _unlike(*_around(chords, 1)),
        "chord, 4": _unlike(*_around(chords, 4)) ** 2,
    }
    for n in (1, 4, 8):
        before, after = _around(colours, n)
        found[f"colour, {n}"] = np.linalg.norm(after - before, axis=1)
        found[f"bass, {n}"] = (after - before)[:, :BASS].sum(axis=1)
    told = np.stack([found[name] for name in ACCENTS]).astype(np.float64)
    told[2:, 0] = 0.0  # nothing is before the first
    return told


def bars_of_accents(accents: Floats, weights: Floats) -> list[tuple[int, int, float]]:
    """Where bars may begin, by what stands out on every one of them.

    The same height means more the more bars there are, and less where there are many places to
    choose.

    accents  float64 [kinds, beats]
    weights  float64 [kinds], of a standard error in the logarithm of how likely it is
    returns  pulses a bar, which of the first is a one, and how likely that is; likeliest first
    """
    places, stands = standing_out(accents)
    score = stands @ weights + np.asarray([METRES[metre] for metre, _ in places])
    likely = np.exp(score - score.max())
    shares = (likely / likely.sum()).tolist()
    told = [(*places[i], shares[i]) for i in np.argsort(-score, kind="stable")[:MOST_BARS]]
    return [told[0], *(one for one in told[1:] if one[2] >= LEAST_SHARE)]


def standing_out(accents: Floats) -> tuple[list[tuple[int, int]], Floats]:
    """By how many standard errors the ones are above the other beats.

    accents  float64 [kinds, beats]
    returns  metre and phase of each place of the one, float64 [places, kinds]
    """
    places, stands = [], []
    for metre in METRES:
        for phase in range(min(metre, accents.shape[1] - 1)):
            ones = np.zeros(accents.shape[1], bool)
            ones[phase::metre] = True
            error = accents.std(axis=1) * np.sqrt(1 / ones.sum() + 1 / (~ones).sum())
            above = accents[:, ones].mean(axis=1) - accents[:, ~ones].mean(axis=1)
            places.append((metre, phase))
            stands.append(above / (error + 1e-9))
    return places, np.asarray(stands)


def _by_beat(table: NDArray[np.float32], frames: Floats) -> Floats:
    """The mean of a table's rows from each beat to the next: float64 [beats, columns]."""
    at = np.clip(frames.astype(int), 0, table.shape[0] - 1)
    counts = np.maximum(1, np.diff(np.append(at, table.shape[0])))
    return np.asarray(np.add.reduceat(table.astype(np.float64), at, axis=0) / counts[:, None])


def _around(rows: Floats, count: int) -> tuple[Floats, Floats]:
    """Means of so many rows before each, and from each on; fewer at the ends."""
    sums = np.concatenate([np.zeros((1, rows.shape[1])), np.cumsum(rows, axis=0)])
    i = np.arange(rows.shape[0])
    low, high = np.maximum(0, i - count), np.minimum(rows.shape[0], i + count)
    before = (sums[i] - sums[low]) / np.maximum(1, i - low)[:, None]
    return before, (sums[high] - sums[i]) / (high - i)[:, None]


def _unlike(one: Floats, other: Floats) -> Floats:
    """1 less the cosine between rows."""
    size = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    return np.asarray(1.0 - (one * other).sum(axis=1) / (size + 1e-9))


def _sureness(material: Material, beats: Floats, curve: TempoCurve) -> float:
    """How likely the beats are those that people count: by what begins on them, and how even."""
    rises = steps_of(material)
    at = np.round(beats / (material.picture.hop_seconds * FOLLOWED_HOP)).astype(int)
    at = at[at < rises.size]
    on_beats = float(ndimage.maximum_filter1d(rises, 5)[at].mean() / (rises.mean() + 1e-9))
    steadiness = float(np.exp(-((curve.deviation_bpm / curve.mean_bpm / 0.06) ** 2)))
    clear = float(np.clip(0.08 * on_beats, 0.05, 0.6)) * (0.5 + 0.5 * steadiness)
    return float(np.clip(1.9 * clear - 0.15, 0.05, 0.95))  # as often as they were right


def _counted(
    material: Material, beats: Floats, bar: tuple[int, int, float], sure: float, said: str
) -> Reading | None:
    """The whole bars of some beats; None where there is none.

    bar  as of `bars_of`
    """
    metre, phase, share = bar
    # The last beat lasts as long as the one before it, where the recording does.
    last = 2 * beats[-1] - beats[-2]
    lines = np.append(beats, last) if last < material.picture.seconds + REFINED_SECONDS else beats
    bars = (lines.size - 1 - phase) // metre
    if bars < 1:
        return None
    start, end = float(lines[phase]), float(lines[phase + bars * metre])
    tempo = bars * metre * 60.0 / (end - start)
    return Reading(bars, metre, tempo, start, end, share * sure, said)


def _beside(first: Reading, other: Reading) -> Reading:
    """Another reading, with how many beats later or earlier its one is."""
    if first.beats_per_bar != other.beats_per_bar or other.reason != first.reason:
        return other
    off = round((other.downbeat_s - first.downbeat_s) * first.tempo_bpm / 60.0)
    off = (off + 1) % first.beats_per_bar - 1
    how = "a beat earlier" if off == -1 else f"{off} beat{'s' * (off > 1)} later"
    return replace(other, reason=f"{other.reason}; its one is {how}")
