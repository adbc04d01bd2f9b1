"""What the window shows of the demo book, pinned: words, places, what may be clicked, tables, charts, a coarse picture.

It says that nothing has moved, not that it is good: what is meant to move is looked at, and kept by scripts/golden.
"""

import hashlib
import time
from collections.abc import Callable, Iterator
from datetime import datetime
from itertools import product
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PyQt6.QtCore import QAbstractItemModel, QAbstractListModel, QModelIndex, QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QAbstractItemView, QDialog, QHeaderView, QScrollBar, QTableWidget, QWidget

from pinch.bench.records import live
from pinch.bench.runlogs import read_log
from pinch.charts import chart_files
from pinch.charts.chart_files import face_bytes
from pinch.charts.theme import DARK, LIGHT
from pinch.intake.arrivals import read_batch
from pinch.intake.table_roles import guess_roles
from pinch.narrative.cards.deck import Deck
from pinch.narrative.reporting import story_of
from pinch.publish.publication import behind, private_counts
from pinch.publish.report import markdown, plain_html
from pinch.runs.whole_book import read_points
from pinch.sources.sheets import sheet_of_text
from pinch.ui.background import at_work
from pinch.ui.bench.page import BenchPage
from pinch.ui.compare.page import ComparePage
from pinch.ui.compare.view import FAIRNESS
from pinch.ui.complete_dialog import CompleteDialog
from pinch.ui.judge.channels_dialog import ChannelsMeantDialog
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import FRAMES, HEAT, TIME, JudgeView
from pinch.ui.logs.scores_dialog import ScoresDialog
from pinch.ui.logs.summary import SummaryDialog
from pinch.ui.logs.view import ArrivalsDialog
from pinch.ui.modes.page import ModesPage
from pinch.ui.page_protocol import Page
from pinch.ui.plan.page import PlanPage
from pinch.ui.plan.plan_dialogs import SessionsDialog
from pinch.ui.private_dialog import PrivateDialog
from pinch.ui.publish.page import PublishPage
from pinch.ui.run.channel_dialog import ChannelsDialog
from pinch.ui.run.page import RunPage
from pinch.ui.run.reading_dialog import ReadingDialog
from pinch.ui.scale.page import ScalePage
from pinch.ui.turns import Turns
from tests.golden import Figure
from tests.pinned import flat
from tests.strangers import write_strangers
from tests.window_case import WindowCase

SHOWN = Path(__file__).parent / "data" / "golden" / "shown.json.gz"
TILE, FRAMED = "Tile Render, all cores", "Skerry Run"
BLOCK = 16
"""A picture is kept as the mean brightness of squares of so many points."""
EXPLAINED = (
    *(("Limpet", "45 W", "Lantern Deep"), ("Limpet", "45 W, graphics lock 1.8", "Lantern Deep")),
    *(("Gannet", "20 W", "Lantern Deep"), ("Sandpiper 14", "Firmware 1.10, stairs", TILE)),
    *(("Sandpiper 14", "Full", "Tile Render, one core"), ("Gannet", "10 W at anchor", "Cabin loop rundown")),
    ("Limpet", "Firmware 54, faulty", TILE),
)
CALM = 5
"""So many looks in a row, a hundredth of a second apart, find the same: then nothing moves any more."""
MOST_ROWS = 8
"""Of a table whose fields are asked for what they say."""
POINTS, LEVELS, SQUARES = 2.0, 12.0, 2
"""How far places, brightness and how many squares may differ."""
SIZES = (QWidget.minimumWidth, QWidget.maximumWidth, QWidget.minimumHeight, QWidget.maximumHeight)
OF_ALL, SIMPLE = QWidget.staticMetaObject.propertyCount(), (bool, int, float, str)
PLACES = (".x", ".y", ".w", ".h")
LARGER = (1700, 1000)
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


