"""Cards: what a query comes to, the notes that write themselves, and what an editor would stop."""

import inspect
import re
import unittest
from unittest import mock

from msgspec.structs import replace
from pydantic import ValidationError

from pinch.analysis.cells import cells_of
from pinch.analysis.curves import ScaleChoice, scale_book
from pinch.analysis.offers import OfferChoice, offer_of
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.cards import (
    KINDS,
    Card,
    CardKind,
    CellQuery,
    CellsQuery,
    CurvesQuery,
    ModesQuery,
    Query,
    Report,
    RunsQuery,
    TestedQuery,
    UnitsQuery,
)
from pinch.bench.parts import Offer, PriceOf
from pinch.bench.rates import rates_words, read_rates
from pinch.bench.records import Acceptance, Came, Setting
from pinch.bench.summaries import Origin, Summary
from pinch.charts.bar_chart import BarChart, legible
from pinch.charts.draw.bars import LEAST_ROW, TITLE_ROOM, most_groups
from pinch.charts.draw.crowding import crowding
from pinch.charts.dumbbell_chart import DumbbellChart
from pinch.charts.multiples_chart import GridChart
from pinch.charts.scale_chart import Second
from pinch.charts.share_chart import ShareChart
from pinch.charts.slope_chart import SlopeChart
from pinch.charts.spec import Chart
from pinch.charts.table_chart import TableChart
from pinch.core.errors import PinchError
from pinch.core.verdict import Answer
from pinch.narrative.cards import cell_cards, curve_cards
from pinch.narrative.cards import concerns as module_of_concerns
from pinch.narrative.cards.bench_cards import price_words, units_words
from pinch.narrative.cards.concerns import Concern, concerns
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.deck import EDITED, CardMaker, Deck, moved_to, replace_fields
from pinch.narrative.cards.footnotes import ACCEPTED_MARK, OPEN_MARK
from pinch.narrative.cards.questions import question_of
from pinch.narrative.cards.share_cards import shares_chart, shares_table, shares_words
from pinch.narrative.cards.splitting import can_split, split_card
from pinch.narrative.cards.strange_numbers import strange_numbers
from pinch.narrative.claims import Claim
from pinch.narrative.explain_cards import CONCERN_NAMES, explain_concern
from tests.pinned import flat
from tests.test_points import AWAY, FULL, GAME, HUSH, NEW, OLD, OTHER, TASK, Made

CELLS = CellsQuery(
    cells=(CellQuery(setting_id=1, room_c=22.0), CellQuery(setting_id=4, room_c=22.0)), workload_ids=(1,), subject=1
)
LADDER = tuple(Setting(id=10 + w, device_id=1, name=f"{w} W", sustained_w=w) for w in (10, 15, 20, 30, 40))


def made_of(m: Made, query: Query, kind: CardKind, **card: object) -> CardContent:
    return made_in(m.book(), query, kind, **card)


def made_in(book: BookPoints, query: Query, kind: CardKind, **card: object) -> CardContent:
    fields: dict[str, object] = {"id": 1, "name": "A question?", "kind": kind, "query": query} | card
    return CardMaker(mock.Mock(), book).make(Card.model_validate(fields))


def pairs(first: list[float], second: list[float]) -> Made:
    m = Made()
    for rate in first:
        m.add(FULL, rate)
    for rate in second:
        m.add(OTHER, rate, digest={"power_w": 45.0})
    return m


def ladder() -> Made:
    """y = 10 √P of every watt, twice."""
    m = Made()
    for setting in LADDER:
        for twist in (0.999, 1.001):
            m.add(setting, twist * 10.0 * (setting.sustained_w or 0.0) ** 0.5)
    return m


