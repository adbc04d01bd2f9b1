"""What people type: units, comma and dot, questions; and entering it into records."""

import unittest

from scipy import constants

from pinch.bench.entry import _FACTORS, factor_between, read_day, read_pixels, read_quantity
from pinch.bench.parts import Battery, Claims, Cores
from pinch.bench.plausibility import (
    device_questions,
    is_raised,
    protocol_questions,
    setting_questions,
    workload_questions,
)
from pinch.bench.records import Device, Form, Protocol, Setting, Workload
from pinch.core.errors import PinchError
from pinch.ui.bench import entering
from pinch.ui.bench.field_widgets import Kind, field_at, part_fields, text_at
from pinch.ui.bench.state import SECTIONS, VARIANT_SECTIONS


class TestQuantities(unittest.TestCase):
    def test_units_typed_in(self) -> None:
        for text, unit, value in (
            *(("28 W", "W", 28.0), ("1,4 kg", "kg", 1.4), ("2 h 30", "s", 9000.0), ("2h30min", "min", 150.0)),
            *(("1:05:00", "s", 3900.0), ("90:00", "min", 90.0), ("-0.05 V", "mV", -50.0), ("−50", "mV", -50.0)),
            *(("2,54 cm", "in", 1.0), ("172,8 kJ", "Wh", 48.0), ("300 nits", "cd/m²", 300.0), ("7", "", 7.0)),
        ):
            with self.subTest(text):
                entry = read_quantity(text, unit)
                self.assertAlmostEqual(entry.value, value)
                self.assertEqual(entry.question, "")

    def test_every_unit_is_what_scipy_has_for_it(self) -> None:
        si = dict.fromkeys(("w", "j", "s", "sec", "hz", "v", "m", "b", "t/s", "k", "%", "fps", "db(a)", "cd/m²"), 1.0)
        si |= {"wh": constants.hour, "h": constants.hour, "min": constants.minute, "in": constants.inch}
        si |= {"g": constants.gram, "lb": constants.pound, "oz": constants.oz, "ib": constants.gibi / constants.giga}
        alike = {"lbs": "lb", "mt": "mt/s", "°c": "k", "c": "k"} | dict.fromkeys(("dba", "db"), "db(a)")
        alike |= dict.fromkeys(("inch", "inches", "zoll", '"', "″"), "in") | dict.fromkeys(("watt", "watts"), "w")
        alike |= dict.fromkeys(("cd/m2", "nits", "nit"), "cd/m²")
        prefix = {"k": constants.kilo, "g": constants.giga, "t": constants.tera, "c": constants.centi}

        def of(name: str, field: str) -> float:
            name = "min" if (name, field) == ("m", "min") else alike.get(name, name)
            upper = (
                constants.mega if field in ("MHz", "GB", "MT/s") else constants.milli
            )  # what a small m stands for there
            return si[name] if name in si else {**prefix, "m": upper}[name[0]] * si[name[1:]]

        for field, names in _FACTORS.items():
            for name, factor in names.items():
                wanted = of(name, field) / of(field.casefold(), field)
                self.assertAlmostEqual(factor / wanted, 1.0, msg=f"{name} of {field}")

    def test_separators(self) -> None:
        for text, value in (("1.234,5", 1234.5), ("1,234.5", 1234.5), ("1'234", 1234.0), ("1 234,5", 1234.5)):
            with self.subTest(text):
                self.assertEqual(read_quantity(text, "MHz").value, value)

    def test_what_could_be_meant_otherwise_is_asked_back(self) -> None:
        self.assertEqual(read_quantity("95 °F", "°C").value, 35.0)
        for unit, to, factor in (
            ("fps", "1/s", 1.0),
            ("PTS", "points", 1.0),
            ("dB", "dB(A)", 1.0),
            ("fps", "pt", None),
        ):
            self.assertEqual(factor_between(unit, to), factor)
        self.assertIn("was °F meant", read_quantity("95 °F", "°C").question)
        self.assertIn("kelvin", read_quantity("300 K", "°C").question)
        self.assertEqual(read_quantity("3,200", "MHz").value, 3.2)
        self.assertIn("3200", read_quantity("3,200", "MHz").question)
        self.assertEqual(read_quantity("0.125", "kg").question, "")

    def test_what_is_no_number_or_of_another_kind(self) -> None:
        for text, unit, words in (
            ("fast", "W", "not a number in W"),
            ("28 V", "W", "'V' does not belong here"),
            ("5 W", "", "plain number"),
            ("28 W extra", "W", "does not belong"),
            ("", "W", "not a number"),
        ):
            with self.subTest(text), self.assertRaisesRegex(PinchError, words):
                read_quantity(text, unit)

    def test_pixels_and_days(self) -> None:
        self.assertEqual(read_pixels(" 1920 x 1080 px"), "1920×1080")
        self.assertEqual(read_day("1.9.2026"), "2026-09-01")
        self.assertEqual(read_day("2026-09-01"), "2026-09-01")
        for wrong in ("2026-02-30", "09/01/2026", "soon", "31.2.2026"):
            with self.subTest(wrong), self.assertRaises(PinchError):
                read_day(wrong)
        with self.assertRaises(PinchError):
            read_pixels("full")


