"""How are the networks of `core/listening/network.py` fitted? Adam, in NumPy, from a seed.

Two kinds of question: "is this one?" (each row for itself, logistic) and "which of these?" (rows in
groups, softmax; several rows of a group may be right, and their probabilities then add up).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Table = NDArray[np.float32]
FARTHEST = 6.0


@dataclass
class Fitted:
    mean: Table
    spread: Table
    parts: dict[str, Table]

    def answers(self, rows: Table) -> Table:
        return _forward(self.parts, self.normal(rows))[0]

    def scores(self, rows: Table) -> Table:
        return self.answers(rows)[:, 0]

    def normal(self, rows: Table) -> Table:
        return np.clip(
            (rows.astype(np.float32) - self.mean) / self.spread, -FARTHEST, FARTHEST
        ).astype(np.float32)

    def save(self, file: Path, scale: float = 1.0) -> None:
        p = self.parts
        np.savez_compressed(
            file, mean=self.mean, spread=self.spread, hidden=p["hidden"], bias=p["bias"],
            out=p["out"] * np.float32(scale), straight=p["straight"] * np.float32(scale),
            offset=p["offset"] * np.float32(scale),
        )  # fmt: skip


def _forward(p: dict[str, Table], x: Table) -> tuple[Table, Table]:
    inner = np.tanh(x @ p["hidden"] + p["bias"])
    return inner @ p["out"] + x @ p["straight"] + p["offset"], inner


def _backward(p: dict[str, Table], x: Table, inner: Table, slope: Table) -> dict[str, Table]:
    deep = (slope @ p["out"].T) * (1 - inner**2)
    return {
        "hidden": x.T @ deep, "bias": deep.sum(axis=0), "out": inner.T @ slope,
        "straight": x.T @ slope, "offset": slope.sum(axis=0),
    }  # fmt: skip


def fit(
    rows: Table,
    batches: Callable[[np.random.Generator], list[NDArray[np.int64]]],
    slope_of: Callable[[Table, NDArray[np.int64]], tuple[float, Table]],
    *,
    units: int,
    epochs: int,
    answers: int = 1,
    decay: float,
    rate: float = 3e-3,
    seed: int = 0,
    say: Callable[[int, float, "Fitted"], None] = lambda *_: None,
) -> Fitted:
    """Fit a network.

    batches   row numbers of each step of an epoch
    slope_of  (scores, row numbers) to (loss, d loss / d score)
    """
    rng = np.random.default_rng(seed)
    n = rows.shape[1]
    some = rows[:: max(1, rows.shape[0] // 100_000)].astype(np.float32)
    mean, spread = some.mean(axis=0), some.std(axis=0) + 1e-3
    p = {
        "hidden": (rng.standard_normal((n, units)) / np.sqrt(n)).astype(np.float32),
        "bias": np.zeros(units, np.float32),
        "out": (rng.standard_normal((units, answers)) * 0.1).astype(np.float32),
        "straight": np.zeros((n, answers), np.float32),
        "offset": np.zeros(answers, np.float32),
    }  # fmt: skip
    fitted = Fitted(mean, spread, p)
    first = {k: np.zeros_like(v) for k, v in p.items()}
    second = {k: np.zeros_like(v) for k, v in p.items()}
    step = 0
    for epoch in range(epochs):
        # Cosine from full to a twentieth.
        speed = rate * (0.05 + 0.475 * (1 + np.cos(np.pi * epoch / epochs)))
        losses = []
        for batch in batches(rng):
            x = fitted.normal(rows[batch])
            scores, inner = _forward(p, x)
            loss, slope = slope_of(scores, batch)
            losses.append(loss)
            slope = slope.reshape(scores.shape).astype(np.float32)
            gradient = _backward(p, x, inner, slope)
            step += 1
            for k, g in gradient.items():
                if k in ("hidden", "out", "straight"):
                    g = g + decay * p[k]
                first[k] = 0.9 * first[k] + 0.1 * g
                second[k] = 0.999 * second[k] + 0.001 * g * g
                a = first[k] / (1 - 0.9**step)
                b = second[k] / (1 - 0.999**step)
                p[k] -= (speed * a / (np.sqrt(b) + 1e-8)).astype(np.float32)
        say(epoch, float(np.mean(losses)), fitted)
    return fitted


def together(several: Sequence[Fitted], shares: Sequence[float] | None = None) -> Fitted:
    """Networks as one, whose scores are the mean of theirs (but for what is clipped).

    shares  how much each counts, 1 in all; alike where they are not given
    """
    first = several[0]
    parts: dict[str, list[Table]] = {name: [] for name in first.parts}
    for i, one in enumerate(several):
        share = np.float32(shares[i] if shares else 1 / len(several))
        # Rows in the first one's spreads, said in this one's.
        turn, off = first.spread / one.spread, (first.mean - one.mean) / one.spread
        p = one.parts
        parts["hidden"].append(p["hidden"] * turn[:, None])
        parts["bias"].append(p["bias"] + off @ p["hidden"])
        parts["out"].append(p["out"] * share)
        parts["straight"].append(p["straight"] * turn[:, None] * share)
        parts["offset"].append((p["offset"] + off @ p["straight"]) * share)
    return Fitted(
        first.mean, first.spread,
        {
            "hidden": np.concatenate(parts["hidden"], axis=1),
            "bias": np.concatenate(parts["bias"]), "out": np.concatenate(parts["out"]),
            "straight": np.sum(parts["straight"], axis=0),
            "offset": np.sum(parts["offset"], axis=0),
        },
    )  # fmt: skip


def logistic(
    targets: NDArray[np.float32],
) -> Callable[[Table, NDArray[np.int64]], tuple[float, Table]]:
    def slope_of(scores: Table, batch: NDArray[np.int64]) -> tuple[float, Table]:
        y, scores = targets[batch], scores[:, 0]
        sure = 1 / (1 + np.exp(-scores))
        loss = -np.mean(y * np.log(sure + 1e-9) + (1 - y) * np.log(1 - sure + 1e-9))
        return float(loss), (sure - y) / y.size

    return slope_of


def nearly(
    targets: NDArray[np.float32], knee: float = 3.0
) -> Callable[[Table, NDArray[np.int64]], tuple[float, Table]]:
    """A number for each row; what is off by more than the knee counts in proportion only."""

    def slope_of(scores: Table, batch: NDArray[np.int64]) -> tuple[float, Table]:
        off = scores[:, 0] - targets[batch]
        size = np.sqrt(off**2 + knee**2)
        return float(size.mean()), off / size / off.size

    return slope_of


def choice(
    right: NDArray[np.bool_], group: NDArray[np.int64]
) -> Callable[[Table, NDArray[np.int64]], tuple[float, Table]]:
    """Rows of a group stand together in a batch; groups without a right row are left out before."""

    def slope_of(scores: Table, batch: NDArray[np.int64]) -> tuple[float, Table]:
        g, scores = group[batch], scores[:, 0]
        starts = np.flatnonzero(np.concatenate([[True], g[1:] != g[:-1]]))
        sizes = np.diff(np.append(starts, g.size))
        top = np.repeat(np.maximum.reduceat(scores, starts), sizes)
        weight = np.exp(scores - top)
        share = weight / np.repeat(np.add.reduceat(weight, starts), sizes)
        correct = share * right[batch]
        mass = np.add.reduceat(correct, starts)
        target = correct / np.repeat(mass + 1e-12, sizes)
        return float(-np.log(mass + 1e-12).mean()), (share - target) / starts.size

    return slope_of


def classes(
    targets: NDArray[np.int64],
) -> Callable[[Table, NDArray[np.int64]], tuple[float, Table]]:
    """One of several answers for each row."""

    def slope_of(scores: Table, batch: NDArray[np.int64]) -> tuple[float, Table]:
        share = np.exp(scores - scores.max(axis=1, keepdims=True))
        share /= share.sum(axis=1, keepdims=True)
        at = np.arange(batch.size), targets[batch]
        loss = float(-np.log(share[at] + 1e-12).mean())
        share[at] -= 1.0
        return loss, share / batch.size

    return slope_of


def in_groups(starts: NDArray[np.int64], sizes: NDArray[np.int64], a_batch: int):
    """Batches of whole groups in a new order every epoch."""

    def batches(rng: np.random.Generator) -> list[NDArray[np.int64]]:
        order = rng.permutation(starts.size)
        return [
            np.concatenate(
                [np.arange(starts[i], starts[i] + sizes[i]) for i in order[k : k + a_batch]]
            )
            for k in range(0, order.size, a_batch)
        ]

    return batches


def in_rows(count: int, a_batch: int):
    def batches(rng: np.random.Generator) -> list[NDArray[np.int64]]:
        order = rng.permutation(count)
        return [order[k : k + a_batch] for k in range(0, count, a_batch)]

    return batches