class TestCards(unittest.TestCase):
    def test_every_query_is_kept_as_it_was(self) -> None:
        queries: list[Query] = [
            RunsQuery(run_ids=(1, 2)),
            CurvesQuery(device_ids=(1,), workload_ids=(1,), target=60.0),
            CELLS,
            ModesQuery(device_id=1, workload_id=1),
            UnitsQuery(),
            TestedQuery(),
        ]
        for query in queries:
            card = Card(name="x", kind=KINDS[query.of][0], query=query)
            self.assertEqual(Card.model_validate_json(card.model_dump_json()), card)
        with self.assertRaises(ValidationError):
            Card.model_validate({"name": "x", "kind": "table", "query": {"of": "anything"}})

    def test_curves_that_never_cross_say_who_is_ahead_at_equal_watts(self) -> None:
        m = ladder()
        for w in (10, 20, 30, 40):
            setting = Setting(id=60 + w, device_id=2, name=f"{w} W", sustained_w=w)
            for twist in (0.999, 1.001):
                m.add(setting, twist * 8.0 * w**0.5)
        query = CurvesQuery(device_ids=(1, 2), workload_ids=(1,))
        ahead = made_of(m, query, CardKind.CURVES).composed
        self.assertTrue(ahead.endswith("At equal watts it is ahead of Old one (10.0 to 40.0 W)."), ahead)
        behind = made_of(m, query.model_copy(update={"subject": 2}), CardKind.CURVES).composed
        self.assertTrue(behind.endswith("At equal watts Sandpiper 14 is ahead of it (10.0 to 40.0 W)."), behind)

    def test_every_kind_of_every_query_is_drawn_or_says_why(self) -> None:
        m = ladder()
        m.add(OTHER, 40.0)
        m.add(AWAY, 30.0)
        m.add(FULL, 60.0)
        kinds: dict[CardKind, type] = {
            CardKind.BARS: BarChart,
            CardKind.DUMBBELL: DumbbellChart,
            CardKind.SLOPE: SlopeChart,
            CardKind.SHARES: ShareChart,
            CardKind.CURVES: Chart,
            CardKind.EFFICIENCY: Chart,
            CardKind.MULTIPLES: GridChart,
            CardKind.SHEET: TableChart,
            CardKind.TABLE: TableChart,
        }
        queries = (CELLS, CurvesQuery(device_ids=(1, 2), workload_ids=(1,)), ModesQuery(device_id=1, workload_id=1))
        seen = set()
        for query in (*queries, UnitsQuery(device_ids=(1, 2)), TestedQuery()):
            for kind in KINDS[query.of]:
                content = made_of(m, query, kind)
                if content.found is None:
                    self.assertRegex(content.problem, "measured|priced|prices", kind)
                    continue
                seen.add(kind)
                self.assertIsInstance(content.found.chart, kinds[kind])
                self.assertGreater(len(content.found.table.rows), 0)
                self.assertTrue(all(len(r) == len(content.found.table.columns) for r in content.found.table.rows))
                self.assertTrue(content.finding.endswith("."), content.finding)
                assert content.face is not None
                self.assertIn(content.finding, content.face.alternative)
        self.assertEqual(seen, set(kinds))

    def test_what_is_gone_is_said(self) -> None:
        m = pairs([60, 61], [50, 51])
        for query, kind, words in (
            (RunsQuery(run_ids=(99,)), CardKind.TIMELINE, "None of its runs"),
            (CurvesQuery(device_ids=(9,), workload_ids=(1,)), CardKind.CURVES, "No settled run"),
            (CurvesQuery(device_ids=(1,), workload_ids=(1,), axis="aether"), CardKind.CURVES, "'aether'"),
            (CurvesQuery(device_ids=(1,), workload_ids=(1,), measure="low_7"), CardKind.CURVES, "'low_7'"),
            (CellsQuery(cells=(CellQuery(setting_id=77),), workload_ids=(1,)), CardKind.BARS, "None of its cells"),
            (ModesQuery(device_id=9, workload_id=1), CardKind.SHEET, "not in the book any more"),
            (ModesQuery(device_id=1, workload_id=2), CardKind.SHEET, "no run of Chart Export"),
            (UnitsQuery(device_ids=(8,)), CardKind.TABLE, "None of its devices"),
            (UnitsQuery(), CardKind.TIMELINE, "cannot be drawn as timeline"),
        ):
            content = made_of(m, query, kind)
            self.assertIn(words, content.problem)
            self.assertIsNone(content.face)

    def test_a_cell_is_found_again_when_the_middle_of_its_room_moves(self) -> None:
        m = pairs([60, 61], [50])
        query = CellsQuery(cells=(CellQuery(setting_id=1, room_c=23.0),), workload_ids=(1,))
        found = cell_cards.chosen_cells(query, cells_of(m.book()))
        self.assertEqual(found[0].key.room_c, 22.0)

    def test_new_runs_change_the_finding_and_it_says_so(self) -> None:
        before = made_of(pairs([60, 61, 60], [60, 61, 60.5]), CELLS, CardKind.BARS)
        self.assertIn("can't tell yet", before.composed)
        after = made_of(pairs([60, 61, 60], [40, 41, 40.5]), CELLS, CardKind.BARS, seen=before.composed)
        self.assertTrue(after.moved)
        self.assertIn("changed", [c.code for c in concerns(deck_of(after))])
        self.assertFalse(made_of(pairs([60, 61, 60], [60, 61, 60.5]), CELLS, CardKind.BARS, seen=before.composed).moved)

    def test_a_sentence_by_hand_is_marked_and_shown(self) -> None:
        content = made_of(pairs([60, 61], [50, 51]), CELLS, CardKind.BARS, finding="It flies.", footnote="At sea.")
        assert content.face is not None
        self.assertTrue(content.edited)
        self.assertEqual(content.face.finding, "It flies.")
        self.assertIn("At sea", content.notes)
        self.assertEqual(content.notes[-1], EDITED, "the picture says so, too")

    def test_moving_keeps_all_in_order(self) -> None:
        cards = [Card(id=n, name=str(n), kind=CardKind.TABLE, query=UnitsQuery(), place=n) for n in (1, 2, 3)]
        self.assertEqual({c.id: c.place for c in moved_to(cards, 3, -1)}, {3: 2, 2: 3})
        self.assertEqual(moved_to(cards, 1, -1), [])
        with self.assertRaises(ValidationError):
            replace_fields(cards[0], name=" ")


