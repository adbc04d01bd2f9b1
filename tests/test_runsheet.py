"""The run sheet: what goes on between runs, sessions, what is left out, several devices."""

import itertools
import unittest
from collections.abc import Sequence
from functools import partial

from msgspec.structs import replace

from pinch.core.runsheet import (
    Arrangement,
    RunSheet,
    SheetJob,
    Task,
    Window,
    balanced,
    lay_out,
    make_sheet,
    shortest,
    wait_s,
)

HOUR = 3600.0


def change(before: int | None, after: int) -> tuple[Task, ...]:
    """Settings of the same ten share a firmware; within it a switch is enough."""
    if before is None or before // 10 == after // 10:
        return (Task("set", 30.0, f"set {after}"),)
    return (Task("firmware", 360.0, f"visit {after}"), Task("set", 30.0, f"set {after}"))


def ladder(settings: Sequence[int], repeats: int, cool_s: float = 300.0) -> list[SheetJob]:
    return [
        SheetJob(n, r, 0, s, 600.0, cool_s, 2 * cool_s) for n, s in enumerate(settings) for r in range(1, repeats + 1)
    ]


def sheet(jobs: Sequence[SheetJob], windows: Sequence[Window] = (Window(0.0),)) -> RunSheet:
    return make_sheet(jobs, change, windows, partial(shortest, change=change))


class TestBetweenRuns(unittest.TestCase):
    def test_the_longest_of_cooling_charging_and_work_counts(self) -> None:
        job = SheetJob(0, 1, 0, 1, 600.0, cool_s=300.0, cold_s=900.0, readings_s=120.0)
        self.assertEqual(wait_s(job, replace(job, repeat=2), change), 300.0)
        self.assertEqual(wait_s(job, replace(job, setting=11), change), 510.0, "readings, firmware, switch")
        self.assertEqual(wait_s(job, replace(job, needs_cold=True), change), 900.0)
        self.assertEqual(wait_s(replace(job, recharge_s=4000.0), replace(job, setting=11), change), 4000.0)

    def test_steps_follow_each_other_without_overlap(self) -> None:
        jobs = [
            SheetJob(0, 1, 0, 1, 600.0, 300.0, 900.0, readings_s=60.0),
            SheetJob(1, 1, 0, 11, 600.0, 300.0, 900.0, recharge_s=1800.0),
            SheetJob(2, 1, 0, 12, 600.0, 300.0, 900.0),
        ]
        steps, homeless = lay_out(jobs, change, [Window(1000.0)])
        self.assertEqual(homeless, [])
        self.assertEqual(
            [(s.kind, s.start_s, s.end_s) for s in steps],
            [
                ("set", 1000.0, 1030.0),
                ("run", 1030.0, 1630.0),
                ("read", 1630.0, 1690.0),
                ("firmware", 1690.0, 2050.0),
                ("set", 2050.0, 2080.0),
                ("run", 2080.0, 2680.0),
                ("set", 2680.0, 2710.0),
                ("recharge", 2710.0, 4480.0),
                ("run", 4480.0, 5080.0),
            ],
        )

    def test_idle_runs_go_first_while_the_device_is_cold(self) -> None:
        loads = ladder([1, 2, 3], 2)
        idle = [SheetJob(9, r, 0, 1, 300.0, needs_cold=True) for r in (1, 2)]
        kinds = [s.job.needs_cold for s in sheet([*loads, *idle]).runs]
        self.assertEqual(kinds, [True, True] + [False] * 6)

    def test_firmware_is_visited_once(self) -> None:
        found = sheet(ladder([1, 11, 2, 12, 3], 3, cool_s=60.0))
        self.assertTrue(found.proved)
        self.assertEqual(sum(s.kind == "firmware" for s in found.steps), 1)
        settings = [s.job.setting for s in found.runs]
        self.assertEqual(len(list(itertools.groupby(settings))), 5, "repeats of a setting stay together")

    def test_no_order_of_few_runs_is_shorter(self) -> None:
        jobs = [
            SheetJob(0, 1, 0, 1, 600.0, 300.0, 900.0),
            SheetJob(1, 1, 0, 11, 500.0, 200.0, 900.0, recharge_s=700.0),
            SheetJob(2, 1, 0, 2, 400.0, 0.0, 0.0, needs_cold=True),
            SheetJob(3, 1, 0, 12, 300.0, 100.0, 400.0, readings_s=90.0),
            SheetJob(4, 1, 0, 3, 300.0, 500.0, 800.0),
        ]
        found = sheet(jobs)
        every = (lay_out(order, change, [Window(0.0)])[0] for order in itertools.permutations(jobs))
        self.assertTrue(found.proved)
        self.assertAlmostEqual(found.continuous_s, min(max(s.end_s for s in steps) for steps in every))
        self.assertEqual(found.gap, 0.0)
        self.assertAlmostEqual(replace(found, continuous_s=1000.0, bound_s=800.0).gap, 0.2)


