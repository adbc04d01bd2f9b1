"""What the firmware and the kernel tell of limits, on trees made from the kernel's documents: one of each kind.

Offsets, bits and units typed from the kernel's kgd_pp_interface.h, amdgpu_smu.h and smu14_driver_if_v14_0_0.h (6.12);
`bench/offsets.py` sets all offsets against the header as a C compiler lays it out.
"""

import json
import os
import struct
import subprocess
import sys
import unittest

from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.rig import catalogue
from pinch.rig.device import SimulatedDevice
from pinch.rig.tree import pretend_tree
from pinch.runs.machine_sensors import lacking_lines, read_sensors
from tests.test_probe import PROBE, TreeCase, row
from tests.waiting import PATIENCE_S

CARD = "sys/class/drm/card1/device"
LIMITED_BY = {Cause.SUSTAINED_POWER: "power", Cause.BURST_POWER: "burst", Cause.HEAT: "heat"}
APU = {
    "proc/uptime": "100.000 0.00\n",
    "proc/stat": "cpu  1000 0 0 9000 0 0 0 0 0 0\n",
    **{
        f"{place}/{name}": text
        for place in ("sys/class/hwmon/hwmon4", f"{CARD}/hwmon/hwmon4")
        for name, text in {
            "name": "amdgpu\n",
            "in1_label": "vddnb\n",
            "power1_average": "21500000\n",
            "power1_label": "slowPPT\n",
            "power1_cap": "25000000\n",
            "power2_input": "24000000\n",
            "power2_label": "fastPPT\n",
            "power2_cap": "30000000\n",
            "temp1_input": "61000\n",
            "temp1_label": "edge\n",
        }.items()
    },
    "sys/firmware/acpi/platform_profile": "balanced\n",
    "sys/devices/system/cpu/cpu0/cpufreq/scaling_governor": "powersave\n",
    "sys/devices/system/cpu/cpu0/cpufreq/scaling_max_freq": "5100000\n",
    "sys/devices/system/cpu/cpu1/cpufreq/scaling_max_freq": "4000000\n",
    "sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_total_time_ms": "1000\n",
}
DOOR = "sys/class/powercap/intel-rapl:0"
LAPTOP = {
    "proc/uptime": "100.000 0.00\n",
    f"{DOOR}/name": "package-0\n",
    f"{DOOR}/energy_uj": "5000000\n",
    f"{DOOR}/constraint_0_name": "long_term\n",
    f"{DOOR}/constraint_0_power_limit_uw": "28000000\n",
    f"{DOOR}/constraint_0_time_window_us": "27983872\n",
    f"{DOOR}/constraint_1_name": "short_term\n",
    f"{DOOR}/constraint_1_power_limit_uw": "64000000\n",
    "sys/class/powercap/intel-rapl-mmio:0/name": "package-0\n",
    "sys/class/powercap/intel-rapl-mmio:0/constraint_0_name": "long_term\n",
    "sys/class/powercap/intel-rapl-mmio:0/constraint_0_power_limit_uw": "15000000\n",
    "sys/class/powercap/intel-rapl:1/name": "psys\n",
    "sys/class/powercap/intel-rapl:1/energy_uj": "1000000\n",
    "sys/class/drm/card0/gt/gt0/throttle_reason_pl1": "1\n",
    "sys/class/drm/card0/gt/gt0/throttle_reason_thermal": "0\n",
    "sys/class/hwmon/hwmon0/name": "coretemp\n",
    "sys/class/hwmon/hwmon0/temp1_input": "80000\n",
    "sys/class/hwmon/hwmon0/temp1_label": "Package id 0\n",
}


def table(size: int, revision: tuple[int, int], **at: float) -> bytes:
    """A table of all ones with numbers at offsets: `h40=5` is a u16 at 40, `i` a u32, `q` a u64."""
    data = bytearray(b"\xff" * size)
    struct.pack_into("<HBB", data, 0, size, *revision)
    for place, value in at.items():
        struct.pack_into("<" + place[0].upper(), data, int(place[1:]), int(value))
    return bytes(data)