class TestNotes(unittest.TestCase):
    def test_conditions_repeats_units_and_days(self) -> None:
        content = made_of(pairs([60, 61], [50]), CELLS, CardKind.BARS)
        notes = " · ".join(content.notes)
        for words in ("room 22 °C · on mains", "1 to 2 runs of each", "Old one: engineering sample unit", "2026-09-01"):
            self.assertIn(words, notes)
        self.assertIn("how it came not noted: Sandpiper 14, Old one", notes)
        self.assertTrue(content.notes[0].startswith((OPEN_MARK, "△")), "what speaks against it comes first")

    def test_generated_frames_are_told_and_make_a_pair_unlike(self) -> None:
        m = pairs([60, 61], [50])
        m.add(OTHER, 51.0, digest={"figures": {"shown_fps": 101.0}})
        content = made_of(m, CELLS, CardKind.BARS)
        notes = " · ".join(content.notes)
        self.assertIn("frames were generated in 1 of the 4 runs; only those that were drawn count", notes)
        self.assertIn("The frame generation is not the same", notes)

    def test_more_watts_say_what_they_are_worth_by_the_curve_of_who_drew_them(self) -> None:
        """y = 10 √P: at 20 W instead of 40 W it loses 1 − √½ = 29.3 %."""
        m = ladder()
        for other_w in (20.0, 5.0):
            m.add(OTHER, 60.0, digest={"power_w": other_w}, room=21.0 + other_w)
        cells = tuple(CellQuery(setting_id=n, room_c=r) for n, r in ((4, 41.0), (50, 22.0), (4, 26.0)))
        notes = made_of(m, CellsQuery(cells=cells, workload_ids=(1,)), CardKind.BARS).notes
        worth = next(n for n in notes if "drew 100 % more watts" in n)
        self.assertRegex(worth, r"By its own curve it would lose 29\.[23] % \(2\d\.\d to [23]\d\.\d %\) at 20\.0 W")
        back = cells[2], cells[1]
        notes = made_of(m, CellsQuery(cells=back, workload_ids=(1,)), CardKind.BARS).notes
        self.assertIn("No curve of its own tells what they are worth", " ".join(notes), "5 W is below its least watts")

    def test_accepted_differences_carry_their_reason(self) -> None:
        m = pairs([60, 61], [50, 51])
        book = m.book()
        result = made_in(book, CELLS, CardKind.BARS).found
        assert result is not None
        worst = result.compared[0].unfair[0]
        kept = Acceptance(
            first_setting=4, second_setting=1, key=worst.difference.key, first_value=worst.difference.a,
            second_value=worst.difference.b, reason="that is the question",
        )  # fmt: skip
        content = made_in(m.book(acceptances=(kept,)), CELLS, CardKind.BARS)
        accepted = [n for n in content.notes if n.startswith(ACCEPTED_MARK)]
        self.assertEqual(len(accepted), 1)
        self.assertIn("accepted: that is the question", accepted[0])

    def test_schools_told_scores_and_what_is_not_settled(self) -> None:
        m = ladder()
        told = Summary(score=80.0, power_w=50.0, origin=Origin.MAKER)
        m.add(FULL, 80.0, summary=told, digest={"power_w": None})
        m.add(HUSH, 30.0, digest={"state": "drifting", "lows": {"low_1.time_share": 20.0}})
        query = CurvesQuery(device_ids=(1,), workload_ids=(1,))
        notes = " · ".join(made_of(m, query, CardKind.CURVES).notes)
        for words in (
            "upright ticks: claimed",
            "told, not measured: Sandpiper 14, Full: maker's figure",
            "1 of the 11 runs not settled",
        ):
            self.assertIn(words, notes)
        low = made_of(m, query.model_copy(update={"measure": "low_1.time_share"}), CardKind.CURVES)
        self.assertIn("school “time share”", " ".join(low.notes))