def set_in(widget: QWidget) -> Iterator[tuple[str, Figure]]:
    """How everything visible in a widget is set: bounds, steps, endings, menus; not what hangs on letters."""
    for number, child in enumerate(c for c in widget.findChildren(QWidget) if c.isVisible()):
        kind = child.metaObject()
        assert kind is not None
        key = f"{number} {type(child).__name__} set"
        yield from ((f"{key}.{size.__name__}.w", float(size(child))) for size in SIZES)
        yield (
            f"{key}.menu",
            " · ".join(f"{a.text()} {a.shortcut().toString()} {a.isEnabled()}" for a in child.actions()),
        )
        if not isinstance(child, QScrollBar):
            names = [str(kind.property(n).name()) for n in range(OF_ALL, kind.propertyCount())]
            names = [name for name in names if not name.endswith("SectionSize")]
            yield f"{key}.as", str({name: value for name in names if isinstance(value := child.property(name), SIMPLE)})


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
        return abs(a - b) <= (POINTS if key[-2:] in PLACES else 2e-6 * abs(a))
    return a == b


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

    def more_scenes(self) -> dict[str, Callable[[], object]]:
        """By name: what brings a scene about that is kept in words alone."""
        turns = ((self.scale, ScalePage, 6), (self.compare, ComparePage, 7), (self.modes, ModesPage, 6))
        return {
            **{
                f"{page.name} {tab}": lambda go=go, page=page, tab=tab: self.turned(go, page, tab)
                for go, page, tabs in turns
                for tab in range(tabs)
            },
            **{f"card {n}": lambda n=n: self.card(n) for n in range(15)},
            **{f"publish {tab}": lambda tab=tab: self.turned(self.publish, PublishPage, tab) for tab in (1, 2)},
            "overlay": self.overlay,
            "plan": self.plan,
        }

    def all_seen(self) -> dict[str, dict[str, Figure]]:
        """What each scene shows, in words and places, and as a coarse picture."""
        seen = {name: self._seen(go, True) for name, go in self.scenes().items()}
        seen |= {name: self._seen(go, False) for name, go in self.more_scenes().items()}
        made = self.dialogs()
        dialogs = {name: self._settled(dialog) | self._set(dialog) for name, dialog in made.items()}
        dialogs["each log"] = self.each_log(made["logs of others"])
        asked = {name: self._settled(dialog) | self._set(dialog) for name, dialog in self.asked().items()}
        bar = self.window.menuBar()
        assert bar is not None
        menus = {a.text(): str([b.text() for b in a.menu().actions()]) for a in bar.actions()}  # type: ignore[union-attr]
        return {"menus": menus} | seen | self.explained() | self.explained_rows() | dialogs | asked

    def _seen(self, go: Callable[[], object], as_picture: bool) -> dict[str, Figure]:
        go()
        found = self._settled(self.window)
        found |= self._larger() if as_picture else {}
        chart = self.window.shown_page.chart()
        drawn = dict(flat(chart, "chart")) if chart is not None else {}
        squares = {f"square {n}": float(v) for n, v in enumerate(picture_of(self.window))} if as_picture else {}
        return found | drawn | squares

    def _settled(self, widget: QWidget) -> dict[str, Figure]:
        """What a widget shows once nothing is worked out beside it any more, and everything has found its place."""
        widget.show()
        self.wait_for(lambda: not at_work())
        before: dict[str, Figure] = {}
        calm = 0
        while calm < CALM:  # a list moves its scroll bars a moment later
            time.sleep(0.01)
            self.app.processEvents()
            now = shown_by(widget)
            drawing = any(turns.under_way for turns in widget.findChildren(Turns))
            before, calm = now, calm + 1 if now == before and not drawing else 0
        return self._anywhere(before)

    def _set(self, widget: QWidget) -> dict[str, Figure]:
        return self._anywhere(dict(set_in(widget)))

    def _anywhere(self, said: dict[str, Figure]) -> dict[str, Figure]:
        """What holds wherever the tests write to."""
        place = str(self.folder)
        return {k: v.replace(place, "FOLDER") if isinstance(v, str) else v for k, v in said.items()}

    def _larger(self) -> dict[str, Figure]:
        """How the window is set, and what takes the room in a larger one."""
        set_so, kept = self._set(self.window), self.window.size()
        self.window.resize(*LARGER)
        placed = {f"larger {key}": v for key, v in self._settled(self.window).items() if key[-2:] in PLACES}
        self.window.resize(kept)
        self._settled(self.window)
        return set_so | placed

    def explained(self) -> dict[str, dict[str, Figure]]:
        """What the margin says of each figure and stretch of some runs."""
        found: dict[str, dict[str, Figure]] = {}
        for cell in EXPLAINED:
            view, told = self.run_of(*cell), dict[str, Figure]()
            view.tabs.setCurrentIndex(TIME)
            assert view.shown is not None
            for figure in view.cards:
                figure.click()
                told[figure.card.caption] = self.window.margin.text
            for t_s in view.shown.events():
                view.chart.strip_clicked.emit(t_s + 0.5)
                told[f"{t_s:.0f} s"] = self.window.margin.text
                told[f"{t_s:.0f} s, values"] = view.shown.values_at(t_s)
            found[", ".join(cell)] = told
        return found

    def explained_rows(self) -> dict[str, dict[str, Figure]]:
        """What the margin says of the fields of the tables of each page."""
        found: dict[str, dict[str, Figure]] = {}
        for go, page in ((self.scale, ScalePage), (self.compare, ComparePage), (self.modes, ModesPage)):
            go()
            view = self.window.page(page).view
            for tab in range(view.tabs.count()):
                view.tabs.setCurrentIndex(tab)
                told = found.setdefault(f"{page.name} {tab}, margin", {})
                for number, table in enumerate(t for t in view.findChildren(QTableWidget) if t.isVisible()):
                    places = product(range(min(table.rowCount(), MOST_ROWS)), range(table.columnCount()))
                    for row, column in places:
                        table.setCurrentCell(row, column)
                        told[f"{number} [{row},{column}]"] = self.window.margin.text
        return found

    def asked(self) -> dict[str, QWidget]:
        """What the menus open, and what is asked before something is written."""
        book, window, opened = self.session.book, self.window, list[QWidget]()
        self.choose("Gannet", "20 W", FRAMED)
        bench, compare, run = window.page(BenchPage), window.page(ComparePage), window.page(RunPage)
        entries = (
            *(bench.make_ladder, bench.combine_settings, bench.fill_grid, bench.fill_offers),
            *(compare.add_results, compare.type_grid, run.beside.type_grid, window.page(PlanPage).new_plan),
        )
        with mock.patch.object(QDialog, "exec", lambda dialog: opened.append(dialog)):
            for entry in entries:
                entry()
        points = [p for p in read_points(book.path).points if p.device.name == "Gannet"]
        readings = ReadingDialog(3, 95.0, live(book.instruments()), window)
        return {
            **{f"asked {n}": dialog for n, dialog in enumerate(opened)},
            "sessions": SessionsDialog((), datetime(2026, 9, 3, 9), window),
            "private": PrivateDialog("Private things", private_counts(behind(book, points)), window),
            "went where": SummaryDialog("Two logs are runs now.", ["a.csv: run 3"], ["b.csv: no rows"], window),
            "large": ChannelsDialog(["cpu.power", "cpu.temp"], ["cpu.temp"], window),
            "reading": readings,
        }

    def dialogs(self) -> dict[str, QWidget]:
        """What asks about logs, scores and runs."""
        book, window = self.session.book, self.window
        for name in ("Gannet 16 W", "Gannet 20 W"):
            rows = "".join(f"{i};{4 if i < 20 else 18},{i % 9};{1 if i < 20 else 3},2\n" for i in range(400))
            head = "Werkbank\nZeit [s];Leistung [W];CPU frequency\n"
            (self.folder / f"{name} Skerry Run.csv").write_text(head + rows)
        table = "Device;Mode;Game;Preset;Average [fps];1 % low;Whose\nGannet;20 W;Pack Ice;low;71,4;35,2;own test\n"
        sheet = sheet_of_text(table + "Gannet;20 W;Pack Ice;high;44,9;28,1;own test\n", "scores")
        run = book.runs()[3]
        strangers = self.folder / "strangers"
        strangers.mkdir(exist_ok=True)
        write_strangers(strangers)
        others = sorted(path for path in strangers.rglob("*") if path.is_file())
        return {
            "logs": ArrivalsDialog(read_batch(sorted(self.folder.glob("*.csv"))), book, window),
            "logs of others": ArrivalsDialog(read_batch(others), book, window),
            "scores": ScoresDialog(sheet, guess_roles(sheet), book, window),
            "complete": CompleteDialog(book, [run], window),
            "channels": ChannelsMeantDialog(read_log(book, run.id), window),
        }

    def each_log(self, dialog: QWidget) -> dict[str, Figure]:
        """What the dialog says of each log of others, one by one, and of three at once."""
        assert isinstance(dialog, ArrivalsDialog)
        found: dict[str, Figure] = {}
        for rows in (*((row,) for row in range(len(dialog.arrivals))), (0, 3, 5)):
            dialog._choose(rows)
            self.app.processEvents()
            found |= {f"{rows} {key}": said for key, said in shown_by(dialog).items() if key[-2:] not in PLACES}
        return self._anywhere(found)

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
        self.wait_for(lambda: page.view.comparison and page.view.comparison is page.control._last)

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

    def turned(self, go: Callable[[], object], page: type[Page[Any]], tab: int) -> None:
        go()
        self.window.page(page).view.tabs.setCurrentIndex(tab)

    def card(self, number: int) -> None:
        self.publish()
        view = self.window.page(PublishPage).view
        view.tabs.setCurrentIndex(0)
        assert view.shown is not None
        view.go_to_card(view.shown.deck.contents[number].card.id)

    def overlay(self) -> None:
        self.runs()
        page = self.window.page(JudgePage)
        page.view.runs.choose([row.run.id for row in page.view.runs.shown])
        page.overlay_chosen()
        page.view.runs.filter.setText("")

    def plan(self) -> None:
        self.window.show_page(self.window.page(PlanPage))

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
                with mock.patch.object(chart_files, "font_faces", return_value=""):
                    svg = face_bytes(content.face, "svg", theme)
                found[f"{content.card.name}, {theme.name}"] = hashlib.sha256(svg).hexdigest()[:16]
    return found
