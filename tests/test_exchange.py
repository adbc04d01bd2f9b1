"""Records on their way out and in: the exchange document, its schema, an old book, this computer."""

import contextlib
import json
import sqlite3
import unittest
from pathlib import Path

import jsonschema

from pinch.analysis.judging import JudgeDesk
from pinch.bench import schema
from pinch.bench.book import Book
from pinch.bench.exchange import add_exchange, exchange_of, read_exchange, schema_text, write_exchange
from pinch.bench.opening import create_book, open_book
from pinch.bench.parts import CoreKind
from pinch.bench.plans import Outcome
from pinch.bench.records import Came, Device, Form, Protocol, Runner, Setting, Status, free_name, standing
from pinch.bench.undo import UndoStack
from pinch.core.errors import PinchError
from pinch.narrative.methodology import methodology
from pinch.runs.devices import add_this_computer
from pinch.sources.machine import POWER_ZONE, platform_profiles, read_machine
from tests.in_folder import InFolder
from tests.window_case import demo_book

ROOT = Path(__file__).resolve().parent.parent


class BooksCase(InFolder):
    def new_book(self, name: str = "new.pinch") -> Book:
        book = create_book(self.folder / name)
        self.addCleanup(book.close)
        return book


class TestExchange(BooksCase):
    def demo(self) -> Book:
        book = open_book(demo_book())
        self.addCleanup(book.close)
        return book

    def test_there_and_back_is_the_same(self) -> None:
        path = self.folder / "bench.json"
        whole = exchange_of(self.demo())
        write_exchange(whole, path)
        self.assertEqual(read_exchange(path), whole)
        book = self.new_book()
        plans = add_exchange(book, read_exchange(path))
        self.assertEqual(exchange_of(book), whole)
        self.assertEqual([e.outcome for e in plans[1].entries].count(Outcome.VOID), 1)

    def test_the_published_schema_is_not_stale_and_holds(self) -> None:
        text = (ROOT / "docs" / "exchange.schema.json").read_text(encoding="utf-8")
        self.assertEqual(text, schema_text(), "run scripts/schema")
        published = json.loads(text)
        validator = jsonschema.Draft202012Validator(published, format_checker=jsonschema.FormatChecker())
        validator.check_schema(published)
        path = self.folder / "bench.json"
        write_exchange(exchange_of(self.demo()), path)
        document = json.loads(path.read_text(encoding="utf-8"))
        self.assertEqual(list(validator.iter_errors(document)), [])
        document["devices"][0]["mass_kg"] = -1
        document["devices"][0]["price"] = 3
        self.assertEqual(len(list(validator.iter_errors(document))), 2)

    def test_nothing_of_this_machine_leaves(self) -> None:
        path = self.folder / "bench.json"
        write_exchange(exchange_of(self.demo()), path)
        text = path.read_text(encoding="utf-8")
        for word in ('"rig"', '"local"', '"untold"', '"id"', "device_id"):
            self.assertNotIn(word, text)

    def test_a_name_that_is_taken_gets_a_number(self) -> None:
        self.assertEqual(free_name("A", ["A", "A (2)"]), "A (3)")
        book, whole = self.new_book(), exchange_of(self.demo())
        add_exchange(book, whole)
        add_exchange(book, whole)
        self.assertEqual([d.name for d in book.devices()][4], "Sandpiper 14 (2)")
        plan = book.plans()[-1]
        self.assertEqual(book.get(Device, book.get(Setting, plan.cells[0].setting_id).device_id).name, "Gannet (2)")

    def test_what_is_wrong_is_named_and_nothing_is_added(self) -> None:
        book, path = self.new_book(), self.folder / "bad.json"
        undo = UndoStack(book)
        place = {"device": "A", "setting": "B", "workload": "C"}
        for text, words in (
            ("{", "bad.json, line 1: it is not JSON"),
            ('{"devices": [{"name": "A", "colour": "red"}]}', "devices.0.colour: there is no such field"),
            ('{"devices": [{"name": "A", "col\\nour": "red"}]}', r"devices.0.col\\u000aour: there is no such field"),
            ('{"devices": [{"name": "A", "mass_kg": 1e9}]}', "devices.0.mass_kg: it is at most 100"),
            ('{"devices": [{"name": "A", "battery": {"full_wh": "NaN"}}]}', "full_wh"),
            ('{"version": 2}', "version"),
            ("[" * 100_000, "nested too deeply|not JSON"),
            (json.dumps({"plans": [{"name": "P", "cells": [place]}]}), "plan P: there is no setting 'B'"),
            (json.dumps({"plans": [{"name": "P", "protocol": "Q"}]}), "there is no protocol 'Q'"),
        ):
            path.write_text(text)
            with self.subTest(text[:50]), self.assertRaisesRegex(PinchError, words), undo.step("add"):
                add_exchange(book, read_exchange(path))
        self.assertEqual((book.devices(), book.plans()), ([], []))
        path.write_bytes(b"\xff\xfe\x00")
        with self.assertRaisesRegex(PinchError, "UTF-8"):
            read_exchange(path)
        with self.assertRaisesRegex(PinchError, "not a plain file"):
            read_exchange(self.folder)