class TestEfficiency(unittest.TestCase):
    def test_the_best_for_each_watt_of_a_known_law(self) -> None:
        # y = 10 √P gives y / P = 10 / √P: most at the least watts (closed form).
        content = made_of(ladder(), CurvesQuery(device_ids=(1,), workload_ids=(1,)), CardKind.EFFICIENCY)
        self.assertIn("Sandpiper 14 3.16 at 10.0 W (10 W)", content.composed)
        assert content.found is not None and isinstance(content.found.chart, Chart)
        guides = content.found.chart.panels[0].guides
        self.assertEqual([g.slope for g in guides], [2.0])
        self.assertEqual(guides[0].words, "2 fps/W")

    def test_settings_stand_by_their_watts_with_means_and_states(self) -> None:
        m = Made()
        for watts, score, state in ((30.0, 50.0, "settled"), (32.0, 54.0, "drifting"), (10.0, 20.0, "settled")):
            setting = LADDER[3] if watts > 20 else LADDER[0]
            m.add(setting, score, digest={"power_w": watts, "state": state})
        choice = curve_cards.choice_of(CurvesQuery(device_ids=(1,), workload_ids=(1,)))
        (series,) = scale_book(m.book(), choice).series
        low, high = series.settings
        self.assertEqual((low.name, low.power_w, len(low.points)), ("10 W", 10.0, 1))
        self.assertEqual((high.power_w, high.score, len(high.points), high.claimed_w), (31.0, 52.0, 2, 30.0))
        self.assertEqual(high.states, ("drifting", "settled"))
        self.assertAlmostEqual(high.per_watt, 52.0 / 31.0)

    def test_a_query_of_the_scale_page_comes_back_as_its_choice(self) -> None:
        choice = ScaleChoice((1, 2), (1,), 22.0, "low_1.percentile", target=60.0, low_share=0.8, worth=0.02)
        query = curve_cards.query_of(choice, "knee", Second.EFFICIENCY, 20.0, 1)
        self.assertEqual(curve_cards.choice_of(query), choice)
        self.assertEqual((query.rule, query.second, query.reader_w), ("knee", str(Second.EFFICIENCY), 20.0))

    def test_guides_are_round_and_few(self) -> None:
        self.assertEqual(curve_cards.round_slopes([0.14, 0.22]), [0.2])
        self.assertEqual(curve_cards.round_slopes([1.0, 100.0]), [1.0, 5.0, 20.0, 100.0])
        self.assertEqual(curve_cards.round_slopes([3.2, 3.4]), [3.3])


class TestCells(unittest.TestCase):
    def test_mains_and_battery_are_paired_and_their_supply_is_no_fault(self) -> None:
        m = Made()
        for rate in (30.0, 30.2, 30.1):
            m.add(HUSH, rate)
            m.add(AWAY, 0.8 * rate)
        query = CellsQuery(
            cells=(CellQuery(setting_id=2, room_c=22.0), CellQuery(setting_id=3, room_c=22.0)), workload_ids=(1,)
        )
        content = made_of(m, query, CardKind.DUMBBELL)
        assert content.found is not None and isinstance(content.found.chart, DumbbellChart)
        (row,) = content.found.chart.rows
        self.assertEqual(content.found.chart.ends, ("mains", "battery"))
        self.assertAlmostEqual(row.second.value / row.first.value, 0.8)
        self.assertIn("keeps of its score on mains: Skerry Run: 80 %", content.composed)
        self.assertNotIn("supply", [u.difference.key for r in content.found.compared for u in r.unfair])

    def test_times_of_a_task_slope_the_better_way(self) -> None:
        m = Made()
        for seconds in (100.0, 100.5):
            m.add(FULL, seconds, TASK)
            m.add(OTHER, 2 * seconds, TASK, digest={"power_w": 45.0})
        query = CELLS.model_copy(update={"workload_ids": (2,), "cells": CELLS.cells[::-1]})
        content = made_of(m, query, CardKind.SLOPE)
        assert content.found is not None and isinstance(content.found.chart, SlopeChart)
        self.assertAlmostEqual(content.found.chart.lines[0].values[1], 200.0)

    def test_forty_devices_leave_a_legible_picture_that_says_so(self) -> None:
        settings = [Setting(id=100 + n, device_id=1, name=f"{n} W", sustained_w=float(n)) for n in range(1, 41)]
        m = Made()
        for n, setting in enumerate(settings):
            m.add(setting, 100.0 - n)
        query = CellsQuery(
            cells=tuple(CellQuery(setting_id=s.id or 0, room_c=22.0) for s in reversed(settings)), workload_ids=(1,)
        )
        content = made_of(m, query, CardKind.BARS)
        assert content.found is not None and isinstance(content.found.chart, BarChart)
        (group,) = legible(content.found.chart, 20).groups
        self.assertEqual(len(group.bars), 20)
        self.assertIn("20 of 40 are not drawn", group.title)
        self.assertIn("baseline", [bar.words for bar in group.bars])
        self.assertEqual(len(content.found.table.rows), 40)


