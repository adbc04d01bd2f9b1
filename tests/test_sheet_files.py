"""The run sheet outside the window: CSV, calendar, page and PDF, the timeline, and the commands."""

import contextlib
import csv
import io
import json
import re
import subprocess
import sys
import tempfile
import unittest
import xml.etree.ElementTree as ET
import zlib
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from unittest import mock

import icalendar
from msgspec.structs import replace

from pinch.analysis.plan_desk import PlanDesk
from pinch.bench.opening import open_book
from pinch.bench.planning import PlannedSheet
from pinch.charts.chart_files import bare_svg, write_chart
from pinch.charts.runsheet_chart import SheetChart, clock, sheet_chart
from pinch.charts.theme import DARK, LIGHT, block_look
from pinch.core.errors import PinchError
from pinch.publish.pages import pdf_bytes
from pinch.publish.printed_sheet import calendar_bytes, csv_bytes, page, write_sheet
from tests.in_folder import CommandCase, InFolder
from tests.waiting import PATIENCE_S
from tests.window_case import demo_book

_made: list[PlannedSheet] = []


def planned() -> PlannedSheet:
    """The demo's three evenings, after the first of them."""
    if not _made:
        with contextlib.closing(open_book(demo_book())) as book:
            plan = next(p for p in book.plans() if p.name.startswith("Gannet"))
            _made.append(PlanDesk(book).plan(plan, plan.sessions[1].start - timedelta(hours=3)))
    return _made[0]


class TestFiles(InFolder):
    def test_csv_has_a_row_a_line(self) -> None:
        rows = list(csv.DictReader(io.StringIO(csv_bytes(planned()).decode()), strict=True))
        self.assertEqual(len(rows), len(planned().lines()))
        self.assertEqual([r["state"] for r in rows].count("void"), 1)
        self.assertIn("hatch", next(r["reason"] for r in rows if r["state"] == "void"))
        for row in rows:
            start, end = (datetime.fromisoformat(row[k]) for k in ("start", "end"))
            self.assertAlmostEqual((end - start).total_seconds() / 60, float(row["minutes"]), delta=0.07)

    def test_the_calendar_is_read_by_its_package(self) -> None:
        # RFC 5545 by the icalendar package: every event has its times in UTC, its stamp, and a key of its own
        calendar = icalendar.Calendar.from_ical(calendar_bytes(planned()))
        events = list(calendar.walk("VEVENT"))
        self.assertEqual(len(events), len(planned().spans()))
        self.assertEqual(len({str(e["UID"]) for e in events}), len(events))
        begins = planned().when(planned().spans()[0][0]).astimezone(UTC).replace(microsecond=0)
        self.assertEqual(events[0].decoded("DTSTART"), begins)
        spans = sorted((e.decoded("DTSTART"), e.decoded("DTEND")) for e in events)
        self.assertTrue(all(one[1] <= two[0] for one, two in pairwise(spans)), "none lies over another")
        told = [line for e in events for line in str(e["DESCRIPTION"]).split("\n")]
        self.assertEqual(len(told), len(planned().sheet.runs), "each run stands in its session, with its time")
        for event in events:
            count = len(str(event["DESCRIPTION"]).split("\n"))
            self.assertTrue(str(event["SUMMARY"]).endswith(f", {count} run{'s' if count > 1 else ''}"))
        self.assertEqual(calendar_bytes(planned()), calendar_bytes(planned()))

    def test_the_page_has_boxes_for_readings_and_escapes(self) -> None:
        sheet = planned()
        text = page(sheet)
        self.assertEqual(text.count('<td class="tick"'), len(sheet.sheet.runs))
        for words in ("Left out, for want of time", "How it is tested", "Do not leave a charging battery", "<svg"):
            self.assertIn(words, text)
        risky = sheet.plan.model_copy(update={"name": "<script>alert(1)</script>"})
        self.assertNotIn("<script>", page(replace(sheet, plan=risky)).replace("&lt;script&gt;", ""))

    def test_the_pdf_carries_the_shipped_fonts_and_fetches_nothing(self) -> None:
        with mock.patch("socket.socket.connect", side_effect=AssertionError("it goes outside")):
            content = pdf_bytes(page(planned()))
        self.assertTrue(content.startswith(b"%PDF-"))
        streams = re.findall(rb"stream\n(.*?)\nendstream", content, re.DOTALL)
        plain = b"".join(zlib.decompress(x) for x in streams if x[:1] == b"\x78")
        fonts = set(re.findall(rb"/FontName\s*/[A-Z]{6}\+([A-Za-z0-9-]+)", plain))
        self.assertTrue(fonts and all(f.startswith((b"Karla", b"B612", b"DejaVu")) for f in fonts), fonts)

    def test_endings_and_places(self) -> None:
        for name in ("a.csv", "a.ics", "a.html"):
            write_sheet(planned(), self.folder / name)
            self.assertGreater((self.folder / name).stat().st_size, 500)
        with self.assertRaisesRegex(PinchError, r"not as \.txt"):
            write_sheet(planned(), self.folder / "a.txt")
        with self.assertRaisesRegex(PinchError, "cannot be written"):
            write_sheet(planned(), self.folder / "none" / "a.csv")
        self.assertEqual(list(self.folder.glob("*.part")), [])


