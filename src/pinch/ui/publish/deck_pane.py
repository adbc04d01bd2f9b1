"""The deck: the list of cards, the picture of the chosen one, and its words."""

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.cards import CardKind
from pinch.charts.theme import DARK, LIGHT, Theme
from pinch.language import tr
from pinch.narrative.cards.concerns import method_words
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.splitting import can_split
from pinch.ui import look
from pinch.ui.publish import state
from pinch.ui.publish.picture import PictureView
from pinch.ui.shell.kepttext import KeptText
from pinch.ui.shell.words import label, small_button

LIST_WIDTH, CARD_HEIGHT, FINDING_HEIGHT, CAPTION_WIDTH = 236, 44, 62, 112


class _CardDelegate(QStyledItemDelegate):
    """A card in two lines: its title, and quietly what is to be known of it."""

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        return QSize(LIST_WIDTH - 24, CARD_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        assert painter is not None
        theme, box = look.theme(), option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.fillRect(box, QColor(theme.window))
            painter.fillRect(box.left(), box.top(), 3, box.height(), QColor(theme.accent))
        first, second = index.data(Qt.ItemDataRole.UserRole + 1)  # type: ignore[attr-defined]
        painter.setPen(QColor(theme.ink))
        painter.setFont(look.text_font(9.5, bold=chosen))
        inside = box.adjusted(9, 5, -4, -4)
        fit = painter.fontMetrics().elidedText
        elide = Qt.TextElideMode.ElideRight
        painter.drawText(inside.left(), inside.top() + 13, fit(first, elide, inside.width()))
        painter.setPen(QColor(theme.quiet))
        painter.setFont(look.text_font(8.5))
        painter.drawText(
            inside.left(), inside.top() + 30, painter.fontMetrics().elidedText(second, elide, inside.width())
        )


class DeckPane(QWidget):
    """`chosen` gives a content, `changed` a number of a card with other fields, `moved` how far, `redrawn` as what."""

    chosen = pyqtSignal(object)
    changed = pyqtSignal(int, dict)
    moved = pyqtSignal(int, int)
    removed = pyqtSignal(int)
    split_wanted = pyqtSignal()
    agreed = pyqtSignal(object)
    redrawn = pyqtSignal(int, object)
    theme_turned = pyqtSignal()
    copy_wanted = pyqtSignal()
    write_wanted = pyqtSignal()
    sequence_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.list, self.picture = QListWidget(), PictureView()
        self.list.setItemDelegate(_CardDelegate(self.list))
        self.list.setAccessibleName(tr("Cards of the deck"))
        self.list.setFixedWidth(LIST_WIDTH)
        self.kind, self.in_report, self.look = QComboBox(), QCheckBox(tr("in the report")), QComboBox()
        self.kind.setAccessibleName(tr("Drawn as"))
        self.look.setAccessibleName(tr("Light or dark picture"))
        self.look.setToolTip(tr("Light or dark pictures, here and in files"))
        self.look.addItem(tr("light"), LIGHT)
        self.look.addItem(tr("dark"), DARK)
        self.title, self.note, self.finding = QLineEdit(), QLineEdit(), KeptText()
        self.title.setMaxLength(120)
        self.note.setMaxLength(600)
        self.finding.setMinimumHeight(FINDING_HEIGHT)
        for widget, name in (
            (self.title, tr("Title")),
            (self.finding, tr("Finding")),
            (self.note, tr("Note of your own")),
        ):
            widget.setAccessibleName(name)
        self.status = label("", "quiet", wrap=True)
        self.as_composed = small_button(tr("As composed"), tr("The sentence that the figures make"), self._compose)
        self.split = small_button(
            tr("Split"), tr("One card a workload, run or device (Ctrl+Alt+S)"), self.split_wanted.emit
        )
        self.agree = small_button(tr("Agree to the change"), tr("The finding as it is composed now holds"), self._agree)
        self._contents: Sequence[CardContent] = ()
        self._drawn_id: int | None = None
        self._lay_out()
        self._connect()

    # Showing

    def show_cards(self, contents: Sequence[CardContent]) -> None:
        """These cards; the chosen one stays chosen, a new one is chosen."""
        before, at = len(self._contents), self.chosen_id
        known = {c.card.id for c in self._contents}
        new = [c.card.id for c in contents if c.card.id not in known] if before else []
        self._contents = contents
        self.list.blockSignals(True)
        self.list.clear()
        for number, content in enumerate(contents, 1):
            lines = state.card_lines(number, content)
            item = QListWidgetItem(" ".join(lines))
            item.setData(Qt.ItemDataRole.UserRole, content.card.id)
            item.setData(Qt.ItemDataRole.UserRole + 1, lines)
            item.setToolTip("\n".join(lines))
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.choose(new[-1] if len(new) == 1 else at)

    def choose(self, card_id: int | None) -> None:
        """Choose a card by its number, else the one at its place."""
        ids = [c.card.id for c in self._contents]
        row = ids.index(card_id) if card_id in ids else min(max(0, self.list.currentRow()), len(ids) - 1)
        self.list.blockSignals(True)
        self.list.setCurrentRow(row)
        self.list.blockSignals(False)
        self._show_chosen()

    @property
    def chosen_id(self) -> int | None:
        """The number of the chosen card."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    @property
    def content(self) -> CardContent | None:
        """The chosen card."""
        return next((c for c in self._contents if c.card.id == self.chosen_id), None)

    @property
    def theme(self) -> Theme:
        """How pictures look."""
        chosen = self.look.currentData()
        assert isinstance(chosen, Theme)
        return chosen

    def show_png(self, card_id: int, png: bytes) -> None:
        """The picture of a card is there."""
        content = self.content
        if content is not None and content.card.id == card_id and content.face is not None:
            self._drawn_id = card_id
            self.picture.show_picture(png, content.face.alternative)

    def _show_chosen(self) -> None:
        content = self.content
        for widget in (self.kind, self.in_report, self.title, self.finding, self.note, *self._buttons):
            widget.setEnabled(content is not None)
        if content is None:
            self.picture.show_words(state.EMPTY)
            for words in (self.title, self.note):
                words.clear()
            self.finding.setPlainText("")
            self.status.setText("")
            for button in (self.as_composed, self.agree):
                button.hide()
            return
        card = content.card
        self.kind.clear()
        for kind in state.kinds_of(content):
            self.kind.addItem(tr(kind), kind)
        self.kind.setCurrentIndex(self.kind.findData(str(card.kind)))
        self.in_report.setChecked(card.in_report)
        self.title.setText(card.name)
        self.note.setText(card.footnote)
        self.finding.setPlainText(content.finding)
        self.as_composed.setVisible(content.edited)
        self.agree.setVisible(content.moved)
        self.split.setEnabled(can_split(content))
        was = (
            tr(
                "Its finding changed. When it was agreed to: {seen}{method_words}",
                seen=card.seen,
                method_words=method_words(card),
            )
            if content.moved
            else ""
        )
        edited = tr("Written by hand; the figures say: {composed}", composed=content.composed) if content.edited else ""
        self.status.setText(" ".join(filter(None, (content.problem, was, edited))))
        self.status.setVisible(bool(self.status.text()))
        if content.face is None:
            self.picture.show_words(tr("This card has nothing to show. {problem}", problem=content.problem))
        elif self._drawn_id != card.id:
            self.picture.show_words(tr("Drawing …"))
        self.chosen.emit(content)

    # What is asked for

    def _leave(self) -> None:
        """Keep what was typed."""
        content = self.content
        if content is None:
            return
        card, typed = content.card, " ".join(self.finding.toPlainText().split())
        fields: dict[str, object] = {}
        if self.title.text().strip() != card.name:
            fields["name"] = self.title.text()
        if self.note.text().strip() != card.footnote:
            fields["footnote"] = self.note.text()
        if typed != content.finding:
            fields["finding"] = "" if typed == content.composed else typed
        if fields:
            self.changed.emit(card.id, fields)

    def _compose(self) -> None:
        self._change(finding="")

    def _agree(self) -> None:
        if self.content is not None:
            self.agreed.emit(self.content)

    def _change(self, **fields: object) -> None:
        if self.chosen_id is not None:
            self.changed.emit(self.chosen_id, fields)

    def _redraw(self, kind: str) -> None:
        if self.content is not None and kind != self.content.card.kind:
            self.redrawn.emit(self.content.card.id, CardKind(kind))

    def _move(self, by: int) -> None:
        if self.chosen_id is not None:
            self.moved.emit(self.chosen_id, by)

    def remove_chosen(self) -> None:
        """Take the chosen card out of the deck."""
        if self.chosen_id is not None:
            self.removed.emit(self.chosen_id)

    # Set-up

    def _lay_out(self) -> None:
        self._buttons = [
            small_button(tr("Up"), tr("One place up (Alt+Shift+Up)"), lambda: self._move(-1)),
            small_button(tr("Down"), tr("One place down (Alt+Shift+Down)"), lambda: self._move(1)),
            small_button(
                tr("Remove"), tr("Out of the deck (Ctrl+Shift+Del); Ctrl+Z brings it back"), self.remove_chosen
            ),
            self.split,
            small_button(tr("Copy picture"), tr("The picture to the clipboard (Ctrl+Shift+X)"), self.copy_wanted.emit),
            small_button(
                tr("Sequence …"), tr("Numbered pictures that reveal it from left to right"), self.sequence_wanted.emit
            ),
            small_button(tr("Write the deck …"), tr("All cards as pictures"), self.write_wanted.emit),
        ]
        up, down, remove, split, copy, sequence, write = self._buttons
        under = QHBoxLayout()
        for button in (up, down, remove, split):
            under.addWidget(button)
        under.addStretch(1)
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addLayout(under)
        above = QHBoxLayout()
        above.addWidget(self.look)
        above.addStretch(1)
        for button in (copy, sequence, write):
            above.addWidget(button)
        beside = QHBoxLayout()
        beside.addWidget(self.status, 1)
        beside.addWidget(self.as_composed, 0, Qt.AlignmentFlag.AlignTop)
        beside.addWidget(self.agree, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addLayout(above)
        right.addWidget(self.picture, 6)
        fields: tuple[tuple[str, QWidget], ...] = (
            (tr("Drawn as"), self._drawn_as()),
            (tr("Title"), self.title),
            (tr("Finding"), self.finding),
            (tr("Note of your own"), self.note),
        )
        captions = [label(caption, "quiet") for caption, _ in fields]
        wide = max(CAPTION_WIDTH, *(words.sizeHint().width() for words in captions))
        for words, (_, field) in zip(captions, fields, strict=True):
            row = QHBoxLayout()
            words.setFixedWidth(wide)
            row.addWidget(words, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(field, 1)
            right.addLayout(row, 1 if field is self.finding else 0)
        right.addLayout(beside)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.setSpacing(14)
        whole.addLayout(left)
        whole.addLayout(right, 1)

    def _drawn_as(self) -> QWidget:
        """The kind, and whether the card is in the report."""
        row = QWidget()
        inside = QHBoxLayout(row)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.kind, 1)
        self.kind.setMinimumContentsLength(10)
        self.kind.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        inside.addWidget(self.in_report)
        return row

    def _connect(self) -> None:
        self.list.currentRowChanged.connect(lambda _: self._show_chosen())
        self.kind.activated.connect(lambda _: self._redraw(self.kind.currentData()))
        self.in_report.clicked.connect(lambda on: self._change(in_report=on))
        self.look.activated.connect(lambda _: self.theme_turned.emit())
        for line in (self.title, self.note):
            line.editingFinished.connect(self._leave)
        self.finding.left.connect(self._leave)

    def move_chosen(self, by: int) -> None:
        """The chosen card one place up (−1) or down (1)."""
        self._move(by)