def deck_of(*contents: CardContent, **report: object) -> Deck:
    points = Made().book()
    return Deck(contents, Report.model_validate({"title": "t", **report}), points)


class TestShares(unittest.TestCase):
    def rows(self, *shares: dict[str, float]) -> list[tuple[str, list[RunPoint]]]:
        m = Made()
        return [(f"row {n}", [m.add(FULL, 60.0, digest={"shares": s})]) for n, s in enumerate(shares, 1)]

    def test_heat_is_told_first_and_who_is_free_of_it(self) -> None:
        words = shares_words(self.rows({"heat": 0.8, "sustained-power": 0.2}, {"sustained-power": 1.0}))
        self.assertEqual(words, "Heat holds row 1 for 80 % of the load; row 2 is not held by heat at all.")
        cool = shares_words(self.rows({"sustained-power": 1.0}, {"clock-ceiling": 0.9, "waiting": 0.1}))
        self.assertEqual(
            cool,
            "Heat holds none of them; sustained power holds row 1 most of the time; "
            "clock ceiling holds row 2 most of the time.",
        )
        self.assertEqual(shares_words(self.rows({})), "What held these runs is not known.")

    def test_rows_are_means_in_one_order_and_add_up(self) -> None:
        m = Made()
        runs = [m.add(FULL, 60.0, digest={"shares": s}) for s in ({"heat": 0.6, "burst-power": 0.4}, {"heat": 1.0})]
        (row,) = shares_chart([("both", runs)]).rows
        self.assertEqual([cause for cause, _ in row.shares], ["burst-power", "heat"])
        self.assertAlmostEqual(sum(share for _, share in row.shares), 1.0)
        self.assertEqual(row.words, "45.0 W, 2 runs")
        self.assertEqual(shares_table([("both", runs)]).rows[0][1:3], (20.0, 80.0))
        with self.assertRaisesRegex(PinchError, "is not known"):
            shares_chart(self.rows({}))


class TestUnits(unittest.TestCase):
    def test_how_units_came_in_words(self) -> None:
        def of(*came: Came) -> str:
            return units_words([NEW.model_copy(update={"came": c}) for c in came])

        self.assertEqual(of(Came.BOUGHT), "One unit: 1 was bought.")
        self.assertEqual(of(Came.UNKNOWN), "One unit: how it came is not noted.")
        self.assertEqual(of(Came.BOUGHT, Came.BOUGHT, Came.LENT), "3 units: 2 were bought, 1 was lent.")
        self.assertEqual(of(Came.LENT, Came.UNKNOWN), "2 units: 1 was lent, how one came is not noted.")

    def test_a_price_carries_its_day_region_and_tax(self) -> None:
        full = Offer(price=649, currency="EUR", date="2026-08-15", region="NL", tax_in=False)
        self.assertEqual(price_words(full), "649 EUR, 2026-08-15, NL, without tax")
        self.assertEqual(price_words(Offer(price=5)), "5, no date")
        self.assertEqual(price_words(None), "")

    def test_prices_beside_scores(self) -> None:
        offer = Offer(price=700, currency="EUR", date="2026-08-15")
        old = OLD.model_copy(update={"offers": (offer,)})
        m = pairs([60.5, 60, 61], [30.2, 30, 30.4])
        points = [p if p.device is NEW else replace(p, device=old) for p in m.points]
        book = BookPoints(tuple(points), (NEW, old), (GAME,), {}, ())
        content = made_in(book, CELLS, CardKind.MONEY)
        self.assertIn("costs 50.0 % less than Sandpiper 14, Full and gives 50.1 % less", content.composed)
        self.assertIn("over 1 workload; as much for money at 698 EUR (", content.composed)
        self.assertIn("configuration not noted, price of 2026-08-15", content.composed)
        bare = made_of(m, CELLS, CardKind.MONEY)
        self.assertIn("two devices with prices in one currency", bare.problem)


