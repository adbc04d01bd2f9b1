"""An archive of many books, read by other programs: DuckDB and polars."""

import contextlib
import re
import shutil
from datetime import UTC, datetime
from pathlib import Path

import duckdb
import polars

from pinch.analysis.cells import cells_of
from pinch.analysis.results import results_of
from pinch.bench import runlogs
from pinch.bench.opening import open_book
from pinch.bench.records import Run
from pinch.cli.main import main
from pinch.core.errors import PinchError
from pinch.publish.archive_points import points_of_archive
from pinch.publish.parquet_archive import COLUMNS, INDEX, add_to_archive
from pinch.runs.whole_book import read_points
from tests.in_folder import InFolder
from tests.window_case import demo_book

FORMATS = Path(__file__).parents[1] / "docs" / "formats.md"


class TestArchive(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.archive, self.path = self.folder / "archive", self.folder / "Cabin test.pinch"
        shutil.copy(demo_book(), self.path)

    def add(self, path: Path | None = None, name: str = "") -> tuple[int, int, int]:
        path = path or self.path
        with contextlib.closing(open_book(path)) as book:
            found = add_to_archive(book, read_points(path), self.archive, name)
        return found.written, found.unchanged, found.removed

    def sql(self, words: str) -> list[tuple[object, ...]]:
        words = re.sub(r"'archive/", f"'{self.archive}/", words)
        return duckdb.connect().sql(words).fetchall()

    def table(self, name: str) -> str:
        return f"read_parquet('archive/{name}/*/*/*.parquet', hive_partitioning = true)"

    def test_other_programs_read_what_the_book_has(self) -> None:
        self.add()
        points = read_points(self.path)
        results = results_of(points)
        self.assertEqual(self.sql(f"SELECT count(*), count(DISTINCT run_key) FROM {self.table('runs')}"), [(105, 105)])
        own = [r.value for r in results if r.device.name == "Gannet" and r.metric.key == "average" and not r.left_out]
        words = f"SELECT count(*), avg(value) FROM {self.table('results')} WHERE device = 'gannet' AND counts"
        count, mean = self.sql(f"{words} AND metric = 'average'")[0]
        self.assertEqual(count, len(own))
        self.assertAlmostEqual(mean, sum(filter(None, own)) / len(own), places=9)  # type: ignore[arg-type]
        frame = polars.scan_parquet(self.archive / "results" / "**" / "*.parquet", hive_partitioning=True)
        sums = dict(frame.group_by("device_name").len().collect().iter_rows())
        self.assertEqual(sums, {d.name: sum(r.device.name == d.name for r in results) for d in points.devices})
        with contextlib.closing(open_book(self.path)) as book:
            log = runlogs.read_log(book, 1)
        power = log.series["cpu.power"]
        key = self.sql(f"SELECT run_key FROM {self.table('runs')} WHERE run = 1")[0][0]
        told = self.sql(
            f"SELECT count(*), sum(value), max(t_s) FROM {self.table('samples')} "
            f"WHERE channel = 'cpu.power' AND run_key = '{key}'"
        )[0]
        self.assertEqual(told, (len(power.t), float(told[1]), power.t[-1]))  # type: ignore[arg-type]
        self.assertAlmostEqual(float(str(told[1])), float(power.values.sum()), places=6)

    def test_the_documented_columns_are_those_of_the_files(self) -> None:
        self.add()
        text = FORMATS.read_text("utf-8")
        for name, columns in COLUMNS.items():
            row = next(line for line in text.splitlines() if line.startswith(f"| `{name}` | a "))
            self.assertEqual(re.findall(r"`([a-z_]+)`", re.sub(r"\([^)]*\)", "", row.split("|")[3])), list(columns))
            found = [row[0] for row in self.sql(f"DESCRIBE SELECT * FROM {self.table(name)}")]
            self.assertEqual(found, [*columns, "device", "year"])

    def test_the_ready_queries_run_and_say_what_the_book_says(self) -> None:
        self.add()
        queries = re.findall(r"```sql\n(.*?)```", FORMATS.read_text("utf-8"), re.DOTALL)
        ranks, efficiency, pairs, heat, course = (self.sql(query) for query in queries)
        by_place = {row[3]: row[7] for row in ranks if row[1:3] == ("Tile Render, all cores", "")}
        self.assertEqual(sorted(by_place.values()), [1, 2, 3, 4])
        own = [
            p for p in read_points(self.path).points if p.workload.name == "Tile Render, all cores" and not p.why_not
        ]
        watts = max(p.digest.rate / p.digest.power_w for p in own if p.digest.power_w and p.device.name == "Gannet")  # type: ignore[operator]
        self.assertAlmostEqual(next(r[5] for r in efficiency if r[1:3] == ("Gannet", "Tile Render, all cores")), watts)
        self.assertTrue(pairs and all(row[2] < row[4] for row in pairs))  # type: ignore[operator]
        self.assertEqual(
            {row[0] for row in heat}, {p.device.name for p in own if p.digest.shares.get("heat", 0) >= 0.1}
        )
        self.assertEqual(len({row[1] for row in course}), 105)

    def test_only_what_changed_is_written_again(self) -> None:
        first = self.add()
        self.assertEqual(first, (12, 0, 0))
        before = {p: p.read_bytes() for p in self.archive.rglob("*.parquet")}
        self.assertEqual(self.add(), (0, 12, 0))
        with contextlib.closing(open_book(self.path)) as book:
            gannet = next(d for d in book.devices() if d.name == "Gannet")
            run = next(r for r in book.runs() if r.device_id == gannet.id)
            book.save(run.model_copy(update={"void": "the hatch was open"}))
        self.assertEqual(self.add(), (3, 9, 0))
        changed = [p for p in self.archive.rglob("*.parquet") if before[p] != p.read_bytes()]
        self.assertEqual({p.parts[-3] for p in changed}, {"device=gannet"})
        with contextlib.closing(open_book(self.path)) as book:
            for run in (r for r in book.runs() if r.device_id == gannet.id):
                book.save(run.model_copy(update={"started": datetime(2024, 2, 29, tzinfo=UTC)}))
        self.assertEqual(self.add()[2], 2, "of 2026 there are typed results left, and no run")
        self.assertEqual(
            self.sql(f"SELECT DISTINCT year FROM {self.table('samples')} WHERE device = 'gannet'"), [(2024,)]
        )

    def test_a_run_that_two_books_have_has_one_key(self) -> None:
        other = self.folder / "joined.pinch"
        shutil.copy(self.path, other)
        self.assertEqual(
            main(["export", "--book", str(self.path), str(other), "--to", str(self.archive), "--archive"]), 0
        )
        self.assertEqual(self.sql(f"SELECT count(*), count(DISTINCT run_key) FROM {self.table('runs')}"), [(210, 105)])

    def test_laid_beside_it_says_what_its_books_say_and_each_run_once(self) -> None:
        self.add()
        self.add(name="once more")
        beside, own = points_of_archive(self.archive), read_points(self.path)
        self.assertEqual(len(beside.points), len(own.points))
        by_when = {(p.device.name, p.setting.name, p.workload.name, p.run.started): p for p in own.points}
        for p in beside.points:
            same = by_when[p.device.name, p.setting.name, p.workload.name, p.run.started]
            self.assertEqual(
                (p.rate, p.digest.power_w, p.digest.lows), (same.rate, same.digest.power_w, same.digest.lows)
            )
            self.assertEqual((bool(p.why_not), p.room_c, p.metric), (bool(same.why_not), same.room_c, same.metric))
        typed = sorted((r.metric, r.value or r.low, str(r.origin)) for r in own.results if r.run_id is None)
        self.assertEqual(sorted((r.metric, r.value or r.low, str(r.origin)) for r in beside.results), typed)
        self.assertEqual(main(["reference", "add", str(self.archive), "--book", str(self.path), "--name", "old"]), 0)
        both = read_points(self.path)
        self.assertEqual({w.name for w in both.workloads}, {w.name for w in own.workloads}, "the same work is one")
        cells = {c.device.name: c.power_w(both.workloads[0].id) for c in cells_of(both) if c.setting.name == "20 W"}
        self.assertEqual(cells["Gannet"], cells["Gannet (old)"])

    def test_an_archive_that_cannot_be_laid_beside(self) -> None:
        self.add()
        path = next(self.archive.glob("runs/device=limpet/*/*.parquet"))
        frame = polars.read_parquet(path)
        for wrong, why in (
            (frame.drop("rate"), "it has no column rate"),
            (frame.with_columns(polars.lit("many").alias("rate")), "cannot be read as a file of an archive: .*many"),
            (frame.with_columns(polars.lit("sideways").alias("status")), "status"),
        ):
            wrong.write_parquet(path)
            with self.assertRaisesRegex(PinchError, f"{path.name}.*{why}"):
                points_of_archive(self.archive)
        frame.with_columns(polars.lit(3, polars.Int64).alias("method")).write_parquet(path)
        self.assertIn(f"{len(frame)} runs were judged by other versions", points_of_archive(self.archive).lacking[0])
        path.write_bytes(b"PAR1")
        with self.assertRaisesRegex(PinchError, "cannot be read as a file of an archive"):
            points_of_archive(self.archive)
        self.assertEqual(main(["reference", "add", str(self.folder), "--book", str(self.path)]), 2)

    def test_what_does_not_fit_is_said(self) -> None:
        self.add()
        other = self.folder / "elsewhere" / self.path.name
        other.parent.mkdir()
        shutil.copy(self.path, other)
        with self.assertRaisesRegex(PinchError, "it has another book called cabin-test"):
            self.add(other)
        self.assertEqual(self.add(other, "another"), (12, 0, 0))
        index = self.archive / INDEX
        text = index.read_text()
        for wrong, why in (
            (text.replace('"version": 1', '"version": 9'), "of version 9, this Pinch knows 1"),
            ("{", "not JSON|EOF"),
            ('{"format": "other"}', "format"),
        ):
            index.write_text(wrong)
            with self.assertRaisesRegex(PinchError, why):
                self.add()
        index.unlink()
        with self.assertRaisesRegex(PinchError, "it is no archive of Pinch; choose an empty folder"):
            self.add()
        self.assertEqual(main(["export", "--book", str(self.path), str(other), "--to", str(self.folder / "x")]), 2)

    def test_a_file_that_was_cut_is_written_again(self) -> None:
        self.add()
        broken = next(self.archive.glob("runs/device=limpet/*/*.parquet"))
        broken.write_bytes(broken.read_bytes()[:100])
        self.assertEqual(self.add(), (1, 11, 0))
        with contextlib.closing(open_book(self.path)) as book:
            book.save(book.runs()[0].model_copy(update={"status": None}))
            cut = book.get(Run, book.runs()[0].id).cut_off
        self.assertTrue(cut)
        self.add()
        self.assertEqual(self.sql(f"SELECT count(*) FROM {self.table('runs')}"), [(104,)], "it is still recorded")