class TestOldBook(BooksCase):
    def test_a_book_of_version_1_opens_and_keeps_everything(self) -> None:
        path = self.folder / "old.pinch"
        with contextlib.closing(sqlite3.connect(path)) as old:
            old.executescript((ROOT / "tests" / "data" / "book-v1.sql").read_text())
            old.execute("INSERT INTO workload (record) VALUES (?)", ('{"name": "Built-in load, one core"}',))
            old.commit()
        book = open_book(path)
        self.addCleanup(book.close)
        self.assertEqual(book.query("PRAGMA user_version"), [(schema.VERSION,)])
        device = book.devices()[0]
        known = (device.form, device.status, device.came)
        self.assertEqual(known, (Form.HANDHELD, Status.PRE_PRODUCTION, Came.UNKNOWN))
        setting = book.settings(1)[0]
        self.assertEqual((setting.clock_ceiling_mhz, setting.mains, setting.mode), (3100.0, False, ""))
        self.assertEqual(book.workloads()[0].frame_cap_fps, 40.0)
        self.assertEqual([w.runner for w in book.workloads()], [Runner.HAND, Runner.LOAD])
        self.assertEqual(book.runs()[0].samples, 10)
        self.assertEqual(JudgeDesk(book).judge(book.runs()[0])[0].samples, 10)
        self.assertEqual((book.plans(), book.protocols()), ([], []))

    def test_books_of_every_earlier_version_open(self) -> None:
        for version in range(1, schema.VERSION):
            path = self.folder / f"v{version}.pinch"
            with contextlib.closing(sqlite3.connect(path)) as old:
                old.executescript((ROOT / "tests" / "data" / "book-v1.sql").read_text())
                for script in schema.MIGRATIONS[1:version]:
                    old.executescript(script)
                old.execute(f"PRAGMA user_version = {version}")
                old.commit()
            with contextlib.closing(open_book(path)) as book:
                self.assertEqual(book.query("PRAGMA user_version"), [(schema.VERSION,)])
                self.assertEqual(JudgeDesk(book).judge(book.runs()[0])[0].samples, 10)

    def test_warnings_that_stood_in_the_notes_become_a_field(self) -> None:
        """A book as version 0.6.0 wrote it."""
        path = self.folder / "v7.pinch"
        with contextlib.closing(sqlite3.connect(path)) as old:
            old.executescript((ROOT / "tests" / "data" / "book-v7.sql").read_text())
        with contextlib.closing(open_book(path)) as book:
            told = [(run.in_spite_of, run.notes) for run in book.runs()]
            both = "Room: nobody noted it. Mode: performance is on"
            self.assertEqual(told[0], ((both,), "The lid was open.\nTwice."))
            self.assertEqual(told[1:], [(("Supply: on battery",), ""), ((), "plain words")])
            self.assertEqual([c.name for c in book.cards()], ["Units"])
            self.assertEqual((book.report().title, len(book.readings(1))), ("Cabin test", 1))
            self.assertEqual(len(book.plans()[0].sessions), 1)

    def test_drafts_are_kept_and_let_go(self) -> None:
        book = self.new_book()
        device = book.save(Device(name="A"))
        book.set_draft(device, "mass_kg", "heavy")
        book.set_draft(device, "mass_kg", "very heavy")
        self.assertEqual(book.drafts(device), {"mass_kg": "very heavy"})
        self.assertEqual(book.drafts(book.save(Device(name="B"))), {})
        book.set_draft(device, "mass_kg", None)
        self.assertEqual(book.drafts(device), {})


