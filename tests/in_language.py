"""The window in a language that nobody speaks: `python -m tests.in_language NAME CATALOGUE` goes through its pages and
prints as JSON what was left in English, which numbers have foreign signs, and what is cut off."""

import json
import re
import sys
import unittest
from collections.abc import Iterator
from enum import StrEnum

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractSpinBox, QLabel, QPushButton, QScrollArea, QTableView, QWidget

from pinch.bench.book import Book
from pinch.language import spoken, tr
from pinch.runs.run_digests import DigestDesk
from pinch.ui.run.page import RunPage
from tests.shown import DemoShown, shown_by

SAID = (".text", ".title", ".toPlainText", ".toolTip", ".accessibleName", ".placeholderText", ".currentText", "Role")
TECHNICAL = re.compile(
    r"<[^<>]*>|&\w+;|/.*\.\w+|\S*\.csv|\b[a-z]+(?:\.[a-z0-9_]+)+\b|\{\w+\}|\b(?:\w+-)+(?:power|level|amps)\b|τ.*"
    r"|(?<![A-Za-z])(?:W|Wh|K|V|A|Hz|s|h|ms|min|mV|dB|dB\(A\)|fps|GHz|MHz|GB|MB|MT/s|rpm|cd/m²|kg|mm|cm|px|in|EUR|USD"
    r"|Ctrl|Alt|Shift|Return|Esc|Del|Enter|F\d|PNG|SVG|PDF|CSV|JSON|HTML|XLSX|ODS|Parquet|Markdown|DejaVu|tiles|OS"
    r"|thermometer|time|date|[a-zA-Z])(?![A-Za-z])"
)
"""Units, keys, formats, channels and names of files: the same in every language."""
METHOD = tr("Show the method: {method}", method="")
NEVER = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
POINT = re.compile(r"\d+\.\d+\.\d+|\d+\.\d{3}(?!\d)|(\d+\.\d+)")
"""A number with a point, but no day and no thousands."""


class InLanguage(DemoShown):
    """Goes where most words are, and takes down what is wrong with them."""

    def make_book(self) -> Book:
        book = super().make_book()
        desk = DigestDesk(book, spoken().name)
        with book.change() as connection:  # no run is judged anew for its words alone; they stay as they are
            for run in book.runs():
                connection.execute("UPDATE judged SET key = ? WHERE run_id = ?", (desk.key(run), run.id))
        return book

    def test_all(self) -> None:
        names = ("judge", "heat", "frames", "scale", "compare", "fairness", "modes", "publish", "bench 0", "bench 2")
        self.data = _data_of(self.session.book)
        self.wrong: dict[str, list[str]] = {"left": [], "signs": [], "cut": []}
        scenes = self.scenes() | {"run": lambda: self.window.show_page(self.window.page(RunPage)), "plan": self.plan}
        for name in (*names, "run", "plan"):
            scenes[name]()
            self._settled(self.window)
            self._look(name, self.window)
        for name, dialog in (self.dialogs() | self.asked()).items():
            dialog.resize(dialog.sizeHint().expandedTo(dialog.size()))  # Qt keeps it within this small screen
            dialog.show()
            self.app.processEvents()
            self._look(name, dialog)
        bar = self.window.menuBar()
        assert bar is not None
        for menu in bar.actions():
            for text in (menu.text(), *(a.text() for a in menu.menu().actions())):  # type: ignore[union-attr]
                self._read("menu", text.replace("&", ""))
        sys.stdout.write(json.dumps(self.wrong | {"rtl": self.app.isRightToLeft()}) + "\n")

    def _look(self, scene: str, widget: QWidget) -> None:
        for key, said in shown_by(widget).items():
            if isinstance(said, str) and key.endswith(SAID) and "QPlainTextEdit" not in key:  # lines of a file
                self._read(f"{scene}, {key}", said)
        for table in (t for t in widget.findChildren(QTableView) if t.isVisible()):
            model = table.model()
            assert model is not None
            for column in range(model.columnCount()):
                self._read(f"{scene}, heading", str(model.headerData(column, Qt.Orientation.Horizontal) or ""))
        self.wrong["cut"] += [f"{scene}: {text}" for text in _cut(widget)]

    def _read(self, place: str, said: str) -> None:
        if said.startswith("<a href=") or METHOD in said:
            return  # the methods are one English text, and named by its headings
        own = self.data.sub(" ", said.replace("\u00a0", " "))
        left = re.findall(r"[A-Za-z]{2,}", TECHNICAL.sub(" ", own))
        if left and spoken().decimal != ",":
            self.wrong["left"].append(f"{place}: {said!r}: {left}")
        signs = [found[1] for found in POINT.finditer(TECHNICAL.sub(" ", own)) if found[1]]
        if signs and spoken().decimal == ",":
            self.wrong["signs"].append(f"{place}: {said!r}: {signs}")


