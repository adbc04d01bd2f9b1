"""Small parts of the window on their own: lists to tick, tables of rows, bars, the outline, the margin's sums, the
year."""

import math
import unittest
from functools import partial

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from pinch.analysis.modes import Surface
from pinch.bench.records import Form
from pinch.charts.bar_chart import Bar, BarChart, BarGroup, in_words
from pinch.charts.chart_files import write_chart
from pinch.charts.draw.frame import draw_face
from pinch.charts.face import face_of
from pinch.charts.theme import DARK, LIGHT
from pinch.core.quicksums import SUMS
from pinch.core.touch import judge_touch
from pinch.core.yearly import PROFILES
from pinch.narrative.explanation import Explanation
from pinch.ui import look
from pinch.ui.app import make_application
from pinch.ui.chooser import Chooser
from pinch.ui.modes.outline import Outline
from pinch.ui.modes.year import YearPane
from pinch.ui.page_stack import PageStack
from pinch.ui.plots.bars_view import BarsView
from pinch.ui.plots.label_places import cheapest_places
from pinch.ui.row_table import RowTable
from pinch.ui.shell.sums import QuickSums
from pinch.ui.table_rows import TableRow
from tests.in_folder import InFolder


class WidgetCase(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.app = make_application()

    def shown(self, widget: QWidget, width: int = 600, height: int = 300) -> QImage:
        """The widget as it is painted."""
        widget.resize(width, height)
        widget.show()
        self.addCleanup(widget.close)
        self.app.processEvents()
        return widget.grab().toImage()


class TestChooser(WidgetCase):
    def make(self) -> tuple[Chooser, list[tuple[int, ...]]]:
        chooser, heard = Chooser("Devices", "devices"), list[tuple[int, ...]]()
        chooser.changed.connect(heard.append)
        chooser.offer([(3, "Limpet"), (5, "Gannet"), (8, "Sandpiper")], [5])
        return chooser, heard

    def test_names_what_is_ticked(self) -> None:
        chooser, _ = self.make()
        self.assertEqual((chooser.text().strip(), chooser.chosen), ("Gannet", (5,)))
        chooser.choose([3, 8])
        self.assertEqual((chooser.text().strip(), chooser.chosen), ("2 devices", (3, 8)))
        self.assertIn("Limpet, Sandpiper", chooser.toolTip())

    def test_the_last_one_stays_ticked(self) -> None:
        chooser, heard = self.make()
        menu = chooser.menu()
        assert menu is not None
        menu.actions()[1].trigger()
        self.assertEqual(chooser.chosen, (5,))
        menu.actions()[0].trigger()
        self.assertEqual(heard[-1], (3, 5))

    def test_the_menu_stays_open_for_mouse_and_space(self) -> None:
        chooser, heard = self.make()
        menu = chooser.menu()
        assert menu is not None
        menu.popup(QPoint(0, 0))
        self.addCleanup(menu.close)
        self.app.processEvents()
        at = menu.actionGeometry(menu.actions()[0]).center()
        release = (QEvent.Type.MouseButtonRelease, QPointF(at), Qt.MouseButton.LeftButton)
        menu.mouseReleaseEvent(QMouseEvent(*release, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier))
        self.assertEqual(heard[-1], (3, 5))
        menu.setActiveAction(menu.actions()[2])
        menu.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Space, Qt.KeyboardModifier.NoModifier, " "))
        self.assertEqual(heard[-1], (3, 5, 8))
        self.assertTrue(menu.isVisible())


class TestPageStack(WidgetCase):
    def test_words_that_nobody_sees_are_not_measured(self) -> None:
        measured: list[str] = []

        class Words(QLabel):
            def heightForWidth(self, width: int) -> int:  # noqa: N802
                measured.append(self.text())
                return super().heightForWidth(width)

        stack, holder = PageStack(), QWidget()
        QVBoxLayout(holder).addWidget(stack)
        for text in ("what is seen takes several lines", "what nobody sees takes as many"):
            words, page = Words(text), QWidget()
            words.setWordWrap(True)
            QVBoxLayout(page).addWidget(words)
            stack.addWidget(page)
        self.shown(holder, 200)
        measured.clear()
        holder.resize(260, 300)
        self.app.processEvents()
        self.assertEqual(set(measured), {"what is seen takes several lines"})


