"""Boosted trees: what leaves come to, by hand; the loop of a judge that must not be slow."""

import unittest
from dataclasses import replace

import numpy as np

from zeroknot.core.listening.evidence import evidence, first_evidence
from zeroknot.core.listening.trees import Trees, trees

# Is the first number at most 2? Then is the second at most −1: 10, else 20; else 30. And a tree
# that is one leaf.
BY_HAND = Trees(
    roots=np.asarray([0, 5], np.int32),
    answer=np.asarray([0, 0], np.int16),
    feature=np.asarray([0, 1, -1, -1, -1, -1], np.int16),
    value=np.asarray([2.0, -1.0, 10.0, 20.0, 30.0, 0.5], np.float32),
    above=np.asarray([4, 3, 0, 0, 0, 0], np.int32),
)


class TreesTest(unittest.TestCase):
    def test_a_row_goes_down_every_tree(self):
        rows = np.asarray([[2, -1], [2, 0], [2.1, -5], [-9, -1.1]], np.float32)
        np.testing.assert_allclose(BY_HAND.scores(rows), [10.5, 20.5, 30.5, 10.5])
        self.assertEqual(BY_HAND.scores(rows[:0]).shape, (0,))
        apart = replace(BY_HAND, answer=np.asarray([1, 0], np.int16))
        np.testing.assert_allclose(apart.answers(rows[:2]), [[0.5, 10], [0.5, 20]])

    def test_those_that_ship_ask_only_for_what_there_is(self):
        from tests.sounds import rendered
        from zeroknot.core.listening.hypotheses import hypotheses
        from zeroknot.core.listening.material import material_of

        shipped = trees("readings")
        material = material_of(rendered("drums_103"))
        h = hypotheses(material.picture, material.attacks, material.sounding)
        rows = evidence(material, h, first_evidence(material, h))
        self.assertEqual(rows.shape[1], int(shipped.feature.max()) + 1)
        self.assertTrue(np.isfinite(rows).all())
        forks = shipped.feature >= 0
        self.assertTrue((shipped.above[forks] > np.flatnonzero(forks)).all())
        scores = shipped.scores(rows)
        i = int(scores.argmax())
        self.assertEqual((h.bars[i], round(float(h.tempo[i]))), (2, 103))
