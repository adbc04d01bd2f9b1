"""Programs that print lines: their forms, their names, and what they do wrong; run as the processes they are."""

import csv
import io
import json
import sys
import time
import unittest
from collections.abc import Mapping, Sequence
from unittest import mock

from pinch.bench.parts import LineProgram
from pinch.core.errors import PinchError
from pinch.recorder import line_source
from pinch.recorder.line_source import LineSource
from pinch.recorder.side import SideSample
from pinch.runs.line_programs import naming_by, read_names, source_of
from pinch.sources.line_values import LineValues
from tests.in_folder import InFolder
from tests.waiting import wait_until

STAND_IN = f"{sys.executable} -m pinch.rig.line_stand_in --every 0.02"


class TestForms(unittest.TestCase):
    def test_the_same_numbers_in_every_form(self) -> None:
        """Written by the standard library's own writers, so that nothing here decides what the forms look like."""
        told = {"graphics power": 112.5, "hot spot": 71.0, "fan": 1320.0, "is limited": True}
        for delimiter in ",;\t":
            out = io.StringIO()
            writer = csv.writer(out, delimiter=delimiter)
            writer.writerows([list(told), list(told.values()), list(told), list(told.values())])
            values = LineValues()
            read = [values.read(line) for line in out.getvalue().splitlines()]
            self.assertEqual(read, [{}, told, {}, told], delimiter)
        nested = json.dumps({"graphics": {"power": "112,5 W", "on": True}, "fans": [900, 950], "name": "x"})
        self.assertEqual(
            LineValues().read(nested), {"graphics power": 112.5, "graphics on": 1.0, "fans 0": 900, "fans 1": 950}
        )
        for line in ("power=112.5 W, hot spot=71 °C, fan=on", "power: 112,5 W; hot spot: 71 °C; fan: yes"):
            self.assertEqual(LineValues().read(line), {"power [W]": 112.5, "hot spot [°C]": 71.0, "fan": 1.0}, line)
        self.assertEqual(LineValues().read("power=5 temp=40.5 state=idle"), {"power": 5.0, "temp": 40.5})

    def test_what_is_no_line_of_numbers(self) -> None:
        for good, bad in (
            ("a,b", "1,2,3"),
            ('{"a": 1}', '{"a": 1'),
            ("a=1", "nothing here"),
            ('{"a": 1}', "[" * 100_000),
            ('{"a": 1}', '{"a": 1e999}'),
            ('{"a": 1}', '{"a": ' + "9" * 400 + "}"),
        ):
            values = LineValues()
            self.assertIsNotNone(values.read(good))
            self.assertIsNone(values.read(bad), bad[:20])


class TestNames(InFolder):
    def setUp(self) -> None:
        super().setUp()
        config = mock.patch("platformdirs.user_config_dir", return_value=str(self.folder))
        self.enterContext(config)

    def named(self, meant: str = "", **shown: Sequence[float]) -> tuple[Mapping[str, str], str]:
        columns, said = naming_by(read_names(meant))({n.replace("__", " "): v for n, v in shown.items()})
        return {name: f"{c.channel}*{c.factor:g}" for name, c in columns.items()}, "; ".join(said)

    def test_sure_names_are_channels_and_others_stay_themselves_until_somebody_says(self) -> None:
        shown = {"GPU__Power__[mW]": [90e3, 95e3], "spread": [3.0, 4.0], "temp": [41.0, 42.0], "time": [1.0, 2.0]}
        columns, said = self.named(**shown)
        own = {"GPU Power [mW]": "gpu.power*0.001", "spread": "extra.spread*1", "temp": "extra.temp*1"}
        self.assertEqual(columns, own)
        self.assertIn("temp may be cpu.temp", said)
        self.assertIn("time is left out", said)
        columns, said = self.named("temp = gpu.temp; spread =; hub = soc.temp", **shown)
        self.assertEqual(columns, {"GPU Power [mW]": "gpu.power*0.001", "temp": "gpu.temp*1"})
        self.assertEqual(said.rpartition("; ")[2], "it tells nothing called hub")
        self.assertEqual(self.named(**shown)[0], columns, "the answer is remembered for the same names")
        with self.assertRaisesRegex(PinchError, "cannot both be gpu.power"):
            self.named("spread = gpu.power", **shown)
        for wrong, why in (("temp", "does not say what a name is"), ("temp = hot", "'hot' is not a channel")):
            with self.assertRaisesRegex(PinchError, why):
                read_names(wrong)


class TestSource(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch("platformdirs.user_config_dir", return_value=str(self.folder)))
        self.enterContext(mock.patch.multiple(line_source, LEARN_S=0.3, SILENT_S=0.6, RETRY_S=0.1))
        self.samples: list[SideSample] = []
        self.notes: list[str] = []
        self.events: list[str] = []

    def follow(self, options: str, until: str = "", count: int = 10) -> LineSource:
        source = source_of(LineProgram(name="Card", command=f"{STAND_IN} {options}"))
        source.open()
        self.addCleanup(source.close)

        def take() -> None:
            self.samples += source.read()
            self.notes += source.notes()
            self.events += source.events()

        wait_until(lambda: len(self.samples) >= count and until in " ".join([*self.notes, *self.events]), take)
        return source

    def test_each_form_becomes_channels(self) -> None:
        for form, channels in (
            ("csv", ("gpu.power", "gpu.temp", "extra.bus")),
            ("keys", ("gpu.power", "gpu.temp", "extra.bus")),
            ("json", ("gpu.power", "extra.card_bus")),
        ):
            self.samples.clear()
            source = self.follow(f"--form {form}")
            self.assertEqual(source.channels, channels)
            self.assertTrue(all(94.0 < s.values[0] < 126.0 and s.values[-1] == 16.0 for s in self.samples))
            source.close()

    def test_one_that_dies_is_started_again_and_the_gap_is_told(self) -> None:
        self.follow("--lines 5", "is started again", count=8)
        self.assertEqual(self.events[0], "Card has ended: it gave no reason; it is started again in 0 s")

    def test_garbage_floods_and_silence_leave_a_gap_and_one_sentence(self) -> None:
        self.follow("--mishap garbage --form json", "hold no numbers", count=12)
        self.assertEqual(sum("hold no numbers" in note for note in self.notes), 1)
        self.samples.clear()
        self.follow("--mishap hang --lines 10", "Card says nothing more", count=5)
        self.samples.clear()
        begun = time.monotonic()
        self.follow("--mishap flood --lines 20000", "more than 100 lines a second", count=20)
        self.assertLess(len(self.samples), 130 * (2.0 + time.monotonic() - begun))

    def test_what_cannot_be_started_is_said_before_the_run(self) -> None:
        for command, why in (("", "There is no command ''"), ("no-such", "'no-such'"), ("'open", "cannot be read")):
            with self.assertRaisesRegex(PinchError, why):
                source_of(LineProgram(name="Card", command=command))
