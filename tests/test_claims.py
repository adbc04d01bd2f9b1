"""Claims of a report against the records, counted again by code of its own: thousands of small books, whole, told,
mixed, without rooms, temperatures or watts."""

import csv
import re
import unittest
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path

import html5lib
import numpy as np
import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st
from proselint.checks import __register__ as all_checks
from proselint.config import DEFAULT
from proselint.registry import CheckRegistry
from proselint.tools import LintFile

from pinch.analysis.plain_tables import Table
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.digests import Digest
from pinch.bench.opening import open_book
from pinch.bench.parts import Battery
from pinch.bench.records import Came, Device, ExitStatus, Protocol, Result, Run, Setting, Status, WorkKind, Workload
from pinch.bench.summaries import Origin, Summary
from pinch.charts.share_chart import ShareChart
from pinch.core.causes import Cause
from pinch.narrative.cards.content import Found
from pinch.narrative.cards.footnotes import footnotes
from pinch.narrative.cards.strange_numbers import strange_numbers
from pinch.narrative.claims import Claim
from pinch.narrative.report_claims import data_claims, limit_claims, tested_claims
from pinch.narrative.report_heat import heat_claims
from pinch.narrative.report_results import rank_claims, results_tables, untested_claims
from pinch.runs.whole_book import read_points
from tests.in_folder import CommandCase
from tests.window_case import demo_book

DAY = datetime(2026, 9, 1, 12, tzinfo=UTC)
WORKS = [Workload(id=n, name=f"Work {n}", score_unit="u") for n in (1, 2)]
some = st.booleans()
NOUN = "(?:run|figure|cell|reading|score|pair|setting|workload|device)"
WRONG = rf"{NOUN}ss|\b1 {NOUN}s\b|\b(?:[02-9]|\d{{2,}}) {NOUN}\b|  |\.\.|None|nan"
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
        beside = BookPoints(tuple(points), (device,), tuple(WORKS), {}, ())
        self.check_notes(
            footnotes(Found("", ShareChart("", ()), Table("", (), ()), points, typed=results), beside), logs
        )

    def check_notes(self, notes: tuple[Claim, ...], logs: list[RunPoint]) -> None:
        """Those of a card that holds the whole book: what each says of how many, and the runs it rests on."""
        said = {c.code: c for c in notes}
        for c in notes:
            self.assertLessEqual(c.n, c.of, c)
            self.assertNotRegex(c.words, WRONG)
        true_of = {
            "room": [p for p in logs if p.run.ambient_c is not None],
            "drifting": [p for p in logs if p.digest.state == "drifting"],
            "void": [p for p in logs if p.run.void],
            "days": logs,
        }
        for code, runs in true_of.items():
            told = said[code] if code in said else Claim(code, "all", 0, len(logs))
            self.assertEqual((told.n, told.of), (len(runs), len(logs)), code)
            self.assertEqual(set(told.runs), {p.run.id for p in runs}, code)
            if 0 < len(runs) < len(logs):
                self.assertIn(f"{len(runs)} of ", told.words)
        self.assertEqual("room-unknown" in said, bool(logs) and not true_of["room"])
        if true_of["room"]:
            self.assertLessEqual({p.run.ambient_c for p in true_of["room"]}, set(numbers(said["room"].words)))

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
            at_first, _, by_room = said["held-by-heat"].words.partition(" By room: ")
            self.assertEqual(bool(re.search(r"none|not hold", at_first)), not held)
            for room, n, of in re.findall(r"a room of (\d+) °C (\d+|none) of (\d+)", by_room):
                there = [p for p in seen if p.room_c is not None and f"{p.room_c:.0f}" == room]
                wanted = sum(p in held for p in there), len(there)
                self.assertIn((0 if n == "none" else int(n), int(of)), [wanted] if room != "22" else [
                    (sum(p in held for p in there if p.room_c == r), sum(p.room_c == r for p in there))
                    for r in (21.5, 22.0)
                ])  # fmt: skip
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
        behind = Counter[tuple[int, int, str]]()
        for p in points:
            if p.run.summary is not None and p.run.summary.origin is Origin.OWN:
                behind[p.run.setting_id, p.run.workload_id, "score"] += p.run.summary.repeats * p.run.summary.units
        for r in results:
            if r.origin is Origin.OWN:
                behind[r.setting_id, r.workload_id, r.metric] += r.n * r.units
        once = sum(n == 1 for n in behind.values())
        told = said.get("typed-once", Claim("", "none", 0, len(behind)))
        self.assertEqual((told.n, told.of), (once, len(behind)))
        if once:
            self.assertTrue(told.words.startswith(f"{once} of {len(behind)} typed figure"))
        self.assertEqual("one-unit" in said, len(figures) < len(points))
        self.assertEqual("came-unknown" in said, device.came is Came.UNKNOWN)
        logs = [p for p in points if p.run.summary is None]
        self.assertEqual(said["gaps"].n if "gaps" in said else 0, sum("gap" in p.digest.flags for p in logs))
        drifting = sum(p.digest.state == "drifting" for p in logs)
        self.assertEqual(said["unsettled"].n if "unsettled" in said else 0, drifting)
        if drifting:
            self.assertEqual("its figures" in said["unsettled"].words, drifting == 1)

    def check_data(self, said: dict[str, Claim], points: list[RunPoint], results: list[Result]) -> None:
        logs = [p for p in points if p.run.summary is None]
        without = len(points) - len(logs) + len(results)
        self.assertEqual("all-logged" in said, bool(logs) and not without)
        self.assertEqual(said["typed-in"].n if "typed-in" in said else 0, without)
        if logs:
            days = sorted(p.run.started.date().isoformat() for p in logs)
            self.assertTrue({days[0], days[-1]} <= set(re.findall(r"\d{4}-\d\d-\d\d", said["logs"].words)))


