"""The probe and the load, run as the processes they are, on trees made after the kernel's documentation."""

import contextlib
import csv
import io
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from itertools import pairwise
from pathlib import Path

import psutil

from pinch.bench.records import LoadKind
from pinch.recorder.processes import WorkProcess
from pinch.rig import catalogue
from pinch.rig.device import SimulatedDevice
from pinch.rig.tree import ENERGY_RANGE_UJ, PretendTree
from pinch.sources.graphics import Drawing, draw_until
from pinch.sources.load_kit import KIT
from pinch.sources.probe.bundle import program
from pinch.sources.probe.kernel_files import SensorFile, fetch_each
from pinch.sources.probe.kernel_numbers import CELLS, Scaled
from pinch.sources.probe.sampling import next_row
from tests.waiting import PATIENCE_S, wait_until

PROBE = Path(__file__).parent.parent / "src" / "pinch" / "sources" / "probe"

# Units after Documentation/ABI/testing/sysfs-class-hwmon, -powercap, -thermal and -power: m°C, µW, mV, mA, rpm, µJ,
# kHz (cpufreq), µV, µA, µWh.
TREE = {
    "proc/uptime": "100.000 0.00\n",
    "proc/stat": "cpu  1000 0 0 9000 0 0 0 0 0 0\ncpu0 1 1 1 1\n",
    "sys/class/hwmon/hwmon0/name": "k10temp\n",
    "sys/class/hwmon/hwmon0/temp1_input": "64250\n",
    "sys/class/hwmon/hwmon0/temp1_label": "Tctl\n",
    "sys/class/hwmon/hwmon1/name": "amdgpu\n",
    "sys/class/hwmon/hwmon1/temp1_input": "58000\n",
    "sys/class/hwmon/hwmon1/temp1_label": "edge\n",
    "sys/class/hwmon/hwmon1/power1_average": "17500000\n",
    "sys/class/hwmon/hwmon1/power1_label": "PPT\n",
    "sys/class/hwmon/hwmon1/freq1_input": "1800000000\n",
    "sys/class/hwmon/hwmon1/freq1_label": "sclk\n",
    "sys/class/hwmon/hwmon1/in0_input": "850\n",
    "sys/class/hwmon/hwmon1/in0_label": "vddgfx\n",
    "sys/class/hwmon/hwmon2/name": "board\n",
    "sys/class/hwmon/hwmon2/fan1_input": "2450\n",
    "sys/class/hwmon/hwmon2/curr1_input": "1315\n",
    "sys/class/powercap/intel-rapl:0/name": "package-0\n",
    "sys/class/powercap/intel-rapl:0/energy_uj": "262143000000\n",
    "sys/class/powercap/intel-rapl:0/max_energy_range_uj": "262143328850\n",
    "sys/class/powercap/intel-rapl-mmio:0/name": "package-0\n",
    "sys/class/powercap/intel-rapl-mmio:0/energy_uj": "5\n",
    "sys/devices/system/cpu/cpu0/cpufreq/scaling_cur_freq": "3200000\n",
    "sys/devices/system/cpu/cpu1/cpufreq/scaling_cur_freq": "1600000\n",
    "sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count": "3\n",
    "sys/devices/system/cpu/cpu1/thermal_throttle/core_throttle_count": "4\n",
    "sys/class/thermal/thermal_zone0/type": "acpitz\n",
    "sys/class/thermal/thermal_zone0/temp": "41000\n",
    "sys/class/power_supply/BAT0/type": "Battery\n",
    "sys/class/power_supply/BAT0/status": "Charging\n",
    "sys/class/power_supply/BAT0/capacity": "84\n",
    "sys/class/power_supply/BAT0/energy_now": "50200000\n",
    "sys/class/power_supply/BAT0/current_now": "1315789\n",
    "sys/class/power_supply/BAT0/voltage_now": "11400000\n",
    "sys/class/power_supply/ADP1/type": "Mains\n",
    "sys/class/power_supply/ADP1/online": "1\n",
    "sys/class/drm/card0/device/gpu_busy_percent": "97\n",
}


class TreeCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root = Path(folder.name)

    def fill(self, files: dict[str, str]) -> None:
        for name, text in files.items():
            (self.root / name).parent.mkdir(parents=True, exist_ok=True)
            (self.root / name).write_text(text)

    def begin(self, *options: str) -> "subprocess.Popen[str]":
        command = [sys.executable, "-I", "-S", str(PROBE), "--root", str(self.root), "--interval", "0.05", *options]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        self.addCleanup(_end, process)
        return process

    def tick(self, seconds: float, **changes: str) -> None:
        """Move the tree's clock on, other files first, the clock blank meanwhile."""
        now = float((self.root / "proc/uptime").read_text().split()[0])
        (self.root / "proc/uptime").write_text("")
        for name, text in changes.items():
            (self.root / name.replace("__", "/")).write_text(text)
        (self.root / "proc/uptime").write_text(f"{now + seconds:.3f} 0.00\n")


def _end(process: "subprocess.Popen[str] | subprocess.Popen[bytes]") -> None:
    process.kill()
    process.communicate()


def row(process: "subprocess.Popen[str]", header: list[str]) -> dict[str, str]:
    assert process.stdout is not None
    return dict(zip(header, process.stdout.readline().strip().split(","), strict=True))


class TestSensors(TreeCase):
    def test_every_kind_of_sensor_in_its_unit(self) -> None:
        self.fill(TREE)
        process = self.begin()
        assert process.stdout is not None
        header = process.stdout.readline().strip().split(",")
        time.sleep(0.2)
        energy = {"sys__class__powercap__intel-rapl:0__energy_uj": "1000000\n"}
        self.tick(0.5, **energy, proc__stat="cpu  1300 0 0 9100 0 0 0 0 0 0\n")
        found = row(process, header)
        # The counter wraps (units and range: sysfs-class-powercap; the wrap itself: common practice, no source):
        # 1000000 − 262143000000 + 262143328850 µJ in 0.5 s are 2.6577 W.
        expected = {
            "t_s": 0.5, "cpu.load": 75.0, "cpu.power": 2.658, "cpu.clock": 2400, "cpu.core.0.clock": 3200,
            "cpu.core.1.clock": 1600, "cpu.temp": 64.25, "gpu.temp": 58, "gpu.power": 17.5, "gpu.clock": 1800,
            "gpu.voltage.vddgfx": 0.85, "fan.1.speed": 2450, "board.current.1": 1.315, "board.temp.acpitz": 41,
            "cpu.throttle.count": 7, "battery.charge": 84, "battery.energy": 50.2, "battery.power": -15.0,
            "mains.online": 1, "gpu.load": 97,
        }  # fmt: skip
        for channel, value in expected.items():
            self.assertAlmostEqual(float(found[channel]), value, places=3, msg=channel)
        self.assertEqual([c for c in header if c.startswith("cpu.power")], ["cpu.power"], "one door to one counter")

    def test_a_file_that_vanishes_is_a_gap_and_said_once(self) -> None:
        self.fill(TREE)
        # A file of the kernel that vanishes while it is open: a number below /proc of a process that ends.
        brief = subprocess.Popen(["sleep", "60"])
        self.addCleanup(_end, brief)
        (self.root / "sys/class/hwmon/hwmon0/temp1_input").unlink()
        (self.root / "sys/class/hwmon/hwmon0/temp1_input").symlink_to(f"/proc/{brief.pid}/oom_score")
        process = self.begin("--duration", "1.5")
        assert process.stdout is not None and process.stderr is not None
        header = process.stdout.readline().strip().split(",")
        _end(brief)
        for _ in range(3):
            self.tick(0.5)
            found = row(process, header)
            self.assertEqual(found["cpu.temp"], "")
            self.assertEqual(float(found["gpu.temp"]), 58.0)
        said = process.stderr.read()
        self.assertEqual(said.count("cannot be read any more"), 1)

    def test_a_reset_counter_is_a_gap(self) -> None:
        self.fill({**TREE, "sys/class/powercap/intel-rapl:0/energy_uj": "9000000\n"})
        process = self.begin()
        assert process.stdout is not None
        header = process.stdout.readline().strip().split(",")
        self.tick(0.5, **{"sys__class__powercap__intel-rapl:0__energy_uj": "5\n"})
        self.assertEqual(row(process, header)["cpu.power"], "")
        self.tick(0.5, **{"sys__class__powercap__intel-rapl:0__energy_uj": "10000005\n"})
        self.assertEqual(float(row(process, header)["cpu.power"]), 20.0)

    def test_a_bare_machine_records_what_it_has_and_says_what_is_missing(self) -> None:
        self.fill({"proc/stat": TREE["proc/stat"]})
        process = self.begin("--duration", "0.2")
        out, err = process.communicate(timeout=PATIENCE_S)
        rows = list(csv.reader(io.StringIO(out)))
        self.assertEqual(rows[0], ["t_s", "cpu.load", "probe.load"])
        self.assertGreaterEqual(len(rows), 4)
        for missing in ("package power", "processor temperature", "processor clock"):
            self.assertIn(f"no {missing}", err)

    def test_a_number_that_comes_again_is_written_as_before_and_few_are_kept(self) -> None:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "temp1_input"
        path.write_text("0\n")
        sensor = Scaled(SensorFile(str(path)), 0.001)
        for n in [*range(3 * CELLS), 7, 7, 0]:
            path.write_text(f"{n}\n")
            fetch_each([sensor.file])
            self.assertEqual(float(sensor.cell(1.0)), n / 1000)
            self.assertLessEqual(len(sensor.cells), CELLS)
        path.write_text("")
        fetch_each([sensor.file])
        self.assertEqual(sensor.cell(1.0), "")

    def test_wrong_use(self) -> None:
        for options in (["--root", "/no/such/folder"], ["--interval", "-1"], ["--interval", "x"]):
            done = subprocess.run([sys.executable, str(PROBE), *options], capture_output=True, text=True)
            self.assertEqual(done.returncode, 2)
            self.assertNotIn("Traceback", done.stderr)

    def test_absolute_schedule_on_this_machine(self) -> None:
        # A busy machine may wake it late now and then; a schedule that creeps is late in every try.
        command = [sys.executable, "-I", "-S", str(PROBE), "--interval", "0.05", "--duration", "2"]
        median_off = 1.0
        for _ in range(4):
            done = subprocess.run(command, capture_output=True, text=True)
            t = [float(r[0]) for r in list(csv.reader(io.StringIO(done.stdout)))[1:]]
            off = sorted(abs((x + 0.025) % 0.05 - 0.025) for x in t[len(t) // 2 :])
            median_off = min(median_off, off[len(off) // 2])
        self.assertLess(median_off, 0.008)

    def test_a_row_that_came_late_is_followed_by_the_next_that_is_apart(self) -> None:
        for begun, now, wanted in (
            (0.0, 0.01, 1),
            (7.0001, 7.02, 8),
            (7.7, 7.72, 8),
            (7.97, 7.98, 9),  # held up by the host: the row that is due stands 0.03 of an interval behind it
            (9.43, 9.44, 10),
            (7.01, 7.9, 8),  # sensors that take long to answer, with time to the next row and without
            (7.01, 8.6, 9),
        ):
            with self.subTest(begun=begun, now=now):
                self.assertEqual(next_row(begun, now), wanted)

    def test_it_stands_alone_and_ends_with_its_reader(self) -> None:
        whole = self.root / "program.py"
        whole.write_text(program())
        source = self.enterContext(open(whole))
        process = subprocess.Popen(
            [sys.executable, "-I", "-S", "-", "--interval", "0.05"],
            stdin=source,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        assert process.stdout is not None
        process.stdout.readline()
        process.stdout.close()
        self.assertEqual(process.wait(PATIENCE_S), 0)


class TestPretendTree(TreeCase):
    def test_the_probe_reads_the_rig_as_it_is(self) -> None:
        sim = SimulatedDevice(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Even"))
        sim.start(catalogue.TILE)
        tree = PretendTree(self.root, catalogue.SANDPIPER)
        self.addCleanup(tree.close)
        tree.show(sim.state())
        process = self.begin("--time-scale", "20")
        assert process.stdout is not None
        header = process.stdout.readline().strip().split(",")
        before = sim.state().energy_j
        sim.advance(1.0)
        state = sim.state()
        tree.show(state)
        found = row(process, header)
        self.assertAlmostEqual(float(found["cpu.power"]), state.energy_j - before, places=2)
        self.assertAlmostEqual(float(found["cpu.clock"]), state.clock_mhz, places=2)
        self.assertAlmostEqual(float(found["cpu.temp"]), state.temp_c, delta=0.13)
        self.assertAlmostEqual(float(found["cpu.load"]), 100.0, delta=0.3)
        self.assertAlmostEqual(float(found["fan.1.speed"]), state.fan_rpm, delta=0.6)

    def test_its_counter_wraps_like_a_real_one(self) -> None:
        tree = PretendTree(self.root, catalogue.SANDPIPER)
        self.addCleanup(tree.close)
        sim = SimulatedDevice(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Even"))
        sim._energy = ENERGY_RANGE_UJ * 1e-6 + 5.0
        tree.show(sim.state())
        shown = float((self.root / "sys/class/powercap/intel-rapl:0/energy_uj").read_text())
        self.assertAlmostEqual(shown, 5e6, delta=1)


COMMAND = (sys.executable, "-m", "pinch.sources.load", "--threads", "2", "--interval", "0.1")


class TestLoad(unittest.TestCase):
    def children(self, pid: int) -> list[psutil.Process]:
        with contextlib.suppress(psutil.NoSuchProcess):
            return psutil.Process(pid).children(recursive=True)
        return []

    def test_it_reports_a_rate_only_under_load(self) -> None:
        work = WorkProcess(COMMAND)
        work.open()
        self.addCleanup(work.close)
        time.sleep(1.0)
        self.assertEqual(work.read(), [])
        work.start()
        rates: list[float] = []
        wait_until(lambda: sum(r > 10 for r in rates) >= 4, lambda: rates.extend(s.values[0] for s in work.read()))
        work.stop()
        time.sleep(0.3)
        work.read()
        time.sleep(0.3)
        self.assertEqual(work.read(), [])

    def test_it_never_outlives_whoever_started_it(self) -> None:
        # The load's parent is killed outright, as a crashing Pinch would be.
        parent = subprocess.Popen(
            [sys.executable, "-c", "import subprocess, sys, time\n"
             f"p = subprocess.Popen({COMMAND!r}, stdin=subprocess.PIPE, text=True, stdout=subprocess.DEVNULL)\n"
             "p.stdin.write('start\\n'); p.stdin.flush(); print(p.pid, flush=True); time.sleep(60)"],
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert parent.stdout is not None
        load = int(parent.stdout.readline())
        wait_until(lambda: len(self.children(load)) == 2)
        workers = self.children(load)
        os.kill(parent.pid, signal.SIGKILL)
        parent.wait()
        parent.stdout.close()
        gone, alive = psutil.wait_procs(workers, timeout=PATIENCE_S)
        self.assertEqual((len(gone), alive), (2, []))

    def test_workers_die_with_a_killed_master(self) -> None:
        process = subprocess.Popen(COMMAND, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)
        assert process.stdin is not None
        process.stdin.write("start\n")
        process.stdin.flush()
        wait_until(lambda: len(self.children(process.pid)) == 2)
        workers = self.children(process.pid)
        process.kill()
        process.wait()
        process.stdin.close()
        _, alive = psutil.wait_procs(workers, timeout=PATIENCE_S)
        self.assertEqual(alive, [])


class TestKit(unittest.TestCase):
    def four_of(self, work: WorkProcess) -> list[float]:
        rates: list[float] = []
        wait_until(lambda: len(rates) >= 4, lambda: rates.extend(s.values[0] for s in work.read()))
        return rates

    def test_each_part_does_what_it_says(self) -> None:
        """Rates against what the machine can do at all: light use is the same everywhere, memory is no disk."""
        self.assertEqual(set(KIT), {str(kind) for kind in LoadKind})
        for kind, low, high in (("light", 12.0, 20.0), ("memory", 0.5, 2000.0)):
            work = WorkProcess([*COMMAND[:3], "--kind", kind, "--threads", "1", "--interval", "0.5"])
            work.open()
            self.addCleanup(work.close)
            work.start()
            rates = self.four_of(work)
            work.close()
            self.assertTrue(low <= sorted(rates)[len(rates) // 2] <= high, (kind, rates))

    def test_a_scene_tells_its_frames_and_idle_does_nothing(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            gone, frames = threading.Event(), Path(folder) / "frames.csv"
            threading.Timer(1.0, gone.set).start()
            drawing = Drawing()
            draw_until(gone, drawing, str(frames))
            rows = list(csv.DictReader(frames.open()))
        self.assertEqual(len(rows), drawing.frames)
        gaps = [1000.0 * (float(b["t_s"]) - float(a["t_s"])) - float(b["frame_ms"]) for a, b in pairwise(rows)]
        self.assertLess(max(map(abs, gaps), default=0.0), 0.01)
        idle = WorkProcess([*COMMAND[:3], "--kind", "idle"])
        idle.open()
        self.addCleanup(idle.close)
        idle.start()
        time.sleep(1.5)
        self.assertEqual((idle.read(), idle.progress().failed), ([], ""))
