"""Tables of results as people write them, long and wide, in any dialect: read as they were meant, or asked about."""

import random
import unittest
from dataclasses import dataclass

import pandas as pd
from xlsxwriter import Workbook

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.results import results_of
from pinch.bench.opening import create_book
from pinch.bench.records import Workload
from pinch.core.errors import PinchError
from pinch.intake.shelf import known_names
from pinch.intake.table_headers import read_header
from pinch.intake.table_roles import Role, RoleMapping, guess_roles, open_questions
from pinch.intake.told_results import add_told
from pinch.intake.told_rows import Told, told_rows
from pinch.intake.what_file import holds_results
from pinch.runs.whole_book import read_points
from pinch.sources.sheets import Sheet, read_sheet, sheet_of_text
from pinch.sources.table_cells import mark_of, read_cell
from tests.in_folder import InFolder

LOW, LOWER = "low_1.percentile", "low_0_1.percentile"
Flat = tuple[str, str, str, str, str, float | None]


def flat(rows: tuple[Told, ...]) -> set[Flat]:
    return {(t.device, t.setting, t.workload, t.variant, v.metric, v.value) for t in rows for v in t.values}


def read(text: str, **common: str) -> tuple[Sheet, RoleMapping, tuple[Told, ...]]:
    sheet = sheet_of_text(text, "table")
    roles = guess_roles(sheet)
    return sheet, roles, told_rows(sheet, roles, {Role[k.upper()]: v for k, v in common.items()}).rows


class TestCells(unittest.TestCase):
    def test_numbers_as_people_write_them(self) -> None:
        for text, mark, unit, low, high, found in (
            ("13.600", ",", "", 13600, 13600, ""), ("13.600", ".", "", 13.6, 13.6, ""), ("612", ",", "", 612, 612, ""),
            ("5:52", ".", "", 352, 352, "s"), ("24:31", ".", "s", 1471, 1471, "s"),
            ("1:43:07", ".", "", 6187, 6187, "s"),
            ("5:30", ".", "min", 5.5, 5.5, "min"), ("1m43s", ".", "", 103, 103, "s"), ("143 s", ".", "", 143, 143, "s"),
            ("41.6–42", ".", "", 41.6, 42, ""), ("41,6 - 42", ",", "", 41.6, 42, ""), ("-5", ".", "", -5, -5, ""),
            ("1,240 of 7,300", ".", "", 1240 / 73, 1240 / 73, "%"), ("14 021", ".", "", 14021, 14021, ""),
            ("1.240.000", ".", "", 1240000, 1240000, ""), ("1'204.5", ",", "", 1204.5, 1204.5, ""),
            ("~61 fps", ".", "", 61, 61, "fps"),
        ):  # fmt: skip
            with self.subTest(text=text, mark=mark):
                number = read_cell(text, mark, unit)
                self.assertAlmostEqual(number.low, low)
                self.assertAlmostEqual(number.high, high)
                self.assertEqual(number.unit, found)
        for text in ("fast", "51.8 / 40.2", "2026-09-14", "#REF!", "42–41", "12 5", "8 of 7", "1:75"):
            with self.subTest(text=text), self.assertRaises(PinchError):
                read_cell(text, ".")

    def test_the_mark_is_what_cells_tell(self) -> None:
        for cells, commas, mark, sure in (
            (["13.600", "612,5"], False, ",", True), (["13.600", "612"], False, ".", False),
            (["13.600", "9.876"], True, ".", True), (["1.5", "2,5"], False, ".", True),
            (["1.5", "2,5", "1.500"], False, ".", False), (["0.876", "13.600"], False, ".", True),
        ):  # fmt: skip
            with self.subTest(cells=cells):
                found = mark_of(cells, commas)
                self.assertEqual((found.mark, found.sure), (mark, sure))

    def test_headers_taken_apart(self) -> None:
        for header, expected in (
            ("Game A, avg [fps]", ("Game A", "average", "fps", None, "")),
            ("Game A 1% low", ("Game A", LOW, "", None, "")),
            ("0.1 % low (fps)", ("", LOWER, "fps", None, "")),
            ("Run 2 (s)", ("", "", "s", 2, "")),
            ("Lauf 3", ("", "", "", 3, "")),
            ("Unit 6", ("", "", "", None, "6")),
            ("Render time, s", ("Render time", "", "s", None, "")),
            ("Graphics", ("Graphics", "", "", None, "")),
            ("fps", ("", "", "fps", None, "")),
        ):
            with self.subTest(header=header):
                w = read_header(header)
                self.assertEqual((w.name, w.metric, w.unit, w.run, w.machine), expected)


