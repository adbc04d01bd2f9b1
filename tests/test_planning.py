"""From records to a run sheet: rules, durations, cooling, charging, what happened, and learning."""

import unittest
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import numpy as np

from pinch.bench.limit_ladder import rungs, typed_rungs
from pinch.bench.parts import Aspect, Battery, ChangeNeed, Claims, Exclusion, Need
from pinch.bench.planning import DeviceHeat, PlanBench, PlannedSheet, cool_s, make_plan, recharge_s, run_s, windows_of
from pinch.bench.plans import Cell, OrderRule, Outcome, Plan, PlanEntry, PlanSession
from pinch.bench.presets import Intent, propose
from pinch.bench.records import CoolRule, Device, Protocol, Setting, WorkKind, Workload
from pinch.bench.setting_differences import differences, forbidden, tasks_between, why_not
from pinch.core.cooling import HeatFit
from pinch.core.errors import PinchError

NOW = datetime(2026, 9, 1, 19, 30, tzinfo=UTC)
DEVICE = Device(
    id=1,
    name="Gannet",
    battery=Battery(full_wh=48, charge_min=80),
    claims=Claims(lowest_w=7, highest_w=30, step_w=1),
    exclusions=(Exclusion(aspect=Aspect.LIMITS, value="> 25", never_with=Aspect.SUPPLY, other="battery"),),
)
TEN = Setting(id=1, device_id=1, name="10 W", sustained_w=10)
THIRTY = Setting(id=2, device_id=1, name="30 W", sustained_w=30)
ANCHOR = Setting(id=3, device_id=1, name="10 W at anchor", sustained_w=10, mains=False)
HOT_ANCHOR = Setting(id=4, device_id=1, name="30 W at anchor", sustained_w=30, mains=False)
TILE = Workload(id=1, name="Tile Render", kind=WorkKind.ALL_CORE, length_s=600)
REST = Workload(id=2, name="Rest", kind=WorkKind.IDLE, length_s=300)
RUNDOWN = Workload(id=3, name="Rundown", kind=WorkKind.RUNDOWN, length_s=9000)
CABIN = Protocol(id=1, name="Cabin", cool_min=8, readings_min=2)
ONE_TERM = DeviceHeat(HeatFit(np.array([1.5]), np.array([100.0]), 22.0, 0.1, np.zeros(1), 0.01), 4.0, 17)


def bench(protocol: Protocol = CABIN, **more: object) -> PlanBench:
    settings = {s.id or 0: s for s in (TEN, THIRTY, ANCHOR, HOT_ANCHOR)}
    workloads = {w.id or 0: w for w in (TILE, REST, RUNDOWN)}
    return PlanBench({1: DEVICE}, settings, workloads, protocol, **more)  # type: ignore[arg-type]


def plan(*cells: tuple[int, int, int], **more: object) -> Plan:
    made = [Cell(setting_id=s, workload_id=w, repeats=n) for s, w, n in cells]
    return Plan.model_validate({"id": 1, "name": "P", "cells": made, "created": NOW, **more})


def entry(setting: int, workload: int, repeat: int, outcome: Outcome, start_min: float, minutes: float) -> PlanEntry:
    started = NOW + timedelta(minutes=start_min)
    return PlanEntry(
        setting_id=setting,
        workload_id=workload,
        repeat=repeat,
        outcome=outcome,
        started=started,
        ended=started + timedelta(minutes=minutes),
    )


def kinds(planned: PlannedSheet) -> list[str]:
    return [s.kind for s in planned.sheet.steps]