class TestLabelPlaces(unittest.TestCase):
    def test_one_word_makes_room_where_another_would_cover_it(self) -> None:
        left, middle, right, far = (QRectF(x, 0.0, 10.0, 8.0) for x in (0.0, 8.0, 16.0, 100.0))
        self.assertEqual(cheapest_places([[middle]], [[3.0]]), [0])
        self.assertEqual(cheapest_places([[left, far], [middle, right]], [[0.0, 1.0], [0.0, 0.1]]), [0, 1])
        self.assertEqual(cheapest_places([[left, far], [left, middle]], [[0.0, 0.1], [0.0, 9.0]]), [1, 0])
        self.assertEqual(
            cheapest_places([[right], [left, far], [left, middle]], [[0.0], [0.0, 0.1], [0.0, 0.1]]), [0, 1, 0]
        )
        self.assertEqual(cheapest_places([[left], [middle]], [[0.0], [0.0]]), [0, 0], "where there is no other")


class TestRowTable(WidgetCase):
    def explanation(self, title: str) -> Explanation:
        return Explanation(title, "", (), "", "", "verdicts")

    def make(self) -> RowTable:
        table = RowTable("Rows", ("Name", "W", "Words"), words=(0, 2))
        rows = [
            TableRow(
                ("b", "2.0", "x"),
                partial(self.explanation, "row"),
                {1: partial(self.explanation, "cell")},
                of=7,
                keys=("b", 2.0, "x"),
            ),
            TableRow(("a", "10.0", "y"), of=8, keys=("a", 10.0, "y")),
            TableRow(("c", "", "z"), aside=True, keys=("c", math.nan, "z")),
        ]
        table.show_rows(rows)
        return table

    def test_a_cell_or_its_row_explains_itself(self) -> None:
        table, heard = self.make(), list[str]()
        table.explained.connect(lambda e: heard.append(e.title))
        for column in (0, 1, 2):
            table.setCurrentCell(0, column)
        table.setCurrentCell(1, 0)
        self.assertEqual(heard, ["row", "cell", "row"])

    def test_sorting_by_numbers_and_back_with_unknown_ones_last(self) -> None:
        table = self.make()
        for wanted in ([2.0, 10.0], [10.0, 2.0]):
            table.sort_by(1)
            self.assertEqual([r.keys[1] for r in table.rows][:2], wanted)
            self.assertEqual(table.rows[2].cells[0], "c")
        table.sort_by(0)
        self.assertEqual([r.cells[0] for r in table.rows], ["a", "b", "c"])

    def test_rows_without_keys_stay_and_headings_span(self) -> None:
        table = self.make()
        table.show_rows([TableRow(("Heading",), heading=True), TableRow(("one", "1", ""))])
        self.assertEqual(table.columnSpan(0, 0), 3)
        table.sort_by(1)
        self.assertEqual(table.rows[0].cells, ("Heading",))
        table.show_rows([TableRow(("one", "1", ""))])
        self.assertEqual(table.columnSpan(0, 0), 1)

    def test_enter_opens_what_a_row_stands_for(self) -> None:
        table, opened = self.make(), []
        table.opened.connect(opened.append)
        table.setCurrentCell(1, 0)
        table.cellActivated.emit(1, 0)
        table.cellActivated.emit(2, 0)
        self.assertEqual(opened, [8])
        self.assertEqual(table.chosen, table.rows[1])


class TestBars(WidgetCase):
    chart = BarChart(
        "Which is faster",
        (
            BarGroup(
                "Tile Render, tiles/s",
                (
                    Bar("Sandpiper 14, last year's, with a long name, Full", 4.0, 3.9, 4.1, 0, True, "baseline"),
                    Bar("Limpet", 2.0, math.nan, math.nan, 2, False, "slower, −50 %"),
                ),
            ),
        ),
        ("▲ Limpet drew 30 % fewer watts.", "Differences below 3 % do not matter."),
        "what is shown",
    )

    def columns(self, image: QImage, row: int, colour: str) -> int:
        """Pixels of a colour along a row of the picture."""
        return sum(image.pixelColor(x, row).name() == colour.lower() for x in range(image.width()))

    def test_lengths_are_in_proportion_and_the_subject_is_heavier(self) -> None:
        look.apply(self.app, "light")
        view = BarsView()
        view.show_chart(self.chart)
        image = self.shown(view, 800, 120)
        thick = [sum(image.pixelColor(240, y).name() == LIGHT.devices[0].lower() for y in range(image.height()))]
        self.assertGreaterEqual(thick[0], 13)
        long = max(self.columns(image, y, LIGHT.devices[0]) for y in range(24, 46))
        room = 800 * (1 - 0.27 - 0.30) - 66
        self.assertAlmostEqual(long, room * 4.0 / 4.1, delta=12)
        self.assertEqual(view.accessibleDescription(), "what is shown")
        view.show_chart(None)
        self.assertIsNone(view.chart)

    def test_many_bars_scroll(self) -> None:
        view = BarsView()
        view.show_chart(BarChart("many", self.chart.groups * 12))
        self.shown(view, 600, 200)
        bar = view.verticalScrollBar()
        assert bar is not None
        self.assertGreater(bar.maximum(), 0)

    def test_the_file_draws_the_very_data(self) -> None:
        for theme in (LIGHT, DARK):
            figure = draw_face(face_of(self.chart), theme)
            (axis,) = figure.axes
            self.assertEqual([patch.get_width() for patch in axis.patches], [4.0, 2.0])
            self.assertEqual([list(line.get_xdata()) for line in axis.lines], [[3.9, 4.1]])
            self.assertGreater(axis.patches[0].get_height(), axis.patches[1].get_height())
        write_chart(self.chart, self.folder / "bars.svg")
        text = (self.folder / "bars.svg").read_text()
        for words in ("Which is faster", "Limpet", "slower, −50 %", "30 % fewer watts", "do not matter"):
            self.assertIn(words, text.replace("\u00a0", " "))

    def test_in_words(self) -> None:
        self.assertIn("Limpet 2 slower, −50 %", in_words(self.chart.groups))
        self.assertEqual(BarGroup("none", ()).longest, 1.0)


