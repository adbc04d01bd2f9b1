"""Before a run: each check with its evidence, what Linux says just now, and going on in spite of a warning."""

import math
import unittest

import numpy as np
from PyQt6.QtWidgets import QLabel

from pinch.bench import runlogs
from pinch.bench.opening import create_book
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import ExitStatus, Protocol, Run, Setting, now
from pinch.core.runlog import runlog_from_columns
from pinch.recorder.preflight import CheckVerdict, Evidence, MeterLook, preflight, wait_s
from pinch.runs.consent import agree, wishes_of
from pinch.runs.devices import add_this_computer
from pinch.runs.evidence import gather_evidence
from pinch.sources.machine import POWER_ZONE, read_present
from pinch.ui.run.page import RunPage
from tests.in_folder import InFolder
from tests.window_case import WindowCase

SETTING = Setting(device_id=1, name="Even", sustained_w=28, platform_profile="balanced", governor="performance")
PROTOCOL = Protocol(name="Cabin", ambient_c=22, ambient_within_k=1)


def found(evidence: Evidence, setting: Setting = SETTING) -> dict[str, tuple[CheckVerdict, str]]:
    return {c.name: (c.verdict, c.evidence) for c in preflight(evidence, setting, PROTOCOL)}


class TestChecks(unittest.TestCase):
    def test_a_hot_device_is_told_how_long_to_wait(self) -> None:
        hot = Evidence(temp_c=59.0, rest_c=39.0, slowest_s=120.0)
        verdict, words = found(hot)["Temperature"]
        self.assertEqual(verdict, CheckVerdict.WARNING)
        # first-order decay: 120 s × ln(20 K / 2 K) = 276 s
        self.assertAlmostEqual(wait_s(hot, 2.0) or 0.0, 120.0 * math.log(10.0))
        self.assertIn("+20.0 K from where runs began (39.0 °C); about 5 min to wait", words)
        self.assertEqual(found(Evidence(temp_c=40.9, rest_c=39.0))["Temperature"][0], CheckVerdict.GOOD)
        self.assertEqual(found(Evidence(temp_c=40.9))["Temperature"][0], CheckVerdict.UNKNOWN)
        self.assertIsNone(wait_s(Evidence(temp_c=59.0, rest_c=39.0), 2.0))

    def test_each_line_says_what_it_saw(self) -> None:
        for evidence, name, verdict, words in (
            (Evidence(room_c=22.8), "Room", CheckVerdict.GOOD, "22 ± 1"),
            (Evidence(room_c=24), "Room", CheckVerdict.WARNING, "24 °C"),
            (Evidence(), "Room", CheckVerdict.UNKNOWN, "Not noted"),
            (Evidence(on_mains=False), "Supply", CheckVerdict.WARNING, "On battery, the setting says mains"),
            (Evidence(on_mains=True), "Supply", CheckVerdict.GOOD, "On mains"),
            (Evidence(charge=40), "Charge", CheckVerdict.WARNING, "it charges while"),
            (Evidence(charge=85), "Charge", CheckVerdict.GOOD, "85 %"),
            (Evidence(load=23.0), "Background", CheckVerdict.WARNING, "something else is at work"),
            (Evidence(load=1.2), "Background", CheckVerdict.GOOD, "1.2 %"),
            (Evidence(profile="performance"), "Mode", CheckVerdict.WARNING, "performance is on, balanced is wanted"),
            (Evidence(profile="Balanced"), "Mode", CheckVerdict.GOOD, "is on"),
            (Evidence(), "Mode", CheckVerdict.UNKNOWN, "Linux does not tell"),
            (Evidence(sustained_w=35), "Limit", CheckVerdict.WARNING, "35 W is set, the setting says 28 W"),
            (Evidence(sustained_w=28.4), "Limit", CheckVerdict.GOOD, "28.4 W"),
            (Evidence(clock_step_s=-3600.0), "Wall clock", CheckVerdict.WARNING, "-3600.0 s"),
            (Evidence(channels=("a.b",), missing=("fan.1.speed",)), "Sensors", CheckVerdict.WARNING, "fan.1.speed"),
            (Evidence(channels=("a.b",)), "Sensors", CheckVerdict.GOOD, "1 channels; no earlier run"),
            (Evidence(channels=("a.b",), missing=()), "Sensors", CheckVerdict.GOOD, "all that the last run had"),
            (Evidence(free_bytes=2e7), "Disk", CheckVerdict.WARNING, "20 MB"),
            (
                Evidence(governor="powersave"),
                "Governor",
                CheckVerdict.WARNING,
                "powersave is on, performance is wanted",
            ),
            (Evidence(governor="Performance"), "Governor", CheckVerdict.GOOD, "is on"),
            (Evidence(), "Governor", CheckVerdict.UNKNOWN, "Linux does not tell"),
            (Evidence(channels=("a.b",), odd=("cpu.temp -128",)), "Sensors", CheckVerdict.WARNING, "cpu.temp -128"),
            (
                Evidence(meters=(MeterLook("M", 61.25, "W", 0.42),)),
                "M",
                CheckVerdict.GOOD,
                "61.25 W, standard uncertainty 0.42",
            ),
            (
                Evidence(meters=(MeterLook("M", None, "W", problem="Gone."),)),
                "M",
                CheckVerdict.WARNING,
                "Gone. Without it",
            ),
            (Evidence(meters=(MeterLook("M", 3.0, "W"),)), "M", CheckVerdict.GOOD, "3 W."),
            (Evidence(meters=(MeterLook("M", math.nan, "W"),)), "M", CheckVerdict.WARNING, "out of its range"),
        ):
            with self.subTest(name=name, evidence=evidence):
                self.assertEqual(found(evidence)[name][0], verdict)
                self.assertIn(words, found(evidence)[name][1])

    def test_what_does_not_apply_is_not_listed(self) -> None:
        plain = Setting(device_id=1, name="Default")
        self.assertEqual(set(found(Evidence(sustained_w=35), plain)), {"Room"})

    def test_on_battery_a_run_begins_full(self) -> None:
        anchor = SETTING.model_copy(update={"mains": False})
        self.assertEqual(found(Evidence(charge=90), anchor)["Charge"][0], CheckVerdict.WARNING)
        self.assertEqual(found(Evidence(charge=97), anchor)["Charge"][0], CheckVerdict.GOOD)


