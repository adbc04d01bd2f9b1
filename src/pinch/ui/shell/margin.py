"""The margin: the explanation of what was clicked, and the operator's own notes."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.narrative.explanation import Explanation
from pinch.ui import look
from pinch.ui.shell.kepttext import KeptText
from pinch.ui.shell.methods import link_of
from pinch.ui.shell.scrolled import scrolled
from pinch.ui.shell.sums import QuickSums
from pinch.ui.shell.words import hairline, label, small_button

WIDTH = 268


class Margin(QWidget):
    """`method_wanted` gives a section of the methods, `notes_left` a run's id and its changed notes, once the operator
    leaves them or another run is shown."""

    notes_left = pyqtSignal(int, str)
    method_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self._column = QVBoxLayout()
        self._column.setContentsMargins(16, 14, 14, 14)
        self._column.setSpacing(8)
        self.explanation = QVBoxLayout()
        self.explanation.setSpacing(8)
        self._column.addLayout(self.explanation)
        self._notes_rule, self._notes_title = hairline(), label(tr("Your notes"), "heading")
        self.notes = KeptText()
        self.notes.setAccessibleName(tr("Your notes on this run"))
        self.notes.setPlaceholderText(tr("Notes on this run …"))
        self.notes.setFixedHeight(110)
        self.notes.left.connect(self.leave_notes)
        for part in (self._notes_rule, self._notes_title, self.notes):
            self._column.addWidget(part)
        self.sums = QuickSums()
        self.sums.hide()
        self._column.addWidget(self.sums)
        self._column.addStretch(1)
        inside = QWidget()
        inside.setLayout(self._column)
        area = scrolled(inside)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 0, 0, 0)
        outer.addWidget(area)
        self._fold = small_button(
            tr("Quick sums"), tr("Percent, fps and ms, Wh and minutes, dB … (F8)"), self.fold_sums
        )
        self._fold.setProperty("role", "slight")
        outer.addWidget(self._fold)
        self.shown: Explanation | None = None
        self._run_id: int | None = None
        self._kept_notes = ""
        self.show_notes(None)

    def show_notes(self, run_id: int | None, text: str = "") -> None:
        """Offer the notes of a run; None: there is no run. What was typed for the run before is handed over first."""
        if run_id != self._run_id:
            self.leave_notes()
            self._run_id, self._kept_notes = run_id, text
            self.notes.setPlainText(text)
        elif text != self._kept_notes:
            self._kept_notes = text
            self.notes.setPlainText(text)
        for part in (self._notes_rule, self._notes_title, self.notes):
            part.setVisible(run_id is not None)

    def fold_sums(self) -> None:
        """Show the quick sums, or fold them away."""
        self.sums.setVisible(self.sums.isHidden())
        if self.sums.isVisible():
            self.sums.numbers.setFocus()

    def leave_notes(self) -> None:
        """Hand over what was typed, if anything was."""
        typed = self.notes.toPlainText()
        if self._run_id is not None and typed != self._kept_notes:
            self._kept_notes = typed
            self.notes_left.emit(self._run_id, typed)

    def explain(self, e: Explanation) -> None:
        """Show an explanation."""
        self._clear()
        self.shown = e
        self._say(label(e.title, "heading", wrap=True))
        self._say(label(e.meaning, wrap=True))
        if e.formula:
            formula = QLabel("\n".join(e.formula))
            formula.setObjectName("formula")
            formula.setWordWrap(True)
            formula.setFont(look.figure_font(9))
            self._say(formula)
        for title, text in ((tr("Window"), e.window), (tr("Uncertainty"), e.uncertainty)):
            if text:
                self._say(label(title, "quiet"))
                self._say(label(text, wrap=True))
        if e.cautions:
            self.explanation.addWidget(hairline())
            self._say(label(tr("Worth knowing"), "heading"))
            for caution in e.cautions:
                self._say(label(caution, wrap=True))
        method = QLabel(link_of(e.method))
        method.setTextFormat(Qt.TextFormat.RichText)
        method.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        method.setAccessibleName(tr("Show the method: {method}", method=e.method))
        method.linkActivated.connect(self.method_wanted)
        self.explanation.addWidget(method)

    def tell(self, title: str, paragraphs: list[str]) -> None:
        """Show plain text."""
        self._clear()
        self.shown = None
        self._say(label(title, "heading", wrap=True))
        for text in paragraphs:
            self._say(label(text, wrap=True))

    @property
    def text(self) -> str:
        """All that is shown, for copying and for tests."""
        parts = [self.explanation.itemAt(i) for i in range(self.explanation.count())]
        widgets = [part.widget() for part in parts if part is not None]
        return "\n".join(w.text() for w in widgets if isinstance(w, QLabel))

    def _say(self, words: QLabel) -> None:
        words.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        words.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        words.setTextFormat(Qt.TextFormat.PlainText)
        self.explanation.addWidget(words)

    def _clear(self) -> None:
        while (item := self.explanation.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
