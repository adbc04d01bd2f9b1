"""Instruments: the numbers they send, their profiles, and the whole way from a query to a gap."""

import math
import unittest
from functools import partial

from pinch.bench.readings import Instrument, Quantity, Reading
from pinch.bench.records import checked, now
from pinch.core.accuracy import Accuracy
from pinch.core.errors import DataError, PinchError
from pinch.recorder.side import MeterSource
from pinch.rig.meter_stand_in import RigMeter, short_form, wall_w
from pinch.runs.sourcing import meter_at
from pinch.sources.meter import Meter
from pinch.sources.profiles import accuracy_of, profile, profiles, read_profile
from pinch.sources.scpi import read_numbers
from tests.in_folder import InFolder
from tests.waiting import wait_until


class TestNumbers(unittest.TestCase):
    def test_every_numeric_response_form(self) -> None:
        # IEEE 488.2-1992: NR1 8.7.2, NR2 8.7.3, NR3 8.7.4, #H 8.7.5, #Q 8.7.6, #B 8.7.7 (from memory).
        for text, value in (
            ("7", 7.0), ("-12", -12.0), ("+0", 0.0),
            ("12.5", 12.5), ("-.5", -0.5), ("3.", 3.0),
            ("+6.1250E+01", 61.25), ("1.5e-3", 0.0015), ("2 E 3", 2000.0),
            ("#HFF", 255.0), ("#hA", 10.0), ("#Q17", 15.0), ("#B1011", 11.0),
        ):  # fmt: skip
            self.assertEqual(read_numbers(text), [value], text)

    def test_several_numbers_and_none(self) -> None:
        self.assertEqual(read_numbers("20.01,1.500;+3E0\n"), [20.01, 1.5, 3.0])
        # SCPI 1999 7.2.1.4, 7.2.1.5: 9.91E37 is not a number, ±9.9E37 the infinities (from memory).
        for text in ("9.91E37", "9.9E+37", "-9.9E37"):
            self.assertTrue(math.isnan(read_numbers(text)[0]), text)

    def test_what_is_no_number_is_said(self) -> None:
        for text in ("", "OVLD", '-113,"Undefined header"', "1,2E", "#HXY", "12 W", "1B1", "٣"):
            with self.subTest(text=text), self.assertRaisesRegex(PinchError, "not a number"):
                read_numbers(text)


class TestAccuracy(unittest.TestCase):
    def test_bounds_become_a_standard_uncertainty(self) -> None:
        # JCGM 100:2008 4.3.7: half-width a of a rectangular distribution gives a / √3.
        # ± (0.5 % of 61.25 W + 0.1 % of 600 W) = ± 0.90625 W.
        stated = Accuracy(of_reading=0.5, of_range=0.1, range=600.0)
        self.assertAlmostEqual(stated.standard_u(61.25), 0.90625 / math.sqrt(3.0), places=12)
        # JCGM 100:2008 F.2.2.1: a step δx of the display gives 0.29 δx.
        self.assertAlmostEqual(Accuracy(resolution=1.0).standard_u(5.0), 0.29, places=2)
        self.assertAlmostEqual(Accuracy(fixed=3.0, resolution=4.0).standard_u(-9.0), math.sqrt(3.0 + 16 / 12))
        self.assertEqual((Accuracy().stated, Accuracy().standard_u(9.0)), (False, 0.0))

    def test_the_record_wins_over_the_profile(self) -> None:
        bare = Instrument(name="M", profile="ac-power")
        self.assertAlmostEqual(accuracy_of(bare).standard_u(60.0), 0.9 / math.sqrt(3.0))
        own = bare.model_copy(update={"of_reading": 1.0})
        self.assertAlmostEqual(accuracy_of(own).standard_u(60.0), 0.6 / math.sqrt(3.0))
        with self.assertRaisesRegex(PinchError, "a share of the range needs the range"):
            checked(Instrument, "The meter", name="M", of_range=0.1)

    def test_a_reading_lies_within_what_was_seen(self) -> None:
        fields = {"run_id": 1, "taken": now(), "t_s": 3.0, "quantity": Quantity.SURFACE, "value": 41.0}
        self.assertEqual(checked(Reading, "It", **fields, place="palm_rest").channel, "skin.palm_rest.temp")
        with self.assertRaisesRegex(PinchError, "lowest seen is above"):
            checked(Reading, "It", **fields, low=42.0)
        with self.assertRaisesRegex(PinchError, "highest seen is below"):
            checked(Reading, "It", **fields, high=40.0)