class TestTimeline(unittest.TestCase):
    def chart(self) -> SheetChart:
        return sheet_chart(planned(), "Title")

    def test_a_row_a_day_and_a_block_a_line(self) -> None:
        chart = self.chart()
        self.assertEqual(len(chart.rows), 3)
        blocks = [b for row in chart.rows for b in row.blocks]
        self.assertEqual(sorted(b.line for b in blocks), list(range(len(planned().lines()))))
        self.assertTrue(all(chart.first_h <= b.start_h <= b.end_h <= chart.last_h for b in blocks))
        self.assertEqual(sum(b.kind == "run" for b in blocks), len(planned().sheet.runs))
        self.assertEqual(sum(b.kind == "void" for b in blocks), 2, "the void one and the skipped one")
        self.assertEqual(chart.slot, 3)

    def test_it_is_drawn_with_text_as_text(self) -> None:
        root = ET.fromstring(bare_svg(self.chart(), LIGHT, 900, "sheet"))
        words = " ".join("".join(t.itertext()) for t in root.iter("{http://www.w3.org/2000/svg}text"))
        for label in [r.label for r in self.chart().rows] + ["cooling", "20:00"]:
            self.assertIn(label, words)
        with tempfile.TemporaryDirectory() as folder:
            write_chart(self.chart(), Path(folder) / "t.png", DARK)
            self.assertGreater((Path(folder) / "t.png").stat().st_size, 5000)

    def test_kinds_are_told_apart_without_colour(self) -> None:
        looks = [block_look(k, 0, LIGHT) for k in ("run", "done", "void", "change", "cool", "recharge", "read")]
        self.assertEqual(len({(fill, hatch) for fill, _, hatch in looks}), len(looks))
        self.assertEqual(len({hatch for _, _, hatch in looks[2:3] + looks[4:]}), 4)

    def test_the_clock_goes_past_midnight(self) -> None:
        self.assertEqual([clock(h) for h in (9.5, 23.999, 24.0, 25.25)], ["09:30", "00:00", "00:00", "01:15"])


PLAN = {
    "devices": [
        {
            "name": "Gannet",
            "battery": {"full_wh": 48, "charge_min": 80},
            "exclusions": [{"aspect": "limits", "value": "> 25", "never_with": "supply", "other": "battery"}],
            "settings": [
                {"name": "10 W", "sustained_w": 10},
                {"name": "30 W", "sustained_w": 30},
                {"name": "30 W at anchor", "sustained_w": 30, "mains": False},
            ],
        }
    ],
    "workloads": [{"name": "Tile Render", "length_s": 600}],
    "protocols": [{"name": "Cabin", "cool_min": 8}],
    "plans": [
        {
            "name": "Ladder",
            "protocol": "Cabin",
            "created": "2026-09-01T19:30:00+02:00",
            "cells": [
                {"device": "Gannet", "setting": s, "workload": "Tile Render", "repeats": 2}
                for s in ("10 W", "30 W", "30 W at anchor")
            ],
        }
    ],
}