class TestEvidence(InFolder):
    def write(self, files: dict[str, str]) -> None:
        for name, text in files.items():
            path = self.folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text + "\n")

    def test_what_linux_says_just_now(self) -> None:
        # file names and units: the kernel's sysfs-class-power, sysfs-platform_profile and powercap documents
        self.write(
            {
                "sys/class/power_supply/AC/type": "Mains",
                "sys/class/power_supply/AC/online": "0",
                "sys/class/power_supply/BAT0/type": "Battery",
                "sys/class/power_supply/BAT0/capacity": "87",
                "sys/class/power_supply/mouse/type": "Battery",
                "sys/class/power_supply/mouse/scope": "Device",
                "sys/firmware/acpi/platform_profile": "quiet",
                f"{POWER_ZONE}/constraint_0_name": "long_term",
                f"{POWER_ZONE}/constraint_0_power_limit_uw": "15000000",
            }
        )
        present = read_present(self.folder)
        self.assertEqual((present.on_mains, present.charge), (False, 87.0))
        self.assertEqual((present.profile, present.sustained_w), ("quiet", 15.0))
        nothing = read_present(self.folder / "none")
        self.assertEqual((nothing.on_mains, nothing.charge, nothing.profile), (None, None, ""))

    def test_rest_and_sensors_come_from_the_runs_before(self) -> None:
        book = create_book(self.folder / "a.pinch")
        self.addCleanup(book.close)
        device = add_this_computer(book)
        setting, work = book.settings(device.id or 0)[0], book.workloads()[0]
        ids = {"device_id": device.id, "setting_id": setting.id, "workload_id": work.id}
        t = np.arange(1.0, 121.0)
        for start in (41.0, 38.0):
            warm = start + 0.3 * np.maximum(0, t - 10)
            log = runlog_from_columns(t, {"cpu.temp": warm, "imagined.temp": t, "cpu.load": t})
            run = Run.model_validate({**ids, "started": now(), "status": ExitStatus.COMPLETE})
            runlogs.add_log(book, book.save(run), log)
        book.save(Instrument(name="Air", measures=Quantity.ROOM, profile="thermometer", address="sim:ASRL2::INSTR"))
        wall = book.save(Instrument(name="Wall", profile="ac-power", address="TCPIP::127.0.0.1::1::SOCKET"))
        before = gather_evidence(book.path, device, None)
        self.assertEqual(([m.name for m in before.meters], before.unagreed), (["Air"], ("Wall",)))
        agree(book.path, wishes_of(wall))
        evidence = gather_evidence(book.path, device, None)
        self.assertEqual(evidence.room_c, 41.5, "measured by the simulated thermometer")
        self.assertEqual([(m.name, m.value) for m in evidence.meters], [("Air", 41.5), ("Wall", None)])
        self.assertIn("does not answer", evidence.meters[1].problem)
        self.assertAlmostEqual(evidence.rest_c or 0.0, 38.0, delta=0.2)
        self.assertIn("imagined.temp", evidence.missing or ())
        self.assertIn("cpu.load", evidence.channels)
        self.assertIsNotNone(evidence.load)
        self.assertGreater(evidence.free_bytes, 0)
        self.assertLess(abs(evidence.clock_step_s), 1.0)


class TestOnThePage(WindowCase):
    def test_warnings_are_asked_about_and_stay_with_the_run(self) -> None:
        window, view = self.window, self.window.page(RunPage).view
        window.changes.add_rig()
        setting = self.session.setting
        assert setting is not None
        self.session.book.save(setting.model_copy(update={"platform_profile": "quiet"}))
        window.show_page(window.page(RunPage))
        self.wait_for(lambda: view.preflight.checks)
        self.assertEqual([c.name for c in view.preflight.checks], ["Room", "Mode"])
        self.assertIn("nothing speaks against it", view.preflight._title.text())
        window.page(RunPage).checking._evidence = Evidence(profile="performance")
        view.room.setValue(23.0)
        self.assertIn("1 warning", view.preflight._title.text())
        self.app.processEvents()
        shown = [x for x in view.preflight.findChildren(QLabel) if x.isVisible()]
        self.assertEqual(len(shown), 1 + 3 * len(view.preflight.checks), "nothing of the look before is left")
        self.go_on.return_value = False
        view.start.click()
        self.assertEqual(self.session.book.runs(), [], "the operator did not want to")
        self.go_on.return_value = True
        view.length.setValue(0.5)
        view.pace.setCurrentIndex(2)
        view.start.click()
        self.wait_for(lambda: "is in the book" in window.notices.words.text())
        run = self.session.book.runs()[0]
        self.assertTrue(any(words.startswith("Mode: performance is on") for words in run.in_spite_of))
        self.assertEqual(run.notes, "")

    def test_a_device_elsewhere_has_no_checks(self) -> None:
        self.window.show_page(self.window.page(RunPage))
        self.assertFalse(self.window.page(RunPage).view.preflight.isVisible())
        self.assertEqual(self.window.page(RunPage).checking.warnings, [])
