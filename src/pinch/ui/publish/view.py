"""The Publish page: deck, report, and what an editor would stop."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QProgressBar, QTabBar, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.narrative.cards.concerns import Concern
from pinch.narrative.cards.content import CardContent
from pinch.narrative.explain_cards import explain_card
from pinch.narrative.explanation import Explanation
from pinch.ui.page_protocol import PageView
from pinch.ui.page_stack import PageStack
from pinch.ui.publish import state
from pinch.ui.publish.control import ShownDeck
from pinch.ui.publish.deck_pane import DeckPane
from pinch.ui.publish.report_pane import ReportPane
from pinch.ui.row_table import RowTable
from pinch.ui.shell.words import label, small_button

TABS = (tr("Deck"), tr("Report"), tr("Check"))
DECK, REPORT, CHECK = range(3)
REPORT_NOTES = [
    tr("One folder: the report in every form that is ticked, the pictures of the deck, the tables, and the open data."),
    tr("The same book gives the same bytes, but for the date. The colophon names the data by a fingerprint."),
    tr("A template of your own may extend “report.html”; it runs in a sandbox and sees the report alone."),
    tr("Private things are listed with how often they occur. What is not ticked is in none of the data."),
]
CHECK_NOTES = [
    tr("“Stop”: it would mislead, or owes the reader something. “Look”: it may be right, and should be meant."),
    tr("A difference that does not matter here can be accepted with a reason on the Compare page."),
    tr("Nothing is forbidden: you may publish all the same, with the footnotes that say so."),
]
CHECK_HINT = tr("Enter or a double click goes to the place where it can be mended.")


class PublishView(PageView):
    """`explained` gives what the margin is to show, `concern_opened` a concern whose place is wanted."""

    explained = pyqtSignal(Explanation)
    concern_opened = pyqtSignal(object)
    told = pyqtSignal(str, list)
    picture_wanted = pyqtSignal(object)
    end_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.headline = label("", "headline", wrap=True)
        self.headline.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.deck, self.report = DeckPane(), ReportPane()
        self.concerns = RowTable(tr("What an editor would stop"), state.CONCERN_COLUMNS, words=(0, 1, 2))
        self.concerns.setWordWrap(True)
        header = self.concerns.horizontalHeader()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.progress = QProgressBar()
        self.end = small_button(
            tr("End"), tr("End the writing; the files that are there are whole"), self.end_wanted.emit
        )
        self.tabs, self.below = QTabBar(), PageStack()
        self.shown: ShownDeck | None = None
        self._lay_out()
        self.tabs.currentChanged.connect(self._turn)
        self.deck.chosen.connect(self._chosen)
        self.deck.theme_turned.connect(lambda: self._chosen(self.deck.content))
        self.concerns.explained.connect(self.explained)
        self.concerns.opened.connect(self.concern_opened)
        self.show_writing(1.0)

    def show_deck(self, shown: ShownDeck) -> None:
        """Show a deck that is worked out."""
        self.shown = shown
        self.headline.setText(state.headline(shown.deck, shown.concerns))
        self.deck.show_cards(shown.deck.contents)
        used = {p.device.id for c in shown.deck.contents if c.found for p in c.found.runs}
        devices = [d for d in shown.deck.points.devices if d.id in used]
        self.report.show_report(shown.deck.report, devices, shown.private, shown.quotable)
        self.concerns.show_rows(state.concern_rows(shown.concerns, shown.deck))
        self._fit_rows()
        count = len(shown.concerns)
        self.tabs.setTabText(CHECK, tr("Check ({count})", count=count) if count else tr("Check"))

    def show_working(self) -> None:
        """The deck is being worked out."""
        if self.shown is None:
            self.headline.setText(tr("Working out the cards …"))

    def show_writing(self, share: float | None) -> None:
        """How far the writing is; None or 1: nothing is written."""
        on = share is not None and share < 1.0
        self.progress.setVisible(on)
        self.end.setVisible(on)
        self.progress.setValue(round(100 * (share or 0.0)))

    def show_nothing(self, why: str) -> None:
        """Say why there is no deck."""
        self.shown = None
        self.headline.setText(why)

    def go_to_card(self, card_id: int) -> None:
        """A card of the deck."""
        self.tabs.setCurrentIndex(DECK)
        self.deck.choose(card_id)

    def explain(self, content: CardContent) -> None:
        """How a card came about."""
        found: list[Concern] = self.shown.concerns if self.shown else []
        self.explained.emit(explain_card(content, found))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit_rows()

    def _fit_rows(self) -> None:
        if self.tabs.currentIndex() == CHECK:
            self.concerns.resizeRowsToContents()

    def _turn(self, tab: int) -> None:
        self.below.setCurrentIndex(tab)
        self._fit_rows()
        if tab == DECK and self.deck.content is not None:
            self.explain(self.deck.content)
        if tab == REPORT:
            self.told.emit(tr("The report"), REPORT_NOTES)
        if tab == CHECK:
            self.told.emit(tr("Before publishing"), CHECK_NOTES)

    def _chosen(self, content: CardContent | None) -> None:
        if content is not None:
            self.picture_wanted.emit(content)
            if self.tabs.currentIndex() == DECK:
                self.explain(content)

    def _lay_out(self) -> None:
        for name, pane in zip(TABS, (self.deck, self.report, self._check()), strict=True):
            self.tabs.addTab(name)
            self.below.addWidget(pane)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setAccessibleName(tr("Part of publishing"))
        self.progress.setFixedWidth(220)
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(8)
        bar = QHBoxLayout()
        bar.addWidget(self.tabs)
        bar.addStretch(1)
        bar.addWidget(self.progress)
        bar.addWidget(self.end)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 8)
        column.setSpacing(6)
        column.addWidget(self.headline)
        column.addLayout(bar)
        column.addWidget(self.below, 1)

    def _check(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 4, 0, 0)
        column.addWidget(self.concerns, 1)
        column.addWidget(label(CHECK_HINT, "quiet"))
        return page