class TestCommands(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "plan.json"
        self.path.write_text(json.dumps(PLAN))

    def test_plan_prints_one_object(self) -> None:
        status, out, _ = self.run_command("plan", str(self.path), "--json")
        self.assertEqual(status, 0)
        sheet = json.loads(out)
        self.assertTrue(sheet["proved_optimal"])
        # by hand: set 30 s; 4 runs of 600 s; three waits of 480 s
        self.assertEqual(sheet["total_s"], 30 + 4 * 600 + 3 * 480)
        self.assertEqual(sheet["start"], "2026-09-01T19:30:00+02:00")
        self.assertEqual(sheet["end"], "2026-09-01T20:34:30+02:00")
        self.assertEqual([s["kind"] for s in sheet["steps"]].count("run"), 4)
        self.assertEqual(sheet["crossed"][0]["setting"], "30 W at anchor")
        self.assertAlmostEqual(sheet["energy_Wh"], 2 * (10 + 30) / 6, places=3)
        self.assertEqual(sheet["left_out"], [])

    def test_what_fits_into_an_hour(self) -> None:
        options = ["--json", "--hours", "1", "--at", "2026-09-02T08:00+02:00"]
        status, out, _ = self.run_command("plan", str(self.path), *options)
        sheet = json.loads(out)
        self.assertEqual((status, sheet["steps"][0]["start"]), (0, "2026-09-02T08:00:00+02:00"))
        self.assertEqual(len(sheet["left_out"]), 1)
        self.assertEqual(sheet["left_out"][0]["repeat"], 2)
        self.assertLessEqual(sheet["end"], "2026-09-02T09:00:00+02:00")

    def test_plain_words_and_files(self) -> None:
        target = self.folder / "sheet.ics"
        status, out, _ = self.run_command("plan", str(self.path), "--write", str(target))
        self.assertEqual(status, 0)
        self.assertIn("no order is shorter", out)
        self.assertIn("cannot be: Tile Render at 30 W at anchor", out)
        self.assertEqual(len(list(icalendar.Calendar.from_ical(target.read_bytes()).walk("VEVENT"))), 1)

    def test_wrong_input_is_one_line(self) -> None:
        for words, reason in (
            (["plan", str(self.folder / "none.json")], "none.json: there is no such file"),
            (["plan", str(self.path), "--at", "tonight"], "'tonight' is not a time"),
            (["plan", str(self.path), "--hours", "-3"], "above 0"),
            (["plan", str(self.path), "--write", str(self.folder / "a.doc")], "not as .doc"),
        ):
            with self.subTest(reason):
                status, _, err = self.run_command(*words)
                self.assertEqual(status, 2)
                self.assertIn(reason, err)
                self.assertEqual(err.count("\n"), 1)
        two = PLAN | {"plans": PLAN["plans"] * 2}
        self.path.write_text(json.dumps(two))
        name = PLAN["plans"][0]["name"]
        self.assertIn(f"it holds 2 plans: {name}, {name}", self.run_command("plan", str(self.path))[2])
        two["plans"] = [PLAN["plans"][0], PLAN["plans"][0] | {"name": "Another"}]
        self.path.write_text(json.dumps(two))
        self.assertEqual(self.run_command("plan", str(self.path), "--plan", "Another")[0], 0)
        self.assertIn("no single plan called 'x'", self.run_command("plan", str(self.path), "--plan", "x")[2])

    def test_records_come_out_and_go_in(self) -> None:
        book, out = self.folder / "a.pinch", self.folder / "out.json"
        self.assertEqual(self.run_command("records", str(book), "--add", str(self.path))[0], 0)
        self.assertEqual(self.run_command("records", str(book), "--out", str(out))[0], 0)
        again = json.loads(out.read_text())
        self.assertEqual(again["plans"][0]["cells"][0]["setting"], "10 W")
        sheets = [self.run_command("plan", str(file), "--json")[1] for file in (out, self.path)]
        self.assertEqual(sheets[0], sheets[1])
        self.path.write_text(json.dumps(PLAN | {"devices": []}))
        status = self.run_command("records", str(book), "--add", str(self.path))[0]
        self.assertEqual(status, 0, "its settings are in the book already")
        self.path.write_text(json.dumps({"plans": [PLAN["plans"][0] | {"protocol": "None such"}]}))
        self.assertEqual(self.run_command("records", str(book), "--add", str(self.path))[0], 2)
        with contextlib.closing(open_book(book)) as kept:
            self.assertEqual(len(kept.plans()), 2)

    def test_planning_needs_no_window(self) -> None:
        words = "import sys; from pinch.cli.main import main; s = main(sys.argv[1:]); assert 'PyQt6' not in sys.modules"
        done = subprocess.run(
            [sys.executable, "-c", words, "plan", str(self.path), "--json"],
            capture_output=True,
            text=True,
            timeout=PATIENCE_S,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