class MetricsCase(TreeCase):
    def put(self, data: bytes) -> None:
        (self.root / CARD).mkdir(parents=True, exist_ok=True)
        (self.root / CARD / "gpu_metrics").write_bytes(data)

    def first_row(self, *ticks: bytes, **changes: str) -> dict[str, str]:
        """The last of the rows that follow after the table was replaced by each of `ticks`."""
        process = self.begin()
        assert process.stdout is not None
        header = process.stdout.readline()
        while header.startswith("#"):
            header = process.stdout.readline()
        names, found = header.strip().split(","), dict[str, str]()
        for data in ticks or (None,):
            if data is not None:
                with (self.root / CARD / "gpu_metrics").open("r+b") as file:
                    file.write(data)
            self.tick(1.0, **changes)
            while "t_s" not in found or found["t_s"].startswith("#"):
                line = process.stdout.readline()
                found = dict(zip(names, line.strip().split(","), strict=True)) if not line.startswith("#") else {}
            last, found = found, {}
        process.kill()
        self.said = process.communicate()[1]
        return last


class TestTables(MetricsCase):
    def test_a_chip_with_shared_graphics_says_what_its_parts_draw_and_what_limits_it(self) -> None:
        self.fill(APU)
        powers = {"i112": 21430, "h116": 1200, "i124": 9100, "i132": 7600, "h136": 1900, "h168": 30500, "h172": 25000}
        others = {"h4": 6140, "h6": 5800, "h8": 7025, "h40": 3950, "h42": 93, "h94": 20500, "h174": 2100, "h186": 3750}
        rules = {f"i{at}": 1000 for at in (228, 232, 236, 240, 244, 248, 252)}
        self.put(table(264, (3, 0), **powers, **others, **rules))
        full = table(264, (3, 0), **powers, **others, **(rules | {"i232": 2000}))
        half = table(264, (3, 0), **powers, **others, **(rules | {"i232": 2000, "i248": 1500}))
        found = self.first_row(full, half)
        expected = {
            "soc.power": 21.5, "soc.power.burst": 24, "soc.power.limit": 25, "soc.power.limit_burst": 30,
            "gpu.power": 9.1, "cpu.power.cores": 7.6, "cpu.core.0.power": 1.9, "platform.power": 30.5,
            "soc.temp": 58, "gpu.temp": 61, "cpu.core.0.temp": 70.25, "skin.firmware.temp": 39.5, "gpu.load": 93,
            "gpu.clock": 2100, "memory.clock": 3750, "memory.bandwidth.read": 20500, "soc.power.npu": 1.2,
            "soc.throttle.power": 0, "soc.throttle.heat": 0.5, "soc.throttle.outside": 0, "cpu.clock.limit": 5100,
        }  # fmt: skip
        self.assertEqual({name: float(found[name]) for name in expected}, expected)
        self.assertNotIn("cpu.core.1.power", found, "all ones: the chip does not tell")
        self.assertNotIn("gpu.power.2", found, "the documented file of the same quantity is enough")

    def test_the_unit_of_an_older_table_is_that_of_the_documented_file(self) -> None:
        self.fill(APU)
        for scale_c, scale_w in ((1, 1), (100, 1000)):
            bits = 1 << 6 | 1 << 33
            of_old = {"h4": 61 * scale_c, "h6": 59 * scale_c, "h40": 21 * scale_w, "h46": 9 * scale_w, "q120": bits}
            self.put(table(128, (2, 2), **of_old))
            found = self.first_row()
            told = {name: float(found[name]) for name in ("soc.temp", "gpu.power")}
            self.assertEqual(told, {"soc.temp": 59, "gpu.power": 9})
            flags = [found[f"soc.throttle.{cause}"] for cause in ("power", "burst", "current", "heat", "outside")]
            self.assertEqual(flags, ["1", "0", "0", "1", "0"])
        for name in ("power1_average", "temp1_input"):
            (self.root / CARD / "hwmon/hwmon4" / name).unlink()
        found = self.first_row()
        self.assertNotIn("soc.temp", found)
        self.assertIn("the unit of its temp cannot be told", self.said)

    def test_an_unknown_table_is_named_once_and_left_alone_and_one_that_changes_is_a_gap(self) -> None:
        self.fill(APU)
        for data in (table(264, (4, 0)), table(200, (3, 0)), b"\x08", b""):
            self.put(data)
            self.assertNotIn("cpu.core.0.temp", self.first_row())
            self.assertEqual(self.said.count("is left alone"), 1 if data else 0)
        good = table(120, (1, 3), h22=180, h54=2500, q112=1 << 46)
        self.put(good)
        found = self.first_row(good, b"\x00" * 120, b"\x00" * 120)
        self.assertEqual((found["gpu.clock"], found["gpu.throttle.outside"]), ("", ""))
        self.assertEqual(self.said.count("is not the table that it was"), 1)