class TestReproduced(unittest.TestCase):
    """What went wrong with tables of practitioners, one by one."""

    def test_sub_scores_beside_each_other_stay_apart(self) -> None:
        text = (
            "Device\tSetting\tTest\tOverall\tGraphics\tProcessor\tCombined\nA\tFull\tSuite\t14021\t15200\t11020\t5400\n"
        )
        sheet, roles, rows = read(text)
        self.assertEqual(len(flat(rows)), 4)
        self.assertEqual({m for *_, m, _ in flat(rows)}, {"Overall", "Graphics", "Processor", "Combined"})
        self.assertTrue(open_questions(sheet, roles), "a header that nobody knows is asked about")

    def test_runs_and_units_beside_each_other_are_repeats(self) -> None:
        _, _, (row,) = read("Device;Mode;Test;Run 1 (s);Run 2 (s);Run 3 (s)\nA;B;C;143;145;147\n")
        (value,) = row.values
        self.assertEqual((value.value, value.spread, value.n, value.units, value.unit), (145, 2, 3, 1, "s"))
        head = "Mode;Test;" + ";".join(f"Unit {n}" for n in range(1, 7))
        _, _, (row,) = read(f"{head}\nB;C;100;101;99;102;98;100\n", device="A")
        (value,) = row.values
        self.assertEqual((value.value, value.units, value.n), (100, 6, 1))
        self.assertAlmostEqual(value.spread or 0, (10 / 5) ** 0.5, msg="deviations 0 1 −1 2 −2 0 by hand")

    def test_presets_beside_each_other_are_variants_and_lows_are_kept(self) -> None:
        _, _, rows = read("Game\tLow\tMedium\tHigh\tUltra\nRun\t90\t80\t70\t60\n", device="A", setting="B")
        self.assertEqual(
            {(v, x) for _, _, _, v, _, x in flat(rows)}, {("Low", 90), ("Medium", 80), ("High", 70), ("Ultra", 60)}
        )
        _, _, (row,) = read("Game\tAverage\t1% Low\t0.1% Low\nRun\t90\t70\t55\n", device="A", setting="B")
        self.assertEqual([(v.metric, v.value) for v in row.values], [("average", 90), (LOW, 70), (LOWER, 55)])

    def test_games_over_average_and_low_in_two_header_rows(self) -> None:
        head = "Session 3\n;Game A;;Game B;\nDevice;avg;1% low;avg;1% low\n;fps;fps;fps;fps\n"
        text = f"{head}X;61,5;44;70;50\nY;58;41;66;47\nMittel;59,75;42,5;68;48,5\n"
        sheet, _, rows = read(text, setting="S")
        self.assertEqual(sheet.notes, ("Line 7 (mittel) sums up those above it and is left out.",))
        self.assertIn(("X", "S", "Game A", "", "average", 61.5), flat(rows))
        self.assertIn(("Y", "S", "Game B", "", LOW, 47.0), flat(rows))
        self.assertEqual(len(flat(rows)), 8)
        self.assertEqual({v.unit for t in rows for v in t.values}, {"fps"})

    def test_a_metric_by_its_header_keeps_average_and_low_apart(self) -> None:
        text = ";Game A;;Game B;\nDevice;avg;1% low;avg;1% low\nX;61,5;44;70;50\n"
        sheet = sheet_of_text(text, "t")
        roles = guess_roles(sheet)
        by_metric = [u.model_copy(update={"role": Role.BY_METRIC}) for u in roles.columns[1:]]
        roles = roles.model_copy(update={"columns": (roles.columns[0], *by_metric)})
        rows = told_rows(sheet, roles, {Role.SETTING: "S", Role.WORKLOAD: "W"}).rows
        self.assertEqual({(m, v) for *_, m, v in flat(rows)}, {("Game A, average", 61.5), ("Game A, 1 % low", 44),
                         ("Game B, average", 70), ("Game B, 1 % low", 50)})  # fmt: skip

    def test_thousands_beside_plain_numbers_of_a_comma_file(self) -> None:
        _, _, rows = read("Device;Mode;Test;Score;Watts\nA;B;C;13.600;20,5\nA;B;D;612;21,0\n")
        self.assertEqual([t.values[0].value for t in rows], [13600, 612])
        sheet, roles, _ = read("Device;Mode;Test;Score\nA;B;C;13.600\nA;B;D;612\n")
        self.assertEqual(open_questions(sheet, roles), ["Which is the decimal mark of its numbers, a dot or a comma?"])
        said = roles.model_copy(update={"decimal": ","})
        self.assertEqual([t.values[0].value for t in told_rows(sheet, said, {}).rows], [13600, 612])

    def test_drivers_days_units_and_notes_stay_with_the_result(self) -> None:
        head = "Device,Mode,Test,Metric,Unit,Value,Graphics driver,Date,Comment"
        _, _, (row,) = read(f"{head}\nA,B,C,Combined,points,5400,31.4,2026-09-14,warm room\n")
        self.assertEqual([(b.what, b.version) for b in row.builds], [("graphics driver", "31.4")])
        self.assertEqual(
            (row.day, row.note, row.values[0].metric, row.values[0].unit),
            ("2026-09-14", "warm room", "Combined", "points"),
        )

    def test_merged_names_stand_for_the_rows_below(self) -> None:
        _, _, rows = read("Device,Mode,Test,Score\nA,B,C,1\n,,D,2\nE,F,C,3\n")
        self.assertEqual({f[:4] for f in flat(rows)}, {("A", "B", "C", ""), ("A", "B", "D", ""), ("E", "F", "C", "")})

    def test_what_is_not_understood_is_asked_and_never_dropped(self) -> None:
        sheet, roles, _ = read("Device,Mode,Test,Score,Colour,Price\nA,B,C,1,red,899\nA,B,D,2,red,899\n")
        self.assertEqual([u.role for u in roles.columns[-2:]], [Role.UNKNOWN, Role.BY_METRIC])
        self.assertEqual(len(open_questions(sheet, roles)), 2)


