"""The report of the cabin test: checked by other packages, the same from the same book, with templates from outside."""

import contextlib
import csv
import hashlib
import io
import json
import re
import shutil
import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

import html5lib
import numpy as np
import pypdf
import python_calamine
from frictionless import Package, system
from msgspec.structs import replace
from PIL import Image

from pinch.analysis.judged_beside import JudgedBeside
from pinch.bench.cards import Private, Quote
from pinch.bench.opening import open_book
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Run, Workload
from pinch.charts.series import series_of
from pinch.charts.spec import Chart
from pinch.charts.theme import DARK, LIGHT
from pinch.core.errors import DataError, PinchError
from pinch.core.progress import CancelledError, Progress, unheard
from pinch.intake.book_folder import read_book_folder
from pinch.narrative.cards.concerns import concerns
from pinch.narrative.cards.deck import Deck
from pinch.narrative.quotable import kept_quotes, quotable
from pinch.narrative.reporting import runs_behind, sections_of, story_of
from pinch.narrative.story import Story
from pinch.publish.open_files import write_book_folder
from pinch.publish.pages import TEMPLATES, pdf_bytes, render
from pinch.publish.private import open_part
from pinch.publish.publication import PublishChoice, package_of, private_in, report_tables, write_deck
from pinch.publish.report import BegunReport, ReportChoice, begin_report, html, markdown, plain_html
from pinch.publish.report_colours import by_role, rules, settled
from pinch.publish.reportpackage import PackageChoice, write_report_package
from pinch.publish.table_files import ods_bytes, xlsx_bytes
from pinch.runs.whole_book import read_deck
from pinch.ui.app import make_application
from tests.in_folder import CommandCase, InFolder
from tests.test_claims import WRONG
from tests.window_case import demo_book

DAY = "2026-11-25"
SVG = "{http://www.w3.org/2000/svg}"
_kept: list[tuple[Deck, Story, str]] = []


def cabin_test() -> tuple[Deck, Story, str]:
    """The deck of the demo, its report, and its page, made once."""
    if not _kept:
        deck = read_deck(demo_book())
        with contextlib.closing(open_book(demo_book())) as book:
            story = story_of(book, deck, DAY)
        _kept.append((deck, story, html(story)))
    return _kept[0]


