"""The Run page at work: live band, settling, readings, channels, alarms, cut runs."""

import io
import math
import wave
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from pinch.bench import runlogs
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import ExitStatus, Run, live, now
from pinch.core.cooling import HeatFit, time_to_steady_s
from pinch.core.judge import judge
from pinch.core.judged_channels import judged_channels
from pinch.core.known import Known
from pinch.core.runlog import RunLog, Series, runlog_from_columns
from pinch.recorder.course import Course
from pinch.recorder.recorder import News, Phase
from pinch.rig import catalogue
from pinch.rig.device import simulate_run
from pinch.runs.devices import add_rig
from pinch.ui import beeps
from pinch.ui.judge.page import JudgePage
from pinch.ui.run.channel_dialog import ChannelsDialog
from pinch.ui.run.page import RunPage
from pinch.ui.run.reading_dialog import ReadingDialog
from pinch.ui.run.settling import LiveJudge, SoFar, bin_s, heat_so_far, judge_so_far
from pinch.ui.run.state import LiveRun, reading_words
from tests.window_case import WindowCase


class RigCase(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        add_rig(self.session.book)
        self.session.book.save(Instrument(name="Mains meter", profile="ac-power", address="rig"))
        self.session.refresh()
        self.window.show_page(self.window.page(RunPage))
        self.view = self.window.page(RunPage).view

    def start(self, minutes: float = 10.0, pace: int = 1) -> LiveRun:
        self.view.length.setValue(minutes)
        self.view.pace.setCurrentIndex(pace)
        self.wait_for(lambda: bool(self.view.preflight.checks))
        self.view.ask_start()
        self.wait_for(lambda: self.window.page(RunPage).recording.live is not None)
        found = self.window.page(RunPage).recording.live
        assert found is not None
        return found

    def stop(self) -> None:
        self.window.page(RunPage).recording.stop()
        self.wait_for(lambda: not self.session.recording_now and self.view.start.isEnabled())


class TestLive(RigCase):
    def test_meter_frames_band_and_reading_of_one_run(self) -> None:
        self.choose("Gannet", "20 W", "Skerry Run", None)
        self.assertIn("Read along: Mains meter, the frames of the rig.", self.view._how.text())
        recorded = self.start()
        self.wait_for(lambda: {"wall.power", "frame.time", "frame.rate"} <= set(recorded.values))
        self.wait_for(lambda: self.view.live._band is not None)
        self.assertTrue(self.view.live.settling.text())
        self.assertIn("wall.power", self.view.live.values)
        self.assertIn("Mains meter answers", self.window.margin.text)
        self.assertIn("Follow the makers' instructions", self.window.margin.text)
        self.window.show_page(self.window.page(JudgePage))
        self.window.show_page(self.window.page(RunPage))
        self.assertFalse(self.view._fields.isVisible(), "the charts have the room")
        self.stop()
        run = self.session.run
        assert run is not None
        log = runlogs.read_log(self.session.book, run.id or 0)
        frames, work = log.series["frame.time"], log.series["frame.rate"]
        self.assertAlmostEqual(1000.0 / frames.values.mean(), work.values.mean(), delta=0.1 * work.values.mean())
        wall, package = log.series["wall.power"], log.series["soc.power"]
        then = np.interp(wall.t, package.t, package.values)  # a busy machine reads the meter when it can
        self.assertAlmostEqual(float(np.median(wall.values - (then + 5) / 0.9)), 0.0, delta=4.0)
        self.assertTrue(run.before, "what was checked stays with the run")

    def test_an_alarm_is_a_banner_a_sound_a_mark_and_the_end_of_the_load(self) -> None:
        self.choose("Limpet", "Stock", "Tile Render, all cores", None)
        device = self.session.device
        assert device is not None
        self.session.book.save(device.model_copy(update={"alarm_temp_c": 45.0}))
        self.session.refresh()
        with mock.patch.object(beeps, "play") as played:
            self.start(pace=2)
            self.wait_for(lambda: not self.session.recording_now and self.view.start.isEnabled())
        played.assert_called_once_with(beeps.ALARM)
        self.assertIn("Alarm. The load was ended by an alarm: cpu.temp is", self.window.notices.words.text())
        run = self.session.run
        assert run is not None
        self.assertEqual(run.status, ExitStatus.FAILED)
        self.assertIn("alarm", runlogs.read_log(self.session.book, run.id or 0).marks[-1].text)

    def test_channels_stay_with_the_device(self) -> None:
        self.choose("Limpet", "Stock", "Tile Render, all cores", None)
        self.window.safely(self.window.page(RunPage).beside.choose_channels)
        self.assertIn("once a run is recorded", self.window.notices.words.text())
        recorded = self.start()
        self.wait_for(lambda: "fan.1.speed" in recorded.values)
        dialog = ChannelsDialog(sorted(recorded.values), ["cpu.power"], self.window)
        self.assertEqual(dialog.channels, ("cpu.power",))
        for row in range(dialog.list.count()):
            item = dialog.list.item(row)
            assert item is not None
            item.setCheckState(Qt.CheckState.Checked)
        dialog.accept()
        self.assertIn("At most 6", dialog.error.text())
        self.window.page(RunPage).beside.show_channels(("fan.1.speed", "cpu.temp"))
        self.assertEqual(list(self.view.live.values), ["fan.1.speed", "cpu.temp"])
        self.stop()
        device = self.session.device
        assert device is not None
        self.assertEqual(device.shown, ("fan.1.speed", "cpu.temp"))

    def test_a_failing_chart_stops_no_run(self) -> None:
        self.expects_faults = True
        self.choose("Limpet", "Stock", "Tile Render, all cores", None)
        recorded = self.start()
        self.wait_for(lambda: recorded.phase is Phase.LOAD)
        assert self.session.recording is not None
        self.session.recording._recorder.listen(lambda news: 1 / 0)
        before = recorded.t_s
        self.wait_for(lambda: recorded.t_s > before + 20)
        self.assertTrue(self.session.recording_now)
        self.stop()

    def test_a_probe_that_costs_too_much_is_told_of(self) -> None:
        self.window.footer.show_recording("Under load", 0.1, 20, 1.4, 5.0)
        self.assertIn("1.4 % of a core: more than it should", self.window.footer.cost.text())
        self.assertIn("10 Hz · 20 channels · charts every 5 s, samples as usual", self.window.footer.rate.text())
        self.window.footer.show_recording("Under load", 1.0, 20, 0.1, 0.1)
        self.assertEqual(self.window.footer.cost.text(), "probe cost 0.1 % of a core")


class TestSettling(WindowCase):
    def test_when_it_will_have_settled(self) -> None:
        # One time constant: 40 K to go at τ = 100 s are within 2 K after 100 · ln(20) s.
        fit, power = (
            HeatFit(np.array([1.0]), np.array([100.0]), 20.0, 0.1, np.zeros(1), 0.01),
            np.r_[np.zeros(50), np.full(120, 40.0)],
        )
        there = 100.0 * math.log(20.0) - 120.0
        self.assertAlmostEqual(time_to_steady_s(fit, power, 1.0, 2.0), there, delta=1.0)
        self.assertEqual(time_to_steady_s(fit, np.full(900, 40.0), 1.0, 2.0), 0.0)
        self.assertTrue(math.isnan(time_to_steady_s(fit, np.full(9, np.nan), 1.0, 2.0)))

    def test_a_plateau_of_burst_is_not_settled_and_the_band_forms(self) -> None:
        device = catalogue.SANDPIPER
        log = simulate_run(device, device.setting("Full"), catalogue.TILE, 1200).log
        shared, found = {n: s.values for n, s in log.series.items() if n.startswith("cpu.")}, {}
        for seconds in (60, 300, 1200):
            part = runlog_from_columns(*_until(log.series["cpu.power"].t, shared, seconds))
            found[seconds] = judge_so_far(part, Known(), heat_so_far(part))
        first, middle, last = (found[n] for n in (60, 300, 1200))
        assert first is not None and middle is not None and last is not None
        self.assertEqual(first.words, "Not settled yet")
        self.assertEqual(first.band[0].cause, "burst-power")
        self.assertRegex(middle.words, r"Settles in about [2-6] min")
        self.assertRegex(last.words, r"Settled since (\d|1\d):\d\d")

    def test_hours_are_judged_in_the_bins_that_are_kept_of_them(self) -> None:
        long = LiveRun("score.rate", Course(20.0, 9980.0))
        for second in range(10_000):
            watts = 4.0 if second < 20 else 64.0 if second < 60 else 45.0
            values = {
                "cpu.power": watts,
                "cpu.clock": 60.0 * watts,
                "cpu.temp": 62.0 - 30.0 * math.exp(-second / 900.0),
            }
            long.note(News(Phase.LOAD, float(second), values))
        log = long.log(judged_channels(long.series))
        self.assertEqual(bin_s(log), float(long.series["cpu.power"].width))
        self.assertEqual(bin_s(RunLog({n: Series(n, s.t[:300], s.values[:300]) for n, s in log.series.items()})), 1.0)
        found = judge_so_far(log, Known(), None)
        assert found is not None
        self.assertEqual(found.band[-1].cause, "sustained-power")

    def test_a_run_of_which_only_the_parts_are_told_is_judged_while_it_lasts(self) -> None:
        log = simulate_run(catalogue.SANDPIPER, catalogue.SANDPIPER.setting("Full"), catalogue.TILE, 300, seed=3).log
        power = log.series["cpu.power"]
        for name, share in (("cpu.power", 0.4), ("gpu.power", 0.6)):
            log.series[name] = replace(power, channel=name, values=share * power.values)  # type: ignore[index]
        known = Known(shares_budget=True)
        heat = heat_so_far(log, True)
        assert heat is not None
        found = judge_so_far(log, known, heat)
        assert found is not None
        self.assertEqual([s.cause for s in found.band], ["burst-power", "sustained-power"])
        told = judge(log, known).heat
        assert told is not None
        self.assertAlmostEqual(heat.r_th, told.r_th.value, delta=0.1 * told.r_th.value)

    def test_the_beep_comes_once_and_only_when_it_stays_settled(self) -> None:
        judge, heard = LiveJudge(), list[int]()
        judge.settled.connect(lambda: heard.append(1))
        judge.begin(Known(), None)
        for at, since in ((100, 40.0), (110, math.nan), (120, 50.0), (140, 50.0), (151, 50.0), (200, 50.0)):
            judge._done((SoFar(float(at), (), since, 0.0), None, 0.0))
            self.assertEqual(len(heard), int(at > 150), at)
        with mock.patch.object(beeps, "play") as played:
            self.window.page(RunPage)._settled()
            self.window.page(RunPage).view.beep.setChecked(True)
            self.window.page(RunPage)._settled()
        played.assert_called_once_with(beeps.SETTLED)

    def test_tones_are_tones(self) -> None:
        with wave.open(io.BytesIO(beeps.wave_of(((440.0, 0.5),)))) as file:
            samples = np.frombuffer(file.readframes(file.getnframes()), "<i2")
            rate = file.getframerate()
        spectrum = np.abs(np.fft.rfft(samples * np.hanning(len(samples))))
        self.assertAlmostEqual(np.argmax(spectrum) * rate / len(samples), 440.0, delta=2.0)
        self.assertAlmostEqual(np.abs(samples).max(), 0.4 * 32767, delta=20)
        self.assertEqual((samples[0], samples[-1]), (0, 0), "no click at either end")


def _until(t: np.ndarray, columns: dict[str, np.ndarray], end: float) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    have = t <= end
    return t[have], {name: values[have] for name, values in columns.items()}


class TestReadings(RigCase):
    def dialog(self, quantity: Quantity, value: str) -> ReadingDialog:
        dialog = ReadingDialog(1, 95.0, live(self.session.book.instruments()), self.window)
        dialog.quantity.setCurrentIndex(list(Quantity).index(quantity))
        QTest.keyClicks(dialog.value, value)
        return dialog

    def test_a_reading_with_its_uncertainty(self) -> None:
        self.session.book.save(
            Instrument(name="Infrared", measures=Quantity.SURFACE, of_reading=2.0, fixed=1.0, resolution=0.1)
        )
        dialog = self.dialog(Quantity.SURFACE, "45,5")
        dialog.place.setCurrentText("palm rest")
        self.assertEqual(dialog.instrument.currentText(), "Infrared")
        reading = dialog.reading
        # JCGM 100:2008 4.3.7 and F.2.2.1: ± (2 % of 45.5 + 1) and steps of 0.1
        self.assertAlmostEqual(reading.u or 0, math.hypot(1.91 / math.sqrt(3), 0.1 / math.sqrt(12)))
        self.assertEqual((reading.place, reading.channel), ("palm_rest", "skin.palm_rest.temp"))
        self.assertIn("1:35  Surface temperature 45.5 °C ± 1.1 (at palm rest, Infrared)", reading_words(reading))
        self.assertFalse(dialog.distance.isEnabled())

    def test_units_are_read_and_what_could_be_another_is_asked_back_once(self) -> None:
        dialog = self.dialog(Quantity.SURFACE, "104 °F")
        dialog.accept()
        self.assertEqual(dialog.reading.value, 40.0)
        self.assertIn("Press OK once more", dialog.error.text())
        dialog.accept()
        self.assertTrue(dialog.result())
        noisy = self.dialog(Quantity.NOISE, "41.2")
        noisy.distance.setText("50 cm")
        self.assertEqual(noisy.reading.distance_mm, 500.0)
        wrong = self.dialog(Quantity.WALL, "60")
        wrong.low.setText("61")
        wrong.accept()
        self.assertIn("the lowest seen is above the value", wrong.error.text())
        self.assertIn("Mains voltage is dangerous", wrong._caution.text())

    def test_kept_shown_on_both_pages_undone_and_ringing(self) -> None:
        self.window.safely(self.window.page(RunPage).beside.add_reading)
        self.assertIn("A reading belongs to a run", self.window.notices.words.text())
        self.choose("Limpet", "Stock", "Tile Render, all cores", None)
        device = self.session.device
        assert device is not None
        self.session.book.save(device.model_copy(update={"alarm_surface_c": 48.0}))
        self.session.refresh()
        recorded = self.start()
        self.wait_for(lambda: recorded.phase is Phase.LOAD)
        assert self.session.recording is not None
        number = self.session.recording.run.id or 0
        cool = self.dialog(Quantity.SURFACE, "40").reading.model_copy(update={"run_id": number})
        self.window.page(RunPage).beside.keep_reading(cool)
        self.assertEqual(len(self.view.readings.texts), 1)
        with mock.patch.object(beeps, "play") as played:
            self.window.page(RunPage).beside.keep_reading(cool.model_copy(update={"value": 55.0}))
            self.wait_for(lambda: not self.session.recording_now and self.view.start.isEnabled())
        played.assert_called_once()
        self.assertIn("skin.case.temp is 55.0, above 48", self.window.notices.words.text())
        self.window.show_page(self.window.page(JudgePage))
        self.assertIn("Surface temperature 40 °C", self.window.margin.text)
        self.window.show_page(self.window.page(RunPage))
        self.view.readings.removal_wanted.emit(self.session.book.readings(number)[-1].id)
        self.assertEqual([r.value for r in self.session.book.readings(number)], [40.0])
        self.window.undo()
        self.assertEqual(len(self.session.book.readings(number)), 2)


class TestCutRuns(RigCase):
    def cut(self) -> int:
        self.choose("Limpet", "Stock", "Tile Render, all cores", None)
        s = self.session.subject
        ids = {"device_id": s.device_id, "setting_id": s.setting_id, "workload_id": s.workload_id}
        book = self.session.book
        run = book.save(Run(**ids, started=now(), source="rig"))  # type: ignore[arg-type]
        stream = runlogs.add_stream(book, run.id or 0, ["cpu.power", "cpu.load"])
        t = np.arange(1.0, 61.0)
        runlogs.append(book, stream, t, [np.where(t > 15, 35.0, 4.0), np.where(t > 15, 100.0, 2.0)])
        self.session.refresh()
        return run.id or 0

    def test_keep_void_or_continue(self) -> None:
        kept, void = self.cut(), self.cut()
        self.assertTrue(self.view.cut.isVisible())
        self.assertIn("60 samples are kept. One more was.", self.view.cut.words.text())
        with mock.patch.object(QInputDialog, "getText", return_value=("power cut", True)):
            self.view.cut.void.click()
        self.assertEqual(self.session.book.get(Run, void).void, "power cut")
        self.view.cut.keep.click()
        self.assertEqual(self.session.book.get(Run, kept).status, ExitStatus.FAILED)
        self.assertFalse(self.view.cut.isVisible())
        self.assertEqual(len(self.session.book.runs()), 2, "void deletes nothing")
        again = self.cut()
        self.view.length.setValue(0.5)
        self.view.rest.setValue(2)
        self.view.pace.setCurrentIndex(1)
        self.view.cut.resume.click()
        self.wait_for(lambda: self.session.recording_now)
        self.wait_for(lambda: not self.session.recording_now and self.view.start.isEnabled())
        run = self.session.book.get(Run, again)
        self.assertEqual((run.status, len(self.session.book.runs())), (ExitStatus.COMPLETE, 3))
        log = runlogs.read_log(self.session.book, again)
        self.assertGreater(log.span_s[1], 95.0)
        self.assertEqual(log.series["cpu.power"].t[59], 60.0)
