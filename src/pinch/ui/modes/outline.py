"""A plain outline of a device with its named places and what was read there."""

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pinch.analysis.modes import Surface
from pinch.bench.readings import place_words
from pinch.bench.records import Form
from pinch.language import tr
from pinch.ui import look

PLACES: Mapping[str, tuple[float, float]] = {
    "palm_rest": (0.30, 0.90),
    "keys": (0.50, 0.70),
    "back": (0.88, 0.60),
    "exhaust": (0.08, 0.54),
    "screen_edge": (0.50, 0.06),
    "grip_left": (0.07, 0.66),
    "grip_right": (0.93, 0.66),
    "adapter": (0.92, 0.94),
    "case": (0.50, 0.70),
}
"""Where a place lies on the outline, as shares of its width and height."""
HEIGHT, WIDEST = 210, 420
HANDHELD_PLACES = {"exhaust": (0.5, 0.2), "back": (0.5, 0.45)}
LIDDED = (Form.LAPTOP, Form.OTHER)


class Outline(QWidget):
    """The outline of a form, with a mark and a temperature at each place that was read; the hottest in the accent."""

    def __init__(self) -> None:
        super().__init__()
        self._form, self._surfaces, self._fahrenheit = Form.OTHER, list[Surface](), False
        self.setFixedHeight(HEIGHT)

    def show_surfaces(self, form: Form, surfaces: Sequence[Surface], fahrenheit: bool) -> None:
        """Show what was read, the hottest first."""
        self._form, self._surfaces, self._fahrenheit = form, list(surfaces), fahrenheit
        words = ", ".join(f"{place_words(s.place)} {self._text(s)}" for s in surfaces)
        self.setAccessibleName(tr("Surfaces: {words}", words=words) if words else tr("No surface was read"))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(WIDEST, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter = look.theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(12, 8, min(WIDEST, self.width() - 24), self.height() - 16)
        painter.setPen(QPen(QColor(theme.quiet), 1.4))
        for part in self._parts(box):
            painter.drawRoundedRect(part, 7, 7)
        for number, surface in enumerate(self._surfaces):
            places = {**PLACES, **(HANDHELD_PLACES if self._form is Form.HANDHELD else {})}
            x, y = places.get(surface.place, (0.5, 0.8))
            at = QPointF(box.left() + x * box.width(), box.top() + y * box.height())
            colour = QColor(theme.accent if number == 0 else theme.ink)
            painter.setPen(QPen(colour, 2.0))
            painter.drawEllipse(at, 4, 4)
            painter.setFont(look.figure_font(9, bold=number == 0))
            left = x > 0.6
            place = QRectF(at.x() - (189 if left else -9), at.y() - 9, 180, 18)
            side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
            words = f"{surface.place.replace('_', ' ')} {self._text(surface)}"
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, words)

    def _parts(self, box: QRectF) -> list[QRectF]:
        """The body, and what belongs to its form: a lid, or a screen between grips."""
        w, h = box.width(), box.height()
        if self._form in LIDDED:
            return [QRectF(box.left(), box.top(), w, 0.44 * h), QRectF(box.left(), box.top() + 0.47 * h, w, 0.53 * h)]
        if self._form is Form.HANDHELD:
            return [box, box.adjusted(0.2 * w, 0.1 * h, -0.2 * w, -0.1 * h)]
        return [box.adjusted(0.15 * w, 0.3 * h, -0.15 * w, 0.0)]

    def _text(self, surface: Surface) -> str:
        celsius = surface.touch.temp_c
        return (
            tr("{celsius:.0f} °F", celsius=1.8 * celsius + 32)
            if self._fahrenheit
            else tr("{celsius:.1f} °C", celsius=celsius)
        )