class TestStory(unittest.TestCase):
    def test_every_section_that_a_reader_is_owed(self) -> None:
        deck, story, _ = cabin_test()
        keys = [s.key for s in story.sections]
        for section in story.sections:
            for words in (*section.paragraphs, *section.points, *(f.finding for f in section.figures)):
                self.assertNotRegex(words, WRONG)
        wanted = "verdict for against glance devices method questions results modes heat sound power fairness prices"
        self.assertEqual(" ".join(keys), f"{wanted} untested limits data")
        self.assertTrue(all(c.face is not None for c in deck.contents), [c.problem for c in deck.contents])
        self.assertGreaterEqual(len(deck.contents), 8)
        self.assertEqual([f.number for f in story.figures], list(range(1, len(story.figures) + 1)))

    def test_own_words_come_first_and_what_they_quote_is_watched(self) -> None:
        deck, _, _ = cabin_test()
        says = quotable(deck)
        key = "heat held-by-heat 1"
        kept = Quote(of=key, words=says[key])
        words = {"verdict": f"It keeps its speed. {says[key]}", "speaks_for": "quiet\n\nlight", "quotes": (kept,)}
        signed = replace(deck, report=deck.report.model_copy(update=words))
        sections = sections_of(signed)
        self.assertEqual([s.key for s in sections[:3]], ["verdict", "for", "against"])
        self.assertEqual(sections[1].points, ("quiet", "light"))
        self.assertNotIn("quote", [c.code for c in concerns(signed)])
        told = {"verdict": "It was cool. Heat held 9 runs.", "quotes": (Quote(of=key, words="Heat held 9 runs."),)}
        other = replace(deck, report=deck.report.model_copy(update=told))
        found = [c for c in concerns(other) if c.code == "quote"]
        self.assertEqual(len(found), 1)
        self.assertIn(f"“Heat held 9 runs.” It reads now: {says[key]}", found[0].words)
        self.assertEqual(kept_quotes(deck.report.model_copy(update={"quotes": (kept,)})), (), "nobody says it any more")

    def test_all_results_stand_in_one_table_that_the_open_data_bears_out(self) -> None:
        deck, story, _ = cabin_test()
        tables = next(s for s in story.sections if s.key == "results").tables
        (table,) = (t for t in tables if t.title == "Skerry Run: fps")
        names = [h.name for h in table.headings]
        rows = {r[0]: r for r in table.rows if r[1] == "1920×1200, medium"}
        self.assertIn("capped at 40, 1920×1200, medium, cap 40 fps", {r[1] for r in table.rows})
        points = [p for p in deck.points.points if not p.why_not and p.run.summary is None]
        gannet = [
            p for p in points if (p.device.name, p.setting.name, p.workload.name) == ("Gannet", "30 W", "Skerry Run")
        ]
        row = rows["Gannet, 30 W"]
        mean = sum(p.rate or 0.0 for p in gannet) / len(gannet)
        low = sum(p.digest.lows["low_1.percentile"] for p in gannet) / len(gannet)
        self.assertAlmostEqual(float(row[names.index("result")]), mean, delta=0.02)
        self.assertAlmostEqual(float(row[names.index("1 % low, percentile")]), low, delta=0.02)
        self.assertEqual(row[names.index("runs")], str(len(gannet)))

    def test_what_speaks_against_it_is_in_it(self) -> None:
        by_key = {s.key: s for s in cabin_test()[1].sections}
        limits = " ".join(by_key["limits"].points)
        stated = (
            "had not settled",
            "rest on a single run",
            "Gannet is a pre-production unit",
            "Left out:",
            "too short",
        )
        for words in stated:
            self.assertIn(words, limits)
        self.assertRegex(limits, r"gaps in the log of Sandpiper 14, Even, run 4; nothing is filled in")
        self.assertIn(
            "Limpet, Stock, run 4; Limpet, Firmware 54, clock lock 3.1, run 1 had not settled", limits, "by name"
        )
        self.assertRegex(limits, r"run 1; Sandpiper 14, Hush on battery, run 1 and \d+ more\.")
        power = " ".join(by_key["power"].paragraphs)
        self.assertRegex(power, r"Sandpiper 14: 90\.0 ± \d %.* 50 points\. At rest 9\.7 W")
        self.assertIn("At 20 W of the package the battery gives 24.5 W", power, "the middle of what was measured")
        heat = " ".join(by_key["heat"].paragraphs)
        self.assertIn("37 to 50 W in a room of 25 °C and 32 to 43 W in a room of 35 °C", heat)
        self.assertIn("2 were bought, 2 were lent", by_key["devices"].paragraphs[0])
        self.assertTrue(by_key["devices"].paragraphs[1].startswith("Two of the units were lent"))
        method = " ".join(by_key["method"].paragraphs)
        self.assertRegex(method, r"All \d+ runs behind this report name no protocol\. The room was at")
        self.assertRegex(method, r"The room was at \d+\.\d to \d+\.\d °C")
        self.assertRegex(" ".join(by_key["prices"].points), r"1399 EUR, 2026-09-01.*price of 2026-08-15")
        rows = [" ".join(row) for row in by_key["fairness"].tables[0].rows]
        self.assertTrue(any("graphics driver" in row and "holds the other back" in row for row in rows))
        self.assertEqual(len(rows), len(set(rows)), "each difference once")

    def test_the_fingerprint_follows_the_data_and_not_the_day(self) -> None:
        deck, story, _ = cabin_test()
        with contextlib.closing(open_book(demo_book())) as book:
            self.assertEqual(story_of(book, deck, "2030-01-01").fingerprint, story.fingerprint)
            other = replace(deck, contents=deck.contents[:-2])
            self.assertNotEqual(story_of(book, other, DAY).fingerprint, story.fingerprint)
            with self.assertRaisesRegex(PinchError, "no card with something to show"):
                story_of(book, replace(deck, contents=()), DAY)


