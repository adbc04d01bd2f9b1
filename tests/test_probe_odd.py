"""A tree of sensors written by hand from the kernel's documents, with the oddities that machines really have.

Units and names: Documentation/ABI/testing/sysfs-class-hwmon (m°C, signed), -powercap (µJ, max_energy_range_uj), -power
(µA, µV, µAh; voltage_min_design; temp in tenths of °C; current_now negative while discharging on some drivers).
"""

from pinch.core.channels import is_plausible
from pinch.recorder.child_rows import Sample
from pinch.recorder.processes import WorkProcess
from pinch.sources.graphics import Drawing
from tests.in_folder import InFolder
from tests.test_probe import TreeCase, row
from tests.waiting import wait_until

ODD = {
    "proc/uptime": "100.000 0.00\n",
    "proc/stat": "cpu nothing of use\n",
    "sys/class/hwmon/hwmon0/name": "coretemp\n",
    "sys/class/hwmon/hwmon0/temp1_input": "-12500\n",
    "sys/class/hwmon/hwmon0/temp1_label": "Package id 0\n",
    "sys/class/hwmon/hwmon0/temp2_input": "511000\n",  # no label
    "sys/class/hwmon/hwmon0/temp3_input": "N/A\n",
    "sys/class/hwmon/hwmon0/temp3_label": "Core 0\n",
    "sys/class/hwmon/hwmon0/temp4_input/inside": "",  # a folder in its place cannot be read
    "sys/class/hwmon/hwmon1/temp1_input": "33000\n",  # no name
    "sys/class/hwmon/hwmon1/fan1_input": "0\n",
    "sys/class/hwmon/hwmon1/in0_input": "\n",
    "sys/class/powercap/intel-rapl:0/name": "package-0\n",
    "sys/class/powercap/intel-rapl:0/energy_uj": "65532000000\n",
    "sys/class/powercap/intel-rapl:0/max_energy_range_uj": "65532610987\n",
    "sys/class/powercap/intel-rapl:0:0/name": "core\n",
    "sys/class/powercap/intel-rapl:0:0/energy_uj": "5\n",
    "sys/class/powercap/intel-rapl:0:0/max_energy_range_uj": "garbage\n",
    "sys/class/power_supply/BAT1/type": "Battery\n",
    "sys/class/power_supply/BAT1/status": "Discharging\n",
    "sys/class/power_supply/BAT1/capacity": "71\n",
    "sys/class/power_supply/BAT1/charge_now": "3550000\n",
    "sys/class/power_supply/BAT1/voltage_min_design": "11580000\n",
    "sys/class/power_supply/BAT1/voltage_now": "12000000\n",
    "sys/class/power_supply/BAT1/current_now": "-1500000\n",
    "sys/class/power_supply/BAT1/temp": "314\n",
    "sys/class/power_supply/mouse/type": "Battery\n",
    "sys/class/power_supply/mouse/scope": "Device\n",
    "sys/class/power_supply/mouse/capacity": "9\n",
}


class TestOddTree(TreeCase):
    def test_odd_values_are_passed_on_as_they_are_and_gaps_stay_gaps(self) -> None:
        self.fill(ODD)
        process = self.begin()
        assert process.stdout is not None and process.stderr is not None
        header = process.stdout.readline().strip().split(",")
        energy = {"sys__class__powercap__intel-rapl:0__energy_uj": "10000000\n"}
        self.tick(0.5, **energy)
        found = row(process, header)
        # The counter wraps: 10000000 − 65532000000 + 65532610987 µJ in 0.5 s are 21.22 W.
        # A battery that tells charge: 3.55 Ah × 11.58 V; its draw: 1.5 A × 12 V, positive while it discharges.
        expected = {
            "cpu.temp": -12.5, "cpu.temp.2": 511.0, "hwmon1.temp.1": 33.0, "fan.1.speed": 0.0, "cpu.power": 21.222,
            "battery.charge": 71.0, "battery.energy": 41.109, "battery.power": 18.0, "battery.temp": 31.4,
        }  # fmt: skip
        for channel, value in expected.items():
            self.assertAlmostEqual(float(found[channel]), value, places=3, msg=channel)
        for channel in ("cpu.load", "cpu.core.0.temp", "hwmon1.voltage.0"):
            self.assertEqual(found[channel], "", channel)
        self.assertNotIn("battery.charge.2", header, "a mouse is not the device's battery")
        process.kill()
        self.assertIn("temp4_input is left out", process.stderr.read())

    def test_what_cannot_be_is_noticed_before_a_run(self) -> None:
        self.assertFalse(is_plausible("cpu.temp.2", 511.0, 511.0))
        self.assertFalse(is_plausible("battery.charge", -5.0, -5.0))
        self.assertTrue(is_plausible("cpu.temp", -12.5, -12.5))
        self.assertTrue(is_plausible("cpu.throttle.count", 1e9, 1e9))


class TestCombinedLoad(InFolder):
    def test_it_says_what_draws_or_why_nothing_does(self) -> None:
        from pinch.bench.records import Workload
        from pinch.runs.sourcing import load_command

        work = WorkProcess(load_command(Workload(name="x", one_core=True, graphics=True)))
        self.addCleanup(work.close)
        work.open()
        work.start()
        rates: list[Sample] = []
        wait_until(lambda: work.notes() and rates, lambda: rates.extend(work.read()))
        self.assertRegex(work.notes()[0], "no graphics device here|OpenGL cannot be used|kept busy by")
        self.assertEqual(work.progress().failed, "")

    def test_drawing_is_real(self) -> None:
        """With whatever OpenGL there is, by the processor where there is nothing else."""
        drawing = Drawing()
        self.assertTrue(drawing.by)
        pictures = {drawing.draw() for _ in range(2)}
        self.assertEqual(len(pictures), 2, "frames differ, so they are drawn")
        self.assertEqual(drawing.frames, 2)
