"""What is said of runs afterwards: from the command line, in the window, one and many at once; readings in a grid."""

import contextlib
from pathlib import Path
from unittest import mock

import numpy as np

from pinch.analysis.draws import wall_draws
from pinch.analysis.judging import JudgeDesk
from pinch.analysis.modes import beside
from pinch.bench import runlogs
from pinch.bench.opening import create_book, open_book
from pinch.bench.plans import Plan
from pinch.bench.readings import Instrument, Quantity, ReadAt
from pinch.bench.records import Device, Protocol, Run, Setting, Workload
from pinch.core.errors import PinchError
from pinch.intake.completing import Completion, complete_runs, read_builds
from pinch.intake.reading_grid import ReadingColumn
from pinch.intake.reworking import ChannelMeant, join_runs, rework_channels
from pinch.runs.wanted_runs import want_more_runs
from pinch.runs.whole_book import read_points
from pinch.ui.complete_dialog import CompleteDialog
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import RUNS
from pinch.ui.run.page import RunPage
from pinch.ui.run.reading_grid_dialog import ReadingGridDialog
from tests.in_folder import CommandCase
from tests.window_case import WindowCase


def write_log(path: Path, watts: float, ambient: float | None = None) -> None:
    head = "t_s,cpu.power,cpu.temp" + (",ambient.temp" if ambient is not None else "")
    rows = [
        f"{t},{4.0 if t < 10 else watts + 0.1 * (t % 3)},{40 + min(t, 60) / 4}"
        + (f",{ambient}" if ambient is not None else "")
        for t in range(200)
    ]
    path.write_text("\n".join([head, *rows]) + "\n")