class TestPages(InFolder):
    def begun(self, story: Story, *forms: str, progress: Progress = unheard) -> BegunReport:
        with ThreadPoolExecutor(1) as beside:
            return begin_report(story, ReportChoice(forms), beside, progress)

    def test_html_is_valid_alone_and_small(self) -> None:
        _, story, page = cabin_test()
        for made in (page, plain_html(story)):
            html5lib.HTMLParser(strict=True).parse(made)  # raises where the page is not valid HTML
        self.assertLess(len(page.encode()), 3_000_000)
        self.assertEqual(page.count("<script"), 1, "its own, and none of what a book brings")
        self.assertEqual(set(re.findall(r"(?:src|href)=\"(?!#|data:)([^\"]*)", page)), {story.licence[1]})
        self.assertEqual(re.findall(r"url\((?!#|\"data:)[^)]*", page), [])
        tree = html5lib.parse(page, namespaceHTMLElements=False)
        self.assertEqual(len(tree.findall(".//figure")), len(story.figures))
        self.assertTrue(all(svg.get("aria-label") for svg in tree.iter("{http://www.w3.org/2000/svg}svg")))
        ids = [e.get("id") for e in tree.iter() if e.get("id")]
        self.assertEqual(len(ids), len(set(ids)))

    def test_points_and_series_of_charts(self) -> None:
        _, story, page = cabin_test()
        tree = html5lib.parse(page, namespaceHTMLElements=False)
        figure = next(f for f in story.figures if isinstance(f.chart, Chart) and len(series_of(f.chart)) > 1)
        assert isinstance(figure.chart, Chart)
        drawn = tree.find(f".//figure[@id='{figure.key}']/div")
        series = json.loads(drawn.get("data-series"))
        for slot, name in series:
            own = [d for d in figure.chart.panels[0].dots if d.slot == slot and not (d.light or d.spot)]
            discs = drawn.findall(f".//{SVG}circle[@class='of-{slot}']")
            titles = [disc.find(f"{SVG}title").text for disc in discs]
            measured = [t for t in titles if t.startswith(name)]
            self.assertGreaterEqual(len(measured), sum(len(d.x) for d in own), "each point of a device has its words")
            self.assertTrue(drawn.findall(f".//{SVG}g[@class='of-{slot}']"), "what is drawn of it can be hidden")
        # x of the discs goes with the watts in their words
        places = [(float(d.get("cx")), d.find(f"{SVG}title").text) for d in drawn.findall(f".//{SVG}circle[@class]")]
        watts = [(x, float(m[1])) for x, words in places if (m := re.search(r": ([\d.]+)\u00a0W, ", words))]
        self.assertGreater(len(watts), 40)
        self.assertGreater(np.corrcoef(*np.array(watts).T)[0, 1], 0.9999)

    def test_colours_by_role_are_settled_on_paper(self) -> None:
        _, story, page = cabin_test()
        self.assertIn("prefers-color-scheme: dark", page)
        self.assertIn("var(--ink)", page)
        paper = settled(html(replace(story, sections=story.sections[:7])))
        self.assertNotIn("var(--", paper[: paper.index("<script")])
        drawing = by_role(f'<path style="stroke: {LIGHT.ink.lower()}; fill: #012345"/>')
        self.assertEqual(drawing, '<path style="stroke: var(--ink); fill: #012345"/>')
        for name, light, dark in zip(
            rules(LIGHT).split(";"), rules(LIGHT).split(";"), rules(DARK).split(";"), strict=True
        ):
            self.assertEqual(light.split(":")[0], dark.split(":")[0], name)

    def test_tables_are_sorted_by_numbers_as_the_report_writes_them(self) -> None:
        try:
            from PyQt6.QtQml import QJSEngine
        except ImportError as error:  # a new machine need not have what Qt's network wants
            self.skipTest(str(error))
        make_application()
        engine = QJSEngine()
        engine.evaluate((TEMPLATES / "sorting.js").read_text())
        for cells, down, wanted in (
            (["9.5 fps", "14,600", "n/a", "−3 %", "120 000 ± 2"], True, "120 000 ± 2;14,600;9.5 fps;−3 %;n/a"),
            (["oak", "elm", "", "ash"], False, "ash;elm;oak;"),
        ):
            made = engine.evaluate(f"sorted({json.dumps(cells)}, (row) => row, {json.dumps(down)}).join(';')")
            self.assertEqual(made.toString(), wanted)

    def test_pdf_has_the_text_of_the_page(self) -> None:
        _, story, _ = cabin_test()
        short = replace(story, sections=tuple(replace(s, figures=s.figures[:1]) for s in story.sections[:7]))
        reader = pypdf.PdfReader(io.BytesIO(pdf_bytes(settled(html(short)))))
        catalog = reader.root_object
        self.assertEqual((catalog["/MarkInfo"]["/Marked"], catalog["/Lang"]), (True, "en"), "ISO 14289-1, 7.1 and 7.2")
        text = " ".join(p.extract_text() for p in reader.pages)
        plain = re.sub(r"\s+", " ", text.replace("\u00a0", " "))
        for words in (story.title, "How it was tested", "Two of the units were lent", "Harbour Light"):
            self.assertIn(words, plain)
        self.assertIn("Score, tiles/s", plain, "charts have real text too")

    def test_markdown_and_pictures_beside_it(self) -> None:
        _, story, _ = cabin_test()
        few = replace(story, sections=tuple(replace(s, figures=s.figures[:1]) for s in story.sections))
        paths = self.begun(few, "markdown", "plain").write(self.folder / "out")
        text = (self.folder / "out" / "report.md").read_text()
        self.assertEqual(text, markdown(few))
        named = re.findall(r"\]\((pictures/[^)]+)\)", text)
        self.assertTrue(named)
        for name in named:
            self.assertIn(self.folder / "out" / name, paths)
            with Image.open(self.folder / "out" / name) as image:
                shape = image.width / image.height
            wide, high = re.search(rf'src="{name}"[^>]*width="(\d+)" height="(\d+)"', plain_html(few)).groups()  # type: ignore[union-attr]
            self.assertAlmostEqual(int(wide) / int(high), shape, delta=0.01)
        odd = replace(story, title="*a* | <b>", sections=())
        self.assertIn(r"# \*a\* \| \<b\>", markdown(odd))

    def test_the_same_book_gives_the_same_bytes(self) -> None:
        _, story, page = cabin_test()
        self.assertEqual(html(story), page)
        self.assertEqual(html(replace(story, day="2027-01-01")).replace("2027-01-01", DAY), page)

    def test_names_from_outside_are_text(self) -> None:
        _, story, _ = cabin_test()
        page = html(replace(story, title="<script>alert(1)</script> & שלום", sections=()))
        self.assertIn("&lt;script&gt;alert(1)&lt;/script&gt; &amp; שלום", page)

    def test_unknown_forms_and_cancelling(self) -> None:
        _, story, _ = cabin_test()
        with self.assertRaisesRegex(PinchError, "not as docx"):
            self.begun(story, "docx")
        with self.assertRaises(CancelledError):
            self.begun(story, "html", progress=lambda share: False).write(self.folder / "x")
        self.assertFalse((self.folder / "x").exists())