class TestChanges(unittest.TestCase):
    def test_only_what_differs_is_changed(self) -> None:
        self.assertEqual(differences(TEN, THIRTY), [Aspect.LIMITS])
        self.assertEqual([t.words for t in tasks_between(DEVICE, TEN, THIRTY)], ["set 30 W"])
        self.assertEqual([t.kind for t in tasks_between(DEVICE, TEN, ANCHOR)], ["supply"])

    def test_needs_of_the_device_and_the_usual_ones(self) -> None:
        fast = TEN.model_copy(update={"memory_speed_mts": 8000.0, "graphics_path": "separate", "fan": "calm"})
        self.assertEqual([t.kind for t in tasks_between(DEVICE, TEN, fast)], ["firmware", "restart", "set"])
        stubborn = DEVICE.model_copy(update={"change_needs": (ChangeNeed(aspect=Aspect.LIMITS, need=Need.FIRMWARE),)})
        self.assertEqual([t.words for t in tasks_between(stubborn, TEN, THIRTY)], ["in the firmware, set 30 W"])

    def test_what_cannot_be(self) -> None:
        self.assertIn("never with supply battery", why_not(DEVICE, HOT_ANCHOR, TILE))
        self.assertEqual(why_not(DEVICE, ANCHOR, TILE), "")
        self.assertEqual(why_not(DEVICE, THIRTY, TILE), "")
        self.assertIn("on battery", why_not(DEVICE, TEN, RUNDOWN))
        self.assertIn("not known", why_not(Device(name="Box"), ANCHOR, RUNDOWN))
        full = Exclusion(aspect=Aspect.MODE, value="full", never_with=Aspect.SUPPLY, other="Battery")
        modes = Device(name="Sandpiper", exclusions=(full,))
        named = ANCHOR.model_copy(update={"name": "Full", "sustained_w": None})
        self.assertTrue(why_not(modes, named, TILE), "the name of a setting counts as its mode")
        self.assertTrue(why_not(modes, named.model_copy(update={"name": "x", "mode": "Full"}), TILE))

    def test_crossed_cells_are_not_planned(self) -> None:
        planned = make_plan(plan((1, 1, 1), (4, 1, 2), (1, 3, 1)), bench(), NOW)
        self.assertEqual(len(planned.sheet.runs), 1)
        self.assertEqual([c.setting_id for c, _ in planned.crossed], [4, 1])


class TestTimes(unittest.TestCase):
    def test_a_run_is_warm_up_and_passes(self) -> None:
        thrice = TILE.model_copy(update={"passes": 3, "warm_up_pass": True})
        warm = CABIN.model_copy(update={"warm_up_min": 5.0})
        self.assertEqual(run_s(plan(), bench(warm), thrice), 5 * 60 + 4 * 600)

    def test_cooling_from_time_constants_else_from_the_protocol(self) -> None:
        self.assertEqual(cool_s(DEVICE, THIRTY, bench()), (480.0, 960.0))
        usual, cold = cool_s(DEVICE, THIRTY, bench(heat={1: ONE_TERM}))
        self.assertAlmostEqual(usual, 100.0 * np.log(1.5 * 26.0 / 2.0), places=2)
        self.assertAlmostEqual(cold, 100.0 * np.log(1.5 * 26.0 / 0.5), places=2)
        nameless = THIRTY.model_copy(update={"sustained_w": None})
        self.assertEqual(cool_s(DEVICE, nameless, bench(heat={1: ONE_TERM}))[0], 300.0, "three time constants")
        fixed = CABIN.model_copy(update={"cool_rule": CoolRule.FIXED})
        self.assertEqual(cool_s(DEVICE, THIRTY, bench(fixed, heat={1: ONE_TERM}))[0], 480.0)

    def test_every_run_on_battery_begins_full(self) -> None:
        self.assertEqual(recharge_s(DEVICE, TEN, TILE, 600.0), 0.0)
        self.assertEqual(recharge_s(DEVICE, ANCHOR, RUNDOWN, 9000.0), 80 * 60.0)
        share = 10.0 * 600.0 / 3600.0 / 48.0
        self.assertAlmostEqual(recharge_s(DEVICE, ANCHOR, TILE, 600.0), 80 * 60.0 * share)
        by_adapter = DEVICE.model_copy(update={"battery": Battery(design_wh=50), "adapter_w": 100.0})
        self.assertAlmostEqual(recharge_s(by_adapter, ANCHOR, RUNDOWN, 9000.0), 3600.0)
        planned = make_plan(plan((3, 3, 1), (3, 1, 2)), bench(), NOW)
        self.assertIn("recharge", kinds(planned))

    def test_energy_and_totals(self) -> None:
        planned = make_plan(plan((1, 1, 3), (2, 1, 3)), bench(), NOW)
        self.assertAlmostEqual(planned.energy_wh or 0.0, 3 * (10 + 30) * 600 / 3600)
        self.assertEqual(planned.when(planned.sheet.steps[0].start_s), NOW)
        self.assertAlmostEqual(planned.left_s, planned.sheet.continuous_s, places=3)
        self.assertGreaterEqual(planned.other_s, planned.sheet.continuous_s)

    def test_sessions_that_are_over_do_not_count(self) -> None:
        evenings = [PlanSession(start=NOW + timedelta(days=n), minutes=180) for n in range(3)]
        late = NOW + timedelta(days=1, hours=1)
        windows = windows_of(plan(sessions=evenings), late)
        self.assertEqual([w.start_s for w in windows], [late.timestamp(), evenings[2].start.timestamp()])
        self.assertEqual(windows_of(plan(), NOW)[0].end_s, float("inf"))


