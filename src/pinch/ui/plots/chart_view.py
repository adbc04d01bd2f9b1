"""Draws a chart spec on screen with pyqtgraph: panels above each other on one x axis."""

from collections.abc import Iterator
from functools import partial
from html import escape

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGraphicsView, QSizePolicy, QVBoxLayout, QWidget

from pinch.charts.spec import Chart, Dots, Guide, Panel, Rule, dot_words
from pinch.language import tr
from pinch.ui import look
from pinch.ui.plots.dots_look import dots_look
from pinch.ui.plots.dress import dress, pen
from pinch.ui.plots.label_places import LabelPlaces
from pinch.ui.plots.plot_axes import ClockAxis, PlainAxis, WordAxis
from pinch.ui.plots.point_steps import PointLayer, PointSteps
from pinch.ui.plots.strip_item import StripItem
from pinch.ui.plots.strip_legend import StripLegend
from pinch.ui.turns import Turns

STRIP_HEIGHT = 22
LEAST_PANEL, FOR_WORDS, MOST_WORDS, BESIDE_PANELS = 70, 6, 12, 54
"""Height, px, that a panel needs with its title to be read, more for each of its points that is named, for so many at
most, and that of the axis below all panels."""
RULE_WIDTH = 78
Updates = QGraphicsView.ViewportUpdateMode
FOCUS, CLOCK_STEPS = 2, 100
"""Width of the frame where the keyboard is, and steps of the cursor over what is shown."""


