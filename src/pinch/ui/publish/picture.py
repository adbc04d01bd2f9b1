"""A picture shown as large as there is room, keeping its shape."""

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from pinch.language import tr
from pinch.ui import look

SHAPE = 9 / 16


class PictureView(QWidget):
    """Shows a PNG, or words where there is none."""

    def __init__(self) -> None:
        super().__init__()
        self.image = QImage()
        self._words = ""
        self.setMinimumSize(320, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Picture of the card"))

    def sizeHint(self) -> QSize:
        return QSize(640, 360)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """It is never higher than its picture."""
        super().resizeEvent(event)
        self.setMaximumHeight(round(self.width() * SHAPE))

    def show_picture(self, png: bytes, alternative: str) -> None:
        """Show a picture; `alternative` tells it to who cannot see it."""
        self.image = QImage.fromData(png, "PNG")
        self._words = ""
        self.setAccessibleDescription(alternative)
        self.update()

    def show_words(self, words: str) -> None:
        """Show words in place of a picture."""
        self.image = QImage()
        self._words = words
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, painter = look.theme(), QPainter(self)
        if self.image.isNull():
            painter.setPen(QColor(theme.quiet))
            centred = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()).adjusted(30, 0, -30, 0), centred, self._words)
            return
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        ratio = self.devicePixelRatioF()
        wide, high = round(size.width() * ratio), round(size.height() * ratio)
        smooth = Qt.TransformationMode.SmoothTransformation
        scaled = self.image.scaled(wide, high, Qt.AspectRatioMode.KeepAspectRatio, smooth)
        place = QRectF((self.width() - size.width()) / 2.0, 0.0, size.width(), size.height())
        painter.drawImage(place, scaled)
        painter.setPen(QColor(theme.hairline))
        painter.drawRect(place.adjusted(0, 0, -1, -1))
