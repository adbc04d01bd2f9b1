"""What the window shows of the demo book, pinned: words, places, what may be clicked, tables, charts, a coarse picture.

It says that nothing has moved, not that it is good: what is meant to move is looked at, and kept by scripts/golden.
"""

import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QAbstractItemModel, QAbstractListModel, QModelIndex, QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QWidget

from pinch.charts.chart_files import face_bytes
from pinch.charts.theme import DARK, LIGHT
from pinch.narrative.cards.deck import Deck
from pinch.narrative.reporting import story_of
from pinch.publish.report import markdown, plain_html
from pinch.ui.bench.page import BenchPage
from pinch.ui.compare.page import ComparePage
from pinch.ui.compare.view import FAIRNESS
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import FRAMES, HEAT, TIME, JudgeView
from pinch.ui.modes.page import ModesPage
from pinch.ui.publish.page import PublishPage
from pinch.ui.scale.page import ScalePage
from tests.golden import Figure
from tests.pinned import flat
from tests.window_case import WindowCase

SHOWN = Path(__file__).parent / "data" / "golden" / "shown.json.gz"
TILE, FRAMED = "Tile Render, all cores", "Skerry Run"
BLOCK = 16
"""A picture is kept as the mean brightness of squares of so many points."""
POINTS, LEVELS, SQUARES = 2.0, 12.0, 2
"""How far places, brightness and how many squares may differ."""
WORDS = ("text", "title", "currentText", "placeholderText", "toPlainText", "toolTip", "accessibleName")


def shown_by(widget: QWidget) -> dict[str, Figure]:
    """Everything visible in a widget."""
    found: dict[str, Figure] = {}
    for number, child in enumerate(c for c in widget.findChildren(QWidget) if c.isVisible()):
        place = child.mapTo(widget, QPoint(0, 0))
        key = f"{number} {type(child).__name__}"
        for name, value in zip("xywh", (place.x(), place.y(), child.width(), child.height()), strict=True):
            found[f"{key}.{name}"] = float(value)
        found[f"{key}.enabled"] = child.isEnabled()
        for name in WORDS:
            words = getattr(child, name, None)
            if callable(words) and (said := words()):
                found[f"{key}.{name}"] = str(said)
        if isinstance(child, QAbstractItemView) and not isinstance(child, QHeaderView):
            found |= {f"{key}{place}": value for place, value in _cells(child.model(), QModelIndex())}
    return found


def _cells(model: QAbstractItemModel | None, parent: QModelIndex) -> Iterator[tuple[str, Figure]]:
    assert model is not None
    for row in range(model.rowCount(parent)):
        for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount(parent)):
            for role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.CheckStateRole):
                value = model.index(row, column, parent).data(role)
                if value not in (None, ""):
                    yield f"[{row},{column}].{role.name}", str(value)