class TestTemplates(InFolder):
    def own(self, text: str) -> Path:
        path = self.folder / "mine.html"
        path.write_text(text)
        return path

    def page(self, text: str) -> str:
        story = replace(cabin_test()[1], sections=())
        return html(story, self.own(text))

    def test_a_template_of_ones_own_extends_the_shipped_one(self) -> None:
        page = self.page('{% extends "report.html" %}{% block foot %}<p>Ours {{ story.edition }}</p>{% endblock %}')
        html5lib.HTMLParser(strict=True).parse(page)
        self.assertIn("<p>Ours 1</p>", page)
        self.assertNotIn("Made with Pinch", page)

    def test_errors_name_file_line_and_reason(self) -> None:
        for text, words in (
            ("<p>\n{% if %}</p>", r"mine\.html, line 2: Expected an expression"),
            ("<p>\n\n{{ story.nothing.at_all }}", r"mine\.html, line 3: the template fails: .*nothing"),
            ("{{ 1 / 0 }}", "mine.html, line 1: the template fails: division by zero"),
            ("{% include 'other.html' %}", "the template fails: .*other.html"),
        ):
            with self.assertRaisesRegex(DataError, words):
                self.page(text)
        with self.assertRaisesRegex(DataError, "no.html"):
            html(cabin_test()[1], self.folder / "no.html")
        secret = self.folder / "id_secret"
        secret.write_text("secret")
        with self.assertRaisesRegex(DataError, r"ends with \.html or \.j2"):
            html(cabin_test()[1], secret)

    def test_templates_are_shut_in(self) -> None:
        for text in (
            "{{ story.__class__.__mro__ }}",
            "{{ ''.__class__.__base__.__subclasses__() }}",
            "{{ story.sections.append(1) }}",
            "{% for n in range(10000000) %}x{% endfor %}",
        ):
            with self.assertRaises(DataError):
                self.page(text)
        with self.assertRaises(DataError):
            render("report.html", self.own("{% include '../../../etc/passwd' %}"))


