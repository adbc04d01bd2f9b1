"""The bench with few keys: devices, settings and offers as rows, settings as combinations."""

from unittest import mock

from PyQt6.QtCore import Qt

from pinch.analysis.offers import offer_of
from pinch.bench.parts import Aspect, Claims, Exclusion
from pinch.bench.records import Device, Setting, Workload
from pinch.bench.setting_matrix import combinations
from pinch.core.errors import PinchError
from pinch.ui.bench.grid_dialogs import CombinationsDialog, RecordGridDialog
from pinch.ui.bench.page import BenchPage
from pinch.ui.bench.record_grid import FIELDS, OFFERS
from pinch.ui.page_protocol import RecordsTarget
from tests.window_case import WindowCase


class TestGrids(WindowCase):
    def grid(self, fill: object) -> None:
        with mock.patch.object(RecordGridDialog, "exec", fill):
            self.window.safely(self.window.page(BenchPage).fill_grid)

    def test_five_machines_in_one_paste(self) -> None:
        rows = "\n".join(f"Unit {n}\tlaptop\tchip {n}\t\t12\tfast\t16,0\t7500" for n in range(5))

        def fill(dialog: RecordGridDialog) -> int:
            dialog.table.setCurrentCell(0, 0)
            dialog.table.paste(f"{rows}\n\tlaptop")
            self.assertIn("Row 6, Name: It needs a name.", dialog.error.text())
            self.assertFalse(dialog.keep_button.isEnabled())
            dialog.table.setCurrentCell(5, 1)
            dialog.table.paste("\t")
            dialog.table.setCurrentCell(0, FIELDS[Device].index("mass_kg"))
            dialog.table.paste("1,4 kg")
            status = FIELDS[Device].index("status")
            dialog.table.setCurrentCell(0, status)
            dialog.table.paste("brand new")
            self.assertIn("Row 1, Status:", dialog.error.text())
            dialog.table.paste("retail")
            dialog.table.setCurrentCell(0, status)
            for row in range(5):
                item = dialog.table.item(row, status)
                assert item is not None
                item.setSelected(True)
            dialog.table.fill_down()
            self.assertEqual(dialog.words.text(), "5 records: 5 new.")
            dialog.keep()
            return 1

        self.grid(fill)
        devices = self.session.book.devices()
        self.assertEqual([d.name for d in devices], [f"Unit {n}" for n in range(5)])
        first = devices[0]
        self.assertEqual((first.mass_kg, first.memory.size_gb, first.graphics.compute_units), (1.4, 16.0, 12))
        self.window.undo()
        self.assertEqual(self.session.book.devices(), [], "one undo for all of it")

    def test_what_is_there_is_changed_in_place(self) -> None:
        book = self.session.book
        work = book.save(Workload(name="Render", score_unit="s", higher_is_better=False))
        book.save(Workload(name="Render, fast", variant_of=work.id, variant="fast"))
        self.window.page(BenchPage).reveal(RecordsTarget(Workload))

        def fill(dialog: RecordGridDialog) -> int:
            self.assertEqual(dialog.table.text_of((0, 0)), "Render")
            self.assertEqual(dialog.table.text_of((1, 0)), "", "variants have a form of their own")
            dialog.table.setCurrentCell(0, FIELDS[Workload].index("length_s"))
            dialog.table.paste("5 min")
            dialog.keep()
            return 1

        self.grid(fill)
        self.assertEqual((book.get(Workload, work.id).length_s, len(book.workloads())), (300.0, 2))

    def test_offers_with_a_members_price_and_the_one_tested(self) -> None:
        device = self.session.book.save(Device(name="Auk"))
        self.session.choose(device.id, None, None, None)

        def fill(dialog: RecordGridDialog) -> int:
            dialog.table.setCurrentCell(0, 0)
            dialog.table.paste(
                "899\tEUR\t2026-09-01\tDE\tshop\tno\tyes\t16 GB\t0\tyes\n"
                "799\tEUR\t2026-10-01\tDE\tshop\tyes\tyes\t16 GB\t0\tyes\n"
                "699\tEUR\t2026-11-01\tDE\tshop\tno\tyes\t8 GB\t0\tno"
            )
            self.assertEqual(dialog.error.text(), "")
            dialog.table.setCurrentCell(0, OFFERS.index("tested"))
            dialog.table.paste("perhaps")
            self.assertIn("neither not known nor yes nor no", dialog.error.text())
            dialog.table.paste("yes")
            dialog.keep()
            return 1

        with mock.patch.object(RecordGridDialog, "exec", fill):
            self.window.page(BenchPage).fill_offers()
        kept = self.session.book.get(Device, device.id)
        self.assertEqual([(o.price, o.members, o.tested) for o in kept.offers],
                         [(899, False, True), (799, True, True), (699, False, False)])  # fmt: skip
        offer = offer_of(kept)
        assert offer is not None
        self.assertEqual(offer.price, 899, "of what was tested, for everybody, though newer ones are cheaper")

    def test_settings_as_combinations_with_what_a_rule_forbids(self) -> None:
        rule = Exclusion(aspect=Aspect.LIMITS, value="> 25", never_with=Aspect.SUPPLY, other="battery")
        device = self.session.book.save(Device(name="Auk", exclusions=(rule,), claims=Claims(highest_w=45)))
        self.session.book.save(Setting(device_id=device.id, name="Quiet, 15 W", sustained_w=15))
        self.session.choose(device.id, None, None, None)

        def fill(dialog: CombinationsDialog) -> int:
            dialog.modes.setText("Quiet; Fast")
            dialog.limits.setText("15/28/60")
            self.assertIn("60 W cannot be set", dialog.error.text())
            dialog.limits.setText("15/28")
            dialog.battery.setChecked(True)
            texts = [dialog.list.item(n).text() for n in range(dialog.list.count())]  # type: ignore[union-attr]
            self.assertEqual(len(texts), 8)
            self.assertIn("Quiet, 15 W: is there already", texts)
            self.assertIn("Fast, 28 W on battery: limits > 25 never with supply battery", texts)
            forbidden = dialog.list.item(texts.index("Fast, 28 W on battery: limits > 25 never with supply battery"))
            assert forbidden is not None
            self.assertFalse(forbidden.flags() & Qt.ItemFlag.ItemIsEnabled)
            dialog.accept()
            return dialog.result()

        with mock.patch.object(CombinationsDialog, "exec", fill):
            self.window.page(BenchPage).combine_settings()
        names = [s.name for s in self.session.book.settings(device.id)]
        self.assertEqual(names[1:], ["Quiet, 28 W", "Quiet, 15 W on battery", "Fast, 15 W", "Fast, 28 W",
                                     "Fast, 15 W on battery"])  # fmt: skip
        with self.assertRaisesRegex(PinchError, "more than 400"):
            combinations(device, (), ";".join("abcdefghijklmnopqrstuvwxyz"), "1;2;3;4", True, True, "15/28/30")