class TestConcerns(unittest.TestCase):
    def codes(self, *contents: CardContent, **report: object) -> list[str]:
        return [c.code for c in concerns(deck_of(*contents, **report))]

    def of(self, code: str, *contents: CardContent) -> Concern:
        return next(c for c in concerns(deck_of(*contents)) if c.code == code)

    def test_a_single_run_called_faster(self) -> None:
        m = pairs([60.0], [40.0, 40.1, 40.2])
        content = made_of(m, CELLS, CardKind.BARS)
        assert content.found is not None
        verdict = content.found.compared[0].rows[0].cells[1].verdict
        assert verdict is not None and verdict.answer != Answer.FASTER
        self.assertIn("nothing", verdict.words)
        alone = Made()
        for setting in LADDER:
            alone.add(setting, 10.0 * (setting.sustained_w or 0.0) ** 0.5)
        query = CurvesQuery(device_ids=(1,), workload_ids=(1,))
        self.assertIn("curves of single runs", self.of("single-run", made_of(alone, query, CardKind.CURVES)).words)
        self.assertNotIn("single-run", self.codes(made_of(ladder(), query, CardKind.CURVES)))

    def test_a_tie_worded_as_a_win(self) -> None:
        tie = pairs([60, 60.2, 60.1], [60.1, 60.3, 60.2])
        for words, stopped in (
            ("Old one beats Sandpiper 14.", True),
            ("The Old one is slightly faster.", True),
            ("A tie: neither is faster.", False),
            ("Both are the same.", False),
        ):
            content = made_of(tie, CELLS, CardKind.BARS, finding=words)
            self.assertEqual("tie-as-win" in self.codes(content), stopped, words)
        titled = made_of(tie, CELLS, CardKind.BARS, name="Old one wins")
        self.assertIn("tie-as-win", self.codes(titled))
        self.assertNotIn("tie-as-win", self.codes(made_of(tie, CELLS, CardKind.BARS, name="Which one wins?")))
        self.assertEqual(self.of("tie-as-win", titled).claim.runs, (4, 5, 6, 1, 2, 3))
        won = made_of(pairs([60, 60.2, 60.1], [80, 80.3, 80.2]), CELLS, CardKind.BARS, finding="Old one is faster.")
        self.assertNotIn("tie-as-win", self.codes(won))

    def test_every_concern_has_a_name(self) -> None:
        text = inspect.getsource(module_of_concerns)
        codes = re.findall(r'"([a-z-]+)",\s+Weight\.|_of_runs\(content, own, "([a-z-]+)"', text)
        self.assertEqual({a or b for a, b in codes}, set(CONCERN_NAMES))

    def test_numbers_by_hand(self) -> None:
        self.assertEqual(strange_numbers("48 % faster, 12.5 W", "is 47.6 % faster at 12.5 W"), [])
        self.assertEqual(strange_numbers("60 % faster", "is 47.6 % faster"), ["60"])
        self.assertEqual(strange_numbers("1,5 times", "1.5 times"), [])
        content = made_of(pairs([60, 61], [40, 41]), CELLS, CardKind.BARS, finding="It is 77 % slower.")
        self.assertIn("77", self.of("edited", content).words)

    def test_tiny_bases_labels_told_watts_and_days(self) -> None:
        slow = made_of(pairs([10, 10.1, 10.05], [13, 13.1, 13.05]), CELLS, CardKind.BARS)
        self.assertIn("percentage of 10 fps", self.of("tiny-base", slow).words.replace("10.1", "10"))
        m = Made()
        named = Setting(id=50, device_id=1, name="54 W", sustained_w=54)
        for rate in (60.0, 60.5):
            m.add(named, rate, digest={"power_w": 40.0})
            m.add(OTHER, rate)
        query = CELLS.model_copy(update={"cells": (CellQuery(setting_id=50, room_c=22.0), CELLS.cells[1])})
        label = self.of("label-watts", made_of(m, query, CardKind.BARS))
        self.assertIn("by 54 W; 40.0 W were measured in the mean of its 2 runs.", label.words)
        self.assertEqual((label.claim.n, label.claim.of, label.claim.runs), (1, 1, (1, 3)))
        told = ladder()
        summary = Summary(score=80.0, power_w=50.0, origin=Origin.MAKER)
        told.add(FULL, 80.0, summary=summary, digest={"power_w": None})
        curve = made_of(told, CurvesQuery(device_ids=(1,), workload_ids=(1,)), CardKind.CURVES)
        claimed = self.of("claimed-watts", curve)
        self.assertIn("1 score at watts that were told, not measured, of 11 on it", claimed.words)
        self.assertEqual((claimed.claim.n, claimed.claim.of, claimed.claim.runs), (1, 11, (11,)))
        undated = NEW.model_copy(update={"offers": (Offer(price=999, currency="EUR"),)})
        book = pairs([60], [50]).book()
        book = BookPoints(book.points, (undated,), book.workloads, {}, ())
        self.assertIn("undated-price", self.codes(made_in(book, UnitsQuery(device_ids=(1,)), CardKind.TABLE)))

    def test_disclosures_unsettled_runs_and_empty_cards(self) -> None:
        m = ladder()
        m.add(HUSH, 30.0, digest={"state": "drifting"})
        curve = made_of(m, CurvesQuery(device_ids=(1,), workload_ids=(1,)), CardKind.CURVES)
        drifting = self.of("drifting", curve)
        self.assertIn("rests on 11 runs, of which 1 had not settled: Sandpiper 14, Hush, run 11.", drifting.words)
        self.assertEqual((drifting.place.run_id, drifting.claim), (11, Claim("drifting", drifting.words, 1, 11, (11,))))
        self.assertEqual(explain_concern(drifting).window, "True of 1 of 11 that could be looked at.")
        self.assertEqual(self.of("disclosure", curve).place.device_id, NEW.id)
        m.add(HUSH, 30.0, void="the lid was closed", digest={"state": "too-short"})
        shares = made_of(m, RunsQuery(run_ids=(12,)), CardKind.SHARES)
        self.assertIn("void-run", self.codes(shares))
        self.assertIn("the one run void", shares.notes)
        tested = made_of(m, TestedQuery(), CardKind.TABLE)
        self.assertEqual(tested.composed, "11 runs of 1 workload in 6 cells of 1 device. 1 more does not count.")
        empty = made_of(m, RunsQuery(run_ids=(999,)), CardKind.TIMELINE)
        self.assertEqual(self.codes(empty), ["empty", "no-card"])
        self.assertIn("no-title", self.codes(curve, title=""))

    def test_a_lent_unit_owes_a_disclosure(self) -> None:
        lent = NEW.model_copy(update={"came": Came.LENT})
        m = ladder()
        m.points = [p.__class__(p.run, lent, p.setting, p.workload, p.digest, p.room_c) for p in m.points]
        book = BookPoints(tuple(m.points), (lent,), (GAME, TASK), {}, ())
        curve = made_in(book, CurvesQuery(device_ids=(1,), workload_ids=(1,)), CardKind.CURVES)
        self.assertIn("disclosure", self.codes(curve))
        self.assertNotIn("disclosure", self.codes(curve, disclosure="Lent for six weeks."))

    def test_signs_that_no_font_has(self) -> None:
        content = made_of(
            ladder(), CurvesQuery(device_ids=(1,), workload_ids=(1,)), CardKind.CURVES, name="日本 Ωß שלום"
        )
        self.assertEqual(content.missing, "日本")
        self.assertIn("日 本", self.of("missing-signs", content).words)