class TestTables(unittest.TestCase):
    def test_one_typed_sheet_a_card_read_back_by_another_package(self) -> None:
        deck = cabin_test()[0]
        tables = report_tables(deck)
        self.assertEqual(len(tables), 1 + len(deck.contents))
        self.assertEqual(len({t.name for t in tables}), len(tables))
        self.assertTrue(all(len(t.name) <= 31 for t in tables))
        for content in (xlsx_bytes(tables), ods_bytes(tables)):
            book = python_calamine.load_workbook(io.BytesIO(content))
            self.assertEqual(book.sheet_names, [t.name for t in tables])
            sheet = book.get_sheet_by_name(tables[2].name).to_python()
            self.assertEqual(sheet[0][3:6], ["claimed [W]", "measured [W]", "score"])
            first = tables[2].rows[0]
            self.assertEqual(sheet[1][0], "Sandpiper 14")
            self.assertAlmostEqual(sheet[1][4], first[4])
            self.assertIsInstance(sheet[1][5], float)
        self.assertEqual(ods_bytes(tables), ods_bytes(tables))


class TestPackage(InFolder):
    def book_with_secrets(self) -> Path:
        """A copy of the demo, with things that are nobody's business."""
        path = self.folder / "secrets.pinch"
        shutil.copy(demo_book(), path)
        with contextlib.closing(open_book(path)) as book:
            device = book.devices()[0]
            told = {"serial": "SN-4711", "reach": "ssh me@secret-host python3 -", "notes": "secret-note"}
            book.save(device.model_copy(update=told))
            work = book.workloads()[0]
            book.save(work.model_copy(update={"command": "/home/secret-user/render"}))
            for run in [r for r in book.runs() if r.id in (4, 9)]:  # of the fourth card
                told = {"source": "/home/secret-user/a.csv", "notes": "secret-note", "before": ("secret-process",)}
                book.save(run.model_copy(update=told))
            meter = book.instruments()[0]
            book.save(meter.model_copy(update={"serial": "SN-4712"}))
        return path

    def written(self, path: Path, *allowed: Private) -> Path:
        """The package of the bars of three machines, with three of their logs."""
        deck = read_deck(path)
        (bars,) = deck.contents[3:4]
        assert bars.found is not None
        runs = [p for p in bars.found.runs if p.run.id in (4, 9)] + list(bars.found.runs[:1])
        few = replace(deck, contents=(replace(bars, found=replace(bars.found, runs=runs)),))
        with contextlib.closing(open_book(path)) as book:
            with JudgedBeside(book, [p.run for p in runs_behind(few)]) as judged:
                package = package_of(book, few, story_of(book, few, DAY), judged)
            return write_report_package(package, self.folder / "data", PackageChoice("CC0-1.0", allowed))

    def text_of(self, descriptor: Path) -> str:
        return "".join(p.read_text() for p in descriptor.parent.rglob("*") if p.is_file())

    def test_private_things_stay_out_and_the_package_is_valid(self) -> None:
        path = self.book_with_secrets()
        descriptor = self.written(path)
        text = self.text_of(descriptor)
        for secret in ("SN-47", "secret-host", "secret-note", "secret-user", "secret-process", "seller"):
            self.assertNotIn(secret, text)
        self.assertIn("Sandpiper 14", text)
        with system.use_context(trusted=True):
            report = Package(str(descriptor)).validate()
        self.assertTrue(report.valid, report.flatten(["rowNumber", "fieldName", "message"])[:3])
        document = json.loads(descriptor.read_text())
        self.assertEqual(document["licenses"][0]["name"], "CC0-1.0")
        tables = {r["name"]: r for r in document["resources"]}
        self.assertTrue(all(r["type"] == "table" and "profile" not in r for r in tables.values()), "version 2.0")
        self.assertEqual(tables["runs"]["schema"]["primaryKey"], ["run"])
        self.assertEqual(tables["figures"]["schema"]["foreignKeys"][0]["reference"]["resource"], "runs")
        logs = [row["log"] for row in csv.DictReader((descriptor.parent / "runs.csv").open()) if row["log"]]
        self.assertEqual(sorted(logs), sorted(r["path"] for n, r in tables.items() if re.fullmatch(r"run-\d+", n)))
        self.assertEqual(document["contributors"], [{"title": "Harbour Light", "roles": ["publisher"]}])
        fields = {f["name"]: f for f in tables["runs"]["schema"]["fields"]}
        self.assertEqual((fields["room"]["unit"], fields["mains"]["type"]), ("°C", "boolean"))

    def test_what_is_asked_for_goes_out(self) -> None:
        path = self.book_with_secrets()
        text = self.text_of(self.written(path, Private.NOTES, Private.SERIALS))
        for secret, there in (("SN-4711", True), ("SN-4712", True), ("secret-note", True), ("secret-host", False)):
            self.assertEqual(secret in text, there, secret)

    def test_private_things_are_counted_first(self) -> None:
        path = self.book_with_secrets()
        deck = read_deck(path)
        with contextlib.closing(open_book(path)) as book:
            counts = {c.what: c for c in private_in(book, deck)}
        self.assertEqual(counts[Private.SERIALS].count, 2)
        self.assertIn("secret-process", counts[Private.CHECKS].example)
        self.assertEqual(counts[Private.HOSTS].count, 4)

    def test_every_private_field_of_the_records_is_known(self) -> None:
        kept = set()
        for kind in (Device, Workload, Run, Instrument):
            fields = {"name": "x", "device_id": 1, "setting_id": 1, "workload_id": 1, "started": "2026-01-01T00:00:00Z"}
            record = kind.model_validate({k: v for k, v in fields.items() if k in kind.model_fields})
            kept |= set(open_part(record, ()))
        private = {"notes", "serial", "reach", "command", "folder", "frame_log", "address", "source", "before"}
        self.assertFalse(kept & private)


