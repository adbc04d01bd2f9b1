"""The commands, run as commands: what they print, and how they refuse."""

import contextlib
import csv
import io
import os
import signal
import subprocess
import sys
from pathlib import Path

from pinch.bench.opening import create_book, open_book
from pinch.bench.records import Device, ExitStatus
from pinch.rig import catalogue
from pinch.rig.demo import make_demo_book
from pinch.rig.device import simulate_run
from pinch.sources.runlog_csv import write_run_log
from tests.in_folder import CommandCase
from tests.waiting import PATIENCE_S
from tests.window_case import demo_book

JUDGE_KEYS = {
    "load_start_s", "duration_s", "settled", "figures", "limits", "limiters", "limiter_share", "throttle", "sawtooth",
    "collapse", "heat", "gaps", "warnings", "frames", "levels", "hot_core", "early_late", "whole_load",
    "range", "sensors", "governs", "parts",
}  # fmt: skip


class LogCase(CommandCase):
    def log(self, name: str = "run.csv") -> Path:
        run = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 600, seed=2)
        with open(self.folder / name, "w", encoding="utf-8") as file:
            write_run_log(run.log, file)
        return self.folder / name


class TestJudge(LogCase):
    def test_json_has_the_stable_keys_and_numbers(self) -> None:
        found = self.json_of("judge", self.log(), "--temp-limit", "95")
        self.assertEqual(set(found), JUDGE_KEYS)
        self.assertAlmostEqual(found["figures"]["cpu.power"]["sustained"], 45.0, delta=0.6)
        self.assertAlmostEqual(found["limits"]["window_s"], 28.0, delta=1.0)
        self.assertIsNone(found["figures"]["cpu.temp"]["hold"])
        self.assertIsNone(found["throttle"]["first_heat_s"])
        self.assertEqual(found["settled"]["end_s"], 620)
        self.assertEqual([s["cause"] for s in found["limiters"]], ["burst-power", "sustained-power"])
        self.assertAlmostEqual(sum(found["limiter_share"].values()), 1.0, places=5)

    def test_plain_words(self) -> None:
        status, out, _ = self.run_command("judge", self.log())
        self.assertEqual(status, 0)
        self.assertIn("sustained power limit", out.splitlines()[0])

    def test_refusals_are_one_line_and_two(self) -> None:
        broken, wide = self.folder / "broken.csv", self.folder / "no-load.csv"
        broken.write_text("t_s,cpu.power\n1,2\n2,x\n")
        wide.write_text("t_s,ambient.temp\n1,22\n2,22\n")
        for path, reason in (
            (broken, "line 3"),
            (wide, "nothing to judge"),
            (self.folder / "none.csv", "no such file"),
        ):
            status, out, err = self.run_command("judge", path, "--json")
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))
            self.assertIn(str(path), err)
            self.assertIn(reason, err)

    def test_wrong_use(self) -> None:
        for words in (["judge"], ["nonsense"], ["judge", "x", "--ambient", "warm"]):
            self.assertEqual(self.run_command(*words)[0], 2)