class ChartView(QWidget):
    """A chart. `strip_clicked` gives the place on the strip in x units, `dot_clicked` the index of a measured dot,
    `cursor_moved` where the linked cursor is, `reader_moved` where the reader was left, and `window_dragged` the shaded
    window as it was left."""

    strip_clicked = pyqtSignal(float)
    dot_clicked = pyqtSignal(int)
    cursor_moved = pyqtSignal(float)
    reader_moved = pyqtSignal(float)
    window_dragged = pyqtSignal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(FOCUS, FOCUS, FOCUS, FOCUS)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Chart"))
        self._layout.setSpacing(4)
        self._legend = StripLegend()
        self._layout.addWidget(self._legend)
        self.graphics = pg.GraphicsLayoutWidget()
        self.graphics.ci.setLayoutDirection(Qt.LayoutDirection.LeftToRight)  # time runs on to the right everywhere
        self.graphics.setBackground(look.theme().paper)
        self.graphics.setAccessibleName(tr("Drawing of the chart"))
        self.graphics.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.graphics.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self._layout.addWidget(self.graphics, 1)
        self.chart: Chart | None = None
        self._view: tuple[float, float] = (0.0, 0.0)
        self._turns = Turns(self)
        self._plots: list[pg.PlotItem] = []
        self._cursors: list[pg.InfiniteLine] = []
        self._windows: list[pg.LinearRegionItem] = []
        self._movable = False
        self._readers: list[pg.InfiniteLine] = []
        self._measured = 0
        self._places = LabelPlaces(self)
        self._steps = PointSteps(self)
        self._frame: object = None
        self.graphics.scene().sigMouseClicked.connect(self._clicked)
        self._follow = pg.SignalProxy(self.graphics.scene().sigMouseMoved, rateLimit=30, slot=self._mouse_moved)

    @property
    def plots(self) -> list[pg.PlotItem]:
        """The plots, the strip first, with all that is in them."""
        self._turns.finish()
        return self._plots

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right go through the points, or along a clock; Enter opens a point."""
        self._turns.finish()
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0) if event is not None else 0
        if event is None or event.modifiers() != Qt.KeyboardModifier.NoModifier:
            super().keyPressEvent(event)
        elif by and self.chart is not None and self.chart.clock and self._cursors:
            low, high = self._plots[0].getViewBox().viewRange()[0]
            self.put_cursor(min(high, max(low, self._cursors[0].value() + by * (high - low) / CLOCK_STEPS)))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and (point := self._steps.present) is not None:
            self.dot_clicked.emit(point)
        elif not (by and self._steps.step(by)):
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """A frame where the keyboard is."""
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self)
            painter.setPen(QPen(QColor(look.theme().accent), FOCUS))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def put_cursor(self, x: float) -> None:
        """The linked cursor at x in all panels; it comes into view where it is not."""
        low, high = self.plots[0].getViewBox().viewRange()[0] if self.plots else (x, x)
        for cursor in self._cursors:
            cursor.setPos(x)
            cursor.show()
        if not low <= x <= high:
            self._plots[0].setXRange(x - (high - low) / 2, x + (high - low) / 2, padding=0)
        self.cursor_moved.emit(x)

    def let_window_move(self, movable: bool) -> None:
        """Whether the shaded window can be dragged."""
        self._movable = movable
        for window in self._windows:
            window.setMovable(movable)
            self._show_edges(window)

    def _show_edges(self, window: pg.LinearRegionItem) -> None:
        for edge in window.lines:
            edge.setPen(pen(look.theme().accent, 2.0) if self._movable else pg.mkPen(None))

    def _window_left(self, moved: pg.LinearRegionItem) -> None:
        for window in self._windows:
            if window is not moved:
                window.blockSignals(True)
                window.setRegion(moved.getRegion())
                window.blockSignals(False)
        start, end = (float(x) for x in moved.getRegion())
        # Later, since whoever hears it may draw the chart anew, and the region is in the middle of its own event.
        QTimer.singleShot(0, lambda: self.window_dragged.emit(start, end))

    def _mouse_moved(self, event: tuple[QPointF]) -> None:
        if self._turns.under_way or self.chart is None or not self.chart.clock:
            return
        for plot in self._plots:
            box = plot.getViewBox()
            if box.sceneBoundingRect().contains(event[0]):
                self.put_cursor(float(box.mapSceneToView(event[0]).x()))
                return

    def show_chart(self, chart: Chart, keep_range: bool = False) -> None:
        """Draw a chart in place of the old one, panel by panel, between which the window answers; `keep_range` keeps
        the part of x that is in view."""
        if not keep_range or self.chart is None:
            self._view = chart.x_range
        elif not self._turns.under_way:
            self._view = self._plots[0].getViewBox().viewRange()[0]
        self.chart = chart
        self.graphics.setMinimumHeight(least_height(chart))
        self.setAccessibleDescription(chart.alternative)
        seconds = [s.second for s in chart.strip if s.second is not None]
        self._legend.show_causes(tuple(dict.fromkeys([*(s.cause for s in chart.strip), *seconds])))
        if not self._turns.under_way:
            self._turns.begin(self._draw())

    def _draw(self) -> Iterator[None]:
        """The pieces of the chart, which is painted once all of them are there. What comes meanwhile is drawn after it:
        of charts that follow each other all the time, some are seen."""
        while (chart := self.chart) is not None:
            self.graphics.setViewportUpdateMode(Updates.NoViewportUpdate)
            yield from self._make_plots(chart)
            yield from self._fill_plots(chart)
            self._paint()
            if chart is self.chart:
                return
            yield

    def _make_plots(self, chart: Chart) -> Iterator[None]:
        """Empty plots above each other, the strip first; those that are there stay where they are such ones: axes and
        titles are most of the work."""
        frame = _frame_of(chart)
        if frame == self._frame:
            self._empty()
            return
        self._take_away()
        if chart.strip:  # in one piece with the first panel: alone it would make all of the drawing as low as it is
            self._add_strip(chart)
        for panel in chart.panels:
            dress(self._new_plot(chart), panel.title, panel.unit, chart.key if panel is chart.panels[0] else ())
            yield
        self._label_bottom(chart)
        self._frame = frame

    def _fill_plots(self, chart: Chart) -> Iterator[None]:
        self._measured = 0
        # The range first: all that is in the plots is made anew when it changes.
        self._plots[0].setXRange(*self._view, padding=0)
        if chart.strip:
            self._plots[0].addItem(StripItem(chart.strip))
        for plot, panel in zip(self._plots[bool(chart.strip) :], chart.panels, strict=True):
            yield
            plot.setYRange(*panel.y_range, padding=0)
            yield from self._fill_panel(plot, panel, chart)
        yield

    def show_if_any(self, chart: Chart | None) -> None:
        """Draw a chart; none takes no room."""
        self.setVisible(chart is not None)
        if chart is not None:
            self.show_chart(chart)
        else:
            self.clear()

    def _label_bottom(self, chart: Chart) -> None:
        last = self._plots[-1]
        last.getAxis("bottom").setStyle(showValues=True)
        last.setLabel("bottom", escape(", ".join(filter(None, (chart.x_title, chart.x_unit)))), color=look.theme().ink)
        last.getAxis("bottom").setTicks([list(chart.ticks)] if chart.ticks else None)

    def _empty(self) -> None:
        """Take what is drawn out of the plots."""
        for plot in self._plots:
            plot.clear()
        self._cursors.clear()
        self._windows.clear()
        self._readers.clear()
        self._places.empty()
        self._steps.forget()

    def clear(self) -> None:
        """Take everything away."""
        self._turns.drop()
        self._take_away()
        self._paint()
        self.chart = None

    def _paint(self) -> None:
        self.graphics.setViewportUpdateMode(Updates.MinimalViewportUpdate)
        self.graphics.viewport().update()

    def _take_away(self) -> None:
        self.graphics.clear()
        self.graphics.setBackground(look.theme().paper)
        self._plots.clear()
        self._cursors.clear()
        self._windows.clear()
        self._readers.clear()
        self._places.forget()
        self._steps.forget()
        self._frame = None

    def fit(self) -> None:
        """Show all of it."""
        if self.chart is not None:
            self.plots[0].setXRange(*self.chart.x_range, padding=0)

    def _add_strip(self, chart: Chart) -> None:
        plot = self._new_plot(chart)
        dress(plot)
        plot.setYRange(0, 1, padding=0)
        plot.setMaximumHeight(STRIP_HEIGHT)
        plot.setMinimumHeight(STRIP_HEIGHT)
        for side in ("left", "bottom"):
            plot.getAxis(side).setPen(pg.mkPen(None))
        plot.getAxis("left").setStyle(showValues=False)

    def _clicked(self, event: object) -> None:
        if self._turns.under_way or self.chart is None or not self.chart.strip:
            return
        box = self._plots[0].getViewBox()
        position: QPointF = event.scenePos()  # type: ignore[attr-defined]
        if box.sceneBoundingRect().contains(position):
            self.strip_clicked.emit(float(box.mapSceneToView(position).x()))

    def _fill_panel(self, plot: pg.PlotItem, panel: Panel, chart: Chart) -> Iterator[None]:
        theme = look.theme()
        self._add_background(plot, chart)
        for band in panel.bands:
            colour = QColor(theme.devices[band.slot % 6])
            colour.setAlpha(150 if band.hatched else 38)
            brush = look.hatched(colour, Qt.BrushStyle.BDiagPattern) if band.hatched else QBrush(colour)
            edges = [pg.PlotCurveItem(band.x, y, pen=None) for y in (band.low, band.high)]
            for edge in edges:
                plot.addItem(edge)
            plot.addItem(pg.FillBetweenItem(*edges, brush=brush))
        for line in panel.lines:
            style = Qt.PenStyle.DashLine if line.dashed else Qt.PenStyle.SolidLine
            drawn = pen(theme.devices[line.slot % 6], 1.0, style)
            whole = bool(np.isfinite(line.y).all())  # without gaps the path is built much faster
            plot.plot(line.x, line.y, pen=drawn, connect="all" if whole else "finite", skipFiniteCheck=whole)
            self._places.of(plot).has_line(line.x, line.y)
            if line.label:
                at, ink = float(line.x[line.label_at]), theme.letters(line.slot)
                before = panel.words_before(at)
                anchor = (1 if before else 0, 0 if line.label_under else 1)
                self._label(plot, line.label, at, float(line.y[line.label_at]), ink, anchor)
        for dots in panel.dots:
            yield
            self._add_dots(plot, chart, panel, dots)
        for rule in (*panel.rules, *(chart.marks if panel is chart.panels[0] else ())):
            self._add_rule(plot, rule, chart)
        for guide in panel.guides:
            self._add_guide(plot, guide, panel.y_range[1])
        if chart.clock:
            cursor = pg.InfiniteLine(0.0, pen=pen(theme.quiet))
            cursor.setZValue(20)
            cursor.hide()
            plot.addItem(cursor, ignoreBounds=True)
            self._cursors.append(cursor)
            words = [(rule.at, rule.words) for rule in panel.rules if not rule.upright]
            plot.getAxis("right").name_levels(words)
        if chart.reader is not None:
            self._add_reader(plot, chart.reader)

    def _add_reader(self, plot: pg.PlotItem, at: float) -> None:
        """The line at which all curves are read; it can be dragged."""
        usual, over = pen(look.theme().ink, 1.4), pen(look.theme().accent, 3.0)
        line = pg.InfiniteLine(at, movable=True, pen=usual, hoverPen=over)
        line.setZValue(15)
        line.sigPositionChanged.connect(self._reader_dragged)
        line.sigPositionChangeFinished.connect(lambda moved: self.reader_moved.emit(float(moved.value())))
        plot.addItem(line, ignoreBounds=True)
        self._readers.append(line)

    def _reader_dragged(self, moved: pg.InfiniteLine) -> None:
        for line in self._readers:
            if line is not moved:
                line.blockSignals(True)
                line.setValue(moved.value())
                line.blockSignals(False)

    def _new_plot(self, chart: Chart) -> pg.PlotItem:
        axis = {"left": PlainAxis("left"), "bottom": ClockAxis("bottom") if chart.clock else PlainAxis("bottom")}
        axis |= {"right": WordAxis()} if chart.clock else {}
        plot = self.graphics.addPlot(row=len(self._plots), col=0, axisItems=axis, enableMenu=False)
        plot.setMouseEnabled(x=True, y=False)
        plot.disableAutoRange()
        plot.setDownsampling(auto=True, mode="peak")  # of all that is added
        plot.setClipToView(True)
        if chart.clock:  # levels are named at the right, outside the curves
            plot.showAxis("right")
            plot.getAxis("right").setWidth(RULE_WIDTH)
        if self._plots:
            plot.setXLink(self._plots[0])
        self._plots.append(plot)
        return plot

    def _add_background(self, plot: pg.PlotItem, chart: Chart) -> None:
        theme = look.theme()
        if chart.window:
            shade = pg.LinearRegionItem(
                (chart.window.start, chart.window.end),
                movable=self._movable,
                brush=theme.window,
                hoverBrush=theme.window,
                pen=pg.mkPen(None),
            )
            shade.setZValue(-20)
            self._show_edges(shade)
            shade.sigRegionChangeFinished.connect(self._window_left)
            plot.addItem(shade)
            self._windows.append(shade)
        for gap in chart.gaps:
            brush = look.hatched(theme.quiet, Qt.BrushStyle.Dense7Pattern)
            hole = pg.LinearRegionItem((gap.start, gap.end), movable=False, brush=brush, pen=pg.mkPen(None))
            hole.setZValue(-10)
            plot.addItem(hole)

    def _add_dots(self, plot: pg.PlotItem, chart: Chart, panel: Panel, dots: Dots) -> None:
        if not len(dots.x):
            return
        look_of = dots_look(dots)
        scatter = pg.ScatterPlotItem(
            x=dots.x,
            y=dots.y,
            data=np.arange(len(dots.x)),
            symbol=look_of.symbol,
            size=look_of.size,
            pen=pen(look_of.colour, look_of.width),
            hoverable=True,
            brush=pg.mkBrush(look_of.fill),
            tip=lambda x, y, data: dot_words(chart, panel, dots, data),
        )
        if look_of.is_measured:
            offset = self._measured
            self._steps.add(PointLayer(plot, dots.x, dots.y, partial(dot_words, chart, panel, dots), offset))
            self._measured += len(dots.x)
            scatter.sigClicked.connect(lambda _, points: self.dot_clicked.emit(offset + int(points[0].data())))
        plot.addItem(scatter)
        self._places.of(plot).marks.append(np.column_stack([dots.x, dots.y]))
        if not dots.speaks:
            return
        ink = look.theme().letters(dots.slot) if look_of.is_measured else look_of.colour
        for x, y, words in zip(dots.x, dots.y, dots.texts, strict=True):
            before = panel.words_before(x) and not dots.spot
            self._label(plot, words, x, y, ink, (1, 1) if before else (0, 0))

    def _add_rule(self, plot: pg.PlotItem, rule: Rule, chart: Chart) -> None:
        theme = look.theme()
        colour = theme.accent if rule.accent or rule.upright else theme.quiet
        style = Qt.PenStyle.DashLine if rule.upright else Qt.PenStyle.DotLine
        line = pg.InfiniteLine(
            rule.at,
            angle=90 if rule.upright else 0,
            pen=pen(colour, 1.7 if rule.accent else 1.0, style),
        )
        plot.addItem(line)
        if rule.upright or not chart.clock:  # over time, levels are named at the axis
            place = 0.5 if chart.ticks and rule.upright else 0.06
            label = pg.InfLineLabel(line, rule.words, position=place, color=colour, anchors=[(0, 1), (0, 1)])
            label.setFont(look.text_font(9))

    def _add_guide(self, plot: pg.PlotItem, guide: Guide, top: float) -> None:
        """A line through the origin up to the upper edge, where it is named."""
        theme = look.theme()
        line = pg.PlotCurveItem([0.0, top / guide.slope], [0.0, top], pen=pen(theme.hairline, 1.1))
        plot.addItem(line, ignoreBounds=True)
        self._label(plot, guide.words, top / guide.slope, top, theme.quiet, (0.5, 0.0))

    def _label(
        self, plot: pg.PlotItem, words: str, x: float, y: float, colour: str, anchor: tuple[float, float] = (0, 1.0)
    ) -> None:
        text = pg.TextItem(f"   {words}   ", color=colour, anchor=anchor)
        text.setFont(look.text_font(10, bold=True))
        plot.addItem(text)
        text.setPos(x, y)
        self._places.of(plot).labels.append((text, anchor))


def _frame_of(chart: Chart) -> object:
    """What the empty plots of a chart depend on."""
    panels = tuple((panel.title, panel.unit) for panel in chart.panels)
    return look.theme().name, chart.clock, bool(chart.strip), chart.x_title, chart.x_unit, panels, chart.key


def least_height(chart: Chart) -> int:
    """Height, px, below which the drawing of a chart could not be read."""
    named = [sum(len(dots.texts) for dots in panel.dots if dots.speaks) for panel in chart.panels]
    panels = sum(LEAST_PANEL + FOR_WORDS * min(words, MOST_WORDS) for words in named)
    return panels + BESIDE_PANELS + (STRIP_HEIGHT if chart.strip else 0)
