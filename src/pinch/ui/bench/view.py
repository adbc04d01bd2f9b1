"""The Bench page: a list of records on the left, the form of the chosen one beside it."""

from PyQt6.QtCore import QModelIndex, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.records import Device, Listed, Setting
from pinch.language import tr
from pinch.ui import look
from pinch.ui.bench.form import FormView
from pinch.ui.bench.state import EMPTY_WORDS, KINDS, ONE, Item
from pinch.ui.page_protocol import PageView
from pinch.ui.shell.words import hairline, label

LIST_WIDTH = 216


class TwoLines(QStyledItemDelegate):
    """A line of the list: the name, and below it quiet details; both are cut to the width."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(60, 42)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        theme, box = look.theme(), option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor(theme.window))
            painter.fillRect(box.left(), box.top(), 3, box.height(), QColor(theme.accent))
        name, _, detail = str(index.data()).partition("\n")
        inside = box.adjusted(10, 4, -6, -4)
        for text, colour, font, side in (
            (name, theme.ink, look.text_font(10, bold=True), Qt.AlignmentFlag.AlignTop),
            (detail, theme.quiet, look.text_font(8.5), Qt.AlignmentFlag.AlignBottom),
        ):
            painter.setFont(font)
            painter.setPen(QColor(colour))
            cut = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, inside.width())
            painter.drawText(inside, side | Qt.AlignmentFlag.AlignLeft, cut)


class BenchView(PageView):
    """`kind_chosen` and `list_changed` (search, archive) ask for a new list, `chosen` gives a record's id; the others
    ask for what their button says."""

    kind_chosen = pyqtSignal()
    list_changed = pyqtSignal()
    chosen = pyqtSignal(int)
    new_wanted = pyqtSignal()
    copy_wanted = pyqtSignal()
    archive_wanted = pyqtSignal()
    ladder_wanted = pyqtSignal()
    computer_wanted = pyqtSignal()
    rig_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.tabs = QTabBar()
        self.tabs.setAccessibleName(tr("Kind of record"))
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        for name in KINDS:
            self.tabs.addTab(name)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search"))
        self.search.setAccessibleName(tr("Search the list"))
        self.search.setToolTip(tr("Search names, details and notes (Ctrl+F)"))
        self.search.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Records"))
        self.list.setItemDelegate(TwoLines(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.archived = QCheckBox(tr("show archived"))
        self.new, self.copy, self.archive = QPushButton(tr("New")), QPushButton(tr("Copy")), QPushButton(tr("Archive"))
        self.ladder = QPushButton(tr("Make a ladder …"))
        self.computer = QPushButton(tr("Add this computer"))
        self.rig = QPushButton(tr("Add the simulated devices"))
        for button, tip in (
            (self.new, tr("A new record of this kind (Ctrl+Shift+N)")),
            (self.copy, tr("A copy as the start of the next (Ctrl+Shift+D)")),
            (self.archive, tr("Keep it, but offer it no more (Ctrl+Shift+A)")),
            (self.ladder, tr("Settings with limits in even steps (Ctrl+L)")),
        ):
            button.setToolTip(tip)
        self.headline = label("", "headline", wrap=True)
        self.form = FormView()
        self._filler = QWidget()
        self._lay_out()
        self.tabs.currentChanged.connect(lambda _: self.kind_chosen.emit())
        self.search.textChanged.connect(lambda _: self.list_changed.emit())
        self.archived.toggled.connect(lambda _: self.list_changed.emit())
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        for button, signal in (
            (self.new, self.new_wanted),
            (self.copy, self.copy_wanted),
            (self.archive, self.archive_wanted),
            (self.ladder, self.ladder_wanted),
            (self.computer, self.computer_wanted),
            (self.rig, self.rig_wanted),
        ):
            button.clicked.connect(signal)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        left.addWidget(self.archived)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        for button in (self.new, self.copy, self.archive):
            button.setProperty("role", "small")
            buttons.addWidget(button)
        left.addLayout(buttons)
        for wide in (self.ladder, self.computer, self.rig):
            left.addWidget(wide)
        side = QWidget()
        side.setFixedWidth(LIST_WIDTH)
        left.setContentsMargins(0, 0, 0, 0)
        side.setLayout(left)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.headline)
        right.addWidget(self.form, 1)
        right.addWidget(self._filler, 1)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(side)
        row.addWidget(hairline(upright=True))
        row.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 4, 8)
        column.setSpacing(8)
        column.addWidget(self.tabs)
        column.addLayout(row, 1)

    @property
    def kind(self) -> type[Listed]:
        """The kind of record that is shown."""
        return list(KINDS.values())[self.tabs.currentIndex()]

    def choose_kind(self, kind: type[Listed]) -> None:
        """Show another kind."""
        self.tabs.setCurrentIndex(list(KINDS.values()).index(kind))

    def show_list(self, items: list[Item], chosen: int | None, may_change: bool, device: Device | None) -> None:
        """Show a list, one of its records chosen, and offer what can be done."""
        self.list.blockSignals(True)
        self.list.clear()
        for item in items:
            words = f"{item.name}\n{item.detail}{' · ' + tr('archived') if item.archived else ''}"
            line = QListWidgetItem(words)
            line.setData(Qt.ItemDataRole.UserRole, item.id)
            line.setToolTip(words)
            self.list.addItem(line)
            if item.id == chosen:
                self.list.setCurrentItem(line)
        self.list.blockSignals(False)
        settings = self.kind is Setting
        self.new.setEnabled(may_change and (not settings or device is not None))
        self.copy.setEnabled(may_change and chosen is not None)
        self.archive.setEnabled(may_change and chosen is not None)
        self.ladder.setVisible(settings)
        self.ladder.setEnabled(may_change and device is not None)

    def offer_devices(self, computer: bool, rig: bool) -> None:
        """Offer what can still be added."""
        self.computer.setVisible(computer and self.kind is Device)
        self.rig.setVisible(rig and self.kind is Device)

    def show_nothing(self, searching: bool, device: Device | None) -> None:
        """There is no record to show."""
        words = tr("Nothing is found.") if searching else EMPTY_WORDS[self.kind]
        if self.kind is Setting and device is None:
            words = tr("Choose a device first; settings belong to one.")
        self.headline.setText(words)
        self.form.hide()
        self._filler.show()

    def show_headline(self, words: str, archived: bool) -> None:
        """Say what the form is about."""
        self.headline.setText(words)
        self.archive.setText(tr("Bring back") if archived else tr("Archive"))
        self.form.show()
        self._filler.hide()

    def go_to_search(self) -> None:
        """Go to the search."""
        self.search.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.search.selectAll()

    @property
    def one(self) -> str:
        """What one record of the kind is called."""
        return ONE[self.kind]

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(int(item.data(Qt.ItemDataRole.UserRole)))