class TestIntoABook(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.book = create_book(self.folder / "a.pinch")
        self.addCleanup(self.book.close)

    def take(self, text: str, name: str = "t.csv") -> tuple[int, int, int]:
        _, _, rows = read(text)
        with self.book.change():
            done = add_told(self.book, rows, name)
        return len(done.added), len(done.replaced), done.skipped

    def test_the_same_again_is_skipped_and_a_change_replaces(self) -> None:
        head = "Device,Mode,Test,Score\n"
        self.assertEqual(self.take(head + "A,B,C,10\nA,B,C,11\nA,B,D,12\n"), (3, 0, 0), "two repeats in rows")
        self.assertEqual(self.take(head + "A,B,D,12\nA,B,C,11\nA,B,C,10\n"), (0, 0, 3), "in another order")
        self.assertEqual(self.take(head + "A,B,C,10\nA,B,C,11.5\nA,B,D,12\nA,B,E,1\n"), (1, 1, 2))
        self.assertEqual(sorted(r.value or 0 for r in self.book.results()), [1, 10, 11.5, 12])
        self.assertEqual(self.take(head + "A,B,C,10\n", "other.csv"), (0, 0, 1), "by content, not by name")
        self.assertEqual(self.take(head + "A,B,C,13\n", "other.csv"), (1, 0, 0), "another table replaces nothing")

    def test_units_are_turned_into_those_of_the_workload_or_refused(self) -> None:
        self.book.save(Workload(name="C", score_unit="s", higher_is_better=False))
        _, _, rows = read("Device,Mode,Test,Score (min)\nA,B,C,2.5\n")
        self.assertEqual([r.value for r in add_told(self.book, rows, "t").added], [150.0])
        _, _, rows = read("Device,Mode,Test,Score (points)\nA,B,C,612\n")
        done = add_told(self.book, rows, "t")
        self.assertEqual((done.added, done.problems), ((), ("t, line 2: its unit is points, that of C is s.",)))

    def test_names_of_the_book_tell_what_headers_name(self) -> None:
        self.take("Device,Mode,Test,Score\nAuk,B,Render,10\nTern,B,Export,11\n")
        sheet = sheet_of_text("Test\tAuk\tTern\nRender\t10\t12\nExport\t9\t11\n", "t")
        roles = guess_roles(sheet, known_names(self.book))
        self.assertEqual(
            ([u.role for u in roles.columns][1:], open_questions(sheet, roles)), ([Role.BY_DEVICE] * 2, [])
        )

    def test_by_other_writers(self) -> None:
        frame = pd.DataFrame(
            {"Device": ["A", "B"], "Mode": "M", "Game": "G", "Average [fps]": [61.25, 58.5], "1% low": [44, 41.5]}
        )
        frame.to_excel(self.folder / "t.xlsx", index=False, engine="xlsxwriter")
        frame.to_csv(self.folder / "t.tsv", sep="\t", decimal=",", index=False)
        frame.to_csv(self.folder / "t16.csv", sep=";", index=False, encoding="utf-16")
        rates = {"A": (61.25, 44.0), "B": (58.5, 41.5)}
        expected = {
            (d, "M", "G", "", m, v) for d, own in rates.items() for m, v in zip(("average", LOW), own, strict=True)
        }
        for name in ("t.xlsx", "t.tsv", "t16.csv"):
            with self.subTest(name):
                sheet = read_sheet(self.folder / name)
                self.assertEqual(flat(told_rows(sheet, guess_roles(sheet), {}).rows), expected)
        self.assertTrue(holds_results(self.folder / "t.tsv"))
        (self.folder / "log.csv").write_text("Time [s],CPU Power [W]\n0,10\n1,12\n")
        self.assertFalse(holds_results(self.folder / "log.csv"))

    def test_what_a_person_would_not_see_in_a_workbook_is_said(self) -> None:
        with Workbook(self.folder / "w.xlsx") as book:
            sheet = book.add_worksheet("Results")
            book.add_worksheet("Other")
            for r, row in enumerate(
                (("Device", "Mode", "Test", "Score"), ("A", "B", "C", "13,6"), ("A", "B", "D", 612.5))
            ):
                sheet.write_row(r, 0, row)
            sheet.write_row(3, 0, ("A", "B", "E"))
            sheet.write_formula(3, 3, "=D2*2", value="")
            sheet.set_row(2, None, None, {"hidden": True})
        found = read_sheet(self.folder / "w.xlsx")
        said = " ".join(found.notes)
        self.assertIn("Only its first sheet, 'Results', is read; it has 1 more.", said)
        self.assertIn("Hidden rows are read too: 3.", said)
        self.assertIn("Formulas without a value count as empty cells: D4.", said)
        taken = told_rows(found, guess_roles(found), {}).rows
        self.assertEqual([t.values[0].value for t in taken], [13.6, 612.5], "words and numbers by one mark")

    def test_watts_and_builds_told_with_a_result_stay_with_it(self) -> None:
        head = "Device,Mode,Test,Score,Watts,Graphics driver"
        _, _, rows = read(f"{head}\nAuk,B,Render,10,28.5,31.4\nAuk,C,Render,8,20,31.2\n")
        add_told(self.book, rows, "t")
        points = read_points(self.book.path)
        cells = cells_of(points)
        work = next(w for w in points.workloads if w.name == "Render")
        result = compare_book(points, CompareChoice(tuple(cells), (work.id,)))
        self.assertEqual([c.beside.power_w for c in result.rows[0].cells], [28.5, 20.0])
        self.assertIn("build graphics driver", {u.difference.key for u in result.unfair})
        watts = [r.value for r in results_of(points) if r.metric.key == "soc.power.settled"]
        self.assertEqual(watts, [28.5, 20.0])


@dataclass(frozen=True)
class Dialect:
    """A way of writing a table."""

    delimiter: str
    decimal: str
    grouped: bool
    places: int


class TestAnyTable(unittest.TestCase):
    """A random set of results, written as a random table, comes back equal, or is asked about: never silently other."""

    def test_it_comes_back(self) -> None:
        told = asked = 0
        for seed in range(300):
            rng = random.Random(seed)
            text, results, common = self.table(rng)
            with self.subTest(seed=seed, text=text):
                sheet, roles, rows = read(text, **common)
                if open_questions(sheet, roles):
                    asked += 1
                    continue
                told += 1
                found = {(*key, None if v is None else round(v, 6)) for *key, v in flat(rows)}
                self.assertEqual(found, {(*key, round(v or 0.0, 6)) for *key, v in results})
        self.assertGreater(told, 150, f"{asked} were asked about")

    def table(self, rng: random.Random) -> tuple[str, set[Flat], dict[str, str]]:
        delimiter = rng.choice("\t;,")
        dialect = Dialect(
            delimiter, "." if delimiter == "," else rng.choice(".,"), rng.random() < 0.3, rng.randint(0, 3)
        )
        devices = rng.sample(["Auk 14", "Tern", "Curlew X", "Petrel"], rng.randint(1, 3))
        works = rng.sample(["Render", "Export", "Pack Ice", "Decode", "Link"], rng.randint(1, 4))
        presets = rng.sample(["low", "medium", "high", "1920x1080"], rng.randint(2, 4))
        kind = rng.choice(("long", "by preset", "by limit", "lows", "runs"))
        cells: set[Flat] = set()

        def number() -> tuple[float, str]:
            value = round(rng.choice((1.0, 30.0, 900.0, 20_000.0)) * (0.5 + rng.random()), dialect.places)
            text = f"{value:,.{dialect.places}f}" if dialect.grouped else f"{value:.{dialect.places}f}"
            if dialect.decimal == ",":
                text = text.replace(",", "_").replace(".", ",").replace("_", ".")
            return value, f'"{text}"' if dialect.delimiter in text else text

        head, body = ["Device", "Mode", "Game"], []
        more = {
            "long": ["Preset", "Result"],
            "by preset": presets,
            "by limit": ["15 W", "28 W"],
            "lows": ["Average", "1% low"],
            "runs": ["Run 1", "Run 2"],
        }[kind]
        for device in devices:
            for work in works:
                if kind == "long":
                    for preset in presets:
                        value, text = number()
                        cells.add((device, "Full", work, preset, "", value))
                        body.append([device, "Full", work, preset, text])
                    continue
                numbers = [number() for _ in more]
                body.append([device, "Full", work, *(t for _, t in numbers)])
                for name, (value, _) in zip(more, numbers, strict=True):
                    if kind == "by preset":
                        cells.add((device, "Full", work, name, "", value))
                    elif kind == "by limit":
                        cells.add((device, name, work, "", "", value))
                    elif kind == "lows":
                        cells.add((device, "Full", work, "", "average" if name == "Average" else LOW, value))
                if kind == "runs":
                    cells.add((device, "Full", work, "", "", sum(v for v, _ in numbers) / 2))
        if kind == "by limit":
            head.remove("Mode")
            body = [[row[0], *row[2:]] for row in body]
        preamble = rng.choice(("", "Evening of the 3rd\n", "\n\n"))
        lines = [[*head, *more], *body]
        return preamble + "\n".join(delimiter.join(line) for line in lines) + "\n", cells, {}