class TestLimits(MetricsCase):
    def test_limits_reasons_and_the_whole_platform(self) -> None:
        self.fill(LAPTOP)
        found = self.first_row(**{"sys__class__powercap__intel-rapl:1__energy_uj": "43000000\n"})
        expected = {
            "cpu.power.limit": 15, "cpu.power.limit_burst": 64, "cpu.time.window": 27983.872, "platform.power": 42,
            "gpu.throttle.power": 1, "gpu.throttle.heat": 0,
        }  # fmt: skip
        self.assertEqual({name: float(found[name]) for name in expected}, expected)

    def test_how_the_machine_is_set_is_told_at_first_and_when_it_changes(self) -> None:
        self.fill(APU)
        process = self.begin("--since-boot")
        assert process.stdout is not None
        header = process.stdout.readline().strip().split(",")
        self.assertEqual(process.stdout.readline(), "# 100.000 set so: platform profile balanced, governor powersave\n")
        heat = {"sys__devices__system__cpu__cpu0__thermal_throttle__core_throttle_total_time_ms": "3500\n"}
        self.tick(5.0, **heat, sys__firmware__acpi__platform_profile="performance\n")
        self.assertEqual(process.stdout.readline(), "# 105.000 platform profile: balanced → performance\n")
        self.assertEqual(row(process, header)["cpu.throttle.heat"], "0.5", "2.5 s of 5")


