"""Grows boosted trees with LightGBM: that choose among the rows of a group, or name a class."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import lightgbm
import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.trees import PARTS, Trees

LEAST_BEND = 1e-3
GROWN = {
    "num_leaves": 31, "min_sum_hessian_in_leaf": 5.0, "lambda_l2": 5.0, "feature_fraction": 0.3,
    "bagging_fraction": 0.5, "bagging_freq": 1, "max_bin": 63, "verbose": -1, "num_threads": 2,
}  # fmt: skip


@dataclass(frozen=True)
class Grown:
    """Trees as they were grown, under the names that fitted networks answer to."""

    trees: Trees

    @classmethod
    def read(cls, file: Path) -> "Grown":
        with np.load(file) as kept:
            return cls(Trees(**{part: kept[part] for part in PARTS}))

    def scores(self, rows: np.ndarray) -> np.ndarray:
        found = self.trees.answers(rows.astype(np.float32))
        return found[:, 0] if found.shape[1] == 1 else found

    def times(self, scale: float) -> Trees:
        """The same, whose scores are so many times as high."""
        is_leaf = self.trees.feature < 0
        value = np.where(is_leaf, np.float32(scale) * self.trees.value, self.trees.value)
        return replace(self.trees, value=value)

    def averaged(self, other: "Grown", share: float) -> "Grown":
        """Whose scores are `share` of these and the rest of the other's.

        Trees that both were grown onto stand there once.
        """
        (base, own), (_, others) = (g.split(self.begins_as(other)) for g in (self, other))
        return base.and_then(Grown(own.times(share))).and_then(Grown(others.times(1.0 - share)))

    def begins_as(self, other: "Grown") -> int:
        """Number of trees with which both begin."""
        one, two = self.trees, other.trees
        nodes = min(one.feature.size, two.feature.size)
        same = np.ones(nodes, bool)
        for part in ("feature", "value", "above"):
            same &= getattr(one, part)[:nodes] == getattr(two, part)[:nodes]
        alike = nodes if same.all() else int(np.argmin(same))
        return int((np.append(one.roots[1:], one.feature.size) <= alike).sum())

    def split(self, first: int) -> tuple["Grown", "Grown"]:
        """The first so many trees, and the others."""
        t = self.trees
        node = int(t.roots[first]) if first < t.roots.size else t.feature.size
        one = Trees(t.roots[:first], t.answer[:first], t.feature[:node], t.value[:node],
                    t.above[:node])  # fmt: skip
        two = Trees(t.roots[first:] - np.int32(node), t.answer[first:], t.feature[node:],
                    t.value[node:], t.above[node:] - np.int32(node))  # fmt: skip
        return Grown(one), Grown(two)

    def and_then(self, other: "Grown") -> "Grown":
        """Whose scores are the sums of both."""
        one, two = self.trees, other.trees
        nodes = np.int32(one.feature.size)
        parts = {part: [getattr(one, part), getattr(two, part)] for part in PARTS}
        for part in ("roots", "above"):
            parts[part][1] = parts[part][1] + nodes
        return Grown(Trees(**{part: np.concatenate(both) for part, both in parts.items()}))

    def save(self, file: Path, scale: float = 1.0) -> None:
        grown = self.times(scale)
        np.savez_compressed(file, **{part: getattr(grown, part) for part in PARTS})


def grow(
    rows: np.ndarray,
    right: NDArray[np.bool_],
    sizes: NDArray[np.int64],
    *,
    rounds: int,
    rate: float,
    seed: int,
    onto: Grown | None = None,
) -> Grown:
    """Trees whose scores are logarithms of probabilities within a group.

    rows    [rows, features], the groups' one after another
    right   bool [rows]; of every group at least one
    sizes   rows of each group
    onto    trees that were grown before: the new ones are added to them, and come with them
    """
    so_far = onto.scores(rows).astype(float) if onto else None
    data = lightgbm.Dataset(rows.astype(np.float32), label=right, init_score=so_far, params=GROWN)
    given = {**GROWN, "objective": choice(right, sizes), "learning_rate": rate, "seed": seed}
    grown = Grown(as_trees(lightgbm.train(given, data, num_boost_round=rounds)))
    return onto.and_then(grown) if onto else grown


def grow_classes(
    rows: np.ndarray, targets: NDArray[np.int64], weights: np.ndarray, *, rounds: int, seed: int
) -> Grown:
    """Trees whose answers are logarithms of the probability of each class, but for a constant.

    rows     [rows, features]
    targets  int [rows]: the class of each
    weights  [classes]: what one row of each counts
    """
    given = {
        **GROWN, "objective": "multiclass", "num_class": weights.size, "learning_rate": 0.05,
        "num_leaves": 15, "min_data_in_leaf": 20, "feature_fraction": 0.4, "seed": seed,
    }  # fmt: skip
    data = lightgbm.Dataset(rows, label=targets, weight=weights[targets])
    return Grown(as_trees(lightgbm.train(given, data, num_boost_round=rounds)))


def choice(
    right: NDArray[np.bool_], sizes: NDArray[np.int64]
) -> Callable[[np.ndarray, lightgbm.Dataset], tuple[np.ndarray, np.ndarray]]:
    """The loss of `learn.choice`, its slope and bend at every row."""
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]])

    def slopes(scores: np.ndarray, _: lightgbm.Dataset) -> tuple[np.ndarray, np.ndarray]:
        weight = np.exp(scores - np.repeat(np.maximum.reduceat(scores, starts), sizes))
        share = weight / np.repeat(np.add.reduceat(weight, starts), sizes)
        correct = share * right
        target = correct / (np.repeat(np.add.reduceat(correct, starts), sizes) + 1e-12)
        return share - target, np.maximum(share * (1 - share), LEAST_BEND)

    return slopes


def as_trees(booster: lightgbm.Booster) -> Trees:
    """The same trees as the core takes them."""
    roots: list[int] = []
    feature: list[int] = []
    value: list[float] = []
    above: list[int] = []

    def laid(node: dict) -> None:
        here = len(feature)
        is_leaf = "leaf_value" in node
        feature.append(-1 if is_leaf else node["split_feature"])
        value.append(node["leaf_value"] if is_leaf else node["threshold"])
        above.append(0)
        if not is_leaf:
            laid(node["left_child"])
            above[here] = len(feature)
            laid(node["right_child"])

    for tree in booster.dump_model()["tree_info"]:
        roots.append(len(feature))
        laid(tree["tree_structure"])
    return Trees(
        np.asarray(roots, np.int32),
        np.asarray(np.arange(len(roots)) % booster.num_model_per_iteration(), np.int16),
        np.asarray(feature, np.int16), np.asarray(value, np.float32),
        np.asarray(above, np.int32),
    )  # fmt: skip