class TestFields(unittest.TestCase):
    def test_every_field_of_the_forms_is_in_the_models(self) -> None:
        for model, sections in SECTIONS.items():
            for path in (f for s in sections for f in s.fields):
                field = field_at(model, path)
                self.assertTrue(field.caption, path)
                if field.kind is Kind.ROWS:
                    assert field.part is not None
                    self.assertTrue(part_fields(field.part))

    def test_every_field_of_the_models_is_in_the_forms(self) -> None:
        hidden = {"kept_id", "archived", "device_id", "rig", "local", "untold", "shown", "one_core", "variant_of"}
        for model, sections in SECTIONS.items():
            shown = {f.partition(".")[0] for s in (*sections, *VARIANT_SECTIONS) for f in s.fields}
            self.assertEqual(set(model.model_fields) - hidden - shown, set(), model)

    def test_units_come_from_the_model(self) -> None:
        for path, unit in (("memory.speed_mts", "MT/s"), ("battery.full_wh", "Wh"), ("temp_limit_c", "°C")):
            self.assertEqual(field_at(Device, path).unit, unit)
        self.assertEqual(field_at(Workload, "length_s").unit, "s")
        self.assertEqual(field_at(Protocol, "cool_within_k").unit, "K")


class TestEntering(unittest.TestCase):
    def test_a_value_is_taken_in_anywhere(self) -> None:
        device = Device(name="Gannet", cores=(Cores(), Cores()))
        for path, text, shown in (
            ("mass_kg", "690 g", "0.69"),
            ("display.pixels", "1920x1200", "1920×1200"),
            ("display.variable_refresh", "yes", "yes"),
            ("cores.1.count", "4", "4"),
            ("form", "handheld", "handheld"),
            ("mass_kg", "", ""),
            ("came", "lent", "lent"),
        ):
            with self.subTest(path):
                entered = entering.enter(device, path, text)
                assert isinstance(entered.record, Device), entered
                device = entered.record
                self.assertEqual(text_at(device, path), shown)
        self.assertEqual(device.cores[0], Cores())

    def test_what_cannot_be_is_explained_in_place(self) -> None:
        setting = Setting(device_id=1, name="20 W", sustained_w=20, burst_w=30)
        for path, text, words in (
            ("burst_w", "10", "burst limit is below"),
            ("sustained_w", "99999", "at most 2000"),
            ("sustained_w", "-5", "above 0"),
            ("name", "  ", "cannot be empty"),
            ("window_s", "soon", "not a number in s"),
        ):
            with self.subTest(text):
                entered = entering.enter(setting, path, text)
                self.assertIsNone(entered.record)
                self.assertIn(words, entered.problem)
        counted = entering.enter(Device(name="x", cores=(Cores(),)), "cores.0.count", "2.5")
        self.assertIn("whole number", counted.problem)

    def test_a_draft_is_taken_in_once_it_makes_sense(self) -> None:
        setting = Setting(device_id=1, name="Full", sustained_w=20, burst_w=30)
        waiting = {"sustained_w": "45", "window_s": "soon"}
        self.assertEqual(dict(entering.settle(setting, waiting).texts), waiting)
        wider = setting.model_copy(update={"burst_w": 64.0})
        settled = entering.settle(wider, waiting)
        assert isinstance(settled.record, Setting)
        self.assertEqual(settled.record.sustained_w, 45.0)
        self.assertEqual(dict(settled.texts), {"window_s": "soon"})
        self.assertIn("not a number", settled.problems["window_s"])

    def test_a_draft_of_a_line_that_is_gone_is_let_go(self) -> None:
        self.assertEqual(dict(entering.settle(Device(name="x"), {"cores.1.count": "many"}).texts), {})

    def test_lines_come_and_go(self) -> None:
        device = entering.add_row(entering.add_row(Device(name="x"), "cores"), "offers")
        self.assertEqual((len(device.cores), len(device.offers)), (1, 1))
        self.assertEqual(entering.remove_row(device, "cores", 0).cores, ())


class TestSense(unittest.TestCase):
    def asked(self, device: Device) -> dict[str, str]:
        return {q.field: q.text for q in device_questions(device)}

    def test_unlikely_devices(self) -> None:
        large = Device(name="x", form=Form.LAPTOP, battery=Battery(design_wh=500), adapter_w=65, mass_kg=14)
        asked = self.asked(large.model_copy(update={"claims": Claims(sustained_w=90), "temp_limit_c": 35.0}))
        self.assertEqual(set(asked), {"battery.design_wh", "mass_kg", "claims.sustained_w", "temp_limit_c"})
        self.assertIn("above what the adapter gives (65 W)", asked["claims.sustained_w"])
        likely = Device(name="x", form=Form.LAPTOP, battery=Battery(design_wh=62, full_wh=60), mass_kg=1.4)
        self.assertEqual(self.asked(likely), {})

    def test_unlikely_settings(self) -> None:
        device = Device(name="x", adapter_w=65, claims=Claims(sustained_w=28, lowest_w=15, highest_w=45))
        setting = Setting(device_id=1, name="y", sustained_w=80, undervolt_mv=-300)
        words = " ".join(q.text for q in setting_questions(setting, device))
        for part in ("adapter", "highest limit to set is 45 W", "large offset"):
            self.assertIn(part, words)
        self.assertTrue(is_raised(setting, device))
        self.assertFalse(is_raised(Setting(device_id=1, name="y", sustained_w=28), device))

    def test_unlikely_workloads_and_protocols(self) -> None:
        odd = Workload(name="x", length_s=10, resolution="1280×720", inner_resolution="1920×1080")
        self.assertEqual({q.field for q in workload_questions(odd)}, {"length_s", "inner_resolution"})
        self.assertEqual(workload_questions(Workload(name="x")), [])
        asked = protocol_questions(Protocol(name="x", repeats=1, ambient_c=72))
        self.assertEqual({q.field for q in asked}, {"repeats", "ambient_c"})
