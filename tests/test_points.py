"""Runs as points: what a digest keeps of a log, which cells they make, under which conditions, and what a mode is."""

import math
import unittest
from datetime import UTC, datetime, timedelta

import numpy as np

from pinch.analysis.axes import CompareAxis, along
from pinch.analysis.cell_conditions import conditions_of
from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.curves import Axis, ScaleChoice, family_of, scale_book
from pinch.analysis.modes import best_below, modes_sheet, quietest
from pinch.analysis.offers import offer_of
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench import runlogs
from pinch.bench.digests import Digest, RundownDigest
from pinch.bench.opening import create_book
from pinch.bench.parts import Battery, Build, Display, Memory, Offer
from pinch.bench.readings import Instrument, Quantity, Reading
from pinch.bench.records import Acceptance, Device, ExitStatus, Protocol, Run, Setting, Status, Workload
from pinch.bench.summaries import Origin, Summary, origin_words
from pinch.core.fairness import FairnessGrade
from pinch.core.metrics import AVERAGE
from pinch.core.runlog import RunLog, Series
from pinch.core.sound import Grade as RoomGrade
from pinch.core.touch import Contact
from pinch.narrative import compare_words
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.price_words import money_chart
from pinch.runs.whole_book import digest_book
from pinch.ui.compare import price_pane, state, uplift
from tests import made
from tests.in_folder import InFolder

FIRST_DAY = datetime(2026, 9, 1, 9, 0, tzinfo=UTC)
GAME = Workload(id=1, name="Skerry Run", rate_channel="frame.rate", score_unit="fps", resolution="1920×1200")
TASK = Workload(id=2, name="Chart Export", score_unit="s", higher_is_better=False)
NEW = Device(
    id=1,
    name="Sandpiper 14",
    battery=Battery(design_wh=62, full_wh=60),
    display=Display(shape="16:10"),
    memory=Memory(kind="LPDDR5X", speed_mts=7500, dual_channel=True),
    offers=(
        Offer(price=1499, currency="EUR", date="2026-07-01"),
        Offer(price=1399, currency="EUR", date="2026-09-01", seller="shop", region="DE", tax_in=True),
    ),
)
OLD = Device(id=2, name="Old one", status=Status.SAMPLE, memory=Memory(kind="DDR5", speed_mts=4800, dual_channel=False))
FULL = Setting(id=1, device_id=1, name="Full", sustained_w=45)
HUSH = Setting(id=2, device_id=1, name="Hush", sustained_w=15)
AWAY = Setting(id=3, device_id=1, name="Hush on battery", sustained_w=15, mains=False)
OTHER = Setting(id=4, device_id=2, name="Stock", sustained_w=35, fan="silent")


