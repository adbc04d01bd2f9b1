"""Claims of a report against the records, counted again by code of its own: thousands of small books, whole, told,
mixed, without rooms, temperatures or watts."""

import csv
import re
import unittest
from datetime import UTC, datetime, timedelta

import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st

from pinch.analysis.points import RunPoint
from pinch.bench.digests import Digest
from pinch.bench.records import Came, Device, ExitStatus, Protocol, Result, Run, Setting, Status, Workload
from pinch.bench.summaries import Origin, Summary
from pinch.core.causes import Cause
from pinch.narrative.cards.concerns import strange_numbers
from pinch.narrative.claims import Claim
from pinch.narrative.report_claims import data_claims, heat_claims, limit_claims, tested_claims
from tests.in_folder import CommandCase
from tests.window_case import demo_book

DAY = datetime(2026, 9, 1, 12, tzinfo=UTC)
WORKS = [Workload(id=n, name=f"Work {n}", score_unit="u") for n in (1, 2)]
some = st.booleans()
NOUN = "(?:run|figure|cell|reading|score)"
WRONG = rf"\b1 {NOUN}s\b|\b(?:[02-9]|\d{{2,}}) {NOUN}\b|  |\.\.|None|nan"
"""What no sentence has: a plural of one, a singular of several, double spaces and stops, values that are not there."""


@st.composite
def a_device(draw: st.DrawFn) -> Device:
    limit = draw(st.sampled_from([None, 90.0]))
    return Device(id=1, name="Tern", temp_limit_c=limit, came=draw(st.sampled_from(Came)), status=draw(
        st.sampled_from([Status.RETAIL, Status.SAMPLE])))  # fmt: skip


@st.composite
def a_point(draw: st.DrawFn, device: Device, number: int) -> RunPoint:
    setting = Setting(id=draw(st.integers(1, 3)), device_id=1, name="Even")
    work = draw(st.sampled_from(WORKS))
    told = draw(st.integers(0, 4)) == 0
    summary = Summary(
        score=10.0, origin=draw(st.sampled_from(Origin)), units=draw(st.sampled_from([1, 9])), power_w=None
    )
    room = None if told else draw(st.sampled_from([None, 21.5, 22.0, 24.0]))
    run = Run(
        id=number, device_id=1, setting_id=setting.id, workload_id=work.id, started=DAY + timedelta(days=draw(
            st.integers(0, 3))), ambient_c=room, status=ExitStatus.COMPLETE, summary=summary if told else None,
        protocol_id=draw(st.sampled_from([None, 1, 2])), void="spilt" if draw(st.integers(0, 9)) == 0 else "",
    )  # fmt: skip
    digest = Digest(
        rate=10.0,
        state=draw(st.sampled_from(["settled", "drifting"])),
        power_w=None if told else draw(st.sampled_from([None, 20.0, 80.0])),
        temp_c=None if told else draw(st.sampled_from([None, 70.0])),
        headroom_k=draw(st.sampled_from([None, 15.0])),
        r_th=None if told else draw(st.sampled_from([None, 0.8, 1.1])),
        shares={Cause.HEAT: draw(st.sampled_from([0.0, 0.3]))},
        flags=("gap",) if draw(some) else (),
    )
    return RunPoint(run, device, setting, work, digest, room)


@st.composite
def a_book(draw: st.DrawFn) -> tuple[Device, list[RunPoint], list[Result], list[Protocol]]:
    device = draw(a_device())
    points = [draw(a_point(device, n)) for n in range(1, 1 + draw(st.integers(1, 7)))]
    results = [
        Result(
            id=n,
            device_id=1,
            setting_id=1,
            workload_id=1,
            metric="score",
            value=1.0,
            origin=draw(st.sampled_from(Origin)),
            units=draw(st.sampled_from([1, 9])),
        )
        for n in range(1, 1 + draw(st.integers(0, 3)))
    ]
    return device, points, results, [Protocol(id=1, name="Bench"), Protocol(id=2, name="Other", ambient_c=24.0)]


def numbers(words: str) -> list[float]:
    return [float(n) for n in re.findall(r"(?<![\w-])\d+(?:\.\d+)?", words)]


