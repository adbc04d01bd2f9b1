"""The report: its words, what is written, and what of the private goes out with it."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pinch.bench.cards import Private, Quote, Report
from pinch.bench.licences import LICENCES
from pinch.bench.records import Device
from pinch.charts.chart_files import ENDINGS, SIZES
from pinch.charts.theme import Theme
from pinch.language import tr
from pinch.narrative.quotable import OWN_TEXTS
from pinch.publish.pictures import PictureChoice
from pinch.publish.private import PrivateCount
from pinch.publish.publication import TABLES, PublishChoice
from pinch.publish.report import FORMS, ReportChoice
from pinch.publish.reportpackage import PackageChoice
from pinch.ui.publish import state
from pinch.ui.shell.kepttext import KeptText
from pinch.ui.shell.scrolled import scrolled
from pinch.ui.shell.words import label, small_button

FORM_WORDS = {
    "html": tr("HTML, one file"),
    "pdf": "PDF",
    "markdown": tr("Markdown"),
    "plain": tr("HTML for word processors"),
}
PICTURE_WORDS = {"outlines": tr("SVG, letters as outlines")}
LINES = {
    "title": tr("Title"),
    "publication": tr("Publication"),
    "author": tr("Author"),
    "edition": tr("Edition"),
}
TEXTS = {
    "standfirst": tr("Standfirst"),
    "verdict": tr("Verdict"),
    "speaks_for": tr("For it"),
    "speaks_against": tr("Against it"),
    "disclosure": tr("Disclosure"),
}
HINTS = {
    "verdict": tr("Your own words; Insert takes a sentence over, and the check tells when it reads otherwise."),
    "speaks_for": tr("A line for each point."),
    "speaks_against": tr("A line for each point."),
    "standfirst": tr("The question of the test, in two or three sentences."),
    "disclosure": tr("How the units came, who paid, who saw the report before it was printed."),
}


HEIGHTS = {"speaks_for": 62, "speaks_against": 62, "disclosure": 62}
LONGEST_ENTRY = 110
"""Letters of a sentence in a menu."""


class ReportPane(QWidget):
    """`changed` gives other fields of the report; `write_wanted` that it is to be written."""

    changed = pyqtSignal(dict)
    write_wanted = pyqtSignal()
    template_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.lines = {name: QLineEdit() for name in LINES}
        self.texts = {name: KeptText() for name in TEXTS}
        self.device, self.licence, self.png_size = QComboBox(), QComboBox(), QComboBox()
        self.template = QLineEdit()
        self.forms = {form: QCheckBox(words) for form, words in FORM_WORDS.items()}
        self.pictures = {kind: QCheckBox(PICTURE_WORDS.get(kind, kind.upper())) for kind in ENDINGS}
        self.tables = {kind: QCheckBox(kind.upper()) for kind in TABLES}
        self.data = QCheckBox(tr("open data, a Data Package"))
        self.private = {what: QCheckBox(tr(what)) for what in Private}
        self.write = QPushButton(tr("Write the report …"))
        self.insert = {
            name: small_button(tr("Insert …"), tr("Take over a sentence of the report"), partial(self._offer, name))
            for name in OWN_TEXTS
        }
        self._report = Report()
        self._quotable: dict[str, str] = {}
        self._set_up()
        self._lay_out()
        self._connect()

    def show_report(
        self, report: Report, devices: Sequence[Device], counts: Sequence[PrivateCount], sentences: dict[str, str]
    ) -> None:
        """Show the report's words, what private things stand behind it, and offer its sentences for the verdict."""
        self._report, self._quotable = report, sentences
        for name, button in self.insert.items():
            button.setEnabled(bool(sentences))
            button.setAccessibleName(tr("Insert a sentence into “{texts}”", texts=TEXTS[name]))
        for name, line in self.lines.items():
            if not line.hasFocus():
                line.setText(str(getattr(report, name)))
                line.setCursorPosition(0)
        for name, text in self.texts.items():
            if not text.hasFocus():
                text.setPlainText(str(getattr(report, name)))
        self.template.setText(report.template)
        self.device.clear()
        self.device.addItem(tr("of the most cards"), None)
        for d in devices:
            self.device.addItem(d.name, d.id)
        self.device.setCurrentIndex(max(0, self.device.findData(report.device_id)))
        self.licence.setCurrentIndex(max(0, self.licence.findData(report.licence)))
        for what, box in self.private.items():
            box.setText(state.private_words(counts, what))
            box.setToolTip(state.private_example(counts, what))
            box.setChecked(what in report.private)
            box.setEnabled(any(c.what is what for c in counts))

    def choice(self, theme: Theme) -> PublishChoice:
        """What is to be written."""
        kinds = tuple(kind for kind, box in self.pictures.items() if box.isChecked())
        template = Path(self._report.template) if self._report.template else None
        data = PackageChoice(self._report.licence, self._report.private) if self.data.isChecked() else None
        return PublishChoice(
            ReportChoice(tuple(form for form, box in self.forms.items() if box.isChecked()), template),
            PictureChoice(kinds, self.png_size.currentData(), theme) if kinds else None,
            tuple(kind for kind, box in self.tables.items() if box.isChecked()),
            data,
        )

    def leave(self) -> None:
        """Keep what was typed."""
        fields = self._typed()
        if any(getattr(self._report, name) != value for name, value in fields.items()):
            self.changed.emit(fields)

    def _typed(self) -> dict[str, object]:
        fields: dict[str, object] = {name: line.text().strip() for name, line in self.lines.items()}
        return fields | {name: text.toPlainText().strip() for name, text in self.texts.items()}

    def take_over(self, name: str, of: str) -> None:
        """Put a sentence of the report into one of the own texts, and remember of what it is."""
        words, text = self._quotable[of], self.texts[name]
        before = text.toPlainText().rstrip()
        together = f"{before}{'' if not before else ' ' if name == 'verdict' else chr(10)}{words}"
        text.setPlainText(together)
        quotes = (*self._report.quotes, Quote(of=of, words=words))
        self.changed.emit({**self._typed(), "quotes": quotes})

    def _offer(self, name: str) -> None:
        menu = QMenu(self)
        for of, words in self._quotable.items():
            entry = words if len(words) <= LONGEST_ENTRY else f"{words[: LONGEST_ENTRY - 1]}…"
            action = menu.addAction(entry.replace("&", "&&"))
            assert action is not None
            action.triggered.connect(lambda _, of=of: self.take_over(name, of))
        menu.exec(self.insert[name].mapToGlobal(self.insert[name].rect().bottomLeft()))

    def _set_up(self) -> None:
        for name, line in self.lines.items():
            line.setAccessibleName(LINES[name])
        for name, text in self.texts.items():
            text.setAccessibleName(TEXTS[name])
            text.setPlaceholderText(HINTS[name])
            text.setFixedHeight(HEIGHTS.get(name, 84))
        for box in (*self.forms.values(), *self.tables.values(), self.data, self.pictures["png"]):
            box.setChecked(True)
        for key, (title, _) in LICENCES.items():
            self.licence.addItem(title, key)
        for words, size in SIZES.items():
            self.png_size.addItem(tr("PNG of {words}", words=words), size)
        self.png_size.setCurrentIndex(1)
        for combo, name in (
            (self.device, tr("The report is of")),
            (self.licence, tr("Licence")),
            (self.png_size, tr("Size of PNGs")),
        ):
            combo.setAccessibleName(name)
        self.template.setReadOnly(True)
        self.template.setPlaceholderText(tr("Pinch's own"))
        self.template.setAccessibleName(tr("Template"))
        self.write.setProperty("role", "main")

    def _lay_out(self) -> None:
        inside = QWidget()
        columns = QHBoxLayout(inside)
        columns.setContentsMargins(0, 4, 10, 4)
        columns.setSpacing(28)
        columns.addLayout(self._words(), 6)
        columns.addLayout(self._what(), 5)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(scrolled(inside))

    def _words(self) -> QVBoxLayout:
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setVerticalSpacing(8)
        form.addRow(tr("Title"), self.lines["title"])
        for name, text in self.texts.items():
            form.addRow(TEXTS[name], text if name not in self.insert else self._with_insert(name))
        for name in ("publication", "author", "edition"):
            form.addRow(LINES[name], self.lines[name])
        form.addRow(tr("The report is of"), self.device)
        form.addRow(tr("Licence"), self.licence)
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.template, 1)
        row.addWidget(small_button(tr("Choose …"), tr("A template of your own"), self.template_wanted.emit))
        row.addWidget(
            small_button(tr("Pinch's own"), tr("The template of Pinch"), lambda: self.changed.emit({"template": ""}))
        )
        form.addRow(tr("Template"), row)
        column = QVBoxLayout()
        column.addLayout(form)
        hint = tr("Sections, methodology, limits and versions write themselves from the cards and the records.")
        column.addWidget(label(hint, "quiet", wrap=True))
        column.addStretch(1)
        return column

    def _with_insert(self, name: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.texts[name], 1)
        row.addWidget(self.insert[name], 0, Qt.AlignmentFlag.AlignTop)
        return row

    def _what(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(5)
        column.addWidget(label(tr("What is written"), "heading"))
        for box in self.forms.values():
            column.addWidget(box)
        grid = QGridLayout()
        grid.addWidget(label(tr("Pictures"), "quiet"), 0, 0)
        grid.addWidget(label(tr("Tables"), "quiet"), 1, 0)
        for n, box in enumerate(self.pictures.values(), 1):
            grid.addWidget(box, 0, n)
        for n, box in enumerate(self.tables.values(), 1):
            grid.addWidget(box, 1, n)
        grid.setColumnStretch(4, 1)
        column.addLayout(grid)
        column.addWidget(self.png_size, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.data)
        column.addSpacing(8)
        column.addWidget(label(tr("Private, left out unless ticked"), "heading"))
        for box in self.private.values():
            column.addWidget(box)
        column.addSpacing(10)
        column.addWidget(self.write, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        return column

    def _connect(self) -> None:
        for line in self.lines.values():
            line.editingFinished.connect(self.leave)
        for text in self.texts.values():
            text.left.connect(self.leave)
        self.device.activated.connect(lambda _: self.changed.emit({"device_id": self.device.currentData()}))
        self.licence.activated.connect(lambda _: self.changed.emit({"licence": self.licence.currentData()}))
        for box in self.private.values():
            box.clicked.connect(lambda _: self.changed.emit({"private": self._ticked()}))
        self.write.clicked.connect(self.write_wanted)

    def _ticked(self) -> tuple[Private, ...]:
        return tuple(what for what, box in self.private.items() if box.isChecked())


assert set(FORM_WORDS) == set(FORMS)
