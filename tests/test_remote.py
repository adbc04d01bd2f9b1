"""Another computer as the device, with a local shell as the transport."""

import os
import signal
import time
from unittest import mock

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import create_book
from pinch.bench.records import Device, ExitStatus, Run, Runner, Setting, Workload
from pinch.core.errors import PinchError
from pinch.core.runlog import gaps_of
from pinch.recorder import remote
from pinch.recorder.child_rows import Sample
from pinch.recorder.remote import RemoteProbe
from pinch.runs.consent import ConsentError, agree, wishes_of
from pinch.runs.devices import ALL_CORES
from pinch.runs.recording import Recording, begin_recording
from pinch.runs.sourcing import RunRequest
from tests.in_folder import CommandCase, InFolder
from tests.waiting import PATIENCE_S, wait_until

LINK = "sh -c 'exec python3 -'"


class TestLink(InFolder):
    def link(self, words: str = LINK) -> RemoteProbe:
        probe = RemoteProbe(words, 0.1)
        self.addCleanup(probe.close)
        return probe

    def read(self, probe: RemoteProbe, samples: int) -> list[Sample]:
        found: list[Sample] = []
        wait_until(lambda: len(found) >= samples, lambda: found.extend(probe.read(0.1)))
        return found

    def test_the_probe_runs_there_with_nothing_installed(self) -> None:
        probe = self.link()
        channels = probe.open()
        self.assertIn("cpu.load", channels)
        samples = self.read(probe, 5)
        self.assertTrue(all(len(s.values) == len(channels) for s in samples))
        here = time.clock_gettime(time.CLOCK_BOOTTIME)
        self.assertAlmostEqual(samples[-1].clock_s, here, delta=5.0)

    def test_a_link_that_breaks_is_set_up_again(self) -> None:
        with mock.patch.object(remote, "RETRY_S", 0.3):
            probe = self.link()
            probe.open()
            before = self.read(probe, 3)[-1]
            assert probe._process is not None
            os.killpg(probe._process.pid, signal.SIGKILL)
            after = self.read(probe, 3)
        self.assertGreater(after[-1].clock_s, before.clock_s)
        told = [n for n in probe.notes() if "link" in n]
        self.assertEqual(len(told), 2, told)
        self.assertIn("is lost", told[0])
        self.assertIn("is back", told[1])

    def test_a_link_that_falls_silent_is_broken_off(self) -> None:
        with mock.patch.object(remote, "SILENT_S", 0.6), mock.patch.object(remote, "RETRY_S", 0.2):
            probe = self.link()
            probe.open()
            self.read(probe, 2)
            assert probe._process is not None
            os.killpg(probe._process.pid, signal.SIGSTOP)
            self.read(probe, 3)
        self.assertIn("the link to the device is back", probe.notes())

    def test_what_cannot_be_reached_is_said(self) -> None:
        for words, reason in (
            ("sh -c 'echo no route to the device >&2; exit 255'", "no route to the device"),
            ("there-is-no-such-transport", "there-is-no-such-transport cannot be started"),
            ("sh -c 'unfinished", "cannot be read: No closing quotation"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(PinchError, reason):
                self.link(words).open()

    def test_a_device_that_was_restarted_ends_the_run(self) -> None:
        probe = self.link()
        probe._channels, probe._places = ("cpu.load",), [0]
        self.assertEqual(probe._sample(Sample(1000.0, (5.0,))).values, (5.0,))
        with self.assertRaisesRegex(PinchError, "has been restarted"):
            probe._sample(Sample(12.0, (5.0,)))

    def test_a_sensor_that_is_gone_afterwards_leaves_its_cells_empty(self) -> None:
        probe = self.link()
        probe._channels = ("cpu.load", "cpu.temp")
        probe._meet(("fan.1.speed", "cpu.temp"))
        sample = probe._sample(Sample(9.0, (1200.0, 50.0)))
        self.assertEqual(sample.values[1], 50.0)
        self.assertNotEqual(sample.values[0], sample.values[0], "NaN")


class TestRun(CommandCase):
    def test_stop_ends_it_within_two_seconds_also_while_the_link_opens(self) -> None:
        book = create_book(self.folder / "a.pinch")
        self.addCleanup(book.close)
        device = book.save(Device(name="Bench box", reach="sh -c 'echo Welcome; trap \"\" TERM; exec sleep 60'"))
        setting = book.save(Setting(device_id=device.id, name="Default"))
        work = book.save(Workload(name="By hand", runner=Runner.HAND))
        agree(book.path, wishes_of(device))
        recording = begin_recording(book, RunRequest(device, setting, work, 60.0, 0.5))
        self.assertFalse(recording.wait(1.0))
        begun = time.monotonic()
        recording.stop()
        self.assertTrue(recording.wait(PATIENCE_S))
        self.assertLess(time.monotonic() - begun, 2.0)
        self.assertEqual(recording.status, ExitStatus.STOPPED)

    def test_a_run_over_a_link_that_breaks_has_a_gap(self) -> None:
        book = create_book(self.folder / "a.pinch")
        self.addCleanup(book.close)
        device = book.save(Device(name="Bench box", reach=LINK))
        setting = book.save(Setting(device_id=device.id or 0, name="Default"))
        work = book.save(Workload(name="By hand", runner=Runner.HAND))
        request = RunRequest(device, setting, work, 60.0, 0.5, interval_s=0.1)
        with self.assertRaisesRegex(ConsentError, "reach Bench box with the command: sh -c"):
            begin_recording(book, request)
        self.assertEqual(book.runs(), [], "what was not agreed to is not begun")
        agree(book.path, wishes_of(device))
        with mock.patch.object(remote, "RETRY_S", 1.0):
            recording = begin_recording(book, request)
            self.addCleanup(recording.wait, PATIENCE_S)
            self.addCleanup(recording.stop)
            wait_until(lambda: self.rows(book, recording) > 10)
            probe = recording._recorder._samples
            assert isinstance(probe, RemoteProbe) and probe._process is not None
            os.killpg(probe._process.pid, signal.SIGKILL)
            there = self.rows(book, recording)
            wait_until(lambda: self.rows(book, recording) > there + 10)
            recording.finish()
            self.assertTrue(recording.wait(PATIENCE_S))
        run = book.get(Run, recording.run.id or 0)
        self.assertEqual((run.status, run.source), (ExitStatus.COMPLETE, "another computer"))
        gaps = gaps_of(runlogs.read_log(book, run.id or 0).series["cpu.load"])
        self.assertTrue(
            any(gap.end_s - gap.start_s >= 1.0 for gap in gaps), "as long as it waits before it tries again"
        )

    def test_on_the_command_line(self) -> None:
        status, _, err = self.run_command(
            "record", "--book", self.folder / "b.pinch", "--reach", LINK, "--workload", ALL_CORES.name
        )
        self.assertEqual(status, 2)
        self.assertIn("The built-in load runs on this computer only", err)

    @staticmethod
    def rows(book: Book, recording: Recording) -> int:
        return runlogs.log_size(book, recording.run.id or 0)[1]
