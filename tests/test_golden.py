"""No judged figure moves unless the version of the methods does."""

import gzip
import json
import unittest

from pinch.core.method import METHOD
from tests.golden import FIGURES, figures_of, golden_logs, moved
from tests.pinned import ARITHMETIC, CASES, figures_of_case


class TestGoldenFile(unittest.TestCase):
    def test_every_figure_is_what_it_was_under_this_version_of_the_methods(self) -> None:
        kept = json.loads(FIGURES.read_text(encoding="utf-8"))
        how = "if that is meant, raise METHOD in core/method.py and run scripts/golden"
        self.assertEqual(kept["method"], METHOD, "scripts/golden was not run for this version of the methods")
        seen = set()
        for golden in golden_logs():
            seen.add(golden.name)
            with self.subTest(log=golden.name):
                self.assertEqual(moved(kept["figures"][golden.name], figures_of(golden)), [], how)
        self.assertEqual(seen, set(kept["figures"]))
        self.assertEqual(len(seen), 60)

    def test_the_arithmetic_gives_what_it_gave(self) -> None:
        kept = json.loads(gzip.decompress(ARITHMETIC.read_bytes()))
        how = "if that is meant, raise METHOD in core/method.py and run scripts/golden"
        self.assertEqual((kept["method"], set(kept["figures"])), (METHOD, set(CASES)))
        for name in CASES:
            with self.subTest(case=name):
                self.assertEqual(moved(kept["figures"][name], figures_of_case(name))[:9], [], how)

    def test_a_figure_that_moves_is_named(self) -> None:
        before = {"limits.sustained_W": 45.0, "settled.state": "settled", "sawtooth": None}
        self.assertEqual(moved(before, {**before, "limits.sustained_W": 45.00001}), [])
        self.assertEqual(moved(before, {**before, "limits.sustained_W": 45.001}), ["limits.sustained_W: 45.0 → 45.001"])
        self.assertEqual(moved(before, {**before, "new": 1.0}), ["new: absent → 1.0"])
        self.assertEqual(len(moved(before, {"sawtooth": None})), 2)
