"""Books that join, and books that lie beside: nothing lost, nothing doubled, nothing of the other changed."""

import contextlib
import hashlib
import shutil
from pathlib import Path
from unittest import mock

from PyQt6.QtWidgets import QFileDialog

from pinch.analysis.cells import cells_of
from pinch.analysis.comparing import CompareChoice, compare_book
from pinch.analysis.references import STEP, is_own
from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book, open_book
from pinch.bench.plans import Plan
from pinch.bench.readings import Quantity, ReadAt, Reading
from pinch.bench.records import Device, Reference, Result, Run, Setting, Workload, now
from pinch.core.errors import PinchError
from pinch.core.runlog import Mark
from pinch.intake.joining import join_book
from pinch.publish.open_files import write_book_folder
from pinch.runs.wanted_runs import want_more_runs
from pinch.runs.whole_book import read_points
from pinch.ui.book_actions import BookActions
from pinch.ui.compare.page import ComparePage
from tests.in_folder import CommandCase
from tests.test_completing import write_log
from tests.window_case import WindowCase


def state_of(folder: Path) -> dict[str, str]:
    return {p.name: hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(folder.iterdir()) if p.is_file()}


class TestJoining(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.mine, self.theirs = self.folder / "mine.pinch", self.folder / "last year.pinch"
        for n, watts in enumerate((28.0, 15.0)):
            write_log(self.folder / f"log{n}.csv", watts)
        names = ("--device", "Gannet", "--setting", "Quiet", "--workload", "Render")
        self.json_of("import", self.folder / "log0.csv", *names, "--book", self.mine)
        more = ("--ambient", "22")
        self.json_of("import", self.folder / "log0.csv", self.folder / "log1.csv", *names, *more, "--book", self.theirs)
        with self.opened(self.theirs) as book:
            run = book.runs()[1]
            book.save(Reading(run_id=run.id, taken=now(), t_s=5.0, quantity=Quantity.WALL, value=9, phase=ReadAt.IDLE))
            runlogs.add_mark(book, run.id, Mark(50.0, "lid closed"))
            gannet, work = book.devices()[0], book.workloads()[0]
            book.save(gannet.model_copy(update={"chip": "Tarn T9"}))
            other = book.save(Device(name="Auk"))
            setting = book.save(Setting(device_id=other.id, name="15 W"))
            ids = {"device_id": other.id, "setting_id": setting.id, "workload_id": work.id}
            book.save(Result(**ids, metric="score", value=612.0))
            book.save(Plan(name="Evening").with_cell(setting.id, work.id, 2))

    @contextlib.contextmanager
    def opened(self, path: Path):  # type: ignore[no-untyped-def]
        with contextlib.closing(open_book(path)) as book:
            yield book

    def check(self, book: Book) -> None:
        self.assertEqual([d.name for d in book.devices()], ["Gannet", "Auk"])
        self.assertEqual(len(book.runs()), 2, "the run that both have is there once")
        new = next(r for r in book.runs() if r.repeat == 2)
        self.assertEqual((new.ambient_c, len(book.readings(new.id))), (22.0, 1))
        self.assertEqual([m.text for m in runlogs.marks_of(book, new.id)], ["lid closed"])
        self.assertEqual(round(float(runlogs.read_log(book, new.id).series["cpu.power"].values[100])), 15)
        (result,) = book.results()
        self.assertEqual((book.get(Device, result.device_id).name, result.value), ("Auk", 612.0))
        (plan,) = book.plans()
        self.assertEqual(book.get(Setting, plan.cells[0].setting_id).name, "15 W")

    def test_a_book_joins_once_by_file_and_by_open_files(self) -> None:
        before = state_of(self.folder)["last year.pinch"]
        found = self.json_of("import", self.theirs, "--book", self.mine)
        self.assertEqual((found["runs"], found["results"], found["skipped_same"]), ([2], 1, 1))
        self.assertIn("The device Gannet stays as it is here; there it differs in chip.", found["warnings"][0]["text"])
        with self.opened(self.mine) as book:
            self.check(book)
        with self.opened(self.theirs) as other:
            write_book_folder(other, self.folder / "files")
        again = self.json_of("import", self.folder / "files", "--book", self.mine)
        self.assertEqual((again["runs"], again["results"], again["skipped_same"]), ([], 0, 3))
        with self.opened(self.mine) as book:
            self.check(book)
        self.assertEqual(state_of(self.folder)["last year.pinch"], before, "nothing of the other is changed")

    def test_the_data_package_of_a_run_comes_back_with_its_readings(self) -> None:
        self.run_command("export", "--book", self.theirs, "--run", "2", "--to", self.folder / "package")
        found = self.json_of("import", self.folder / "package", "--book", self.mine)
        self.assertEqual((found["runs"], found["skipped_same"]), ([2], 0))
        with self.opened(self.mine) as book:
            run = book.get(Run, 2)
            self.assertEqual((run.ambient_c, len(book.devices())), (22.0, 1))
            self.assertEqual([(r.value, r.phase) for r in book.readings(2)], [(9.0, ReadAt.IDLE)])
        (self.folder / "package" / "datapackage.json").write_text('{"name": "x", "pinch": {"device": 1}}')
        status, _, err = self.run_command("import", self.folder / "package", "--book", self.mine)
        self.assertIn(status, (1, 2))
        self.assertNotIn("Traceback", err)

    def test_a_reference_is_compared_with_and_never_written(self) -> None:
        for path, score in ((self.mine, "600"), (self.theirs, "500")):
            self.json_of("set", "run", "1", f"score={score}", "--book", path)
        before = state_of(self.folder)["last year.pinch"]
        self.json_of("reference", "add", self.theirs, "--book", self.mine)
        points = read_points(self.mine)
        names = [c.name for c in cells_of(points)]
        self.assertIn("Gannet (last year), Quiet", " | ".join(names))
        base, *others = cells_of(points)
        work = next(w for w in points.workloads if w.name == "Render")
        self.assertEqual([w.name for w in points.workloads], ["Render"], "workloads of one name are one")
        result = compare_book(points, CompareChoice((base, *others), (work.id,)))
        self.assertEqual({is_own(c.device.id) for c in result.choice.cells}, {True, False})
        other = next(p for p in points.points if not is_own(p.run.id))
        self.assertEqual((other.run.id // STEP, other.read.get("wall.power.idle_mean")), (1, None))
        with self.opened(self.mine) as book, self.assertRaisesRegex(PinchError, "belongs to a book laid beside"):
            want_more_runs(book, [(other.setting, work)], 2)
        self.assertEqual(state_of(self.folder)["last year.pinch"], before)
        self.assertEqual([p for p in self.folder.iterdir() if "last year" in p.name and "-" in p.name], [])
        shutil.move(self.theirs, self.folder / "moved.pinch")
        lacking = read_points(self.mine).lacking
        self.assertIn("last year cannot be laid beside", lacking[0])
        self.json_of("reference", "remove", "last year", "--book", self.mine)
        self.assertEqual(read_points(self.mine).lacking, ())
        status, _, err = self.run_command("reference", "add", self.mine, "--book", self.mine)
        self.assertEqual((status, "not laid beside itself" in err), (2, True))


class TestWindow(WindowCase):
    demo = True

    def test_last_years_book_lies_beside_and_is_taken_in_and_back(self) -> None:
        other = self.folder / "older.pinch"
        with contextlib.closing(create_book(other)) as book:
            device = book.save(Device(name="Curlew"))
            setting = book.save(Setting(device_id=device.id, name="16 W", sustained_w=16.0))
            work = book.save(next(w for w in self.session.book.workloads() if w.name == "Skerry Run").as_new())
            ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
            book.save(Result(**ids, metric="average", value=48.5))
        actions, session = self.window.part(BookActions), self.session
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(other), "")):
            actions.lay_beside()
        self.assertEqual([r.name for r in session.book.references()], ["older"])
        gannet = next(d for d in session.book.devices() if d.name == "Gannet")
        work_id = next(w.id for w in session.book.workloads() if w.name == "Skerry Run")
        session.choose(gannet.id, session.settings(gannet.id)[3].id, work_id, None)
        page = self.window.page(ComparePage)
        self.window.show_page(page)
        self.wait_for(lambda: any("Curlew (older)" in c.name for c in page.control.cells()))
        self.window.undo()
        self.assertEqual(session.book.references(), [])
        before = len(session.book.devices())
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(other), "")):
            actions.take_in_book()
        self.wait_for_change()
        self.assertEqual(len(session.book.devices()), before + 1)
        self.assertEqual(len([w for w in session.book.workloads() if w.name == "Skerry Run"]), 1)
        self.window.undo()
        self.assertEqual(len(session.book.devices()), before)
        session.book.save(Reference(name="gone", path=str(self.folder / "none.pinch")))
        self.assertIn("gone cannot be laid beside", read_points(session.book.path).lacking[0])