class TestClaims(unittest.TestCase):
    """What each claim says is counted again from the records, by the code of the claim alone."""

    def by_code(self, claims: list[Claim]) -> dict[str, Claim]:
        for c in claims:
            self.assertLessEqual(c.n, c.of, c)
            self.assertNotRegex(c.words, WRONG)
            self.assertRegex(c.words, r"^[A-Z0-9].*\.$")
        return {c.code: c for c in claims}

    @settings(max_examples=300, deadline=None)
    @given(a_book())
    def test_nothing_false_is_said(self, book: tuple[Device, list[RunPoint], list[Result], list[Protocol]]) -> None:
        device, points, results, protocols = book
        logs = [p for p in points if p.run.summary is None]
        self.check_tested(self.by_code(tested_claims(points, protocols)), logs, protocols)
        self.check_heat(self.by_code(heat_claims(device, points, None)), [p for p in logs if not p.run.void], device)
        out = [p for p in points if p.run.void]
        self.check_limits(self.by_code(limit_claims(points, results, [device], out)), points, results, device)
        self.check_data(self.by_code(data_claims(points, results, 0)), points, results)

    def check_tested(self, said: dict[str, Claim], logs: list[RunPoint], protocols: list[Protocol]) -> None:
        if not logs:
            return self.assertEqual(set(said), {"no-log"})
        used = {p.run.protocol_id for p in logs}
        self.assertEqual("no-protocol" in said, None in used)
        self.assertEqual("protocol" in said, bool(used - {None}))
        if "protocol" in said:
            self.assertNotIn("was held", said["protocol"].words)
        rooms = [p.run.ambient_c for p in logs if p.run.ambient_c is not None]
        self.assertEqual("not noted" in said["rooms"].words, not rooms)
        if rooms:
            self.assertTrue({min(rooms), max(rooms)} <= set(numbers(said["rooms"].words)))
            self.assertEqual(" of " in said["rooms"].words.split("°C")[1], len(rooms) < len(logs))
        self.assertEqual(len([p for p in logs if p.digest.power_w]), said["watts"].n)
        cells = {(p.run.setting_id, p.run.workload_id, p.room_c) for p in logs}
        told = re.findall(r"(\d+) cells? ha(?:s|ve) (\d+) runs?", said["repeats"].words)
        self.assertEqual(sum(int(n) for n, _ in told), len(cells))
        self.assertEqual(sum(int(n) * int(k) for n, k in told), len(logs))

    def check_heat(self, said: dict[str, Claim], logs: list[RunPoint], device: Device) -> None:
        seen = [p for p in logs if p.digest.temp_c is not None]
        self.assertEqual("heat-unseen" in said, bool(logs) and not seen)
        if "held-by-heat" in said:
            held = [p for p in seen if p.digest.shares[Cause.HEAT] > 0.05]
            self.assertEqual((said["held-by-heat"].n, said["held-by-heat"].of), (len(held), len(seen)))
            self.assertEqual(bool(re.search(r"none|not hold", said["held-by-heat"].words)), not held)
            self.assertEqual("cannot be told" in said["held-by-heat"].words, len(seen) < len(logs))
        carried = [p for p in logs if p.digest.r_th and p.run.ambient_c is not None]
        self.assertEqual("resistance" in said, bool(carried))
        if "carries" in said:
            most = (90.0 - 25.0) / min(p.digest.r_th or 9.0 for p in carried)
            for p in carried:
                if p.digest.headroom_k:
                    self.assertLessEqual(p.digest.power_w or 0.0, most)
        self.assertEqual(
            {"carries", "carries-not"} & set(said) != set(), bool(carried) and device.temp_limit_c is not None
        )

    def check_limits(
        self, said: dict[str, Claim], points: list[RunPoint], results: list[Result], device: Device
    ) -> None:
        figures = [p.run.summary for p in points if p.run.summary is not None]
        own = sum(s.origin is Origin.OWN for s in figures) + sum(r.origin is Origin.OWN for r in results)
        others = len(figures) + len(results) - own
        for code, n in (("typed", own), ("others", others)):
            self.assertEqual(said[code].n if code in said else 0, n)
            self.assertEqual(numbers(said[code].words)[0] if code in said else 0, n)
        several = sum(s.units > 1 for s in figures) + sum(r.units > 1 for r in results)
        self.assertEqual(said["several-units"].n if "several-units" in said else 0, several)
        self.assertEqual("one-unit" in said, len(figures) < len(points))
        self.assertEqual("came-unknown" in said, device.came is Came.UNKNOWN)
        logs = [p for p in points if p.run.summary is None]
        self.assertEqual(said["gaps"].n if "gaps" in said else 0, sum("gap" in p.digest.flags for p in logs))
        self.assertEqual(
            said["unsettled"].n if "unsettled" in said else 0, sum(p.digest.state == "drifting" for p in logs)
        )

    def check_data(self, said: dict[str, Claim], points: list[RunPoint], results: list[Result]) -> None:
        logs = [p for p in points if p.run.summary is None]
        without = len(points) - len(logs) + len(results)
        self.assertEqual("all-logged" in said, bool(logs) and not without)
        self.assertEqual(said["typed-in"].n if "typed-in" in said else 0, without)
        if logs:
            days = sorted(p.run.started.date().isoformat() for p in logs)
            self.assertTrue({days[0], days[-1]} <= set(re.findall(r"\d{4}-\d\d-\d\d", said["logs"].words)))


class TestNumbersByHand(unittest.TestCase):
    def test_what_follows_from_its_own_sentence_is_not_strange(self) -> None:
        composed = "A took 792 s against 1471 s of B."
        self.assertEqual(strange_numbers("It takes 46.2 % less time (792 s against 1471 s).", composed), [])
        self.assertEqual(strange_numbers("It takes 46.8 % less time (792 s against 1471 s).", composed), ["46.8"])
        self.assertEqual(
            strange_numbers("It takes 46.2 % less time.", composed), ["46.2"], "of which nothing stands there"
        )


class TestOpenData(CommandCase):
    def test_claims_of_the_cabin_test_against_its_data_package(self) -> None:
        out = self.folder / "out"
        of = ("report", "--book", demo_book(), "--out", out, "--date", "2026-09-30", "--pictures", "none")
        self.json_of(*of, "--forms", "plain", "--tables", "none")
        runs = pd.read_csv(out / "data" / "runs.csv")
        with (out / "data" / "claims.csv").open(encoding="utf-8", newline="") as file:
            said = {row["claim"]: row for row in csv.DictReader(file)}
        own = runs[runs["run"].isin([int(n) for n in said["logs"]["runs"].split()])]
        self.assertEqual(int(said["logs"]["true_of"]), len(own))
        self.assertEqual(int(said["rooms"]["true_of"]), int(own["room"].notna().sum()))
        low, high = re.findall(r"(\d+\.\d) to (\d+\.\d) °C", said["rooms"]["sentence"])[0]
        self.assertEqual((float(low), float(high)), (own["room"].min(), own["room"].max()))
