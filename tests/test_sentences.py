"""Sentences that once were false, each in the book that made them so: none is said, and what is true is."""

import unittest

from msgspec.structs import replace

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, CompareResult, compare_book
from pinch.analysis.modes import modes_sheet
from pinch.analysis.points import BookPoints
from pinch.bench.cards import CardKind, ModesQuery
from pinch.bench.parts import Battery, Offer
from pinch.bench.readings import Quantity
from pinch.bench.records import Protocol, Result, Setting, Workload
from pinch.bench.summaries import Origin, Summary
from pinch.narrative import mode_words
from pinch.narrative.compare_words import ShownComparison, against_words, bars, headline, shown_plainly
from pinch.narrative.price_words import money_words
from pinch.narrative.report_claims import data_claims, limit_claims, tested_claims
from pinch.narrative.report_heat import heat_claims
from pinch.narrative.report_results import untested_claims
from tests.test_cards import made_of, pairs
from tests.test_points import AWAY, FULL, GAME, HUSH, NEW, OLD, OTHER, TASK, Made

OWN = Summary(score=10.0, repeats=3, told_by="me", dated="2026-03-01")
NINE = Summary(score=10.0, units=9, origin=Origin.ARCHIVE)


def told(*claims: object) -> str:
    return " ".join(c.words for found in claims for c in found)  # type: ignore[attr-defined]


def compared(m: Made, works: tuple[int, ...] = (1,), book: BookPoints | None = None) -> CompareResult:
    points = book or m.book()
    return compare_book(points, CompareChoice(tuple(cells_of(points)), works))


class TestReport(unittest.TestCase):
    def test_typed_and_told_figures(self) -> None:
        m = Made()
        for summary in (OWN, OWN, NINE):
            m.add(FULL, 10.0, summary=summary, digest={"rate": 10.0, "flags": ("told",)})
        said = told(data_claims(m.points, [], 0), limit_claims(m.points, [], [NEW], []))
        for false in ("none is typed in", "3 figures are told", "one unit of each device"):
            self.assertNotIn(false, said)
        for true in (
            "2 figures are typed in as own tests",
            "1 figure is told by others",
            "1 figure is a mean of several",
        ):
            self.assertIn(true, said)

    def test_a_protocol_that_no_run_had(self) -> None:
        m = Made()
        m.add(FULL, 10.0, room=None)
        said = told(tested_claims(m.points, [Protocol(id=5, name="Bench", ambient_c=24.0)]))
        for false in ("held at", "24 °C", "3 times", "Bench"):
            self.assertNotIn(false, said)
        self.assertIn("names no protocol", said)

    def test_heat_that_could_not_be_seen_and_a_cooler_that_carries_more(self) -> None:
        m = Made()
        m.add(FULL, 10.0, room=None, digest={"r_th": 0.8})
        said = told(heat_claims(NEW, m.points, None))
        self.assertNotRegex(said, "carry|did not hold|No run was held|in a room of")
        self.assertIn("whether heat held a run cannot be told", said)
        device = NEW.model_copy(update={"temp_limit_c": 85.0})
        m.add(FULL, 10.0, digest={"r_th": 0.8, "power_w": 79.0, "temp_c": 70.0, "headroom_k": 15.0})
        said = told(heat_claims(device, m.points, None))
        self.assertIn("it held 79 W with 15 K to spare", said)
        self.assertNotIn("carry", said)

    def test_rundowns_are_runs_on_battery(self) -> None:
        device = NEW.model_copy(update={"battery": Battery(full_wh=60.0)})
        m = Made()
        for _ in range(6):
            m.add(AWAY, 10.0)
        points = tuple(replace(p, device=device) for p in m.points)
        book = BookPoints(points, (device,), (GAME,), {}, (), settings=((device, AWAY),))
        self.assertNotIn("battery", told(untested_claims(book, [device])))