class TestVariants(CommandCase):
    def test_variants_join_by_their_names(self) -> None:
        paths = [self.folder / "a.pinch", self.folder / "b.pinch"]
        for path in paths:
            table = self.folder / "t.csv"
            table.write_text("Device,Mode,Game,Low,High\nAuk,15 W,Run,90,60\n" if path is paths[0] else
                             "Device,Mode,Game,Low,Ultra\nAuk,15 W,Run,91,40\n")  # fmt: skip
            self.json_of("import", table, "--book", path, "--map", self._map())
        found = self.json_of("import", paths[1], "--book", paths[0])
        self.assertEqual((found["results"], found["skipped_same"]), (2, 0))
        with contextlib.closing(open_book(paths[0])) as book:
            names = sorted(w.variant for w in book.workloads() if w.variant_of)
            self.assertEqual(names, ["High", "Low", "Ultra"])
            self.assertEqual(len([w for w in book.workloads() if w.variant_of is None]), 1)
            with book.change():
                self.assertEqual(join_book(book, book).results, 0, "a book has all of itself")
        self.assertEqual(Workload(name="x").variant_of, None)

    def _map(self) -> Path:
        path = self.folder / "map.json"
        with (self.folder / "t.csv").open() as file:
            names = file.readline().strip().split(",")
        roles = ["device", "setting", "workload", "result of a variant", "result of a variant"]
        columns = ", ".join(f'{{"column": "{n}", "role": "{r}"}}' for n, r in zip(names, roles, strict=True))
        path.write_text(f'{{"columns": [{columns}]}}')
        return path