class TestReportFolder(CommandCase):
    def report(self, *more: str, out: Path | None = None) -> tuple[int, str]:
        of = ("report", "--book", demo_book(), "--out", out or self.folder / "out", "--date", DAY, "--no-data")
        status, _, error = self.run_command(*map(str, of), "--forms", "markdown", "--tables", "csv", *more)
        return status, error

    def test_an_earlier_report_is_replaced_as_a_whole_and_what_others_did_is_not(self) -> None:
        out = self.folder / "out"
        self.assertEqual(self.report("--pictures", "none")[0], 0)
        left = out / "tables" / "card-99-of-before.csv"
        left.write_text("x")
        known = json.loads((out / "written.json").read_text())
        known["files"]["tables/card-99-of-before.csv"] = hashlib.sha256(b"x").hexdigest()
        (out / "written.json").write_text(json.dumps(known))
        (out / "own words.txt").write_text("mine")
        self.assertEqual(self.report("--pictures", "none")[0], 0)
        self.assertFalse(left.exists(), "a card that is gone leaves no table behind")
        self.assertEqual((out / "own words.txt").read_text(), "mine")
        (out / "report.md").write_text("put right by hand")
        status, error = self.report("--pictures", "none")
        self.assertEqual((status, error.count("\n")), (2, 1))
        self.assertIn("report.md was changed since the report was written", error)
        self.assertEqual((out / "report.md").read_text(), "put right by hand")
        self.assertEqual(self.report("--pictures", "none", "--replace")[0], 0)
        self.assertNotIn("put right", (out / "report.md").read_text())

    def test_a_folder_of_others_is_no_place_for_it(self) -> None:
        (self.folder / "data").mkdir()
        (self.folder / "data" / "datapackage.json").write_text("{}")
        for folder, words in ((self.folder, "holds 1 file that no report"), (Path("/"), "a folder of its own")):
            status, error = self.report("--pictures", "none", out=folder)
            self.assertEqual(status, 2)
            self.assertIn(words, error)
        self.assertEqual(self.report("--pictures", "none", "--replace", out=Path("/"))[0], 2)
        self.assertEqual((self.folder / "data" / "datapackage.json").read_text(), "{}")


