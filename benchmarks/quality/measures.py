"""How far is a stretched loop from the same loop played at the wanted tempo?

Conventions
-----------
- Sounds are float32 [frames, 2] at 44.1 kHz, loops: frames wrap round the end. The output is cut
  or padded to the truth's length and brought to its power.
- Every measure is 0 for the truth itself. `distance` adds them up, each over what is a plain fault
  of its kind (FAULTS); a score is 100 · 2^(−distance).

Sources: log-mel distance as in spectral-distance measures of speech coding (Quackenbush, Barnwell &
Clements, "Objective Measures of Speech Quality", 1988); onset novelty (Bello et al., "A tutorial on
onset detection in music signals", 2005); modulation spectrum (Houtgast & Steeneken, 1985); phase
dispersion by crest factor and the stereo measure are our own.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

RATE = 44_100
Sound = NDArray[np.float32]
RESOLUTIONS = ((512, 128, 40), (2048, 512, 72), (8192, 2048, 96))
FAULTS = {
    "colour_db": 3.0, "late_ms": 8.0, "worst_late_ms": 25.0, "dull": 0.6, "smear_db": 6.0,
    "tune_cents": 20.0, "flutter_db": 3.0, "crest_db": 3.0, "width": 0.2, "seam_db": 9.0,
}  # fmt: skip
SHARES = {
    "colour_db": 0.30, "late_ms": 0.09, "worst_late_ms": 0.06, "dull": 0.12, "smear_db": 0.08,
    "tune_cents": 0.06, "flutter_db": 0.15, "crest_db": 0.06, "width": 0.04, "seam_db": 0.04,
}  # fmt: skip


def score(measured: dict[str, float]) -> float:
    """0…100: the mean over what could be measured, each fault alone halving its share."""
    there = {k: v for k, v in measured.items() if np.isfinite(v)}
    weight = sum(SHARES[k] for k in there)
    return 100.0 * sum(SHARES[k] * 2.0 ** -(abs(v) / FAULTS[k]) for k, v in there.items()) / weight


class Truth:
    """The wanted loop, and all of it that is compared.

    attacks  seconds at which its notes begin
    """

    def __init__(self, sound: Sound, attacks: tuple[float, ...]):
        self.sound = sound
        self.mels = [_mel(sound, *r) for r in RESOLUTIONS]
        self.novelty = _novelty(sound)
        self.envelope = _envelope(sound)
        self.attacks = self._heard(np.asarray(attacks))
        self.tuning = _log_spectrum(sound)
        self.modulation = _modulation(self.mels[0])
        self.crest = _crest(sound)
        self.width = _width(sound)

    def _heard(self, attacks: NDArray[np.float64]) -> NDArray[np.float64]:
        """Seconds of the novelty's peaks behind the notes' starts, where there are clear ones."""
        found = []
        clear = 0.15 * np.percentile(self.novelty, 99)
        for second in attacks:
            i = _window(self.novelty.size, second - 0.004, second + 0.05, HOP / RATE)
            k = i[np.argmax(self.novelty[i])]
            before, after = (
                self.novelty[(k - 1) % self.novelty.size],
                self.novelty[(k + 1) % self.novelty.size],
            )
            if self.novelty[k] > clear and self.novelty[k] >= max(before, after):
                found.append(k * HOP / RATE)
        return np.unique(np.asarray(found))

    def against(self, made: Sound) -> dict[str, float]:
        """Every measure of an output; NaN where it does not apply."""
        made = _like(made, self.sound)
        mels = [_mel(made, *r) for r in RESOLUTIONS]
        colour = []
        for ours, theirs in zip(mels, self.mels, strict=True):
            top = theirs.max()
            a, b = (10 * np.log10(m / top + 1e-7) for m in (ours, theirs))
            weight = np.clip((np.maximum(a, b) + 60) / 60, 0, 1)
            colour.append((weight * np.minimum(np.abs(a - b), 40)).sum() / weight.sum())
        late, worst, dull, smear = self._at_attacks(made)
        # What does not stand out from what is around it is no click, however quiet the truth is.
        seam = max(0.0, _click(made)) - max(0.0, _click(self.sound))
        crest, _ = _crest(made)
        weight = np.sqrt(self.crest[1])
        return {
            "colour_db": float(np.mean(colour)),
            "late_ms": late, "worst_late_ms": worst, "dull": dull, "smear_db": smear,
            "tune_cents": _tuned(self.tuning, _log_spectrum(made)),
            "flutter_db": float(np.abs(_modulation(mels[0]) - self.modulation).mean()),
            "crest_db": float((np.abs(crest - self.crest[0]) * weight).sum() / weight.sum()),
            "width": float(np.abs(_width(made) - self.width).mean()),
            "seam_db": max(0.0, seam),
        }  # fmt: skip

    def _at_attacks(self, made: Sound) -> tuple[float, float, float, float]:
        if not self.attacks.size:
            return (float("nan"),) * 4
        novelty, envelope = _novelty(made), _envelope(made)
        off, dull, smear = [], [], []
        gaps = np.diff(np.append(self.attacks, self.attacks[0] + self.sound.shape[0] / RATE))
        for i, second in enumerate(self.attacks):
            reach = min(0.04, 0.45 * min(gaps[i], gaps[i - 1]))
            at = _window(novelty.size, second - reach, second + reach, HOP / RATE)
            height = novelty[at]
            near = np.flatnonzero(
                height >= 0.5 * self.novelty[round(second * RATE / HOP) % novelty.size]
            )
            k = near[np.argmax(height[near])] if near.size else None
            off.append(abs(k * HOP / RATE - reach) if k is not None else reach)
            if gaps[i - 1] < 0.06:
                continue
            rise, wanted = (_steepness(e, second) for e in (envelope, self.envelope))
            dull.append(min(3.0, abs(np.log2(rise / wanted))))
            before = _window(envelope.size, second - 0.022, second - 0.003, STEP / RATE)
            floor = self.envelope.max() * 1e-3
            excess = 20 * np.log10(
                (envelope[before].mean() + floor) / (self.envelope[before].mean() + floor)
            )
            smear.append(np.clip(excess, 0, 24))
        late = 1000 * np.asarray(off)
        return (
            float(np.median(late)), float(np.percentile(late, 95)),
            float(np.mean(dull)) if dull else float("nan"),
            float(np.mean(smear)) if smear else float("nan"),
        )  # fmt: skip


HOP, STEP = 64, 16


def _window(size: int, start: float, stop: float, step: float) -> NDArray[np.int64]:
    return np.arange(round(start / step), round(stop / step) + 1) % size


def _like(made: Sound, truth: Sound) -> Sound:
    made = made[:, :2] if made.shape[1] > 1 else np.repeat(made, 2, axis=1)
    frames = truth.shape[0]
    made = (
        made[:frames]
        if made.shape[0] >= frames
        else np.pad(made, ((0, frames - made.shape[0]), (0, 0)))
    )
    power = np.sqrt((truth**2).mean() / max(float((made**2).mean()), 1e-12))
    return (made * np.clip(power, 0.05, 20)).astype(np.float32)


def _framed(sound: Sound, size: int, hop: int) -> Sound:
    """[channels, frames, size], round the circle."""
    wrapped = np.pad(sound.T, ((0, 0), (size // 2, size // 2 + hop)), mode="wrap")
    return np.lib.stride_tricks.sliding_window_view(wrapped, size, axis=1)[
        :, : sound.shape[0] : hop
    ]


def _mel(sound: Sound, size: int, hop: int, bands: int) -> Sound:
    """Power in mel bands from 40 Hz to 16 kHz, both channels together: [frames, bands]."""
    taper = np.hanning(size).astype(np.float32)
    spectrum = np.abs(fft.rfft(_framed(sound, size, hop) * taper, axis=2)) ** 2
    return spectrum.sum(axis=0) @ _bands(size, bands).T


def _bands(size: int, count: int) -> Sound:
    top, low = (2595 * np.log10(1 + f / 700) for f in (16_000, 40))
    edges = 700 * (10 ** (np.linspace(low, top, count + 2) / 2595) - 1)
    hz = fft.rfftfreq(size, 1 / RATE)
    rise = (hz - edges[:-2, None]) / np.diff(edges)[:-1, None]
    fall = (edges[2:, None] - hz) / np.diff(edges)[1:, None]
    bank = np.maximum(0, np.minimum(rise, fall))
    bank[np.arange(count), np.abs(hz - edges[1:-1, None]).argmin(axis=1)] += 1e-3
    return (bank / bank.sum(axis=1, keepdims=True)).astype(np.float32)


def _novelty(sound: Sound) -> NDArray[np.float64]:
    mel = _mel(sound, 1024, HOP, 32)
    level = np.log1p(mel * (3e3 / mel.max()))
    rise = np.maximum(level - np.roll(level, 8, axis=0), 0).sum(axis=1)
    return ndimage.gaussian_filter1d(np.roll(rise, -4).astype(float), 1.5, mode="wrap")


def _envelope(sound: Sound) -> NDArray[np.float64]:
    bright = sound - 0.95 * np.roll(sound, 1, axis=0)
    power = ndimage.uniform_filter1d((bright**2).sum(axis=1), 66, mode="wrap")
    size = np.sqrt(np.maximum(power, 0.0))  # a running sum of squares may end just under nothing
    return size[::STEP].astype(float)


def _steepness(envelope: NDArray[np.float64], second: float) -> float:
    """How much of the level round an attack comes within 2 ms."""
    around = envelope[_window(envelope.size, second - 0.015, second + 0.05, STEP / RATE)]
    step = round(0.002 * RATE / STEP)
    return float(max((around[step:] - around[:-step]).max(), 1e-9) / (around.mean() + 1e-9))


def _log_spectrum(sound: Sound) -> NDArray[np.float64]:
    """The long-term spectrum on a grid of 5 cents, its broad shape taken off."""
    spectrum = np.abs(fft.rfft(_framed(sound, 16_384, 8_192) * np.hanning(16_384), axis=2))
    mean = np.sqrt((spectrum**2).mean(axis=(0, 1)))
    hz = 55 * 2 ** (np.arange(0, 8_400, 5) / 1200)
    level = np.log(np.interp(hz, fft.rfftfreq(16_384, 1 / RATE), mean) + 1e-4 * mean.max())
    return level - ndimage.gaussian_filter1d(level, 80)


def _tuned(wanted: NDArray[np.float64], made: NDArray[np.float64]) -> float:
    """Cents by which the spectra are best shifted onto each other, up to 100."""
    shifts = np.arange(-20, 21)
    likeness = [
        np.corrcoef(wanted[20:-20], made[20 + k : made.size - 20 + k])[0, 1] for k in shifts
    ]
    return float(abs(5 * shifts[int(np.argmax(likeness))]))


def _modulation(mel: Sound) -> NDArray[np.float64]:
    """Strength of each mel band's envelope in octaves of 1…128 Hz, dB."""
    level = np.sqrt(mel)
    spectrum = np.abs(np.fft.rfft(level / (level.mean(axis=0) + 1e-9), axis=0)) ** 2
    hz = np.fft.rfftfreq(level.shape[0], 128 / RATE)
    octaves = [
        spectrum[(hz >= low) & (hz < 2 * low)].sum(axis=0) / level.shape[0] ** 2
        for low in (1, 2, 4, 8, 16, 32, 64)
    ]
    return 10 * np.log10(np.asarray(octaves) + 1e-4)


def _crest(sound: Sound) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    frames = _framed(sound - 0.95 * np.roll(sound, 1, axis=0), 1024, 512)
    level = np.sqrt((frames**2).mean(axis=2)) + 1e-7
    return 20 * np.log10(np.abs(frames).max(axis=2) / level + 1e-9), level


def _width(sound: Sound) -> NDArray[np.float64]:
    """Correlation of the channels, second by second at most."""
    parts = np.array_split(sound, max(1, sound.shape[0] // 22_050))
    return np.asarray(
        [(p[:, 0] * p[:, 1]).sum() / np.sqrt((p[:, 0] ** 2).sum() * (p[:, 1] ** 2).sum() + 1e-9)
         for p in parts]
    )  # fmt: skip


def _click(sound: Sound) -> float:
    """dB by which the second difference at the seam stands out from what is around it."""
    bend = np.abs(np.diff(np.roll(sound, 500, axis=0), n=2, axis=0)).max(axis=1)
    around = np.sort(np.concatenate([bend[:480], bend[520:1000]]))
    return float(20 * np.log10((bend[490:510].max() + 1e-6) / (around[-20] + 1e-6)))