class TestThisComputer(BooksCase):
    def write(self, files: dict[str, str]) -> None:
        for name, text in files.items():
            path = self.folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text + "\n")

    def laptop(self) -> dict[str, str]:
        files = {
            "sys/class/dmi/id/product_name": "Sandpiper 14",
            "sys/class/dmi/id/chassis_type": "10",
            "sys/class/dmi/id/bios_version": "1.09",
            "sys/class/dmi/id/bios_date": "07/02/2026",
            "proc/cpuinfo": "processor\t: 0\nmodel name\t: Tarn T8",
            "proc/meminfo": "MemTotal:       31250000 kB",
            "proc/sys/kernel/osrelease": "6.12.0",
            "etc/os-release": 'NAME=x\nPRETTY_NAME="Some Linux 12"',
            "sys/devices/cpu_core/cpus": "0-3",
            "sys/devices/cpu_atom/cpus": "4-5",
            "sys/class/power_supply/BAT0/type": "Battery",
            "sys/class/power_supply/BAT0/energy_full_design": "62000000",
            "sys/class/power_supply/BAT0/energy_full": "60400000",
            f"{POWER_ZONE}/constraint_0_name": "long_term",
            f"{POWER_ZONE}/constraint_0_power_limit_uw": "28000000",
            f"{POWER_ZONE}/constraint_0_time_window_us": "27983872",
            f"{POWER_ZONE}/constraint_1_name": "short_term",
            f"{POWER_ZONE}/constraint_1_power_limit_uw": "64000000",
            "sys/class/hwmon/hwmon3/name": "coretemp",
            "sys/class/hwmon/hwmon3/temp1_crit": "100000",
            "sys/class/hwmon/hwmon5/fan1_input": "0",
            "sys/class/drm/card1-eDP-1/modes": "2560x1600\n1920x1200",
            "sys/firmware/acpi/platform_profile_choices": "low-power balanced performance",
            "sys/block/nvme0n1/device/model": "Disk",
            "sys/block/nvme0n1/size": "1953125000",
        }
        for cpu in range(6):
            core = cpu // 2 if cpu < 4 else cpu
            files[f"sys/devices/system/cpu/cpu{cpu}/topology/core_id"] = str(core)
            files[f"sys/devices/system/cpu/cpu{cpu}/cpufreq/cpuinfo_max_freq"] = "5000000" if cpu < 4 else "3700000"
        return files

    def test_what_linux_tells_is_filled_in(self) -> None:
        self.write(self.laptop())
        told = read_machine(self.folder)
        self.assertEqual((told.name, told.form, told.chip), ("Sandpiper 14", Form.LAPTOP, "Tarn T8"))
        groups = [(c.kind, c.count, c.threads, c.ceiling_mhz) for c in told.cores]
        expected = [(CoreKind.PERFORMANCE, 2, 4, 5000.0), (CoreKind.EFFICIENCY, 2, 2, 3700.0)]
        self.assertEqual(groups, expected)
        self.assertEqual((told.battery.design_wh, told.battery.full_wh), (62.0, 60.4))
        self.assertEqual((told.claims.sustained_w, told.claims.burst_w), (28.0, 64.0))
        self.assertAlmostEqual(told.claims.window_s or 0.0, 27.984, places=3)
        self.assertEqual((told.temp_limit_c, told.cooling.fans, told.display.pixels), (100.0, 1, "2560×1600"))
        self.assertEqual((told.memory.size_gb, told.storage), (32.0, "Disk, 1000 GB"))
        builds = [(b.what, b.version, b.date) for b in told.builds]
        self.assertEqual(builds[0], ("firmware", "1.09", "2026-07-02"))
        self.assertEqual(builds[1:], [("OS", "Some Linux 12", ""), ("kernel", "6.12.0", "")])
        self.assertNotIn("battery", told.untold)
        self.assertIn("adapter", told.untold)

    def test_what_is_missing_is_said(self) -> None:
        told = read_machine(self.folder)
        self.assertEqual((told.name, told.cores, told.claims.sustained_w), ("This computer", (), None))
        self.assertLessEqual({"chip", "battery", "power limits", "temperature limit", "fans"}, set(told.untold))
        self.assertEqual(platform_profiles(self.folder), [])

    def test_nonsense_in_the_tree_is_not_believed(self) -> None:
        self.write(
            self.laptop()
            | {
                f"{POWER_ZONE}/constraint_0_power_limit_uw": "0",
                "sys/class/power_supply/BAT0/energy_full_design": "unknown",
                "sys/class/hwmon/hwmon3/temp1_crit": "-1000",
                "sys/devices/cpu_core/cpus": "x-y,,",
                "sys/class/dmi/id/bios_date": "soon",
            }
        )
        told = read_machine(self.folder)
        self.assertEqual((told.claims.sustained_w, told.battery.design_wh, told.temp_limit_c), (None, None, None))
        self.assertEqual(told.builds[0].date, "")

    def test_each_platform_profile_becomes_a_setting(self) -> None:
        self.write(self.laptop())
        book = self.new_book()
        device = add_this_computer(book, self.folder)
        settings = book.settings(device.id or 0)
        self.assertEqual([s.name for s in settings], ["Low-power", "Balanced", "Performance"])
        self.assertEqual((settings[1].mode, settings[1].sustained_w), ("balanced", 28.0))
        self.assertEqual(add_this_computer(book, self.folder), device, "once")


class TestWords(unittest.TestCase):
    def test_standing_follows_the_figures(self) -> None:
        self.assertEqual(standing(Device(name="x")), "")
        sample = Device(name="x", status=Status.SAMPLE, came=Came.GIVEN)
        self.assertEqual(standing(sample), "engineering sample unit, given by the maker")
        self.assertEqual(standing(Device(name="x", came=Came.PAID)), "review paid for")

    def test_methodology_says_what_the_protocol_fixes_and_no_more(self) -> None:
        with contextlib.closing(open_book(demo_book())) as book:
            text = methodology(book.protocols()[0])
        for part in ("22 °C ± 1 K", "21.5 dB(A)", "150 cd/m²", "Wi-Fi on", "OS 26.1", "3 times", "99th percentile"):
            self.assertIn(part, text)
        bare = methodology(Protocol(name="Bare"))
        self.assertNotIn("None", bare)
        self.assertNotIn("room", bare)
        self.assertNotIn("was", bare, "nobody says that it was done")