class TestTypedReport(CommandCase):
    """A report of results that were typed, from an empty book: nothing is said of logs, and nothing is left out."""

    TABLE = """Device;Mode;Game;Preset;Average [fps];1 % low;Runs;Whose
Curlew;15 W;Skerry Run;low;71,4;55,2;3;own test
Curlew;15 W;Skerry Run;high;44,9;38,1;3;own test
Dunlin;15 W;Skerry Run;low;65,2;50,2;3;own test
Dunlin;15 W;Skerry Run;high;39,9;33,0;1;archive
"""

    def test_it_says_what_was_typed_and_by_whom(self) -> None:
        book, out = self.folder / "b.pinch", self.folder / "out"
        (self.folder / "games.csv").write_text(self.TABLE)
        self.assertEqual(self.run_command("import", str(self.folder / "games.csv"), "--book", str(book))[0], 0)
        for of in (
            ("table", "--metric", "average+low_1.percentile"),
            ("matrix", "--device", "Curlew", "--workload", "Skerry Run"),
            ("tested",),
            ("units",),
        ):
            status, _, error = self.run_command("card", "add", "--book", str(book), "--kind", *of)
            self.assertEqual((status, error), (0, ""), of)
        found = self.json_of("report", "--book", book, "--out", out, "--forms", "markdown", "--pictures", "none")
        self.assertEqual(found["left_out"], [])
        text = (out / "report.md").read_text()
        for words in (
            "Skerry Run, low, 1 % low, percentile: Dunlin, 15 W −9.1 % (how repeatable it is nobody said)",
            "Curlew, 15 W reaches 60 fps in 1 of 1 game",
            "9 runs of 2 workloads in 3 cells of 2 devices. All results are typed.",
            "2 units: how they came is not noted.",
            "6 figures typed in as own tests",
            "2 figures told, not measured: archive mean",
            "How Curlew came is not noted.",
            "Who is ahead under Skerry Run, low and Skerry Run, high is not told: no difference can be judged",
            "The results and tables are in the data package",
        ):
            self.assertIn(words, text)
        for line in (line for line in text.splitlines() if not line.startswith("|")):
            self.assertNotRegex(line, WRONG)
        for words in ("none is typed in", "was run", "The room", "0 devices", "one unit of each device"):
            self.assertNotIn(words, text)
        results = list(csv.DictReader((out / "data" / "results.csv").open(encoding="utf-8")))
        self.assertEqual(len(results), 8)