@st.composite
def a_field(draw: st.DrawFn) -> BookPoints:
    """One to four devices with two settings each, some of which ran some of two workloads, some on battery."""
    devices = [
        Device(id=n, name=f"Tern {n}", battery=Battery(full_wh=draw(st.sampled_from([None, 50.0]))))
        for n in range(1, 1 + draw(st.integers(1, 4)))
    ]
    kept = [
        (d, Setting(id=10 * d.id + n, device_id=d.id, name=f"Even {n}", mains=n == 0)) for d in devices for n in (0, 1)
    ]
    points: list[RunPoint] = []
    for device, setting in kept:
        for work in WORKS:
            mean = draw(st.sampled_from([10.0, 10.1, 12.0, 20.0]))
            for again in range(draw(st.integers(0, 3))):
                run = Run(
                    id=len(points) + 1, device_id=device.id, setting_id=setting.id, workload_id=work.id,
                    repeat=again + 1, started=DAY + timedelta(hours=len(points)), status=ExitStatus.COMPLETE,
                )  # fmt: skip
                rate = mean * (1.0 + 0.002 * draw(st.integers(-2, 2)))
                digest = Digest(rate=rate, state="settled", wall_w=draw(st.sampled_from([None, 30.0])))
                points.append(RunPoint(run, device, setting, work, digest, None))
    return BookPoints(tuple(points), tuple(devices), tuple(WORKS), {}, (), settings=tuple(kept))