class TestOutline(WidgetCase):
    def test_every_form_shows_its_places(self) -> None:
        surfaces = [
            Surface(place, judge_touch(temp), 0.5) for place, temp in (("exhaust", 52.0), ("keys", 40.0), ("x", 30.0))
        ]
        blank = {}
        for form in Form:
            outline = Outline()
            outline.show_surfaces(form, [], False)
            blank[form] = self.shown(outline, 460, 210)
            outline.show_surfaces(form, surfaces, False)
            self.assertNotEqual(self.shown(outline, 460, 210), blank[form])
            self.assertEqual(outline.accessibleName(), "Surfaces: exhaust 52.0 °C, keys 40.0 °C, x 30.0 °C")
        self.assertNotEqual(blank[Form.LAPTOP], blank[Form.HANDHELD])
        self.assertNotEqual(blank[Form.MINI_PC], blank[Form.HANDHELD])

    def test_in_fahrenheit_the_hottest_in_the_accent(self) -> None:
        look.apply(self.app, "light")
        outline = Outline()
        outline.show_surfaces(Form.MINI_PC, [Surface("case", judge_touch(50.0), 0.0)], True)
        image = self.shown(outline, 460, 210)
        self.assertIn("122 °F", outline.accessibleName())
        inside = QRect(0, 0, image.width(), image.height())
        colours = {image.pixelColor(x, y).name() for x in range(inside.width()) for y in range(100, 180)}
        self.assertIn(LIGHT.accent.lower(), colours)


class TestYear(WidgetCase):
    def test_profiles_tariff_and_what_somebody_typed(self) -> None:
        pane = YearPane()
        pane.show_idle(10.0)
        # 8.76 · (0.10 + 0.30) · 10 W with the notebook's weights.
        self.assertTrue(pane.result.text().startswith("35.04 kWh a year, 10.51 EUR"), pane.result.text())
        pane.watts[2].setValue(4.0)
        pane.show_idle(12.0)
        self.assertEqual([s.value() for s in pane.watts], [0.0, 0.0, 4.0, 12.0], "what was typed stays")
        pane.profile.setCurrentIndex(1)
        pane.profile.activated.emit(1)
        self.assertEqual([round(s.value() / 100, 4) for s in pane.weights], list(PROFILES[1].weights))
        self.assertIn("from memory", pane.source.text())
        pane.tariff.setValue(0.0)
        self.assertNotIn("EUR", pane.result.text())


class TestQuickSums(WidgetCase):
    def test_every_sum_asks_and_answers(self) -> None:
        sums = QuickSums()
        numbers = {"Level without the room": "40; 30", "Dropped share": "1; 100"}
        for n, quick in enumerate(SUMS):
            sums.which.setCurrentIndex(n)
            self.assertEqual(sums.numbers.placeholderText(), "; ".join(quick.asks))
            sums.numbers.setText(numbers.get(quick.name, "; ".join(["20"] * len(quick.asks))))
            self.assertTrue(sums.result.text(), quick.name)
            self.assertTrue(sums.pin.isEnabled())
            sums.numbers.setText("")
            self.assertFalse(sums.pin.isEnabled())

    def test_commas_and_too_many_numbers(self) -> None:
        sums = QuickSums()
        QTest.keyClicks(sums.numbers, "1,5; 3")
        self.assertEqual(sums.result.text(), "+100 % up, −50 % back")
        sums.numbers.setText("1; 2; 3")
        self.assertIn("it takes 2 numbers", sums.working.text())

    def test_what_is_pinned(self) -> None:
        sums, heard = QuickSums(), list[str]()
        sums.pinned.connect(heard.append)
        sums.numbers.setText("100; 125")
        sums.pin.click()
        self.assertEqual(heard, ["Percent change: 125 / 100 − 1 = +25 %"])