class TestReportCommand(CommandCase):
    def test_report_of_the_cabin_test(self) -> None:
        out = self.folder / "out"
        of = ("report", "--book", demo_book(), "--out", out, "--date", DAY)
        found = self.json_of(*of, "--pictures", "none", "--forms", "html", "--no-data")
        names = {str(Path(p).relative_to(out)) for p in found["written"]}
        wanted = {"report.html", "tables.xlsx", "tables.ods", "tables/card-contents.csv"}
        self.assertTrue(wanted <= names, names)
        self.assertEqual(found["left_out"], [])
        self.assertIn("unfair", [w["code"] for w in found["warnings"]])
        self.assertTrue(all(Path(p).is_file() for p in found["written"]))
        self.assertIn(DAY, (out / "report.html").read_text())
        self.assertEqual(list(out.rglob("*.part")), [])

    def test_check_writes_nothing(self) -> None:
        status, text, _ = self.run_command("report", "--book", demo_book(), "--check")
        self.assertEqual(status, 1, "something is stopped")
        self.assertIn("stop: “What is better than last year?” sets", text)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_sequence(self) -> None:
        of = ("report", "--book", demo_book(), "--out", self.folder / "s", "--frames", 3, "--size", "1280x720")
        found = self.json_of(*map(str, of), "--sequence", "6")
        self.assertEqual(len(found["written"]), 3)

    def test_wrong_use_is_one_sentence(self) -> None:
        book, out = str(demo_book()), str(self.folder / "o")
        blocked = self.folder / "file"
        blocked.write_text("")
        for words, reason in (
            (("--book", book), "--out"),
            (("--book", book, "--out", out, "--forms", "doc"), "--forms doc"),
            (("--book", book, "--out", out, "--with", "all"), "--with all"),
            (("--book", book, "--out", out, "--date", "today"), "YYYY-MM-DD"),
            (("--book", book, "--out", out, "--sequence", "99"), "cards 1 to"),
            (("--book", str(self.folder / "no.pinch"), "--out", out), "no such file"),
            (("--book", book, "--out", str(blocked), "--forms", "plain", "--pictures", "none", "--no-data"), "file"),
            (("--book", book, "--out", out, "--template", str(self.folder / "t.html"), "--forms", "html"), "t.html"),
        ):
            status, text, error = self.run_command("report", *words)
            self.assertEqual((status, text, error.count("\n")), (2, "", 1), words)
            self.assertIn(reason, error)
        self.assertFalse((self.folder / "o").exists())


class TestKept(InFolder):
    def test_deck_and_report_travel_with_the_book(self) -> None:
        with contextlib.closing(open_book(demo_book())) as book:
            with mock.patch("pinch.publish.open_files.write_run_log"):
                write_book_folder(book, self.folder / "open")
            cards, report = book.cards(), book.report()
        for log in (self.folder / "open" / "logs").iterdir():
            log.unlink()
        read_book_folder(self.folder / "open", self.folder / "new.pinch")
        with contextlib.closing(open_book(self.folder / "new.pinch")) as book:
            self.assertEqual((book.cards(), book.report()), (cards, report))

    def test_no_day_or_a_full_disk_leaves_nothing_half_written(self) -> None:
        deck, _, _ = cabin_test()
        full = OSError(28, "No space left on device", "report.html")
        with (
            contextlib.closing(open_book(demo_book())) as book,
            mock.patch("pinch.publish.report.replace_file", side_effect=full),
            tempfile.TemporaryDirectory() as folder,
        ):
            with self.assertRaisesRegex(PinchError, "report.html: it cannot be written"):
                write_deck(book, deck, Path(folder), PublishChoice(ReportChoice(("plain",)), None, (), None))
            self.assertEqual(list(Path(folder).rglob("*.*")), [])