class TestField(unittest.TestCase):
    """Where a device stands among others, what is in the table of all results, and what was not tested."""

    @settings(max_examples=100, deadline=None)
    @given(a_field())
    def test_ranks_and_gaps_are_those_of_the_runs(self, book: BookPoints) -> None:
        means: dict[tuple[str, str], dict[str, float]] = {}
        runs: dict[tuple[str, str, str], list[float]] = {}
        for p in book.points:
            runs.setdefault((p.workload.name, p.device.name, p.setting.name), []).append(p.digest.rate or 0.0)
        for (work, device, setting), rates in runs.items():
            means.setdefault((work, device), {})[setting] = sum(rates) / len(rates)
        ranks = rank_claims(book, book.devices[0], book.devices)
        ranked = {c.words.split(",")[0] for c in ranks if c.code == "rank"}
        for claim in ranks:
            if claim.code == "rank-unjudged":
                unjudged = set(re.findall(r"Work \d", claim.words))
                self.assertEqual((claim.n, claim.of), (len(unjudged), len(unjudged | ranked)))
                self.assertFalse(unjudged & ranked)
                continue
            work = claim.words.split(",")[0]
            own = max(means[work, "Tern 1"].values())
            said = claim.words.split(": ", 2)[-1].rstrip(".").split("; ")
            self.assertEqual(len(re.findall(r"Tern [2-4]", claim.words)), claim.of)
            for part in said:
                for name in re.findall(r"Tern [2-4]", part):
                    other = max(means[work, name].values())
                    if "taken out" in part:  # the means alone do not say it, and it is said what they are
                        continue
                    if part.startswith(("ahead", "behind")):
                        self.assertGreater(own if part.startswith("ahead") else other, 1.02 * min(own, other), claim)
                    if part.startswith("level"):
                        self.assertLess(abs(own / other - 1.0), 0.03, claim)
        tables = results_tables(book, book.devices)
        self.assertEqual(sum(len(t.rows) for t in tables), len(runs))
        for table in tables:
            beside = [m for (work, _), found in means.items() if table.title == f"{work}: u" for m in found.values()]
            for row in table.rows:
                place, of = (int(n) for n in row[-1].split(" of ")) if row[-1] else (1, 1)
                self.assertEqual(of, len(beside))
                self.assertLessEqual(sum(m > float(row[1]) * 1.001 for m in beside), place - 1)
        self.check_untested(book, untested_claims(book, book.devices))

    def check_untested(self, book: BookPoints, said: list[Claim]) -> None:
        for c in said:
            self.assertNotRegex(c.words, WRONG)
        ran = {p.setting.id for p in book.points}
        never = [c for c in said if c.code == "never-run"]
        self.assertEqual(
            [c.n for c in never], [2 * len(book.devices) - len(ran)] if len(ran) < 2 * len(book.devices) else []
        )
        without = {d.name for d in book.devices if d.battery.usable_wh} - {
            p.device.name for p in book.points if not p.setting.mains
        }
        told = " ".join(c.words for c in said if c.code == "no-battery")
        self.assertEqual(bool(told), bool(without))
        if "No device" not in told:
            self.assertEqual(set(re.findall(r"Tern \d", told)), without)
        if len(book.devices) == 1 and without:
            self.assertIn("Tern 1 never ran on battery", told)
        works = {p.workload.id for p in book.points}
        for c in (c for c in said if c.code == "pairs"):
            own = [p for p in book.points if c.words.startswith(f"{p.device.name}:")]
            self.assertEqual((c.n, c.of), (len({(p.setting.id, p.workload.id) for p in own}), 2 * len(works)))