def _data_of(book: Book) -> re.Pattern[str]:
    """All texts of a book's records, which nobody translates, and what these tests bring along."""
    found = {"Pinch", "book.pinch", "Werkbank", "strangers", "Game", "Whose", "Average", "Preset", "Mode", "Device"}
    found |= {"Two logs are runs now", "a.csv: run 3", "b.csv: no rows", "scores", "Metric", "When", "CPU frequency"}
    found |= {
        "Zeit",
        "Leistung",
        "CPU Power",
        "CPU Clock",
        "CPU Temperature",
        "Gannet 16 W Skerry Run",
        "graphics driver",
    }
    tables = [str(name) for (name,) in book.query("SELECT name FROM sqlite_master WHERE type = 'table'")]
    for table in (t for t in tables if t not in ("judged", "chunk", "stream", "photo") and not t.startswith("sqlite")):
        for row in book.query(f"SELECT * FROM {table}"):
            found |= {text for cell in row if isinstance(cell, str) for text in _texts(cell)}
    found -= _closed(StrEnum) - {"own test", "battery", "firmware", "generated"}  # typed as texts, too
    telling = sorted((text for text in found if re.search(r"[A-Za-z]{2}|\d\.\d", text)), key=len, reverse=True)
    return re.compile("|".join(rf"(?<!\w){re.escape(text)}(?!\w)" for text in telling))


def _closed(kind: type[StrEnum]) -> set[str]:
    """The words of all closed sets, which a record holds too, but which are translated where they are shown."""
    return {str(member) for member in kind}.union(*(_closed(own) for own in kind.__subclasses__()))


def _texts(cell: str) -> Iterator[str]:
    try:
        value = json.loads(cell)
    except ValueError:
        value = cell
    waiting = [value]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting += list(value.values())
        elif isinstance(value, list):
            waiting += value
        elif isinstance(value, str):
            yield value


def _cut(widget: QWidget) -> Iterator[str]:
    """Words that have less room than they take; tabs may be many, and have arrows then."""
    for child in (c for c in widget.findChildren(QWidget) if c.isVisible()):
        needs, has = 0, child.width()
        if isinstance(child, QScrollArea) and child.widget() is not None:
            inside, port = child.widget(), child.viewport()
            assert inside is not None and port is not None
            if inside.width() > port.width() + 1 and child.horizontalScrollBarPolicy() is NEVER:
                yield f"what is in {type(child.parent()).__name__} takes {inside.width()}, has {port.width()}"
        if isinstance(child, QLabel) and child.wordWrap():
            needs, has = child.heightForWidth(child.width()), child.height() + 3
        elif isinstance(child, QLabel) and child.textFormat() is not Qt.TextFormat.RichText:
            needs = child.fontMetrics().boundingRect(child.text().split("\n")[0]).width()
        elif isinstance(child, QPushButton):
            needs = child.minimumSizeHint().width()
        elif isinstance(child, QAbstractButton):
            needs = child.sizeHint().width()
        elif isinstance(child, QAbstractSpinBox):
            needs = child.fontMetrics().horizontalAdvance(child.text()) + 8
        words = child.text() if isinstance(child, QLabel | QAbstractButton | QAbstractSpinBox) else ""
        if words and needs > has + 2:
            yield f"{type(child).__name__} {words!r} takes {needs}, has {has}"


if __name__ == "__main__":
    ended = unittest.TextTestRunner(verbosity=0).run(InLanguage("test_all"))
    sys.exit(not ended.wasSuccessful())