class TestModes(unittest.TestCase):
    def test_levels_of_one_setting_and_a_room_that_nobody_read(self) -> None:
        m = Made()
        first = m.add(FULL, 60.0)
        m.add(HUSH, 30.0)
        m.read(first, Quantity.NOISE, 38.0)
        sheet = modes_sheet(m.book(), NEW, GAME, 22.0)
        self.assertNotIn("quietest", mode_words.headline(sheet, 0.9))
        self.assertIn("a level was read of Full alone", mode_words.headline(sheet, 0.9))
        self.assertIn("the best of the 1 of 2 settings that were read is Full", mode_words.quiet_words(sheet, 40.0))
        query = ModesQuery(device_id=1, workload_id=1, room_c=22.0)
        notes = " ".join(made_of(m, query, CardKind.SOUND).notes)
        self.assertNotIn("taken off", notes)
        self.assertIn("levels as read, with the room in them", notes)


class TestPairs(unittest.TestCase):
    def test_own_earlier_figures_are_nobody_elses_and_pasting_is_no_test(self) -> None:
        of = {"workload_id": 1, "metric": "average", "value": 60.0}
        first = Result(id=1, device_id=1, setting_id=FULL.id, n=3, day="2026-01-05", **of)  # type: ignore[arg-type]
        typed = (first, Result(id=2, device_id=2, setting_id=OTHER.id, told_by="me", **of))  # type: ignore[arg-type]
        book = BookPoints((), (NEW, OLD), (GAME,), {}, (), results=typed, settings=((NEW, FULL), (OLD, OTHER)))
        result = compared(Made(), book=book)
        said = " ".join(u.difference.words for u in result.unfair)
        self.assertNotRegex(said, "somebody else|nobody here|days apart")

    def test_a_difference_names_its_direction_and_its_workload(self) -> None:
        m = Made()
        for work, watts in ((GAME, 45.0), (TASK, 60.0)):
            for rate in (60.0, 60.5):
                m.add(FULL, rate, work)
                m.add(OTHER, rate, work, digest={"power_w": watts})
        result = compared(m, (1, 2))
        (watts,) = (u for u in result.unfair if u.difference.what == "measured watts")
        self.assertIn("Old one, Stock drew", watts.difference.words)
        self.assertEqual(watts.workloads, (TASK.name,))
        self.assertIn("other back", watts.difference.effect.replace("the baseline", "the other"))

    def test_prices_within_one_machine_and_over_some_workloads(self) -> None:
        one = Made()
        for setting in (FULL, HUSH):
            one.add(setting, 60.0)
        self.assertEqual(money_words(ShownComparison(compared(one), True, False, None, {})), [])
        m = pairs([60.0], [30.0])
        m.add(FULL, 5.0, TASK)
        old = OLD.model_copy(update={"offers": (Offer(price=700, currency="EUR", date="2026-08-15"),)})
        points = tuple(p if p.device is NEW else replace(p, device=old) for p in m.points)
        both = BookPoints(points, (NEW, old), (GAME, TASK), {}, ())
        said = " ".join(money_words(ShownComparison(compared(m, (1, 2), both), True, False, None, {})))
        self.assertIn("over 1 workload (1 of 2 shared)", said)

    def test_what_is_decided_hides_behind_nothing_and_one_device_has_no_baseline(self) -> None:
        third = Setting(id=9, device_id=2, name="Even")
        m = pairs([60, 60.2, 60.1], [80, 80.3, 80.2])
        m.add(third, 61.0)
        words = against_words(shown_plainly(compared(m)))
        self.assertLess(words.index("faster"), words.index("Even"))
        alone = Made()
        for n in range(1, 17):
            alone.add(FULL, 60.0, Workload(id=n, name=f"Work {n}", score_unit="fps"))
        book = BookPoints(tuple(alone.points), (NEW,), tuple(p.workload for p in alone.points), {}, ())
        shown = shown_plainly(compared(alone, tuple(range(1, 17)), book))
        self.assertNotIn("baseline", headline(shown))
        self.assertNotIn("baseline", bars(shown).alternative)