def picture_of(widget: QWidget) -> list[int]:
    """The mean brightness of its squares, row by row."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_Grayscale8)
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8).reshape(image.height(), image.bytesPerLine())
    high, wide = image.height() // BLOCK, image.width() // BLOCK
    squares = rows[: high * BLOCK, : wide * BLOCK].reshape(high, BLOCK, wide, BLOCK).mean(axis=(1, 3))
    return [round(float(value)) for value in squares.ravel()]


def moved_in(kept: dict[str, Figure], now: dict[str, Figure]) -> list[str]:
    """What moved further than fonts are drawn apart on two computers: places by points, squares by many levels."""
    lines = []
    squares = 0
    for key in dict.fromkeys((*kept, *now)):
        a, b = kept.get(key, "absent"), now.get(key, "absent")
        if key.startswith("square "):
            squares += not isinstance(a, float) or not isinstance(b, float) or abs(a - b) > LEVELS
        elif not _near(key, a, b):
            lines.append(f"{key}: {a} → {b}")
    return lines + ([f"the picture: {squares} squares"] if squares > SQUARES else [])


def _near(key: str, a: Figure, b: Figure) -> bool:
    if isinstance(a, float) and isinstance(b, float):
        return abs(a - b) <= (POINTS if key[-2:] in (".x", ".y", ".w", ".h") else 2e-6 * abs(a))
    return a == b


def _without(value: Figure, folder: str) -> Figure:
    return value.replace(folder, "FOLDER") if isinstance(value, str) else value


class DemoShown(WindowCase):
    """Goes through the window as somebody would who wants to see all of it."""

    demo = True

    def scenes(self) -> dict[str, Callable[[], object]]:
        """By name: what brings a scene about."""
        return {
            "judge": self.judge,
            "heat": self.heat,
            "frames": self.frames,
            "runs": self.runs,
            "scale": self.scale,
            "compare": self.compare,
            "fairness": self.fairness,
            "modes": self.modes,
            "publish": self.publish,
            **{f"bench {kind}": lambda kind=kind: self.bench(kind) for kind in range(5)},
        }

    def all_seen(self) -> dict[str, dict[str, Figure]]:
        """What each scene shows, in words and places, and as a coarse picture."""
        return {name: self._seen(go) for name, go in self.scenes().items()}

    def _seen(self, go: Callable[[], object]) -> dict[str, Figure]:
        go()
        before: dict[str, Figure] = {}
        while before != (now := shown_by(self.window)):  # until everything has found its place
            before = now
            self.app.processEvents()
        chart = self.window.shown_page.chart()
        drawn = dict(flat(chart, "chart")) if chart is not None else {}
        squares = {f"square {n}": float(v) for n, v in enumerate(picture_of(self.window))}
        return {key: _without(value, str(self.folder)) for key, value in (before | drawn | squares).items()}

    def deck_seen(self) -> dict[str, Figure]:
        """The deck in words and pictures."""
        shown = self.window.page(PublishPage).view.shown
        assert shown is not None
        return words_of(shown.deck, self.session.book)

    def judge(self) -> None:
        page = self.window.page(JudgePage)
        self.window.show_page(page)
        self.choose("Sandpiper 14", "Full", TILE)
        page.view.tabs.setCurrentIndex(TIME)
        self.wait_for(lambda: page.view.shown)
        page.view.cards[1].click()

    def heat(self) -> None:
        view = self.run_of("Limpet", "45 W", TILE)
        view.tabs.setCurrentIndex(HEAT)
        view.heat.table.selectRow(0)

    def frames(self) -> None:
        view = self.run_of("Gannet", "20 W", FRAMED)
        view.tabs.setCurrentIndex(FRAMES)
        view.frames.table.selectRow(0)

    def run_of(self, device: str, setting: str, workload: str) -> JudgeView:
        view = self.window.page(JudgePage).view
        self.window.show_page(self.window.page(JudgePage))
        self.choose(device, setting, workload)
        self.wait_for(lambda: view.shown is not None and view.shown.device.name == device)
        return view

    def runs(self) -> None:
        page = self.window.page(JudgePage)
        self.window.show_page(page)
        page.show_runs()
        self.wait_for(lambda: page.digesting.job is None)
        page.view.runs.filter.setText("limpet firmware")

    def scale(self) -> None:
        page = self.window.page(ScalePage)
        self.window.show_page(page)
        self.choose("Gannet", None, FRAMED)
        self.wait_for(lambda: page.view.result)
        page.view.second.setCurrentIndex(1)
        page.view.read_at(20.0)

    def compare(self) -> None:
        page = self.window.page(ComparePage)
        self.window.show_page(page)
        self.choose("Sandpiper 14", None, TILE)
        self.wait_for(lambda: page.view.comparison)

    def fairness(self) -> None:
        self.compare()
        page = self.window.page(ComparePage)
        page.view.tabs.setCurrentIndex(FAIRNESS)
        page.view.fairness.setCurrentCell(0, 0)

    def modes(self) -> None:
        page = self.window.page(ModesPage)
        self.window.show_page(page)
        self.choose("Gannet", None, TILE)
        self.wait_for(lambda: page.view.modes.rowCount() > 5)
        page.view.modes.setCurrentCell(5, 10)

    def publish(self) -> None:
        page = self.window.page(PublishPage)
        self.window.show_page(page)
        self.wait_for(lambda: page.view.shown)
        assert page.view.shown is not None
        page.view.go_to_card(page.view.shown.deck.contents[6].card.id)

    def bench(self, kind: int) -> None:
        page = self.window.page(BenchPage)
        self.window.show_page(page)
        self.choose("Gannet", "20 W", TILE)
        page.view.tabs.setCurrentIndex(kind)


def words_of(deck: Deck, book: object) -> dict[str, Figure]:
    """The report of a deck in words, and its pictures by what they are made of."""
    story = story_of(book, deck, "2026-09-21")  # type: ignore[arg-type]
    found: dict[str, Figure] = {}
    for form, text in (("markdown", markdown(story)), ("plain", plain_html(story))):
        found |= {f"{form} {n}": line for n, line in enumerate(text.splitlines()) if "Made with" not in line}
    for content in deck.contents:
        if content.face is not None:
            found |= dict(flat(content.face.chart, content.card.name))
            for theme in (LIGHT, DARK):
                svg = face_bytes(content.face, "svg", theme)
                found[f"{content.card.name}, {theme.name}"] = hashlib.sha256(svg).hexdigest()[:16]
    return found
