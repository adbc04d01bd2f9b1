"""Logs in any dialect on the command line: convert, import a folder, judge with frames."""

import json
from datetime import datetime
from pathlib import Path

import numpy as np

from pinch.bench.opening import open_book
from pinch.core.runlog import RunLog
from pinch.rig import catalogue
from pinch.rig.device import simulate_run
from pinch.sources.logs.read import read_any_log
from pinch.sources.runlog_csv import read_run_log
from tests.in_folder import CommandCase

NAMES = ("--device", "Limpet", "--setting", "Stock", "--workload", "Tile Render")


class TestOtherLogs(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        device = catalogue.LIMPET
        self.truth = simulate_run(device, device.setting("Stock"), catalogue.TILE, 300).log

    def foreign(self, name: str, log: RunLog, folder: Path | None = None) -> Path:
        """A log of the rig as another logger might have written it."""
        path = (folder or self.folder) / name
        power, clock, temp = (log.series[n].values for n in ("cpu.power", "cpu.clock", "cpu.temp"))
        rows = []
        for i, values in enumerate(zip(power, clock / 1000.0, temp, strict=True)):
            clock_time = f"{10 + i // 3600:02}:{i // 60 % 60:02}:{i % 60:02}"
            cells = (f"{v:.4f}".replace(".", ",") for v in values)
            rows.append(";".join(["01.09.2026", clock_time, *cells]))
        head = "Werkstatt\n\nDatum;Uhrzeit;CPU Leistung [W];CPU Takt [GHz];CPU Temperatur [°C]"
        text = "\n".join([head, *rows, "", "Ende"])
        path.write_text(text, encoding="cp1252")
        return path

    def test_convert_judge_and_back(self) -> None:
        path, out = self.foreign("werkstatt.txt", self.truth), self.folder / "own.csv"
        status, said, err = self.run_command("convert", path, out, "--write-map", self.folder / "map.json")
        self.assertEqual((status, err), (0, ""))
        self.assertIn("3 channels", said)
        back = read_run_log(out)
        np.testing.assert_allclose(back.series["cpu.clock"].values, self.truth.series["cpu.clock"].values, atol=0.06)
        judged = self.json_of("judge", path)
        self.assertAlmostEqual(judged["figures"]["cpu.power"]["sustained"], 35.0, delta=0.7)
        self.assertEqual(judged["limiters"][0]["cause"], "burst-power")
        mapping = json.loads((self.folder / "map.json").read_text())
        mapping["columns"][2]["channel"] = "soc.power"
        (self.folder / "map.json").write_text(json.dumps(mapping))
        self.assertIn("soc.power", self.json_of("judge", path, "--map", self.folder / "map.json")["figures"])

    def test_what_is_not_sure_is_a_warning(self) -> None:
        path = self.folder / "odd.csv"
        path.write_text("Time [s],CPU Power [W],Temp [°C]\n" + "".join(f"{i},40,4600\n" for i in range(90)))
        codes = [w["code"] for w in self.json_of("judge", path)["warnings"]]
        self.assertIn("not-sure", codes)
        status, _, err = self.run_command("convert", path, self.folder / "o.csv")
        self.assertEqual(status, 0)
        self.assertIn("not sure: Temp [°C]: is it cpu.clock?", err)

    def test_frames_of_another_file(self) -> None:
        log, frames = self.folder / "log.csv", self.folder / "frames.csv"
        log.write_text("Time [s],CPU Power [W]\n" + "".join(f"{i},{20 + (i > 5)}\n" for i in range(120)))
        frames.write_text("frame_ms\n" + "20\n" * 5000)
        judged = self.json_of("judge", log, "--frames", frames)
        self.assertAlmostEqual(judged["figures"]["frame.rate"]["sustained"], 50.0, places=3)
        status, _, err = self.run_command("judge", log, "--frames", log)
        self.assertEqual(status, 2)
        self.assertIn("no times of single frames", err)

    def test_a_folder_becomes_runs_and_what_cannot_be_read_is_said(self) -> None:
        folder, book = self.folder / "logs", self.folder / "a.pinch"
        (folder / "deep").mkdir(parents=True)
        self.foreign("one.txt", self.truth, folder)
        self.foreign("two.log", self.truth, folder / "deep")
        (folder / "broken.csv").write_text("time s,power W\n0,1\n1,2\n0,3\n")
        (folder / "photo.jpg").write_bytes(b"\xff\xd8")
        status, out, err = self.run_command("import", folder, "--book", book, *NAMES)
        self.assertEqual(status, 2)
        self.assertEqual(out.count(" → Limpet, Stock, Tile Render, run "), 1)
        self.assertIn("is run 1 of this book already", out, "by its samples, whatever it is called")
        self.assertIn("broken.csv, line 4: time goes back", err)
        kept = open_book(book)
        self.addCleanup(kept.close)
        self.assertEqual([r.repeat for r in kept.runs()], [1])
        run = kept.runs()[0]
        self.assertEqual(run.started.astimezone().replace(tzinfo=None), datetime(2026, 9, 1, 10, 0, 0))
        self.assertEqual(run.notes, "Werkstatt\nEnde")
        status, _, err = self.run_command("import", folder / "deep" / "none", "--book", book, *NAMES)
        self.assertEqual((status, "no such file" in err), (2, True))

    def test_a_restart_of_the_rig_is_a_gap_in_the_judgement(self) -> None:
        path = self.folder / "restart.csv"
        rows = "".join(f"{i};{40 if i > 5 else 4}\n" for i in range(200))
        path.write_text(f"Time [s];CPU Power [W]\n{rows}Time [s];CPU Power [W]\n{rows}")
        self.assertEqual(len(read_any_log(path).log.series["cpu.power"].t), 400)
        self.assertEqual(len(self.json_of("judge", path)["gaps"]), 1)
