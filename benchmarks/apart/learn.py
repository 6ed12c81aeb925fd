"""How is the network of `core/apart` fitted? By PyTorch, to mixes thrown together from stems.

    python -m benchmarks.apart.learn STEMS WEIGHTS.npz --minutes 45 [--leave-out 2]

PyTorch is not among the locked packages, for its size: `pip install torch==2.13.0` beside them.
Tones of one loop meet hits of another as often as their own; balance, colour, tuning, saturation
and width are thrown anew for each mix. What is asked is the share of the tones' power in each bin,
weighed by how audible the bin is. With --leave-out, every third loop (one soundfont) is held out
and told about; the shipped weights were fitted to all.
"""

import argparse
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
import torch
from torch import nn
from torch.nn import functional

from zeroknot.core.apart.network import COARSER, WHOLE
from zeroknot.core.apart.picture import (
    A_UNIT,
    BINS,
    PICTURES,
    Frames,
    loudest,
    pictures,
    power,
)

RATE = 44_100
LONG = 69_632  # frames of a mix: 64 windows and what they see
BATCH, FASTEST = 4, 2e-3
WIDTHS = (12, 24, 40, 64)
AUDIBLE = 9.2  # natural logarithm of power: about 40 dB
LEVEL_JITTER = 1.5


def convolution(ins: int, outs: int, kernel: tuple[int, int] = (3, 3)) -> nn.Conv2d:
    return nn.Conv2d(ins, outs, kernel, padding=(kernel[0] // 2, kernel[1] // 2))


class Net(nn.Module):
    """The network of core/apart/network.py; its parts are called as the weights are."""

    def __init__(self) -> None:
        super().__init__()
        ins = PICTURES
        for i, width in enumerate(WIDTHS):
            last = (3, 9) if i == len(COARSER) else (3, 3)
            self.add_module(f"e{i}", convolution(ins, width))
            self.add_module(f"e{i}b", convolution(width, width, last))
            ins = width
        for i in range(len(COARSER)):
            self.add_module(f"u{i}", nn.Conv2d(WIDTHS[i + 1], WIDTHS[i], 1))
            self.add_module(f"d{i}", convolution(WIDTHS[i], WIDTHS[i]))
        self.out = nn.Conv2d(WIDTHS[0], 1, 1)

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        windows = seen.shape[2]
        seen = functional.pad(seen, (0, 0, 0, -windows % WHOLE))
        levels = []
        for i in range(len(WIDTHS)):
            if i:
                seen = functional.max_pool2d(seen, COARSER[i - 1])
            for part in (f"e{i}", f"e{i}b"):
                seen = torch.relu(self.get_submodule(part)(seen))
            levels.append(seen)
        for i in range(len(COARSER) - 1, -1, -1):
            below = self.get_submodule(f"u{i}")(seen)
            finer = below.repeat_interleave(COARSER[i][0], 2).repeat_interleave(COARSER[i][1], 3)
            seen = torch.relu(self.get_submodule(f"d{i}")(levels[i] + finer))
        found: torch.Tensor = self.out(seen)[:, 0, :windows]
        return found


class Mixes:
    """Mixes out of stems, drawn from a seed.

    stems  int16 [frames, 4]: tones and hits
    """

    def __init__(self, stems: list[np.ndarray], seed: int, is_plain: bool = False):
        self._stems, self._rng, self._is_plain = stems, np.random.default_rng(seed), is_plain

    def batch(self) -> tuple[torch.Tensor, ...]:
        """Pictures, shares of the tones and how audible each bin is."""
        found = zip(*(self._example() for _ in range(BATCH)), strict=True)
        return tuple(torch.from_numpy(np.stack(part)) for part in found)

    def _example(self) -> tuple[np.ndarray, ...]:
        tones, hits = self._pair()
        frames = Frames.at(RATE)
        count = LONG // frames.hop
        both, ringing, struck = (
            frames.spectra(np.ascontiguousarray(s), 0, count) for s in (tones + hits, tones, hits)
        )
        top = loudest(power(both))
        if not self._is_plain:  # of a whole recording it is another than of this piece
            top += float(self._rng.uniform(0, LEVEL_JITTER))
        seen = pictures(tones + hits, frames, both, 0, top)
        a, b = power(ringing)[:, :BINS], power(struck)[:, :BINS]
        share = a / (a + b + 1e-12 * max(float((a + b).max()), 1e-12))
        hz = (np.arange(BINS) + 0.5) * RATE / frames.size
        by_pitch = (1 / np.maximum(hz, 150)) ** 0.5 * (hz > 25)
        level = (seen[0] - 1.0) * A_UNIT
        audible = np.clip(1.0 + level / AUDIBLE, 0, 1) * by_pitch / by_pitch.mean()
        edge = slice(2, count - 2)
        return seen[:, edge], share[edge], audible[edge].astype(np.float32)

    def _pair(self) -> tuple[np.ndarray, np.ndarray]:
        rng, stems = self._rng, self._stems
        i = int(rng.integers(len(stems)))
        j = i if rng.random() < 0.4 else int(rng.integers(len(stems)))
        roll = int(rng.integers(len(stems[i])))
        tones = _cut(stems[i][:, :2], roll)
        hits = _cut(stems[j][:, 2:], roll if i == j else int(rng.integers(len(stems[j]))))
        alone = rng.random()
        tones = tones * (alone > 0.05)
        hits = hits * (alone < 0.95)
        if not self._is_plain:
            tones, hits = self._coloured(tones, 0.15, 4.0), self._coloured(hits, 0.25, 6.0)
            if rng.random() < 0.3:
                hits = _tuned(hits, float(rng.uniform(-2.5, 2.5)))
        powers = [float((s**2).mean()) for s in (tones, hits)]
        if min(powers) > 1e-10:
            hits = hits * np.sqrt(powers[0] / powers[1])
        hits = hits * 10 ** (float(rng.uniform(-14, 8)) / 20)
        if not self._is_plain and rng.random() < 0.2:
            width = float(rng.uniform(0, 0.5))
            tones, hits = (
                width * s + (1 - width) * s.mean(axis=0, keepdims=True) for s in (tones, hits)
            )
        return tones.astype(np.float32), hits.astype(np.float32)

    def _coloured(self, sound: np.ndarray, odds: float, drive: float) -> np.ndarray:
        rng = self._rng
        if rng.random() < 0.5:
            spectrum = np.fft.rfft(sound, axis=1)
            octaves = np.log2(np.linspace(0, 1, spectrum.shape[1]) + 1e-4)
            gain_db = np.interp(octaves, np.linspace(-13.3, 0, 6), rng.normal(0, 4, 6))
            sound = np.fft.irfft(spectrum * 10 ** (gain_db / 20), n=sound.shape[1], axis=1)
        if rng.random() < odds:
            sound = np.tanh(sound / (np.abs(sound).max() + 1e-9) * rng.uniform(1, drive))
        return sound


def _cut(part: np.ndarray, roll: int) -> np.ndarray:
    """float32 [2, LONG] of a stem, from some frame on, round and round."""
    at = (np.arange(LONG) + roll) % part.shape[0]
    return part[at].T.astype(np.float32) / 32_768


def _tuned(sound: np.ndarray, semitones: float) -> np.ndarray:
    at = np.arange(LONG) * 2 ** (semitones / 12) % (LONG - 1)
    return np.stack([np.interp(at, np.arange(LONG), channel) for channel in sound])


def loss_of(net: Net, batch: tuple[torch.Tensor, ...]) -> tuple[torch.Tensor, float]:
    """What is minimised, and the mean square by which shares are off."""
    seen, share, audible = batch
    scores = net(seen)
    one = functional.binary_cross_entropy_with_logits(scores, share, reduction="none")
    off = (torch.sigmoid(scores) - share) ** 2
    total = audible.sum()
    return (one * audible).sum() / total, float((off * audible).sum().detach() / total)


def fit(stems: list[np.ndarray], held: list[np.ndarray], minutes: float) -> Iterator[Net]:
    """The network as it becomes, every 200 steps and at the end."""
    torch.manual_seed(1)
    net, mixes = Net(), Mixes(stems, 1)
    asked = [Mixes(held or stems, 2, is_plain=True).batch() for _ in range(8)]
    optimizer = torch.optim.AdamW(net.parameters(), lr=FASTEST, weight_decay=1e-4)
    began, step, recent = time.monotonic(), 0, []
    while (share := (time.monotonic() - began) / (60 * minutes)) < 1:
        for group in optimizer.param_groups:
            slowing = 0.02 + 0.49 * (1 + np.cos(np.pi * share))
            group["lr"] = FASTEST * min(1.0, (step + 1) / 50) * slowing
        loss, off = loss_of(net, mixes.batch())
        optimizer.zero_grad()
        loss.backward()
        optimizer.step()
        recent.append(off)
        step += 1
        if step % 200 == 0:
            with torch.no_grad():
                told = np.mean([loss_of(net, batch)[1] for batch in asked])
            print(f"{step}: off by {np.mean(recent[-200:]):.4f}, held {told:.4f}", flush=True)
            yield net
    yield net


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("stems", type=Path)
    parser.add_argument("weights", type=Path)
    parser.add_argument("--minutes", type=float, default=45.0)
    parser.add_argument("--leave-out", type=int, default=None, help="0 to 2: loops of a soundfont")
    given = parser.parse_args()
    fitted, held = [], []
    for file in sorted(given.stems.glob("*.flac")):
        sound = soundfile.read(file, dtype="int16")[0]
        (held if int(file.stem) % 3 == given.leave_out else fitted).append(sound)
    for net in fit(fitted, held, given.minutes):
        parts = {name: p.detach().numpy() for name, p in net.state_dict().items()}
        np.savez_compressed(given.weights, **{k: v.astype(np.float16) for k, v in parts.items()})


if __name__ == "__main__":
    main()
