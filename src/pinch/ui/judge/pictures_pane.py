"""Pictures of a run and of its device: what they show, what they are of, and whether reports show them."""

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pinch.bench.photos import Photo
from pinch.language import tr
from pinch.ui.shell.scrolled import scrolled
from pinch.ui.shell.words import label, small_button

SHOWN_WIDE, SHOWN_HIGH = 420, 300
HINT = tr(
    "No picture yet. Add one of this run or of its device: a photo of the meter, a "
    "screenshot, where a sensor sits. Files can be dropped on the window, too. Where and "
    "when a photo was taken is not kept."
)


class PictureTarget(Struct, frozen=True):
    """What a picture can be of: its name, and the run and the reading, where it is not of the device alone."""

    name: str
    run_id: int | None = None
    reading_id: int | None = None


class PictureRow(QWidget):
    """One picture with what can be said of it."""

    changed = pyqtSignal(Photo)
    unwanted = pyqtSignal(Photo)

    def __init__(self, photo: Photo, targets: Sequence[PictureTarget]) -> None:
        super().__init__()
        self.photo = photo
        self._targets = targets
        shown, pixels = QLabel(), QPixmap()
        pixels.loadFromData(photo.content)
        ratio = self.devicePixelRatioF()
        pixels = pixels.scaled(
            round(SHOWN_WIDE * ratio),
            round(SHOWN_HIGH * ratio),
            Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
        pixels.setDevicePixelRatio(ratio)
        shown.setPixmap(pixels)
        shown.setFixedWidth(SHOWN_WIDE)
        shown.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.of = QComboBox()
        self.of.setAccessibleName(tr("What the picture is of"))
        for target in targets:
            self.of.addItem(target.name, target)
        self.of.activated.connect(lambda _: self._moved())
        self._image = shown
        self.caption = QLineEdit()
        self.caption.setPlaceholderText(tr("What does it show?"))
        self.caption.setAccessibleName(tr("Caption of the picture"))
        self.caption.setMaxLength(300)
        self.caption.editingFinished.connect(self._captioned)
        self.published = QCheckBox(tr("in reports"))
        self.published.clicked.connect(lambda on: self.changed.emit(self.photo.model_copy(update={"published": on})))
        remove = small_button(
            tr("Remove"), tr("Take this picture out of the book"), lambda: self.unwanted.emit(self.photo)
        )
        beside = QVBoxLayout()
        for widget in (self.of, self.caption, self.published):
            beside.addWidget(widget)
        beside.addWidget(remove, 0, Qt.AlignmentFlag.AlignLeft)
        beside.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 10)
        row.setSpacing(14)
        row.addWidget(shown)
        row.addLayout(beside, 1)
        self.say(photo)

    def say(self, photo: Photo) -> None:
        """Show what is said of the picture now."""
        self.photo = photo
        places = [(target.run_id, target.reading_id) for target in self._targets]
        of = photo.run_id, photo.reading_id
        self.of.setCurrentIndex(places.index(of) if of in places else places.index((photo.run_id, None)))
        self.caption.setText(photo.caption)
        self.published.setChecked(photo.published)
        self._image.setAccessibleName(
            photo.caption or tr("Picture of {current_text}", current_text=self.of.currentText())
        )

    def _moved(self) -> None:
        target = self.of.currentData()
        told = {"run_id": target.run_id, "reading_id": target.reading_id}
        self.changed.emit(self.photo.model_copy(update=told))

    def _captioned(self) -> None:
        text = self.caption.text().strip()
        if text != self.photo.caption:
            self.changed.emit(self.photo.model_copy(update={"caption": text}))


class PicturesPane(QWidget):
    """`added` asks for a picture of the run (True) or of its device; `changed` and `unwanted` give one."""

    added = pyqtSignal(bool)
    changed = pyqtSignal(Photo)
    unwanted = pyqtSignal(Photo)

    def __init__(self) -> None:
        super().__init__()
        add_run = small_button(
            tr("Picture of this run …"), tr("A JPEG, PNG or WebP file"), lambda: self.added.emit(True)
        )
        add_device = small_button(
            tr("Picture of its device …"), tr("A JPEG, PNG or WebP file"), lambda: self.added.emit(False)
        )
        self._hint = label(HINT, "quiet", wrap=True)
        self.rows: list[PictureRow] = []
        self._shown: tuple[list[tuple[int, str]], Sequence[PictureTarget]] = [], ()
        inside = QWidget()
        self._list = QVBoxLayout(inside)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.addStretch(1)
        area = scrolled(inside)
        area.setAccessibleName(tr("Pictures"))
        bar = QHBoxLayout()
        bar.addWidget(add_run)
        bar.addWidget(add_device)
        bar.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(bar)
        column.addWidget(self._hint)
        column.addWidget(area, 1)

    def show_photos(self, photos: Sequence[Photo], targets: Sequence[PictureTarget]) -> None:
        """Show pictures, and what each can be of."""
        before, self._shown = self._shown, ([(p.id, p.jpeg) for p in photos], targets)
        if self._shown == before:  # making them anew would take the keyboard from where one types
            for row, photo in zip(self.rows, photos, strict=True):
                row.say(photo)
            return
        for row in self.rows:
            self._list.removeWidget(row)
            row.hide()
            row.deleteLater()
        self.rows = [PictureRow(photo, targets) for photo in photos]
        for number, row in enumerate(self.rows):
            row.changed.connect(self.changed)
            row.unwanted.connect(self.unwanted)
            self._list.insertWidget(number, row)
        self._hint.setVisible(not self.rows)