class TestItLives(unittest.TestCase):
    def test_done_void_and_skipped_stay_and_the_rest_is_planned(self) -> None:
        done = [
            entry(1, 1, 1, Outcome.DONE, 0, 10),
            entry(1, 1, 2, Outcome.VOID, 20, 10),
            entry(1, 1, 3, Outcome.SKIPPED, 40, 0),
        ]
        planned = make_plan(plan((1, 1, 3), entries=done), bench(), NOW + timedelta(hours=1))
        self.assertEqual([s.job.repeat for s in planned.sheet.runs], [4], "the void one is done again")
        lines = planned.lines()
        self.assertEqual([x.outcome for x in lines[:3]], [Outcome.DONE, Outcome.VOID, Outcome.SKIPPED])
        self.assertTrue(all(x.outcome is None for x in lines[3:]))

    def test_estimates_learn_from_runs(self) -> None:
        slow = [entry(1, 1, n, Outcome.DONE, 30.0 * n, 13) for n in (1, 2)]
        self.assertAlmostEqual(run_s(plan(entries=slow), bench(), TILE), (600 + 2 * 780) / 3)

    def test_waits_learn_from_what_they_took(self) -> None:
        protocol = CABIN.model_copy(update={"readings_min": 0.0})
        pauses = [entry(1, 1, n, Outcome.DONE, 26.0 * n, 10) for n in range(1, 5)]  # 16 min instead of 8
        planned = make_plan(plan((1, 1, 6), entries=pauses), bench(protocol), NOW + timedelta(hours=2))
        self.assertAlmostEqual(planned.wait_factor, (900 + 3 * 960) / (900 + 3 * 480))
        waits = [s.end_s - s.start_s for s in planned.sheet.steps if s.kind == "cool"]
        self.assertAlmostEqual(waits[0], 480 * planned.wait_factor)
        self.assertTrue(any(n.code == "learned" for n in planned.notes))

    def test_a_night_is_not_a_wait(self) -> None:
        nights = [entry(1, 1, n, Outcome.DONE, 24 * 60.0 * n, 10) for n in (1, 2, 3)]
        self.assertEqual(make_plan(plan((1, 1, 6), entries=nights), bench(), NOW).wait_factor, 1.0)

    def test_the_device_is_still_at_the_setting_of_the_last_run(self) -> None:
        last = [entry(1, 1, 1, Outcome.DONE, 0, 10)]
        again = make_plan(plan((1, 1, 2), entries=last), bench(), NOW + timedelta(hours=1))
        self.assertEqual(kinds(again)[0], "run")
        other = make_plan(plan((1, 1, 1), (3, 1, 1), entries=last), bench(), NOW + timedelta(hours=1))
        self.assertEqual(kinds(other)[:2], ["supply", "run"])

    def test_left_out_in_words(self) -> None:
        short = [PlanSession(start=NOW, minutes=25)]
        planned = make_plan(plan((1, 1, 3), (2, 1, 1), sessions=short), bench(), NOW)
        self.assertEqual(planned.left_out, ["Tile Render at 10 W, 2 repeats", "Tile Render at 30 W, repeat 1"])

    def test_balanced_says_what_it_costs(self) -> None:
        planned = make_plan(plan((1, 1, 3), (2, 1, 3), order=OrderRule.BALANCED), bench(), NOW)
        self.assertLessEqual(planned.sheet.imbalance or 0.0, 1.0)
        self.assertLessEqual(planned.other_s, planned.sheet.continuous_s)