class TestSessions(unittest.TestCase):
    def test_a_run_that_does_not_fit_begins_the_next_session(self) -> None:
        evenings = [Window(0.0, 1500.0), Window(10000.0, 11400.0)]
        found = sheet(ladder([1], 3), evenings)
        self.assertEqual([s.start_s for s in found.runs], [30.0, 10000.0])
        self.assertEqual([j.repeat for j in found.left_out], [3])
        for step in found.steps:
            self.assertTrue(any(w.start_s <= step.start_s and step.end_s <= w.end_s for w in evenings), step)

    def test_overnight_the_device_has_cooled_and_keeps_its_setting(self) -> None:
        steps, _ = lay_out(ladder([1, 2], 1), change, [Window(0.0, 700.0), Window(9000.0, 9900.0)])
        second = [s for s in steps if s.start_s >= 9000.0]
        self.assertEqual([s.kind for s in second], ["set", "run"])

    def test_the_least_wanted_are_left_out(self) -> None:
        jobs = [replace(j, priority={0: 2, 1: 1, 2: 3}[j.cell]) for j in ladder([1, 2, 3], 3)]
        found = sheet(jobs, [Window(0.0, 5 * 900.0)])
        kept = sorted((s.job.priority, s.job.repeat) for s in found.runs)
        self.assertEqual(kept, [(1, 1), (1, 2), (1, 3), (2, 1), (2, 2)])
        self.assertEqual(len(found.left_out), 4)

    def test_what_is_longer_than_every_session_is_left_out_alone(self) -> None:
        long = SheetJob(7, 1, 0, 1, 9 * HOUR)
        found = sheet([*ladder([1, 2], 2), long], [Window(0.0, HOUR), Window(20000.0, 20000.0 + HOUR)])
        self.assertEqual(found.left_out, (long,))

    def test_no_time_at_all(self) -> None:
        found = sheet(ladder([1], 2), [Window(0.0, 100.0)])
        self.assertEqual((len(found.runs), len(found.left_out)), (0, 2))
        self.assertEqual(len(sheet(ladder([1], 2), []).left_out), 2)


class TestSeveralDevices(unittest.TestCase):
    def test_one_runs_while_the_other_cools(self) -> None:
        jobs = [replace(j, device=d, cell=d, setting=10 * d) for d in (0, 1) for j in ladder([0], 4, cool_s=600.0)]
        found = sheet(jobs)
        alone = sheet([j for j in jobs if j.device == 0])
        self.assertLess(found.continuous_s, 1.2 * alone.continuous_s)
        runs = found.runs
        self.assertTrue(all(a.end_s <= b.start_s for a, b in itertools.pairwise(runs)), "one run at a time")
        for device in (0, 1):
            own = [s for s in runs if s.job.device == device]
            self.assertTrue(all(b.start_s - a.end_s >= 600.0 for a, b in itertools.pairwise(own)), "each cools")
        self.assertLessEqual(found.bound_s, found.continuous_s)


class TestBalanced(unittest.TestCase):
    def arrange(self, jobs: Sequence[SheetJob], seed: int = 2) -> Arrangement:
        return balanced(jobs, change, seed)

    def test_repeats_are_interleaved(self) -> None:
        found = self.arrange(ladder([1, 2, 11, 12], 3))
        self.assertLessEqual(found.imbalance or 0.0, 1.0)
        for number in range(3):
            one_round = found.jobs[4 * number : 4 * number + 4]
            self.assertEqual({j.setting for j in one_round}, {1, 2, 11, 12})
            self.assertEqual({j.repeat for j in one_round}, {number + 1})

    def test_it_is_never_shorter_than_the_shortest(self) -> None:
        jobs = ladder([1, 2, 11, 12], 3, cool_s=60.0)
        self.assertGreaterEqual(self.arrange(jobs).continuous_s, shortest(jobs, change).continuous_s)
        self.assertEqual(self.arrange(jobs).bound_s, shortest(jobs, change).bound_s)
        self.assertGreater(sheet(jobs).bound_s, 0.0)

    def test_two_workloads_of_a_setting_go_together(self) -> None:
        jobs = [SheetJob(2 * s + w, r, 0, s, 600.0) for s in range(3) for w in (0, 1) for r in (1, 2)]
        order = self.arrange(jobs).jobs
        self.assertEqual(len(order), 12)
        self.assertTrue(all(order[i].setting == order[i + 1].setting for i in range(0, 12, 2)))