class TestFromAnEmptyBook(CommandCase):
    def test_a_log_without_a_clock_and_on_battery_says_no_more_than_it_knows(self) -> None:
        """A full battery of 20 Wh at 12 W lasts 100 min; nobody said the day, the supply or what the work is."""
        rows = "".join(f"{t};6,0;-12,0;{100.0 - t / 60.0:.2f}\n".replace(".", ",") for t in range(0, 5460, 10))
        log = self.folder / "Tern_Calm_Reading Loop_1.csv"
        log.write_text(f"Zeit [s];CPU [W];Akku [W];Ladung [%]\n{rows}", encoding="utf-8")
        names = "{device}_{setting}_{workload}_{repeat}"
        book_path = self.folder / "empty.pinch"
        status, _, err = self.run_command("import", "--book", book_path, "--names", names, log)
        self.assertEqual((status, err), (0, ""))
        book = open_book(book_path)
        run, setting, work = book.runs()[0], book.settings(1)[0], book.workloads()[0]
        self.assertEqual((run.undated, run.day, setting.mains, work.kind), (True, None, False, WorkKind.RUNDOWN))
        point = read_points(book_path).points[0]
        assert point.digest.rundown is not None
        self.assertEqual(point.why_not, "")
        self.assertAlmostEqual(60.0 * (point.digest.rundown.runtime_h or 0.0), 100.0, delta=1.0)
        said = " ".join(c.words for c in data_claims([point], [], 0))
        self.assertIn("1 run with a log of its own, whose day is not known, stands behind", said)
        whole = Found("", ShareChart("", ()), Table("", (), ()), [point])
        notes = {c.words for c in footnotes(whole, BookPoints((), (), (), {}, ()))}
        self.assertLessEqual({"the day is not known", "on battery, by its setting", "room not noted"}, notes)
        self.run_command("export", "--book", book_path, "--run", "1", "--to", self.folder / "one")
        self.json_of("import", "--book", self.folder / "again.pinch", self.folder / "one")
        self.assertIsNone(open_book(self.folder / "again.pinch").runs()[0].day, "a package does not make up a day")
        self.json_of("set", "--book", book_path, "run", "1", "day=2026-10-02", "score=77")
        point = read_points(book_path).points[0]
        said = " ".join(c.words for c in data_claims([point], [], 0))
        self.assertIn("made on 2026-10-02", said)
        self.assertIn("The score of 1 run with a log was typed in.", said)
        self.assertNotIn("none is typed in", said)


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
        self.check_findings(out / "data", said)
        self.check_pictures(out / "data")
        self.check_language(out)

    def check_language(self, out: Path) -> None:
        """proselint, a general checker of English, has nothing to say of the report; of bad English it has."""
        registry = CheckRegistry()
        registry.register_many(all_checks)
        page = html5lib.parse((out / "report-plain.html").read_text(encoding="utf-8"), namespaceHTMLElements=False)
        prose = ["".join(e.itertext()) for kind in ("p", "li", "figcaption", "h2") for e in page.iter(kind)]
        prose = [text for text in prose if text.strip()]
        self.assertGreater(len(prose), 100)
        told = [f"{r.check_result.message} {text}" for text in prose for r in LintFile("report", text).lint(DEFAULT)]
        self.assertEqual(told, [])
        self.assertTrue(LintFile("wrong", "It is very unique, and the the end.").lint(DEFAULT))

    def check_findings(self, data: Path, said: dict[str, dict[str, str]]) -> None:
        """Every difference that a card of bars tells is that of the means in the open data."""
        results = pd.read_csv(data / "results.csv")
        claim = said["card: bars with intervals"]
        runs = [int(n) for n in claim["runs"].split()]
        own = results[results["run"].isin(runs) & (results["metric"] == "average") & results["left out because"].isna()]
        base, checked = "", 0
        for part in re.split(r"\. (?=[A-Z])", claim["sentence"]):
            work, _, rest = part.partition(": ")
            if ", against " in work:
                work, base = work.split(", against ")
            told = r"([^;:]+?) is (\d+\.\d) % (faster|slower)(?: \(measured ([+−]\d+\.\d) %)?"
            for name, percent, answer, measured in re.findall(told, rest):
                means = [self.mean_of(own, work, cell) for cell in (name.strip(), base)]
                sign = 1.0 if answer == "faster" else -1.0
                says = float(measured.replace("−", "-")) if measured else sign * float(percent)
                self.assertAlmostEqual(100.0 * (means[0] / means[1] - 1.0), says, delta=0.06, msg=name)
                checked += 1
        self.assertGreaterEqual(checked, 5)

    def check_pictures(self, data: Path) -> None:
        """Every number that the words for a picture tell is one of the table of its card, as exactly as it is said."""
        cards, finding, checked = pd.read_csv(data / "cards.csv").set_index("finding"), "", 0
        for said in pd.read_csv(data / "claims.csv").itertuples():
            if said.claim.startswith("card: "):
                finding = said.sentence
            kind = said.claim.removeprefix("picture: ")
            if kind not in (
                "bars with intervals",
                "what held it, as shares",
                "pairs on one axis",
                "modes sheet",
                "score over noise",
                "draw of the battery",
                "score over watts, lines of equal efficiency",
            ):
                continue  # fmt: skip
            table = pd.read_csv(next(data.glob(f"card-{cards.loc[finding, 'number']:02d}-*.csv")))
            numeric = table.select_dtypes("number")
            names = {str(v) for column in table.columns.difference(numeric.columns) for v in table[column].dropna()}
            text = re.sub(r"run \d+", "", said.sentence)
            for name in sorted({*names, *table.columns}, key=len, reverse=True):
                text = text.replace(name, "")
            known = np.abs(numeric.to_numpy(dtype=float).ravel())
            for written in re.findall(r"\d[\d,]*(?:\.\d+)?", text):
                half = 0.5 * 10.0 ** -len(written.partition(".")[2])
                off = np.nanmin(np.abs(known - float(written.replace(",", ""))))
                self.assertLessEqual(off, half + 1e-9, (kind, written))
                checked += 1
        self.assertGreater(checked, 200)

    def mean_of(self, results: pd.DataFrame, work: str, cell: str) -> float:
        named = results["device"] + ", " + results["setting"]
        return float(results[(named == cell) & (results["workload"] == work)]["value"].mean())