class TestRights(MetricsCase):
    def listed(self, *before: str) -> dict[str, list[dict[str, object]]]:
        command = [*before, sys.executable, "-I", "-S", str(PROBE), "--root", str(self.root), "--list"]
        done = subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE_S)
        self.said = done.stderr
        found: dict[str, list[dict[str, object]]] = json.loads(done.stdout)
        return found

    @unittest.skipUnless(os.geteuid() == 0, "only root can become somebody else")
    def test_a_plain_user_is_told_whose_the_counter_is_and_root_reads_it(self) -> None:
        self.fill(LAPTOP)
        self.root.chmod(0o755)
        for counter in self.root.rglob("energy_uj"):
            counter.chmod(0o400)
        as_user = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]
        if subprocess.run([*as_user, sys.executable, "-c", ""], capture_output=True).returncode:
            as_user = [*as_user, "/usr/bin/env"]
        plain, whole = self.listed(*as_user), self.listed()
        self.assertEqual([lack["what"] for lack in plain["lacking"]][:1], ["package power"])
        self.assertTrue(plain["lacking"][0]["refused"])
        self.assertEqual({r["readable_by"] for r in plain["refused"]}, {"root only"})
        by_name = {str(c["channel"]): c for c in whole["channels"]}
        self.assertEqual((by_name["cpu.power"]["readable_by"], whole["refused"]), ("root only", []))
        self.assertEqual(by_name["cpu.power.limit"]["readable_by"], "everybody")
        (self.root / DOOR.replace("rapl", "rapl-mmio") / "constraint_0_power_limit_uw").chmod(0o400)
        mixed = {str(c["channel"]): c["readable_by"] for c in self.listed()["channels"]}
        self.assertEqual(mixed["cpu.power.limit"], "root only", "of several files the narrowest tells")

    @unittest.skipUnless(os.geteuid() == 0, "the filter is for a probe with rights")
    def test_a_probe_with_rights_can_do_nothing_but_read(self) -> None:
        tries = {
            "write": f"open({str(self.root / 'x')!r}, 'w')",
            "append": "os.open('/dev/null', os.O_APPEND)",
            "network": "__import__('socket').socket()",
            "program": "os.execv('/bin/true', ['true'])",
            "remove": f"os.rmdir({str(self.root)!r})",
            "rights": f"os.chmod({str(self.root)!r}, 0o777)",
            "end": "os.kill(os.getppid(), 0)",
        }
        code = "import os, socket\nfrom pinch.sources.probe.reading_only import only_read\n"
        code += "only_read()\nopen('/proc/stat').read()\n"
        for what, attempt in tries.items():
            done = subprocess.run([sys.executable, "-c", code + attempt], capture_output=True, text=True)
            self.assertIn("PermissionError", done.stderr, what)
            self.assertNotIn("only reads is its own promise", done.stderr)

    def test_the_ways_to_a_locked_counter_are_told_with_caution_and_undoing(self) -> None:
        self.fill(LAPTOP)
        self.root.chmod(0o755)
        locked = self.root / f"{DOOR}/energy_uj"
        locked.chmod(0o000 if os.geteuid() else 0o400)
        reach = "setpriv --reuid=65534 --regid=65534 --clear-groups /usr/bin/python3 -" if os.geteuid() == 0 else ""
        told = read_sensors(self.root, reach)
        self.assertEqual(told.lacking[0].place, str(locked))
        words = "\n".join(lacking_lines(told))
        for needed in (f"z {locked} 0440 root pinch", "sudo -n python3 -", "Mind: ", "Taken back by: clear the field"):
            self.assertIn(needed, words)
        with self.assertRaisesRegex(PinchError, "no-such-program cannot be started"):
            read_sensors(None, "no-such-program -")
        with self.assertRaisesRegex(PinchError, "cannot be had: it gave no list"):
            read_sensors(None, "echo hello")


class TestRig(MetricsCase):
    def test_the_probe_reads_the_table_of_the_rigs_handheld_as_it_is(self) -> None:
        setting = catalogue.GANNET.setting("20 W")
        sim = SimulatedDevice(catalogue.GANNET, setting)
        sim.start(catalogue.SKERRY)
        sim.advance(120.0)
        tree = pretend_tree(self.root, catalogue.GANNET, setting)
        self.addCleanup(tree.close)
        tree.show(sim.state())
        process = self.begin("--time-scale", "20")
        assert process.stdout is not None
        header = process.stdout.readline().strip().split(",")
        sim.advance(1.0)
        state = sim.state()
        tree.show(state)
        found = row(process, header)
        self.assertAlmostEqual(float(found["soc.power"]), state.power_w, places=3)
        self.assertAlmostEqual(float(found["cpu.temp"]), state.temp_c, delta=0.07)
        self.assertEqual(float(found["soc.power.limit"]), 20.0)
        ruled = {cause: found[f"soc.throttle.{cause}"] for cause in ("power", "burst", "heat")}
        self.assertEqual(ruled, {c: "1" if c == LIMITED_BY[state.truth] else "0" for c in ruled})
        self.assertFalse([name for name in header if name.startswith("cpu.power")])

    def test_last_years_laptop_keeps_its_counter_for_root(self) -> None:
        device = next(d for d in catalogue.DEVICES if d.tells is catalogue.Tells.LOCKED)
        tree = pretend_tree(self.root, device, device.settings[0])
        self.addCleanup(tree.close)
        tree.show(SimulatedDevice(device, device.settings[0]).state())
        self.assertFalse((self.root / f"{DOOR}/energy_uj").stat().st_mode & 0o077)