class TestCrowdedAndSplit(unittest.TestCase):
    def test_a_picture_says_what_it_cannot_show_and_is_split(self) -> None:
        m = Made()
        many = [Setting(id=100 + n, device_id=1, name=f"Step {n}", sustained_w=10.0 + n) for n in range(30)]
        for setting in many:
            for work in (GAME, TASK):
                m.add(setting, 50.0, work)
        cells = tuple(CellQuery(setting_id=s.id, room_c=22.0) for s in many)
        content = made_of(m, CellsQuery(cells=cells, workload_ids=(1, 2)), CardKind.BARS)
        assert content.face is not None
        found = crowding(content.face)
        assert found is not None
        self.assertEqual((found.what, found.there), ("bars", 90), "thirty of each workload, and of the index")
        self.assertLess(found.legible, 30)
        self.assertIn("crowded", [c.code for c in concerns(Deck((content,), Report(), m.book()))])
        parts = split_card(content)
        self.assertEqual([part.query.workload_ids for part in parts], [(1,), (2,)])  # type: ignore[union-attr]
        self.assertEqual([part.name for part in parts], [f"A question: {w.name}?" for w in (GAME, TASK)])
        few = made_of(m, CellsQuery(cells=cells[:3], workload_ids=(1,)), CardKind.BARS)
        assert few.face is not None
        self.assertIsNone(crowding(few.face))
        self.assertFalse(can_split(few))
        with self.assertRaisesRegex(PinchError, "one thing alone"):
            split_card(few)

    def test_many_groups_leave_room_for_the_titles_of_those_that_are_drawn(self) -> None:
        self.assertEqual(most_groups(330.0), int((330.0 - LEAST_ROW) / (TITLE_ROOM + LEAST_ROW)))

    def test_new_cards_are_called_by_their_question(self) -> None:
        m = Made()
        for setting in (FULL, HUSH, AWAY, OTHER):
            m.add(setting, 50.0)
        for query, kind, wanted in (
            (CELLS, CardKind.BARS, "How does Old one, Stock compare with Sandpiper 14, Full in Skerry Run?"),
            (
                ModesQuery(device_id=1, workload_id=1),
                CardKind.SHEET,
                "What do the modes of Sandpiper 14 give in Skerry Run?",
            ),
            (TestedQuery(), CardKind.TABLE, "What was tested?"),
        ):
            content = made_of(m, query, kind)
            assert content.found is not None
            self.assertEqual(question_of(content.card, content.found), wanted)

    def test_a_card_of_lows_says_so_everywhere(self) -> None:
        m = Made()
        for setting, low in ((FULL, 40.0), (OTHER, 30.0)):
            for more in (0.0, 0.1, 0.2):
                m.add(setting, 60.0, digest={"lows": {"low_1.percentile": low + more}})
        query = CELLS.model_copy(update={"measure": "low_1.percentile"})
        for kind in (CardKind.BARS, CardKind.SLOPE, CardKind.DUMBBELL, CardKind.TABLE):
            content = made_of(m, query, kind)
            assert content.found is not None and content.face is not None
            self.assertIn("1 % low", question_of(content.card, content.found), kind)
            self.assertIn("1 % low", content.face.alternative, kind)
            self.assertIn("1 % low", " ".join((content.composed, *map(str, flat(content.face.chart, "chart")))), kind)

    def test_shares_of_runs_have_names_of_their_own(self) -> None:
        m = Made()
        points = [m.add(FULL, 60.0, work, repeat=1) for work in (GAME, TASK, GAME, TASK)]
        content = made_of(m, RunsQuery(run_ids=tuple(p.run.id for p in points)), CardKind.SHARES)
        assert content.found is not None and isinstance(content.found.chart, ShareChart)
        self.assertEqual(len({row.label for row in content.found.chart.rows}), 4)

    def test_what_is_not_decided_hides_no_answer(self) -> None:
        m = Made()
        settings = [Setting(id=100 + n, device_id=1, name=f"Step {n}") for n in range(8)]
        for n, setting in enumerate(settings):
            for rate in (100.0, 100.4, 100.2) if n < 6 else (140.0, 140.4, 140.2) if n == 6 else (99.0,):
                m.add(setting, rate)
        cells = tuple(CellQuery(setting_id=s.id, room_c=22.0) for s in settings)
        finding = made_of(m, CellsQuery(cells=cells, workload_ids=(1,)), CardKind.BARS).composed
        self.assertRegex(finding, r"Step 0: Sandpiper 14, Step 6 is 39.9 % faster; 4 are ties; of 2 it")