class TestProfiles(InFolder):
    def test_those_that_ship_are_read(self) -> None:
        known = profiles(self.folder)
        self.assertGreaterEqual(len(known), 5)
        self.assertTrue(all(p.read and p.title for p in known.values()))
        with self.assertRaisesRegex(PinchError, "no instrument profile 'nothing'; there are ac-power"):
            profile("nothing")

    def test_ones_own_win_and_bad_ones_are_named(self) -> None:
        (self.folder / "mine.json").write_text('{"key": "ac-power", "title": "Mine", "read": ["VAL?"]}')
        self.assertEqual(profiles(self.folder)["ac-power"].title, "Mine")
        for text, reason in (
            ('{"key": "x", "title": "X", "read": []}', "read: "),
            ('{"key": "x",\n "title": }', r"line 2: it is not JSON"),
            ('{"key": "x", "title": "X", "read": ["A?"], "run": "rm"}', "run: there is no such field"),
            ("[" * 100_000, "mine.json"),
        ):
            (self.folder / "mine.json").write_text(text)
            with self.subTest(reason=reason), self.assertRaisesRegex(DataError, reason):
                read_profile(self.folder / "mine.json")


class TestSimulated(unittest.TestCase):
    """PyVISA with PyVISA-sim and with PyVISA-py: the same path as to a real instrument."""

    def test_the_instruments_that_ship(self) -> None:
        for key, address, value in (
            ("ac-power", "sim:TCPIP0::mains::INSTR", 61.25),
            ("dc-volts-amps", "sim:ASRL1::INSTR", 20.01 * 1.5),
            ("thermometer", "sim:ASRL2::INSTR", 41.5),
        ):
            with self.subTest(key=key):
                meter = meter_at(Instrument(name="M", profile=key, address=address))
                self.addCleanup(meter.close)
                self.assertIn("Pinch,simulated", meter.open())
                self.assertAlmostEqual(meter.read(), value)

    def test_another_instrument_than_the_profile_says(self) -> None:
        wanted = profile("thermometer").model_copy(update={"answers": "watt hours"})
        with self.assertRaisesRegex(PinchError, "another instrument than its profile says: 'Pinch,simulated therm"):
            Meter(wanted, "sim:ASRL2::INSTR").open()
        with self.assertRaisesRegex(PinchError, "no address yet"):
            meter_at(Instrument(name="M", profile="ac-power"))
        with self.assertRaisesRegex(PinchError, "does not answer"):
            Meter(wanted, "TCPIP::127.0.0.1::1::SOCKET").open()
        with self.assertRaisesRegex(PinchError, "does not answer"):
            Meter(wanted, "nonsense").open()

    def test_short_headers(self) -> None:
        # SCPI 1999 6.2.1: four letters, three where the fourth is a vowel (from memory).
        for long, short in (
            ("MEASure:SCALar:POWer:AC?", "MEAS:POW:AC?"), ("measure:voltage:dc?", "MEAS:VOLT:DC?"),
            (":FETCh:POWer:AC?", "FETC:POW:AC?"), ("*IDN?", "*IDN?"), ("UNIT:TEMPerature C", "UNIT:TEMP C"),
        ):  # fmt: skip
            self.assertEqual(short_form(long), short)

    def test_a_meter_that_falls_silent_is_a_gap_and_is_asked_again(self) -> None:
        rig = RigMeter(lambda: wall_w(40.0))
        self.addCleanup(rig.close)
        quick = profile("ac-power").model_copy(update={"timeout_s": 0.3})
        find = partial(Meter, quick, f"TCPIP::127.0.0.1::{rig.port}::SOCKET")
        source = MeterSource("Mains meter", "wall.power", find, 0.05)
        self.addCleanup(source.close)
        source.open()
        events: list[str] = []
        got: list[float] = []

        def follow() -> None:
            got.extend(s.values[0] for s in source.read())
            events.extend(source.events())

        wait_until(lambda: len(got) > 3, follow)
        rig.silent = True
        wait_until(lambda: any("Mains meter is silent" in e for e in events), follow)
        self.assertAlmostEqual(got[0], (40.0 + 5.0) / 0.9, places=3)
        got.clear()
        rig.silent = False
        wait_until(lambda: "Mains meter answers again" in events, follow)
        source.close()
        self.assertEqual(source.notes(), ["Mains meter answers: Pinch,rig mains meter,0,1"])
        self.assertEqual(len(events), 2, "said once, not at every try")