class TestCommands(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = self.folder / "a.pinch"
        for n, watts in enumerate((28.0, 15.0, 20.0)):
            write_log(self.folder / f"log{n}.csv", watts, 23.4 if n == 2 else None)
        names = ("--device", "Gannet", "--setting", "Quiet", "--workload", "Render", "--book", self.book)
        logs = [self.folder / f"log{n}.csv" for n in range(3)]
        found = self.json_of("import", *logs, *names, "--day", "2026-09-14", "--builds", "OS 6.12")
        self.assertEqual((found["runs"], found["warnings"]), ([1, 2, 3], []))

    def runs(self) -> list[Run]:
        with contextlib.closing(open_book(self.book)) as book:
            return book.runs()

    def test_three_logs_are_completed_at_once(self) -> None:
        self.assertEqual([r.ambient_c for r in self.runs()], [None, None, 23.4], "a channel tells the third room")
        self.assertEqual({f"{r.started:%Y-%m-%d}" for r in self.runs()}, {"2026-09-14"})
        found = self.json_of("set", "run", "1", "2", "ambient=71.6 °F", "score=612", "device=Tern", "--book", self.book)
        self.assertEqual((found["runs"], found["warnings"]), ([1, 2], []))
        first, second, third = sorted(self.runs(), key=lambda r: r.id)
        self.assertEqual([r.ambient_c for r in (first, second, third)], [22.0, 22.0, 23.4])
        self.assertEqual([[p.score for p in r.passes] for r in (first, second, third)], [[612.0], [612.0], []])
        self.assertAlmostEqual(first.passes[0].start_s, 10.0, delta=1.5)
        self.assertNotEqual(first.device_id, third.device_id)
        self.assertEqual([(b.what, b.version) for b in first.builds], [("OS", "6.12")])
        (point, *_) = [p for p in read_points(self.book).points if p.run.id == 1]
        self.assertEqual((point.value_of("score"), round(point.power_w or 0)), (612.0, 28), "one cell with its watts")

    def test_a_run_that_was_read_with_a_meter_has_its_accuracy(self) -> None:
        with contextlib.closing(open_book(self.book)) as book:
            book.save(Instrument(name="Mains meter", of_reading=3.0, fixed=0.2))
            book.save(Instrument(name="Old meter"))
        self.json_of("set", "run", "1", "cpu.temp=wall.power*1", "--book", self.book)
        self.json_of("set", "run", "1", "meters=mains meter", "--book", self.book)
        for name, reason in (("Old meter", "states no accuracy"), ("Mine", "no instrument called 'Mine'")):
            self.assertIn(reason, self.run_command("set", "run", "2", f"meters={name}", "--book", self.book)[2])
        with contextlib.closing(open_book(self.book)) as book:
            run = book.get(Run, 1)
            figures = JudgeDesk(book).judge(run)[1].figures["wall.power"]
        u = {part.name: part.u for part in figures.parts}["Mains meter, as it states"]
        self.assertAlmostEqual(u, (0.03 * figures.sustained.value + 0.2) / 3**0.5)  # JCGM 100:2008, 4.3.7

    def test_what_makes_no_sense_changes_nothing(self) -> None:
        before = self.runs()
        for words, reason in (
            (("9", "ambient=22"), "there is no run 9"),
            (("1", "colour=red"), "'colour' cannot be said of a run"),
            (("1", "ambient=warm"), "'warm' is not a number in °C"),
            (("1", "ambient=220"), "220"),
            (("1", "protocol=none"), "no protocol called 'none'"),
            (("1", "builds=OS"), "'OS' is not what was built"),
            (("1", "disk.temp=cpu.temp"), "Run 1 has no channel disk.temp"),
            (("1", "2", "join=3"), "Name the one run"),
            (("1", "join=9"), "there is no run 9"),
            (("1", "remove=no"), "only remove=yes"),
            (("ambient=22",), "Name runs by their numbers"),
        ):
            with self.subTest(words):
                status, _, err = self.run_command("set", "run", *words, "--book", self.book)
                self.assertIn(status, (1, 2))
                self.assertIn(reason, err)
                self.assertEqual(self.runs(), before)
        self.assertEqual([(b.what, b.date) for b in read_builds("graphics driver 31.4 (2026-08-20); OS 6.12")],
                         [("graphics driver", "2026-08-20"), ("OS", "")])  # fmt: skip

    def test_logs_are_put_right(self) -> None:
        self.json_of("set", "run", "1", "cpu.temp=gpu.temp*0.5", "remove=yes", "--book", self.book)
        self.json_of("set", "run", "2", "cpu.temp=", "note=late", "--book", self.book)
        with contextlib.closing(open_book(self.book)) as book:
            logs = [runlogs.read_log(book, number) for number in (1, 2)]
            self.assertEqual([sorted(log.series) for log in logs], [["cpu.power", "gpu.temp"], ["cpu.power"]])
            self.assertLess(float(logs[0].series["gpu.temp"].values.max()), 60.0)
        self.assertEqual([(r.id, r.notes) for r in self.runs()], [(2, "late"), (3, "")])

    def test_readings_of_rest_and_load_are_kept_apart(self) -> None:
        for words in (("--value", "98"), ("--value", "9", "--phase", "idle"), ("--value", "96–99", "--phase", "end")):
            self.json_of("reading", "--run", "1", "--quantity", "wall.power", *words, "--book", self.book)
        of_palm = ("--quantity", "skin.temp", "--value", "41.6–42", "--place", "palm_rest")
        found = self.json_of("reading", "--run", "1", *of_palm, "--book", self.book)
        self.assertEqual((found["channel"], found["value"]), ("skin.palm_rest.temp", 41.8))
        points = read_points(self.book)
        run = next(p for p in points.points if p.run.id == 1)
        self.assertEqual(beside(points, [run]).wall_w, 97.75, "98 and the middle of 96 to 99, and not the rest")
        self.assertEqual((run.value_of("wall.power.idle_mean"), run.value_of("wall.power.load_max")), (9.0, 99.0))
        self.assertEqual(run.value_of("skin.palm_rest.temp.load_max"), 42.0)
        at_rest = [w for w in wall_draws([run]) if w.at_rest]
        self.assertEqual([(round(w.package_w), w.drawn_w) for w in at_rest], [(4, 9.0)])
        status, _, err = self.run_command(
            "reading", "--run", "7", "--quantity", "wall.power", "--value", "9", "--book", self.book
        )
        self.assertEqual((status, "there is no run 7" in err), (2, True))


class TestPlans(CommandCase):
    def test_old_logs_are_not_what_a_plan_wants(self) -> None:
        path, log = self.folder / "a.pinch", self.folder / "log.csv"
        write_log(log, 28.0)
        names = ("--device", "Gannet", "--setting", "Quiet", "--workload", "Render", "--book", path)
        self.json_of("import", log, *names)
        with contextlib.closing(open_book(path)) as book:
            (run,) = book.runs()
            plan = book.save(Plan(name="P").with_cell(run.setting_id, run.workload_id, 2))
        stamp = "2025-03-01 20:15:"
        old = "".join(f"{stamp}{t:02},{20 + t % 3}\n" for t in range(60))
        (self.folder / "old.csv").write_text(f"Time,CPU Power [W]\n{old}")
        self.json_of("import", self.folder / "old.csv", *names)
        write_log(self.folder / "new.csv", 27.0)
        self.json_of("import", self.folder / "new.csv", *names)
        with contextlib.closing(open_book(path)) as book:
            entries = book.get(Plan, plan.id).entries
            self.assertEqual([book.get(Run, e.run_id or 0).source for e in entries], ["new.csv"])

    def test_what_is_missing_goes_into_a_plan_of_its_device(self) -> None:
        with contextlib.closing(create_book(self.folder / "b.pinch")) as book:
            work = book.save(Workload(name="Render"))
            cells = []
            for name in ("Auk", "Tern"):
                device = book.save(Device(name=name))
                cells.append((book.save(Setting(device_id=device.id, name="15 W")), work))
            first = book.save(Plan(name="Auk only").with_cell(cells[0][0].id, work.id, 1))
            self.assertIn("Auk only", want_more_runs(book, cells[:1], 2))
            self.assertIn("are in the plan What is still to measure: Tern", want_more_runs(book, cells[1:], 2))
            self.assertIn("still to measure: Auk, Tern", want_more_runs(book, cells, 1))
            self.assertEqual([c.repeats for c in book.get(Plan, first.id).cells], [3])


class TestReworked(CommandCase):
    def test_channels_are_put_right_and_two_logs_become_one(self) -> None:
        log, frames, path = self.folder / "log.csv", self.folder / "frames.csv", self.folder / "a.pinch"
        write_log(log, 28.0)
        rate = np.where(np.arange(150) < 5, np.nan, 61.5)
        frames.write_text("t_s,frame.rate\n" + "".join(f"{t},{'' if v != v else v}\n" for t, v in enumerate(rate)))
        names = ("--device", "Gannet", "--setting", "Quiet", "--workload", "Render", "--book", path)
        self.json_of("import", log, *names)
        self.json_of("import", frames, *names)
        with contextlib.closing(open_book(path)) as book:
            first, second = book.runs()
            with book.change():
                first = rework_channels(
                    book, first, {"cpu.power": ChannelMeant("soc.power", 0.5), "cpu.temp": ChannelMeant("")}
                )
            series = runlogs.read_log(book, first.id).series
            self.assertEqual((list(series), round(float(series["soc.power"].values[20]), 2)), (["soc.power"], 14.1))
            with self.assertRaisesRegex(PinchError, "'power' is not a channel"):
                rework_channels(book, first, {"soc.power": ChannelMeant("power")})
            with book.change():
                first = join_runs(book, first, second)
            both = runlogs.read_log(book, first.id).series
            self.assertEqual(([r.id for r in book.runs()], set(both)), ([first.id], {"soc.power", "frame.rate"}))
            known = both["frame.rate"].t[np.isfinite(both["frame.rate"].values)]
            self.assertAlmostEqual(float(known[0]), 10.0, delta=1.5, msg="aligned by where the load begins")
            with self.assertRaisesRegex(PinchError, "Both runs have"):
                join_runs(book, first, first)


class TestWindow(WindowCase):
    demo = True

    def chosen(self) -> list[Run]:
        book = self.session.book
        gannet = next(d for d in book.devices() if d.name == "Gannet")
        work = next(w for w in book.workloads() if w.name == "Skerry Run")
        self.session.choose(gannet.id, None, work.id, None)
        return book.runs(gannet.id, work.id)

    def test_runs_of_the_list_are_completed_moved_and_removed(self) -> None:
        runs, book, page = self.chosen()[:3], self.session.book, self.window.page(JudgePage)
        book.save(Protocol(name="Evening"))
        page.show_runs()
        page.view.tabs.setCurrentIndex(RUNS)
        page.digesting.cancel()
        page.view.runs.choose([r.id for r in runs])

        def say(dialog: CompleteDialog) -> int:
            self.assertIn("Complete 3 runs", dialog.windowTitle())
            self.assertIn("now Gannet", dialog.fields["device"].lineEdit().placeholderText())  # type: ignore[union-attr]
            dialog.accept()
            self.assertIn("Nothing was typed", dialog.error.text())
            for key, text in (("ambient", "24,5"), ("protocol", "evening"), ("setting", "Docked"), ("note", "late")):
                widget = dialog.fields[key]
                getattr(widget, "setCurrentText", getattr(widget, "setText", None))(text)  # type: ignore[misc]
            dialog.accept()
            return dialog.result()

        with mock.patch.object(CompleteDialog, "exec", say):
            page.complete_chosen()
        now = [book.get(Run, r.id) for r in runs]
        self.assertEqual({r.ambient_c for r in now}, {24.5})
        self.assertEqual({book.get(Setting, r.setting_id).name for r in now}, {"Docked"})
        self.assertEqual([r.repeat for r in now], [1, 2, 3])
        self.assertTrue(all(r.notes.endswith("late") and r.protocol_id for r in now))
        self.window.undo()
        self.assertEqual([book.get(Run, r.id) for r in runs], runs, "one undo for all of it")
        page.remove_chosen()
        self.assertFalse({r.id for r in runs} & {r.id for r in book.runs()})
        self.window.undo()
        self.assertLessEqual({r.id for r in runs}, {r.id for r in book.runs()})

    def test_all_runs_of_a_book_at_once(self) -> None:
        runs, book = self.session.book.runs(), self.session.book
        with book.change():
            done = complete_runs(book, [r for r in runs if r.summary is None], Completion(ambient_c=21.0, note="x"))
        self.assertEqual((done.problems, {r.ambient_c for r in done.runs}), ((), {21.0}))

    def test_readings_are_typed_in_a_grid(self) -> None:
        runs, book = self.chosen()[-2:], self.session.book
        there = {r.id: len(book.readings(r.id)) for r in runs}

        def type_some(dialog: ReadingGridDialog) -> int:
            rows = [run.id for run in dialog.shown_runs]
            first = rows.index(runs[1].id)
            self.assertEqual([c.words for c in dialog.shown_columns][:2], ["Wall power, at rest, W", "Wall power, W"])
            dialog.place.setText("Palm rest")
            dialog._add_place()
            dialog.room.setText("24,5")
            columns = dialog.shown_columns
            dialog.table.setCurrentCell(first, 0)
            dialog.table.paste("9,1\t31–33")
            dialog.table.setCurrentCell(first, columns.index(ReadingColumn(Quantity.NOISE)))
            dialog.table.paste("38.2")
            dialog.table.setCurrentCell(
                first, columns.index(ReadingColumn(Quantity.SURFACE, ReadAt.UNTOLD, "palm_rest"))
            )
            dialog.table.paste("x")
            self.assertIn("Palm rest, °C of 30 W, run", dialog.error.text())
            dialog.table.paste("41.6–42")
            dialog.keep()
            self.assertIn("4 readings are in the book", dialog.words.text())
            return 0

        with mock.patch.object(ReadingGridDialog, "exec", type_some):
            self.window.page(RunPage).beside.type_grid()
        new = book.readings(runs[1].id)[there[runs[1].id] :]
        seen = {(r.quantity, r.phase, r.place): (r.value, r.low, r.high) for r in new}
        self.assertEqual(seen[Quantity.WALL, ReadAt.IDLE, ""], (9.1, None, None))
        self.assertEqual(seen[Quantity.WALL, ReadAt.UNTOLD, ""], (32, 31, 33))
        self.assertEqual(seen[Quantity.SURFACE, ReadAt.UNTOLD, "palm_rest"], (41.8, 41.6, 42))
        self.assertEqual(seen[Quantity.NOISE, ReadAt.UNTOLD, "room"][0], 24.5, "the level of the room alone")
        self.assertEqual(len(book.readings(runs[0].id)), there[runs[0].id])
        wall = next(r for r in new if r.quantity is Quantity.WALL and r.phase is ReadAt.IDLE)
        self.assertGreater(wall.u or 0, 0, "by the accuracy of the meter")
        self.assertLess(wall.t_s, next(r for r in new if r.place == "palm_rest").t_s)
        self.window.undo()
        self.assertEqual(len(book.readings(runs[1].id)), there[runs[1].id])
