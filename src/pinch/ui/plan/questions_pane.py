"""The questions of the book in a table: what is asked, where it stands, what it costs."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pinch.analysis.asking import Asked
from pinch.charts.spec import unbroken
from pinch.core.standing import Stand
from pinch.language import tr
from pinch.narrative.question_words import Names, question_words, standing_words
from pinch.runs.question_plan import QuestionPlan
from pinch.ui import look
from pinch.ui.shell.words import label, small_button

COLUMNS = ("", tr("Question"), tr("Where it stands"), tr("Bench time"))
QUESTION, STANDING, AIR = 1, 2, 8
STANDS = {Stand.OPEN: tr("open"), Stand.ANSWERED: tr("answered"), Stand.CANNOT: tr("no")}
NOTHING = tr(
    "Nothing is asked yet. Ask what the review has to say: Pinch plans the runs that answer it in the least "
    "bench time, stops where it is answered, and says where it cannot be."
)


class QuestionsTable(QTableWidget):
    """A question a row; sentences take as many lines as they need."""

    def __init__(self) -> None:
        super().__init__(0, len(COLUMNS))
        self.setAccessibleName(tr("Questions"))
        self.setHorizontalHeaderLabels(COLUMNS)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        side.hide()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setHighlightSections(False)
        for column in (QUESTION, STANDING):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.setColumnWidth(0, 76)
        self.setColumnWidth(3, 84)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lines break elsewhere."""
        super().resizeEvent(event)
        self._fit_rows()

    def _fit_rows(self) -> None:
        self.resizeRowsToContents()
        for row in range(self.rowCount()):
            self.setRowHeight(row, self.rowHeight(row) + AIR)

    def show_lines(self, lines: Sequence[tuple[str, ...]]) -> None:
        """These rows of words; the chosen one stays chosen where there is one at its place."""
        at = self.currentRow()
        self.setRowCount(len(lines))
        for row, words in enumerate(lines):
            for column, text in enumerate(words):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
                item.setFont(look.text_font(10, bold=column == QUESTION))
                self.setItem(row, column, item)
        self._fit_rows()
        if 0 <= at < len(lines):
            self.setCurrentCell(at, QUESTION)


class QuestionsPane(QWidget):
    """`ask_wanted`, `sheet_wanted` and `dropped` say what was pressed."""

    ask_wanted = pyqtSignal()
    sheet_wanted = pyqtSignal()
    dropped = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.words = label(NOTHING, "", wrap=True)
        self.ask = small_button(tr("Ask …"), tr("A further question"), self.ask_wanted.emit)
        self.drop = small_button(tr("Ask no more"), tr("Take the chosen question away"), self.dropped.emit)
        self.sheet = small_button(tr("Run sheet"), tr("Plan what the open questions need"), self.sheet_wanted.emit)
        self.table = QuestionsTable()
        self.asked: Sequence[Asked] = ()
        top = QHBoxLayout()
        top.addWidget(self.words, 1)
        for button in (self.ask, self.drop, self.sheet):
            top.addWidget(button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(top)
        whole.addWidget(self.table, 1)
        self._hint = label(tr("Ctrl+K sends the answer of the chosen question to the deck."), "quiet", wrap=True)
        whole.addWidget(self._hint)
        self._filler = QWidget()
        whole.addWidget(self._filler, 1)
        self.show_questions(None, None)

    @property
    def chosen(self) -> Asked | None:
        """The chosen question, else the first."""
        row = max(0, self.table.currentRow())
        return self.asked[row] if row < len(self.asked) else None

    def show_questions(self, found: QuestionPlan | None, names: Names | None) -> None:
        """All questions, or that there are none."""
        self.asked = found.asked if found is not None else ()
        for part in (self.drop, self.sheet, self.table, self._hint):
            part.setVisible(bool(self.asked))
        self._filler.setVisible(not self.asked)
        self.words.setText(NOTHING if found is None or not self.asked else _summary(found))
        if found is not None and names is not None:
            self.table.show_lines([_line(a, names, found.costs.get(a.question.id)) for a in self.asked])


def _line(asked: Asked, names: Names, cost_s: float | None) -> tuple[str, ...]:
    minutes = "" if cost_s is None else tr("{minutes:.0f} min", minutes=cost_s / 60.0)
    said = question_words(asked.question, names), standing_words(asked, names, cost_s)
    return (STANDS[asked.standing.stand], *map(unbroken, said), minutes)


def _summary(found: QuestionPlan) -> str:
    still = sum(a.standing.is_open for a in found.asked)
    if not still:
        return tr("Nothing is open.")
    return tr(
        "{still} open: about {left:.0f} min of bench time, {least:.0f} to {most:.0f}.",
        still=still,
        left=found.left_s / 60.0,
        least=found.least_s / 60.0,
        most=found.most_s / 60.0,
    )