class Made:
    """Points of a book that never was on a disk."""

    def __init__(self) -> None:
        self.points: list[RunPoint] = []
        self.readings: dict[int, tuple[Reading, ...]] = {}

    def add(
        self,
        setting: Setting,
        rate: float,
        work: Workload = GAME,
        room: float | None = 22.0,
        digest: dict[str, object] | None = None,
        **run: object,
    ) -> RunPoint:
        """One run; `digest` adds to what its log came to."""
        number = len(self.points) + 1
        device = NEW if setting.device_id == 1 else OLD
        fields = {"id": number, "device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        at = FIRST_DAY + timedelta(hours=number)
        record = Run.model_validate(
            {**fields, "started": at, "ambient_c": room, "status": ExitStatus.COMPLETE, "repeat": number, **run}
        )
        told = {"state": "settled", "power_w": setting.sustained_w, "rate": rate, "shares": {"sustained-power": 1.0}}
        point = RunPoint(record, device, setting, work, Digest.model_validate({**told, **(digest or {})}), room)
        self.points.append(point)
        return point

    def read(self, point: RunPoint, quantity: Quantity, value: float, **fields: object) -> None:
        """A reading by hand of a run."""
        number = point.run.id or 0
        made_one = Reading.model_validate(
            {"run_id": number, "taken": FIRST_DAY, "t_s": 60.0, "quantity": quantity, "value": value} | fields
        )
        self.readings[number] = (*self.readings.get(number, ()), made_one)

    def book(self, **more: object) -> BookPoints:
        """Everything so far."""
        parts = {"protocols": {}, "acceptances": (), "readings": self.readings} | more
        return BookPoints(tuple(self.points), (NEW, OLD), (GAME, TASK), **parts)  # type: ignore[arg-type]


class TestDigest(InFolder):
    def digest(self, battery: Battery | None = None, **columns: np.ndarray) -> Digest:
        """The digest of a two-level run with more channels."""
        book = create_book(self.folder / f"book-{len(list(self.folder.iterdir()))}.pinch")
        self.addCleanup(book.close)
        device = book.save(Device(name="Limpet", temp_limit_c=95.0, battery=battery or Battery()))
        setting = book.save(Setting(device_id=device.id or 0, name="Stock", sustained_w=35.0))
        work = book.save(Workload(name="Tile Render"))
        log = made.two_level()
        t = log.series["cpu.power"].t
        series = dict(log.series)
        for name, values in columns.items():
            channel = name.replace("__", ".")
            series[channel] = Series(channel, t, values)
        run = made.new_run(book, device, setting, work, ExitStatus.COMPLETE)
        runlogs.add_log(book, run, RunLog(series))
        book.save(book.get(Run, run.id or 0).model_copy(update={"status": ExitStatus.COMPLETE}))
        return digest_book(book.path).digests[run.id or 0]

    def test_wall_at_load_and_at_rest(self) -> None:
        power = made.two_level().series["cpu.power"].values
        found = self.digest(wall__power=(power + 5.0) / 0.9)
        self.assertAlmostEqual(found.wall_w or 0.0, 40 / 0.9, delta=0.2)
        self.assertAlmostEqual(found.idle_wall_w or 0.0, 9 / 0.9, delta=0.2)
        self.assertAlmostEqual(found.idle_w or 0.0, 4.0, delta=0.2)
        self.assertAlmostEqual(found.burst_w or 0.0, 60.0, delta=0.3)
        self.assertAlmostEqual(found.hold or 0.0, 3500 / 4200, delta=0.01)
        self.assertAlmostEqual(found.headroom_k or 0.0, 25.0, delta=1.0)
        self.assertIsNone(found.rundown)

    def test_levels_average_energetically(self) -> None:
        n = len(made.two_level().series["cpu.power"].t)
        level = np.where(np.arange(n) % 2 == 0, 30.0, 40.0)
        self.assertAlmostEqual(self.digest(noise__level=level).noise_db or 0.0, 37.4, delta=0.05)

    def test_surfaces_by_place(self) -> None:
        n = len(made.two_level().series["cpu.power"].t)
        found = self.digest(skin__keys__temp=np.full(n, 41.0), skin__back__temp=np.full(n, 47.5))
        self.assertEqual({k: round(v, 1) for k, v in found.surfaces.items()}, {"keys": 41.0, "back": 47.5})

    def test_a_rundown_and_a_better_known_battery(self) -> None:
        power = made.two_level().series["cpu.power"].values + 4.5
        left = 50.0 - np.cumsum(power) / 3600.0
        charge = {"battery__charge": left / 0.6}
        with_energy = self.digest(Battery(full_wh=60), battery__power=power, battery__energy=left, **charge)
        rundown = with_energy.rundown
        assert rundown is not None
        self.assertAlmostEqual(rundown.draw_w or 0.0, float(power.mean()), delta=0.3)
        self.assertAlmostEqual(with_energy.battery_w or 0.0, 39.5, delta=0.3)
        unknown = self.digest(None, **charge).rundown
        assert unknown is not None
        self.assertIsNone(unknown.draw_w)
        self.assertIn("capacity", " ".join(unknown.notes))

    def test_the_key_follows_the_battery(self) -> None:
        path = self.folder / "a.pinch"
        book = create_book(path)
        self.addCleanup(book.close)
        device = book.save(Device(name="Limpet"))
        setting = book.save(Setting(device_id=device.id or 0, name="Stock"))
        run = made.new_run(book, device, setting, book.save(Workload(name="Tile Render")), ExitStatus.COMPLETE)
        runlogs.add_log(book, run, made.two_level())
        keys = []
        for wh in (None, 60.0):
            book.save(device.model_copy(update={"battery": Battery(full_wh=wh)}))
            digest_book(path)
            keys.append(book.query("SELECT key FROM judged"))
        self.assertNotEqual(keys[0], keys[1], "a judgement depends on what is known of the battery")


class TestCells(unittest.TestCase):
    def test_rooms_builds_and_origins_part_cells(self) -> None:
        m = Made()
        for room in (22.0, 22.0, 31.0):
            m.add(FULL, 60.0, room=room)
        m.add(FULL, 66.0, builds=(Build(what="graphics driver", version="32"),))
        m.add(FULL, 70.0, summary=Summary(score=70, repeats=6, units=6, origin=Origin.MAKER))
        names = [c.name for c in cells_of(m.book())]
        self.assertEqual(len(names), 4)
        self.assertEqual(len(set(names)), 4, names)
        self.assertTrue(any("31 °C" in n for n in names) and any("maker's figure" in n for n in names), names)

    def test_what_does_not_count_is_left_out_with_its_reason(self) -> None:
        m = Made()
        m.add(FULL, 60.0)
        m.add(FULL, 61.0, void="lid closed")
        m.add(FULL, 61.0, digest={"state": "too-short"})
        m.add(FULL, 61.0, digest={"problem": "no load."})
        m.add(FULL, 61.0, digest={"rate": None})
        m.add(FULL, 61.0, status=None)
        (cell,) = cells_of(m.book())
        self.assertEqual(len(cell.points[1]), 2, "one too short to settle counts in full")
        reasons = " ".join(n.text for n in cell.left_out)
        for words in ("void: lid closed", "no load.", "no rate of work", "still recording"):
            self.assertIn(words, reasons)
        self.assertEqual(cell.days(), (FIRST_DAY.date(),))
        self.assertEqual(cell.power_w(1), 45.0)
        self.assertTrue(math.isnan(cell.power_w(2)))

    def test_conditions_come_from_records_and_runs(self) -> None:
        m = Made()
        shares = {"heat": 0.4, "frame-cap": 0.3}
        p = m.add(
            FULL,
            60.0,
            digest={"shares": shares, "state": "drifting"},
            protocol_id=7,
            builds=(Build(what="OS", version="2"),),
        )
        book = m.book(protocols={7: Protocol(id=7, name="Ashore", brightness_nits=150)})
        (cell,) = cells_of(book)
        found = conditions_of(book, cell, [p])
        self.assertEqual((found.power_w, found.ambient_c, found.mains), (45.0, 22.0, True))
        self.assertEqual((found.heat_share, found.capped_share, found.unsettled), (0.4, 0.3, "drifting"))
        self.assertEqual((found.brightness_nits, found.resolution, found.graphical), (150.0, "1920×1200", True))
        self.assertEqual((found.builds, found.channels), ({"OS": ("2", "")}, "dual"))
        self.assertEqual(found.memory, {"memory kind": "LPDDR5X", "memory speed": "7500 MT/s", "memory size": ""})

    def test_a_told_figure_has_no_builds_and_says_whose_it_is(self) -> None:
        m = Made()
        summary = Summary(score=70, spread=1.0, repeats=6, units=6, origin=Origin.MAKER, power_w=44, dated="2026-08-01")
        p = m.add(FULL, 70.0, summary=summary, digest={"power_w": None})
        (cell,) = cells_of(m.book())
        found = conditions_of(m.book(), cell, [p])
        self.assertEqual((found.runs, found.power_w, found.builds), (6, 44.0, {}))
        self.assertIn("mean of 6 units", found.origin)
        for units, repeats, words in ((6, 1, "mean of 6 units"), (1, 1, "1 run"), (6, 3, "mean of 6 units, 3 runs")):
            told = Summary(score=70, repeats=repeats, units=units, origin=Origin.MAKER)
            self.assertEqual(origin_words(told), f"maker's figure, {words}")


class TestCompared(unittest.TestCase):
    def made(self) -> Made:
        m = Made()
        for luck in (1.0, 0.995, 1.004):
            m.add(FULL, 66.0 * luck)
            m.add(OTHER, 60.0 * luck, digest={"power_w": 35.0})
            m.add(FULL, 54.0 * luck, TASK)
            m.add(OTHER, 100.0 * luck, TASK)
        return m

    def shown(self, absolute: bool = False, measure: str = AVERAGE, **more: object) -> ShownComparison:
        book = self.made().book(**more)
        cells = {c.setting.name: c for c in cells_of(book)}
        choice = CompareChoice((cells["Stock"], cells["Full"]), (1, 2), measure)
        return ShownComparison(compare_book(book, choice), True, absolute, 1, {1: 0, 2: 1})

    def test_both_directions_make_one_index(self) -> None:
        result = self.shown().result
        index = result.indexes["Sandpiper 14, Full"]
        self.assertAlmostEqual(index.ratio, math.sqrt(1.10 * 100 / 54), delta=0.01)
        self.assertEqual(index.workloads, ("Skerry Run", "Chart Export"))

    def test_words_of_each_direction(self) -> None:
        shown = self.shown()
        rows = [r for r in state.result_rows(shown) if not r.heading and "Full" in r.cells[0]]
        self.assertEqual(rows[0].cells[4:6], ("faster", "+10.0 %"))
        self.assertEqual(rows[1].cells[4:6], ("faster", "takes 46.0 % less time"))
        explained = rows[1].explanation
        assert explained is not None
        self.assertIn("takes 46.0 % less time", explained.formula)
        self.assertEqual(rows[2].cells[4], "index")
        absolute = state.result_rows(self.shown(absolute=True))
        self.assertIn("+6 fps", [r.cells[5] for r in absolute if len(r.cells) > 5])
        self.assertIn("less is better", " ".join(r.cells[0] for r in absolute if r.heading))

    def test_bars_sorted_the_better_first(self) -> None:
        chart = compare_words.bars(self.shown())
        self.assertEqual(
            [[b.label for b in g.bars] for g in chart.groups[:2]], [["Sandpiper 14, Full", "Old one, Stock"]] * 2
        )
        self.assertIn("Index over 2 workloads, Old one, Stock = 100", chart.groups[2].title)
        self.assertAlmostEqual(chart.groups[2].bars[1].value, 100 * math.sqrt(1.10 * 100 / 54), delta=1.0)
        self.assertIn("less is better", chart.groups[1].title)
        self.assertTrue(chart.groups[0].bars[0].subject and not chart.groups[0].bars[1].subject)
        self.assertIn("Chart Export", chart.alternative)
        self.assertIn("Old one: engineering sample unit", chart.footnotes[-1])

    def test_unfair_differences_and_an_acceptance(self) -> None:
        shown = self.shown()
        kinds = {u.difference.key: u for u in shown.result.unfair}
        self.assertLessEqual({"watts", "fan", "status", "channels", "memory kind"}, set(kinds))
        watts = kinds["watts"]
        self.assertEqual((watts.difference.grade, watts.difference.holds_back), (FairnessGrade.HOLDS_BACK, "b"))
        self.assertEqual(watts.workloads, ("Skerry Run", "Chart Export"))
        values = {"first_value": watts.difference.a, "second_value": watts.difference.b}
        own = Acceptance(first_setting=1, second_setting=4, key="watts", reason="as sold", **values)
        accepted = {u.difference.key: u for u in self.shown(acceptances=(own,)).result.unfair}["watts"]
        self.assertEqual((accepted.accepted, accepted.is_open), ("as sold", False))
        swapped = Acceptance(first_setting=4, second_setting=1, key="watts", reason="as sold",
                             first_value=watts.difference.b, second_value=watts.difference.a)  # fmt: skip
        self.assertFalse(
            {u.difference.key: u for u in self.shown(acceptances=(swapped,)).result.unfair}["watts"].is_open
        )
        stale = own.model_copy(update={"first_value": "20.0 W"})
        self.assertTrue({u.difference.key: u for u in self.shown(acceptances=(stale,)).result.unfair}["watts"].is_open)
        rows = state.fair_rows(shown)
        self.assertFalse(rows[0].aside)

    def test_headlines(self) -> None:
        shown = self.shown()
        self.assertIn(
            "9.9 % faster" if "9.9 %" in compare_words.headline(shown) else "10.0 % faster",
            compare_words.headline(shown),
        )
        self.assertIn("Not like for like", compare_words.headline(shown))
        book = self.made().book()
        alone = compare_book(book, CompareChoice((cells_of(book)[0],), (1,)))
        self.assertIn("Skerry Run 65.98 fps", compare_words.headline(ShownComparison(alone, True, False, 1, {})))

    def test_lows_from_a_tiny_base_are_shown_in_fps_and_ms_first(self) -> None:
        m = Made()
        for luck in (1.0, 0.99, 1.01):
            m.add(FULL, 60, digest={"lows": {"low_1.percentile": 12.0 * luck}})
            m.add(OTHER, 60, digest={"lows": {"low_1.percentile": 9.0 * luck}})
        book = m.book()
        cells = {c.setting.name: c for c in cells_of(book)}
        choice = CompareChoice((cells["Stock"], cells["Full"]), (1,), "low_1.percentile")
        shown = ShownComparison(compare_book(book, choice), False, False, 1, {})
        row = next(r for r in state.result_rows(shown) if "Full" in r.cells[0])
        self.assertTrue(row.cells[5].startswith("+3 fps (−28 ms), +33"), row.cells[5])

    def test_minutes_of_modes_with_what_the_batteries_hold(self) -> None:
        m = Made()
        for setting, hours in ((AWAY, 4.0), (HUSH, 5.0), (OTHER, 3.0)):
            told = {"from_charge": 100.0, "to_charge": 20.0, "runtime_h": hours}
            figures = {"minutes": 60 * hours, "minutes_wh": hours}
            m.add(setting, 20.0, digest={"rundown": told, "figures": figures})
        book = m.book()
        result = compare_book(book, CompareChoice(tuple(cells_of(book)), (1,), "minutes"))
        rows = [r for r in state.result_rows(ShownComparison(result, False, False, 1, {})) if not r.heading]
        found = {r.cells[0].strip(): (r.cells[1], r.cells[2], r.cells[13], r.cells[14]) for r in rows[:3]}
        self.assertEqual(found["Sandpiper 14, Hush"], ("300", "1", "300", "60"))
        self.assertEqual(found["Old one, Stock"], ("180", "3", "180", ""), "nobody noted what it holds")

    def test_money(self) -> None:
        self.assertEqual((offer_of(NEW) or Offer()).price, 1399)
        shown = self.shown()
        rows = price_pane.money_rows(shown)
        self.assertEqual(rows[1].cells[3], "no price is noted")
        self.assertIsNone(money_chart(shown))
        history = price_pane.offer_rows([NEW, OLD])
        self.assertEqual([r.cells[2] for r in history], ["2026-09-01", "2026-07-01"])
        self.assertEqual(history[0].cells[3:5], ("shop DE", "in"))

    def test_runs_by_their_day(self) -> None:
        chart = uplift.time_chart(self.shown())
        assert chart is not None
        base, other = chart.panels[0].dots
        self.assertEqual((len(base.x), len(other.x)), (6, 6))
        self.assertAlmostEqual(float(base.y.mean()), 100.0, delta=0.5)
        self.assertEqual(uplift.generation_rows(self.shown(), None), [])

    def test_ready_views(self) -> None:
        m = self.made()
        m.add(HUSH, 30.0)
        m.add(AWAY, 25.0)
        m.add(FULL, 60.0, room=31.0)
        cells = cells_of(m.book())
        full = next(c for c in cells if c.setting.name == "Full")
        names = {axis: [c.setting.name for c in along(axis, cells, full, 1)] for axis in CompareAxis}
        self.assertEqual(names[CompareAxis.SUPPLY], ["Hush", "Hush on battery"])
        self.assertEqual(set(names[CompareAxis.SETTING]), {"Full", "Hush", "Hush on battery"})
        self.assertEqual(names[CompareAxis.DAY], ["Full"] * 2, "the last day of each room's runs")
        self.assertEqual(names[CompareAxis.BUILDS], ["Full"])
        other = next(c for c in cells if c.device.id == 2)
        self.assertEqual(along(CompareAxis.SUPPLY, cells, other, 1), [])
        for axis in CompareAxis:
            self.assertTrue(state.axis_lack(axis).endswith("."))


class TestScaled(unittest.TestCase):
    def ladder(self, setting_ids: int = 5) -> Made:
        m = Made()
        for n in range(setting_ids):
            watts = 10.0 + 7.0 * n
            setting = Setting(id=20 + n, device_id=1, name=f"{watts:g} W", sustained_w=watts)
            digest = {"power_w": watts, "wall_w": (watts + 5) / 0.9, "lows": {"low_1.percentile": 6 * watts**0.5}}
            p = m.add(setting, 10 * watts**0.5, digest=digest)
            m.read(p, Quantity.NOISE, 20 + watts / 2)
            m.read(p, Quantity.SURFACE, 25 + watts / 2, place="back")
        return m

    def test_package_and_wall(self) -> None:
        book = self.ladder().book()
        for axis, watts in ((Axis.PACKAGE, 38.0), (Axis.WALL, 43 / 0.9)):
            (series,) = scale_book(book, ScaleChoice((1,), (1,), axis=axis)).series
            assert series.scaling is not None
            self.assertAlmostEqual(series.scaling.ladder.power[-1], watts)
            self.assertIsNotNone(series.scaling.lows)

    def test_over_noise_and_surfaces_there_are_points_and_no_curve(self) -> None:
        book = self.ladder().book()
        for axis, first in ((Axis.NOISE, 25.0), (Axis.SURFACE, 30.0)):
            (series,) = scale_book(book, ScaleChoice((1,), (1,), axis=axis)).series
            self.assertEqual((series.points[0].power_w, series.scaling), (first, None))
            self.assertIn("over watts", series.reason)

    def test_a_low_can_be_the_score_and_what_is_missing_is_said(self) -> None:
        m = self.ladder()
        m.add(FULL, 60.0)
        choice = ScaleChoice((1,), (1,), measure="low_1.percentile")
        (series,) = scale_book(m.book(), choice).series
        self.assertAlmostEqual(series.points[0].score, 6 * 10**0.5)
        self.assertIn("no 1 % low, percentile can be had", series.left_out[-1].text)
        nothing = scale_book(m.book(), ScaleChoice((2,), (1,))).series
        self.assertEqual(nothing, ())

    def test_rooms_are_kept_apart(self) -> None:
        m = self.ladder()
        m.add(FULL, 50.0, room=31.0)
        (here,) = scale_book(m.book(), ScaleChoice((1,), (1,), room_c=31.0)).series
        self.assertEqual([p.of.setting.name for p in here.points], ["Full"])
        self.assertEqual(m.book().rooms((1,)), [22.0, 31.0])

    def test_a_family_is_one_work_at_other_presets(self) -> None:
        named = (
            ("Skerry Run, 800p", "fps"),
            ("Skerry Run, 1200p", "fps"),
            ("Skerry Run, cold", "s"),
            ("Pack Ice", "fps"),
        )
        works = [Workload(id=n, name=name, score_unit=unit) for n, (name, unit) in enumerate(named)]
        self.assertEqual([w.id for w in family_of(works[0], works)], [0, 1])

    def test_graphics_are_told_from_the_processor(self) -> None:
        m = Made()
        for n, watts in enumerate((10.0, 20.0, 30.0)):
            setting = Setting(id=30 + n, device_id=1, name=f"{watts:g} W", sustained_w=watts)
            m.add(setting, 50 + n, digest={"power_w": watts, "shares": {"graphics-bound": 0.8, "sustained-power": 0.2}})
        self.assertEqual(scale_book(m.book(), ScaleChoice((1,), (1,))).series[0].bound_by, "graphics")


class TestModes(unittest.TestCase):
    def made(self) -> Made:
        m = Made()
        for n, (watts, level) in enumerate(((12.0, 27.0), (20.0, 33.0), (30.0, 41.0))):
            setting = Setting(id=40 + n, device_id=1, name=f"{watts:g} W", sustained_w=watts)
            p = m.add(
                setting, 10 * watts**0.5, digest={"power_w": watts, "fan_rpm": 2000.0 * 10 ** ((level - 27) / 50)}
            )
            m.read(p, Quantity.NOISE, level, distance_mm=500.0, instrument="Level meter", u=0.8)
            m.read(p, Quantity.WALL, (watts + 5) / 0.9)
            m.read(p, Quantity.SURFACE, 24.0 + watts, place="exhaust", u=0.5)
        return m

    def test_readings_by_hand_make_the_sheet(self) -> None:
        sheet = modes_sheet(self.made().book(), NEW, GAME)
        row = sheet.rows[1]
        self.assertAlmostEqual(row.wall_w or 0.0, 25 / 0.9)
        assert row.noise is not None and row.hottest is not None
        self.assertEqual((row.noise.level, row.noise.corrected, row.noise.u), (33.0, None, 0.8))
        self.assertEqual(
            (row.hottest.place, row.hottest.touch.rise_k, row.hottest.touch.longest),
            ("exhaust", 22.0, Contact.TEN_MINUTES),
        )
        assert sheet.fan is not None
        self.assertAlmostEqual(sheet.fan.slope, 50.0, places=6)
        self.assertIsNone(sheet.wall, "the wall was not logged with the package")

    def test_the_room_of_the_protocol_is_taken_off_by_grade(self) -> None:
        m = self.made()
        ashore = Protocol(id=7, name="Ashore", room_noise_db=26.0)
        m.points = [
            RunPoint(p.run.model_copy(update={"protocol_id": 7}), p.device, p.setting, p.workload, p.digest, p.room_c)
            for p in m.points
        ]
        book = m.book(protocols={7: ashore})
        survey = modes_sheet(book, NEW, GAME).rows
        fine = modes_sheet(book, NEW, GAME, grade=RoomGrade.ENGINEERING).rows
        bounds = [
            [bool(r.noise and r.noise.corrected and r.noise.corrected.upper_bound) for r in rows]
            for rows in (survey, fine)
        ]
        self.assertEqual(bounds, [[True, False, False], [True, False, False]])
        levels = [[r.noise.level if r.noise else 0.0 for r in rows] for rows in (survey, fine)]
        self.assertEqual(levels[0][0], 24.0)
        self.assertAlmostEqual(levels[1][0], 25.7)

    def test_a_room_reading_wins_over_the_protocol(self) -> None:
        m = self.made()
        m.read(m.points[2], Quantity.NOISE, 36.0, place="room")
        noise = modes_sheet(m.book(), NEW, GAME).rows[2].noise
        assert noise is not None and noise.corrected is not None
        self.assertAlmostEqual(noise.level, 41.0 + 10 * math.log10(1 - 10**-0.5), places=6)
        self.assertEqual(noise.readings, 1)

    def test_marks(self) -> None:
        m = Made()
        m.add(FULL, 60, digest={"power_w": 36.0})
        m.add(FULL, 60, digest={"power_w": 52.0, "state": "drifting"})
        (row,) = modes_sheet(m.book(), NEW, GAME).rows
        self.assertEqual(row.marks, ("wanders by 26 %", "not settled"))
        m = Made()
        m.add(FULL, 60, digest={"power_w": 36.0})
        self.assertEqual(modes_sheet(m.book(), NEW, GAME).rows[0].marks, ("−20 % of its label",))

    def test_choices_over_noise(self) -> None:
        rows = modes_sheet(self.made().book(), NEW, GAME).rows
        self.assertEqual((quietest(rows, 0.8) or rows[0]).setting.name, "20 W")
        self.assertEqual((best_below(rows, 35.0) or rows[0]).setting.name, "20 W")
        self.assertIsNone(quietest((), 0.9))

    def test_minutes_from_runs_on_battery(self) -> None:
        m = Made()
        for n, watts in enumerate((10.0, 15.0, 20.0, 25.0)):
            away = Setting(id=50 + n, device_id=1, name=f"{watts:g} W away", sustained_w=watts, mains=False)
            m.add(away, 40.0, digest={"power_w": watts, "battery_w": watts + 4.0})
        sheet = modes_sheet(m.book(), NEW, GAME)
        assert sheet.lasting is not None
        value, low, high = sheet.lasting.hours(16.0)
        self.assertAlmostEqual(value, 3.0)
        self.assertTrue(low <= value <= high)
        self.assertAlmostEqual((sheet.rows[0].battery_min or (0.0,))[0], 60 * 60 / 14)

    def test_a_rundown_stands_for_a_run_without_battery_power(self) -> None:
        m = Made()
        for n, watts in enumerate((10.0, 15.0, 20.0)):
            away = Setting(id=50 + n, device_id=1, name=f"{watts:g} W away", sustained_w=watts, mains=False)
            rundown = RundownDigest(from_charge=90, to_charge=60, draw_w=watts + 5.0)
            m.add(away, 40.0, digest={"power_w": watts, "rundown": rundown})
        sheet = modes_sheet(m.book(), NEW, GAME)
        assert sheet.lasting is not None
        self.assertAlmostEqual(sheet.lasting.line.intercept, 5.0, places=6)
        self.assertEqual(len(sheet.rundowns), 3)

    def test_a_charge_read_by_hand_is_a_rundown(self) -> None:
        m = Made()
        p = m.add(AWAY, 40.0, digest={"power_w": 10.0})
        for minute, charge in ((0, 90.0), (2, 89.0), (60, 65.0), (120, 40.0)):
            m.read(p, Quantity.CHARGE, charge, t_s=60.0 * minute)
        (found,) = modes_sheet(m.book(), NEW, GAME).rundowns
        assert found.digest.rundown is not None
        self.assertAlmostEqual(found.digest.rundown.draw_w or 0.0, 0.5 * 60 / 2)  # 50 % of 60 Wh in two hours
        self.assertEqual(found.digest.rundown.notes, ())
        self.assertAlmostEqual(found.digest.rundown.runtime_h or 0.0, 4.0, delta=0.1)

    def test_instruments_come_with_the_points(self) -> None:
        book = self.made().book(instruments=(Instrument(name="Meter", of_reading=0.5),))
        self.assertEqual(book.instruments[0].name, "Meter")