class TestPrices(unittest.TestCase):
    def test_the_price_that_was_chosen(self) -> None:
        offers = (
            Offer(price=1000.0, currency="EUR", date="2026-08-01", tested=True),
            Offer(price=800.0, currency="EUR", date="2026-08-03"),
            Offer(price=1200.0, currency="USD", date="2026-08-02"),
            Offer(price=500.0, currency="EUR", date="2026-08-04", members=True),
        )
        device = NEW.model_copy(update={"offers": offers})
        rates = read_rates("1 USD = 0.75 EUR, 2026-08-02")
        wanted = {PriceOf.TESTED: ((), 1000.0), PriceOf.CHEAPEST: ((), 800.0), PriceOf.MEDIAN: (rates, 900.0)}
        for which, (by, price) in wanted.items():
            found = offer_of(device, OfferChoice(which, by))
            assert found is not None
            self.assertEqual((found.price, found.currency), (price, "EUR"), which)
        middle = offer_of(device, OfferChoice(PriceOf.MEDIAN, rates))
        assert middle is not None
        self.assertEqual(
            middle.configuration,
            "median of 3 offers from 800 to 1000 EUR, 2026-08-01 to 2026-08-03",
            "members pay less",
        )
        self.assertEqual(rates_words(rates), "1 USD = 0.75 EUR, 2026-08-02")
        for wrong in (
            "1 USD is 2 EUR",
            "1 USD = 2 EUR; 1 USD = 3 EUR",
            "1 USD = 2 EUR; 1 GBP = 2 CHF",
            "1 USD = 1.234 EUR",
        ):
            with self.assertRaises(PinchError):
                read_rates(wrong)

    def test_two_prices_of_one_thing_are_looked_at(self) -> None:
        m = Made()
        alike = {"currency": "EUR", "date": "2026-08-01", "configuration": "32 GB"}
        device = NEW.model_copy(update={"offers": (Offer(price=1000.0, **alike), Offer(price=900.0, **alike))})  # type: ignore[arg-type]
        m.points = [replace(m.add(FULL, 50.0), device=device)]
        content = made_of(m, TestedQuery(), CardKind.TABLE)
        said = [c.words for c in concerns(Deck((content,), Report(), m.book())) if c.code == "two-prices"]
        self.assertEqual(said, ["Two prices of Sandpiper 14 differ, 1000 and 900 EUR, and nothing noted tells why."])
