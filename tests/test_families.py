"""Runs whose truth is known, of forty mechanisms, by a simulator that shares nothing with the judge."""

import sys
import unittest
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "bench"))

import accuracy

SEED = 5


class TestFamilies(unittest.TestCase):
    def test_one_run_of_each(self) -> None:
        whole = accuracy.Tally()
        for number, (name, family) in enumerate(accuracy.FAMILIES.items()):
            case = family(np.random.default_rng([SEED, number, 0]))
            found = accuracy.rate(case, accuracy.judge(case.log, case.known))
            with self.subTest(name):
                self.assertGreaterEqual(found.worst, 0.8)
            whole.add(found)
        self.assertGreaterEqual(whole.named / whole.seconds, 0.96)
        self.assertLessEqual(whole.wrong / whole.seconds, 0.015)
        self.assertEqual((whole.limits["wrong"], whole.invented, whole.teeth_false), (0, 0, 0))
        self.assertEqual((whole.settled["false settled"], whole.settled["false drift"]), (0, 0))
        sure = [right for p, right in whole.said if p >= 0.9]
        self.assertGreater(np.mean(sure), 0.93)