class TestScale(LogCase):
    def table(self, text: str) -> Path:
        path = self.folder / "points.csv"
        path.write_text(text)
        return path

    def test_json(self) -> None:
        rows = "".join(f"Gannet,{p},{20 * p**0.5}\nGannet,{p * 1.001},{20.1 * p**0.5}\n" for p in (7, 10, 15, 20, 30))
        found = self.json_of("scale", self.table("device,power_W,score\n" + rows), "--target", "80")
        gannet = found["devices"]["Gannet"]
        # 20.05 √P: 95 % of the best at 30 W is at 0.95² · 30 = 27.1 W, and 80 at (80 / 20.05)² = 15.9 W (closed forms).
        self.assertAlmostEqual(gannet["sweet_spots"]["95%"]["power_W"], 27.1, delta=0.1)
        self.assertEqual(len(gannet["sweet_spots"]["95%"]["ci"]), 2)
        self.assertAlmostEqual(gannet["target"]["power_W"], 15.9, delta=0.2)
        self.assertTrue(all(len(row) == 4 for row in gannet["curve"]))
        self.assertAlmostEqual(gannet["exponent"], 0.5, delta=0.01)
        self.assertEqual(set(gannet["sweet_spots"]), {"knee", "efficiency", "95%", "marginal"})
        self.assertTrue(7 < gannet["next_point_W"] < 30)

    def test_crossovers_and_lows(self) -> None:
        # 10 P^0.5 = 4 P^0.8 at 2.5^(1/0.3) = 21.2 W (closed form); a low of 0.7 of the average wants (60 · 0.8 / 7)² W.
        rows = "".join(f"A,{p},{10 * p**0.5},{7 * p**0.5}\nB,{p},{4 * p**0.8},\n" for p in (7, 12, 20, 30, 50))
        table = self.table("device,power_W,score,low_1\n" + rows)
        found = self.json_of("scale", table, "--target", "60", "--low", "80")
        (crossing,) = found["crossovers"]
        self.assertEqual([crossing[key] for key in ("a", "b", "leads_below", "leads_above")], ["A", "B", "A", "B"])
        self.assertAlmostEqual(crossing["power_W"], 21.2, delta=0.1)
        self.assertAlmostEqual(found["devices"]["A"]["target"]["power_W"], 47.0, delta=0.3)
        self.assertIsNone(crossing["ci"], "nothing was repeated")

    def test_no_target_within_what_was_measured_is_null(self) -> None:
        text = "device,power_W,score\nA,10,1\nA,20,2\nA,30,3\n"
        self.assertIsNone(self.json_of("scale", self.table(text), "--target", "9")["devices"]["A"]["target"]["power_W"])

    def test_plain_words(self) -> None:
        status, out, _ = self.run_command("scale", self.table("device,power_W,score\nA,10,5\nA,20,8\nA,30,9\n"))
        self.assertEqual(status, 0)
        self.assertIn("nearly all of it (95%): 2", out)
        self.assertIn("No setting was repeated", out)

    def test_refusals_name_the_line(self) -> None:
        for text, reason in (
            ("device,power_W\nA,1\n", "line 1: there is no column 'score'"),
            ("device,power_W,score\nA,ten,1\n", "line 2: power_W is 'ten'"),
            ("device,power_W,score\nA,3\n", "line 2: score is ''"),
            ("device,power_W,score\n,3,1\n", "line 2: the row names no device"),
            ("device,power_W,score\n", "no rows"),
        ):
            status, _, err = self.run_command("scale", self.table(text), "--json")
            self.assertEqual((status, err.count("\n")), (2, 1))
            self.assertIn(reason, err)

    def test_the_answer_that_can_be_given(self) -> None:
        text = "device,power_W,score\nA,10,1\nA,20,2\nB,10,5\nB,20,0\nB,-3,4\nC,10,5\nC,20,8\nC,30,9\n"
        found = self.json_of("scale", self.table(text), "--target", "9")
        self.assertEqual([found["devices"][name]["curve"] for name in "AB"], [[], []])
        self.assertEqual(len(found["devices"]["C"]["sweet_spots"]), 4)
        said = " ".join(w["text"] for w in found["warnings"])
        self.assertIn("A: a curve needs three different powers, there are 2", said)
        self.assertIn("line 5: 20 W and a score of 0 are no point", said)


class TestCompare(LogCase):
    def table(self, text: str) -> Path:
        path = self.folder / "cells.csv"
        path.write_text(text)
        return path

    def test_every_pair_once(self) -> None:
        rows = "".join(f"a,{x}\nb,{1.09 * x}\nc,{x + 0.1}\n" for x in (100, 100.5, 99.7, 100.2))
        pairs = self.json_of("compare", self.table("cell,score\n" + rows))["pairs"]
        found = {(p["a"], p["b"]): p["answer"] for p in pairs}
        self.assertEqual(found, {("a", "b"): "slower", ("a", "c"): "tie", ("b", "c"): "faster"})
        self.assertAlmostEqual(pairs[0]["ratio"], 1 / 1.09, places=6)
        self.assertTrue(pairs[0]["ci"][0] < 1 / 1.09 < pairs[0]["ci"][1])

    def test_times_single_runs_and_mixed_directions(self) -> None:
        text = "cell,score,lower_is_better\na,54,true\nb,100,true\nc,7,false\nd,0,false\n"
        found = self.json_of("compare", self.table(text), "--delta", "5")
        (pair,) = found["pairs"]
        self.assertAlmostEqual(pair["ratio"], 100 / 54)
        self.assertEqual((pair["ci"], pair["answer"], pair["more_runs"]), (None, "cannot-tell", None))
        self.assertEqual([w["code"] for w in found["warnings"]], ["left-out", "mixed-directions", "single-runs"])

    def test_plain_words_and_refusals(self) -> None:
        _, out, _ = self.run_command("compare", self.table("cell,score\na,100\na,101\na,99\nb,120\n"))
        self.assertIn("a against b: -16.7 %", out)
        self.assertIn("can't tell, 1 more run of each would; scatter borrowed", out)
        for text, reason in (
            ("cell\na\n", "line 1: there is no column 'score'"),
            ("cell,score\na,fast\n", "line 2: score is 'fast'"),
            ("cell,score\n,5\n", "line 2: the row names no cell"),
            ("cell,score,lower_is_better\na,5,perhaps\n", "line 2: lower_is_better is 'perhaps'"),
            ("cell,score,lower_is_better\na,5,yes\na,5,no\n", "line 3: for some rows of a lower is better"),
        ):
            status, _, err = self.run_command("compare", self.table(text), "--json")
            self.assertEqual((status, err.count("\n")), (2, 1))
            self.assertIn(reason, err)