class TestLadderAndPresets(unittest.TestCase):
    def test_rungs(self) -> None:
        self.assertEqual(rungs(7, 30, 7, True, DEVICE.claims), [7, 9, 11, 14, 18, 24, 30])
        self.assertEqual(rungs(10, 30, 5, False, Claims(step_w=5)), [10, 15, 20, 25, 30])
        self.assertEqual(rungs(5, 41, 3, False, DEVICE.claims), [23], "5 and 41 W cannot be set")
        self.assertEqual(rungs(7, 8, 5, False, DEVICE.claims), [7, 8], "rungs that fall together are one")
        for low, high, count in ((30, 7, 5), (0, 5, 3), (7, 30, 1), (50, 60, 3)):
            with self.subTest(low=low, high=high), self.assertRaises(PinchError):
                rungs(low, high, count, True, DEVICE.claims)

    def test_rungs_as_somebody_lists_them(self) -> None:
        for text in ("18/9/30", "9, 18, 30 W", "30W 18 W; 9 W"):
            self.assertEqual(typed_rungs(text, DEVICE.claims), [9, 18, 30])
        self.assertEqual(typed_rungs("8,5/12", DEVICE.claims), [8.5, 12])
        for text, reason in (("9/60", "60 W cannot be set"), ("a/9", "not a number"), ("", "1 to 40 rungs")):
            with self.subTest(text), self.assertRaisesRegex(PinchError, reason):
                typed_rungs(text, DEVICE.claims)

    def test_a_mode_tour_goes_through_graphics_paths_too(self) -> None:
        modes = [
            TEN.model_copy(update={"kept_id": n, "mode": "Calm", "graphics_path": path})
            for n, path in ((8, "shared"), (9, "separate"), (10, "shared"))
        ]
        found = propose(Intent.MODES, [(DEVICE, modes)], [TILE], 1)
        self.assertEqual([c.setting_id for c in found.cells], [8, 9])

    def test_what_takes_an_open_case_is_done_together_and_said(self) -> None:
        by_hand = ChangeNeed(aspect=Aspect.MEMORY_SPEED, need=Need.HANDS)
        device = DEVICE.model_copy(update={"change_needs": (by_hand,)})
        speeds = {5600.0: (21, 22), 6400.0: (23, 24)}
        settings = {
            n: TEN.model_copy(update={"kept_id": n, "name": f"{n}", "memory_speed_mts": speed, "sustained_w": 10.0 + n})
            for speed, numbers in speeds.items()
            for n in numbers
        }
        there = PlanBench({1: device}, settings, {1: TILE}, CABIN)
        wanted = plan(*((n, 1, 3) for n in (21, 23, 22, 24)), order=OrderRule.BALANCED)
        planned = make_plan(wanted, there, NOW)
        order = [settings[step.job.setting].memory_speed_mts for step in planned.sheet.runs]
        self.assertEqual([a != b for a, b in pairwise(order)].count(True), 1, "the case is opened once")
        self.assertEqual(kinds(planned).count("hands"), 1)
        (note,) = [n.text for n in planned.notes if n.code == "dear"]
        self.assertIn("1 time something is changed by hand in the open case. Runs are grouped", note)
        first = [step.job.setting for step in planned.sheet.runs][:6]
        self.assertEqual(sorted(first[:2]), sorted(set(first)), "balanced within the group")

    def test_a_setting_that_a_rule_forbids_is_named(self) -> None:
        self.assertEqual(forbidden(DEVICE, HOT_ANCHOR), "Gannet: limits > 25 never with supply battery")
        self.assertEqual(forbidden(DEVICE, THIRTY), "")

    def test_intents(self) -> None:
        settings = [TEN, THIRTY, ANCHOR, HOT_ANCHOR]
        one = [(DEVICE, settings)]
        ladder = propose(Intent.LADDER, one, [TILE], 3)
        self.assertEqual([c.setting_id for c in ladder.cells], [1, 2])
        with self.assertRaisesRegex(PinchError, "names a mode"):
            propose(Intent.MODES, one, [TILE], 3)
        calm = TEN.model_copy(update={"kept_id": 8, "mode": "Calm"})
        calm_anchor = ANCHOR.model_copy(update={"kept_id": 9, "mode": "Calm", "sustained_w": 8.0})
        both = [(DEVICE, [*settings, calm, calm_anchor])]
        self.assertEqual([c.setting_id for c in propose(Intent.MODES, both, [TILE], 1).cells], [8, 9])
        supply = propose(Intent.SUPPLY, both, [TILE], 2)
        self.assertEqual({c.setting_id for c in supply.cells}, {1, 3, 2, 8, 9}, "30 W at anchor cannot be")
        self.assertEqual(supply.order, OrderRule.BALANCED)

    def test_a_against_b_and_memory_and_soak(self) -> None:
        other = Device(id=2, name="Limpet")
        rival = Setting(id=5, device_id=2, name="Stock", sustained_w=30)
        pair = propose(Intent.PAIR, [(DEVICE, [TEN, THIRTY]), (other, [rival])], [TILE], 4)
        self.assertEqual([(c.setting_id, c.repeats) for c in pair.cells], [(2, 4), (5, 4)])
        with self.assertRaisesRegex(PinchError, "two devices"):
            propose(Intent.PAIR, [(DEVICE, [TEN])], [TILE], 4)
        fast = TEN.model_copy(update={"kept_id": 6, "memory_speed_mts": 8000.0})
        memory = propose(Intent.MEMORY, [(DEVICE, [TEN, fast, THIRTY])], [TILE], 2)
        self.assertEqual([c.setting_id for c in memory.cells], [1, 6])
        soak = propose(Intent.SOAK, [(DEVICE, [TEN, THIRTY, ANCHOR])], [TILE, REST], 3)
        assert soak.long_workload is not None
        self.assertEqual((soak.long_workload.length_s, soak.cells[0].setting_id), (3600.0, 2))
