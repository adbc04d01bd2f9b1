"""Small dialogs: a line of text, a form with an error line, a ladder of limits."""

from collections.abc import Iterable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.entry import read_quantity
from pinch.bench.limit_ladder import rungs, typed_rungs
from pinch.bench.records import Device
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.narrative import cautions
from pinch.runs.consent import ConsentError, Wish, agree, lines_of, refused
from pinch.ui.shell.words import label

VOID_WORDS = (tr("Make this run void"), tr("Why does it not count?"))


def ask_text(parent: QWidget, title: str, words: str, text: str = "") -> str | None:
    """A line of text; None where the operator thought better of it."""
    typed, given = QInputDialog.getText(parent, title, words, text=text)
    return typed.strip() if given else None


def agrees(parent: QWidget, title: str, words: str) -> bool:
    """Whether the operator says yes; no is what Enter says."""
    yes, no = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No
    return QMessageBox.question(parent, title, words, yes | no, no) == yes


def choose_several(parent: QWidget, title: str, words: str, names: Sequence[str]) -> list[str]:
    """Names that the operator ticked; none where the operator thought better of it."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    offered = QListWidget()
    offered.setAccessibleName(title)
    for name in names:
        item = QListWidgetItem(name, offered)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Unchecked)
    kinds = QDialogButtonBox.StandardButton
    buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    column = QVBoxLayout(dialog)
    for widget in (label(words, wrap=True), offered, buttons):
        column.addWidget(widget)
    if not dialog.exec():
        return []
    ticked = [offered.item(n) for n in range(offered.count())]
    return [item.text() for item in ticked if item is not None and item.checkState() == Qt.CheckState.Checked]


def ask_consent(parent: QWidget, wanted: ConsentError) -> bool:
    """Whether a book may do what it wants of this computer, shown in full; what is agreed to is kept."""
    dialog = ConsentDialog(wanted, parent)
    if not dialog.exec():
        return False
    agree(wanted.book, wanted.wishes)
    return True


def agreed(parent: QWidget, book: Path, wishes: Iterable[Wish]) -> bool:
    """Whether all of it was agreed to before, or is now."""
    left = refused(book, wishes)
    return not left or ask_consent(parent, ConsentError(book, left))


class ConsentDialog(QDialog):
    """What a book wants of this computer, in its very words."""

    def __init__(self, wanted: ConsentError, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("May this book do that?"))
        self.setMinimumWidth(560)
        self.text = QPlainTextEdit("\n\n".join(lines_of(wanted.wishes)))
        self.text.setReadOnly(True)
        self.text.setAccessibleName(tr("What the book wants"))
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Cancel)
        agreed = buttons.addButton(tr("Agree"), QDialogButtonBox.ButtonRole.AcceptRole)
        assert agreed is not None
        agreed.setAutoDefault(False)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        words = tr(
            "{book} asks for what nobody has agreed to on this computer. It is done with your "
            "rights. Agree only where you know who made the book and what this does; where the "
            "words change, it is asked again.",
            book=wanted.book.name,
        )
        column.addWidget(label(words, wrap=True))
        column.addWidget(self.text)
        column.addWidget(buttons)


class FormDialog(QDialog):
    """A form with an error line; it closes only once `read` has succeeded."""

    def __init__(self, title: str, parent: QWidget | None, caution: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(400)
        self.form = QFormLayout()
        self.error = label("", wrap=True)
        self.error.hide()
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(self.form)
        if caution:
            column.addWidget(label(caution, "quiet", wrap=True))
        column.addWidget(self.error)
        column.addWidget(buttons)

    def accept(self) -> None:
        try:
            self.read()
        except PinchError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        super().accept()

    def read(self) -> None:
        """Check what was typed; raise PinchError where it will not do."""


class LadderDialog(FormDialog):
    """Limits in even steps; shows what they come to on the device."""

    def __init__(self, device: Device, parent: QWidget | None = None) -> None:
        super().__init__(tr("Ladder of limits for {device}", device=device.name), parent, cautions.RAISED_LIMITS)
        self._allowed = device.claims
        low, high = device.claims.lowest_w, device.claims.highest_w
        self.low, self.high = (
            QLineEdit(tr("{low:g} W", low=low) if low else ""),
            QLineEdit(tr("{high:g} W", high=high) if high else ""),
        )
        self.count, self.steps, self.listed = QLineEdit("7"), QComboBox(), QLineEdit()
        self.listed.setPlaceholderText(tr("or these: 18/33/60"))
        self.steps.addItem(tr("each by the same factor"), True)
        self.steps.addItem(tr("each by the same watts"), False)
        self.preview = label("", wrap=True)
        for caption, widget in (
            (tr("From"), self.low),
            (tr("To"), self.high),
            (tr("Rungs"), self.count),
            (tr("Steps"), self.steps),
            (tr("Free rungs"), self.listed),
            (tr("Comes to"), self.preview),
        ):
            self.form.addRow(caption, widget)
        for edit in (self.low, self.high, self.count, self.listed):
            edit.textChanged.connect(self._show)
        self.steps.currentIndexChanged.connect(self._show)
        self._show()

    def read(self) -> None:
        self.limits()

    def limits(self) -> list[float]:
        """The limits, W.

        Raises
        ------
        PinchError : they make no ladder.
        """
        if self.listed.text().strip():
            return typed_rungs(self.listed.text(), self._allowed)
        low, high = (read_quantity(edit.text(), "W").value for edit in (self.low, self.high))
        count = int(read_quantity(self.count.text(), "").value)
        geometric = bool(self.steps.currentData())
        return rungs(low, high, count, geometric, self._allowed)

    def _show(self) -> None:
        try:
            self.preview.setText(", ".join(tr("{w:g} W", w=w) for w in self.limits()))
        except PinchError as error:
            self.preview.setText(str(error))