class TestBooks(LogCase):
    def test_import_and_export_round_trip(self) -> None:
        log, book = self.log(), self.folder / "b.pinch"
        words = ("--device", "Sandpiper 14", "--setting", "Full", "--workload", "Tile Render", "--watts", "45")
        self.assertEqual(self.run_command("import", log, "--book", book, *words)[0], 0)
        again = self.json_of("import", log, "--book", book, *words)
        self.assertEqual((again["runs"], again["skipped_same"]), ([], 1))
        longer = self.folder / "longer.csv"
        longer.write_text(log.read_text() + log.read_text().splitlines()[-1].replace(",", "9,", 1) + "\n")
        self.assertEqual(self.json_of("import", longer, "--book", book, *words)["runs"], [2])
        with contextlib.closing(open_book(book)) as opened:
            self.assertEqual((len(opened.devices()), len(opened.runs())), (1, 2))
        status, out, _ = self.run_command("export", "--book", book, "--run", "2", "--to", self.folder / "package")
        self.assertEqual(status, 0)
        with open(longer) as one, open(out.strip()) as two:
            first, second = list(csv.DictReader(one)), list(csv.DictReader(two))
        self.assertEqual([{k: r[k] for k in sorted(r)} for r in first], [{k: r[k] for k in sorted(r)} for r in second])

    def test_a_bad_log_or_setting_adds_nothing(self) -> None:
        bad, book = self.folder / "bad.csv", self.folder / "b.pinch"
        bad.write_text("t_s,cpu.power\n2,1\n1,1\n")
        names = ("--device", "A", "--setting", "B", "--workload", "C")
        self.assertEqual(self.run_command("import", bad, "--book", book, *names)[0], 2)
        self.assertFalse(book.exists())
        status, _, err = self.run_command("import", self.log(), "--book", book, *names, "--watts", "-5")
        self.assertEqual(status, 2)
        self.assertIn("sustained w", err)
        self.assertEqual(list(self.folder.glob("*b.pinch*")), [], "no book that holds nothing is left behind")

    def test_record_a_rig_run(self) -> None:
        book = self.folder / "r.pinch"
        status, out, err = self.run_command(
            "record", "--book", book, "--device", "Gannet", "--setting", "16 W", "--workload", "Tile Render, all cores",
            "--length", "150", "--time-scale", "60",
        )  # fmt: skip
        self.assertEqual(status, 0, err)
        self.assertRegex(out, r"Held 1[56]\.\d W \(claimed 16\)")

    def test_this_computer_is_recorded_whatever_it_calls_itself(self) -> None:
        path = self.folder / "own.pinch"
        with contextlib.closing(create_book(path)) as book:
            book.save(Device(name="Sandpiper 14", local=True))
        status, _, err = self.run_command("record", "--book", path, "--length", "4", "--idle", "1")
        self.assertEqual(status, 0, err)
        with contextlib.closing(open_book(path)) as book:
            self.assertEqual([d.name for d in book.devices()], ["Sandpiper 14"])
            self.assertEqual(book.runs()[0].status, ExitStatus.COMPLETE)

    def test_an_interrupt_ends_the_run_and_keeps_it(self) -> None:
        book = self.folder / "i.pinch"
        words = ["record", "--book", str(book), "--device", "Gannet", "--setting", "16 W", "--time-scale", "20"]
        words += ["--workload", "Tile Render, all cores", "--length", "3000"]
        process = subprocess.Popen(
            [sys.executable, "-m", "pinch", *words], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        assert process.stderr is not None
        while "load" not in process.stderr.readline():
            self.assertIsNone(process.poll())
        process.send_signal(signal.SIGINT)
        process.send_signal(signal.SIGINT)
        _, err = process.communicate(timeout=PATIENCE_S)
        self.assertIn("stopped by the operator", err)
        with contextlib.closing(open_book(book)) as opened:
            self.assertGreater(opened.runs()[0].samples or 0, 100)

    def test_unknown_names_are_listed(self) -> None:
        status, _, err = self.run_command("record", "--book", self.folder / "x.pinch", "--device", "Nobody")
        self.assertEqual(status, 2)
        self.assertIn("Sandpiper 14", err)

    def test_not_a_book(self) -> None:
        path = self.folder / "x.pinch"
        path.write_text("no book at all, but rather long, so that it may be taken for one; it is not one")
        status, _, err = self.run_command("export", "--book", path, "--to", self.folder / "f")
        self.assertEqual((status, err.count("\n")), (2, 1))
        done = subprocess.run(
            [sys.executable, "-m", "pinch", "open", path], capture_output=True, text=True, timeout=PATIENCE_S
        )
        self.assertEqual((done.returncode, done.stderr), (2, f"pinch: {path}: is not a book of Pinch.\n"))

    def test_without_a_display_one_sentence(self) -> None:
        bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
        done = subprocess.run(
            [sys.executable, "-m", "pinch"], capture_output=True, text=True, env=bare, timeout=PATIENCE_S
        )
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1))
        self.assertIn("no display", done.stderr)

    def test_rig_makes_a_log_with_its_truth(self) -> None:
        log, truth = self.folder / "l.csv", self.folder / "t.csv"
        words = ("rig", "--device", "limpet", "--setting", "45 W", "--ambient", "31", "--log", log, "--truth", truth)
        self.assertEqual(self.run_command(*words, "--length", "500")[0], 0)
        causes = [row["cause"] for row in csv.DictReader(io.StringIO(truth.read_text()))]
        self.assertEqual(len(causes), 520)
        share = self.json_of("judge", log, "--temp-limit", "95")["limiter_share"]
        self.assertAlmostEqual(share["heat"], causes.count("heat") / 500, delta=0.08)  # with what recovers after a cut
        status, _, err = self.run_command("rig", "--log", self.folder / "no" / "l.csv")
        self.assertEqual((status, err.count("\n")), (2, 1))

    def test_rig_lists_and_shows_its_tree(self) -> None:
        self.assertIn("limpet: Limpet, mini PC", self.run_command("rig", "--list")[1])
        tree = self.folder / "tree"
        words = ["rig", "--tree", str(tree), "--duration", "3", "--load-after", "0.3", "--time-scale", "10"]
        done = subprocess.run(
            [sys.executable, "-m", "pinch", *words], capture_output=True, text=True, timeout=PATIENCE_S
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertGreater(len(done.stdout.splitlines()), 5)
        self.assertIn("coretemp", (tree / "sys/class/hwmon/hwmon0/name").read_text())


class TestDemo(LogCase):
    def test_the_demo_book_is_the_cabin_test_and_the_same_every_time(self) -> None:
        paths = [demo_book(), self.folder / "again.pinch"]
        shares: list[float] = []

        def heard(share: float) -> bool:
            shares.append(share)
            return True

        make_demo_book(paths[1], heard)
        dumps = []
        for path in paths:
            with contextlib.closing(open_book(path)) as book:
                lines = book.connection.iterdump()
                dumps.append([line for line in lines if '"judged"' not in line and '"sqlite_stat' not in line])
                runs = book.runs()
                self.assertEqual([d.name for d in book.devices()][2], "Limpet")
                self.assertEqual(sum(bool(r.void) for r in runs), 1)
                self.assertEqual({r.ambient_c for r in runs}, {22.0, 31.0})
                self.assertEqual(book.devices()[3].status, "pre-production")
        self.assertEqual(dumps[0], dumps[1])
        self.assertEqual(shares[-1], 1.0)

    def test_cancelling_leaves_nothing(self) -> None:
        make_demo_book(self.folder / "x.pinch", lambda share: share < 0.05)
        self.assertEqual(list(self.folder.iterdir()), [])
