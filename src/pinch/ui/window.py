"""The main window: spine, context strip, desk, margin and footer around one session. Frame and wiring only: what is
done belongs to the pages and parts of `registry`."""

import logging
from collections.abc import Callable, Iterator
from functools import cached_property, partial
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QIcon, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from pinch import __version__
from pinch.bench.records import Device
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.core.faults import Fault
from pinch.language import tr
from pinch.ui import look
from pinch.ui.boundary import SLOT, FaultWatch
from pinch.ui.changes import Changes
from pinch.ui.file_dialogs import save_name
from pinch.ui.menus import MenuEntry, MenuName, fill_menus
from pinch.ui.notify import notify
from pinch.ui.page_protocol import Page, PageView, RecordsTarget, RunTarget, Sent, Target, WindowPart
from pinch.ui.page_stack import PageStack
from pinch.ui.pages_ahead import PagesAhead
from pinch.ui.plan.control import PlanControl
from pinch.ui.points_control import PointsControl
from pinch.ui.preferences import NOTIFY, PAGE, THEME, Preferences
from pinch.ui.program_actions import ProgramActions
from pinch.ui.registry import PAGES, PARTS
from pinch.ui.session import Session
from pinch.ui.shell.context_strip import ContextStrip
from pinch.ui.shell.footer import Footer
from pinch.ui.shell.margin import WIDTH as MARGIN_WIDTH
from pinch.ui.shell.margin import Margin
from pinch.ui.shell.methods import MethodsDialog
from pinch.ui.shell.notices import Notices
from pinch.ui.shell.spine import Spine
from pinch.ui.shell.text_dialog import TextDialog
from pinch.ui.tab_order import margin_last
from pinch.ui.writing import Writing

log = logging.getLogger(__name__)
ICON = look.ART / "pinch.svg"
JUDGE_ALL_MS = 2_000
LOOK_MS = 2_000
NARROW_MARGIN = 212

P = TypeVar("P", bound=Page[Any])
W = TypeVar("W", bound=WindowPart)


class MainWindow(QMainWindow):
    """One window, one session. It is the `Shell` of its pages."""

    def __init__(self, session: Session, preferences: Preferences | None = None) -> None:
        super().__init__()
        self.session = session
        self.preferences = preferences or Preferences()
        self.setWindowIcon(QIcon(str(ICON)))
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)
        geometry = self.preferences.geometry
        if geometry is not None:
            self.restoreGeometry(geometry)
        self.setAcceptDrops(True)
        self.spine, self.strip = Spine([page.name for page in PAGES]), ContextStrip(session)
        self.margin, self.footer, self.notices = Margin(), Footer(), Notices()
        self.desk = PageStack()
        self.desk.setObjectName("desk")
        self._lay_out()
        self.faults = FaultWatch(self)
        self.faults.happened.connect(self.notices.fault)
        self.changes = Changes(session)
        self.points = PointsControl(session, self)
        self.planning = PlanControl(session, self)
        self.writing = Writing(self.notices, self)
        self.pages: list[Page[Any]] = [page(self) for page in PAGES]
        self.parts = [part(self) for part in PARTS]
        for page in self.pages:
            self.desk.addWidget(page.view if page.early else QWidget())
        self.entries = [*self._menu(), *(e for p in self._all() for e in p.menu())]
        self._actions = fill_menus(self, self.entries, self.safely)
        self._connect()
        self._ahead = PagesAhead((piece for page in self.pages for piece in self._pieces_of(page)), self)
        self._book_opened()
        run = session.run
        usual = self._page_of(RecordsTarget(Device) if run is None else RunTarget(run.id))
        before = [page for page in self.pages if run is not None and page.name == self.preferences.get(PAGE)]
        self._turn_to(next(iter(before), usual))
        self._records_changed()
        self._watch = QTimer(self)
        self._watch.timeout.connect(self._look_for_book)
        self._watch.start(LOOK_MS)
        self._before_long = QTimer(self)  # for pages of many runs, while nobody waits for it
        self._before_long.setSingleShot(True)
        self._before_long.timeout.connect(self.points.wanted)
        self._before_long.timeout.connect(self._ahead.begin)
        self._before_long.start(JUDGE_ALL_MS)

    def _lay_out(self) -> None:
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.strip)
        inner = QHBoxLayout()
        inner.setSpacing(0)
        page = QVBoxLayout()
        page.setSpacing(0)
        page.addWidget(self.notices)
        page.addWidget(self.desk, 1)
        inner.addLayout(page, 1)
        inner.addWidget(self.margin)
        middle.addLayout(inner, 1)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addWidget(self.spine)
        upper.addLayout(middle, 1)
        whole = QVBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(upper, 1)
        whole.addWidget(self.footer)
        central = QWidget()
        central.setLayout(whole)
        self.setCentralWidget(central)

    def _connect(self) -> None:
        session = self.session
        session.book_opened.connect(self._book_opened)
        session.records_changed.connect(self._records_changed)
        session.cards_changed.connect(self._cards_changed)
        session.subject_changed.connect(self.refresh)
        self.spine.chosen.connect(lambda number: self.show_page(self.pages[number]))
        self.margin.notes_left.connect(lambda run, text: self.safely(lambda: self.changes.keep_notes(run, text)))
        self.margin.sums.pinned.connect(lambda words: self.safely(lambda: self.changes.pin(words)))
        self.margin.method_wanted.connect(self.show_method)
        self.notices.details_wanted.connect(self.show_details)
        self.points.ready.connect(lambda: self.shown_page.points_ready())
        hints = QGuiApplication.styleHints()
        if hints is not None:
            hints.colorSchemeChanged.connect(self.follow_theme)

    def _menu(self) -> Iterator[MenuEntry]:
        """The entries of the window itself."""
        book, edit, go = MenuName.BOOK, MenuName.EDIT, MenuName.GO
        yield MenuEntry(book, 110, tr("Write the chart …"), self._write_chart, "Ctrl+E")
        yield MenuEntry(book, 210, tr("Light or dark"), self.switch_theme, "Ctrl+D")
        yield MenuEntry(book, 220, tr("Close"), self.close, "Ctrl+Q")
        yield MenuEntry(edit, 10, tr("Undo"), self.undo, "Ctrl+Z")
        yield MenuEntry(edit, 20, tr("Redo"), self.redo, "Ctrl+Shift+Z")
        yield MenuEntry(edit, 110, tr("Search this page"), self.search, "Ctrl+F")
        yield MenuEntry(edit, 120, tr("Copy the finding"), self.copy_finding, "Ctrl+Shift+C")
        for number, page in enumerate(self.pages, 1):
            yield MenuEntry(
                go, number, tr("{page} page", page=page.name), partial(self.show_page, page), f"Alt+{number}"
            )
        yield MenuEntry(go, 210, tr("Next tab"), lambda: self.shown_page.turn_tab(1), "Ctrl+PgDown")
        yield MenuEntry(go, 220, tr("Previous tab"), lambda: self.shown_page.turn_tab(-1), "Ctrl+PgUp")
        yield MenuEntry(go, 291, tr("Methods"), self.show_methods, "F1")
        yield MenuEntry(go, 292, tr("Fit the chart"), self.fit, "Ctrl+0")
        yield MenuEntry(go, 293, tr("Quick sums"), self.quick_sums, "F8")
        yield MenuEntry(go, 294, tr("Fold the margin"), self.fold_margin, "F9")

    def _all(self) -> list[WindowPart]:
        return [*self.pages, *self.parts]

    # The shell of the pages

    @property
    def dialog_parent(self) -> QWidget:
        """What dialogs stand before."""
        return self

    def safely(self, call: Callable[[], object]) -> None:
        """Do it; what goes wrong is said in the notice line."""
        try:
            call()
        except PinchError as error:
            self.notices.error(str(error))
        except Exception as error:
            log.error(SLOT, exc_info=error)

    def shows(self, page: Page[PageView]) -> bool:
        """Whether this page is the one that is shown."""
        return self.shown_page is page

    def show_page(self, page: Page[PageView]) -> None:
        """Show a page; the subject stays."""
        self._turn_to(page)
        self.refresh()

    def go_to(self, target: Target) -> None:
        """Show a target on the page that can."""
        self.show_page(self._page_of(target))

    def sent_by_page(self) -> Sent:
        """What the page that is shown sends to the deck.

        Raises
        ------
        PinchError : it shows nothing that can be a card.
        """
        return self.shown_page.sent()

    def write_chart(self) -> None:
        """Ask where, and write the chart of the present page."""
        self.safely(self._write_chart)

    def refresh(self) -> None:
        """Show the subject on the present page."""
        self.safely(self.shown_page.show)
        self.count()

    def count(self) -> None:
        """The live counts of the spine."""
        for entry, page in zip(self.spine.entries, self.pages, strict=True):
            entry.set_count(page.count())

    def tell_away(self, words: str) -> None:
        """Something that an operator who looks elsewhere waits for."""
        if self.preferences.says_yes(NOTIFY):
            notify(self, "Pinch", words)

    def quiet(self) -> None:
        """End work in the background: nothing disturbs what is measured."""
        self._before_long.stop()
        self._ahead.end()
        self.points.cancel()

    # Pages

    @property
    def shown_page(self) -> Page[Any]:
        """The page that is shown."""
        return self.pages[self.desk.currentIndex()]

    def page(self, kind: type[P]) -> P:
        """The page of a kind."""
        return next(page for page in self.pages if isinstance(page, kind))

    def part(self, kind: type[W]) -> W:
        """The part of a kind."""
        return next(part for part in self.parts if isinstance(part, kind))

    def _page_of(self, target: Target) -> Page[Any]:
        return next(page for page in self.pages if page.reveal(target))

    def _turn_to(self, page: Page[PageView]) -> None:
        """Show a page on the desk."""
        self._ahead.put_off()
        self._put(page)
        number = self.pages.index(page)
        self.desk.setCurrentIndex(number)
        self.spine.show_page(number)

    def _pieces_of(self, page: Page[PageView]) -> Iterator[Callable[[], object]]:
        """What its first visit would wait for."""
        if not page.early:
            yield partial(getattr, page, "view")
            yield partial(self._put, page)
        yield partial(self._prepare, page)

    def _prepare(self, page: Page[PageView]) -> None:
        """Do ahead what the first visit of a page that is made would wait for."""
        if not self.shows(page):
            self.safely(page.prepare)

    def _put(self, page: Page[PageView]) -> None:
        """Set a page on the desk, which is made where it has not been yet."""
        number, made = self.pages.index(page), page.view
        empty = self.desk.widget(number)
        if empty is not made:
            assert empty is not None
            self.desk.removeWidget(empty)
            empty.deleteLater()
            self.desk.insertWidget(number, made)

    def _book_opened(self) -> None:
        self.points.forget()
        for part in self._all():
            part.forget()
        self.setWindowTitle(tr("{path} — Pinch", path=self.session.book.path.name))
        self.footer.show_book(self.session.book.path.name, self.session.book.read_only)
        self._gone_told = False
        self.preferences.opened(self.session.book.path)
        if self.session.told:
            self.notices.error("\n".join(self.session.told))
        cut = self.session.book.cut_runs()
        if cut and not self.session.recording_now:
            self.notices.error(
                tr(
                    "Run {cut} has no stop: its recorder was cut off, or is still at work elsewhere. What "
                    "came is kept; the Run page offers to keep it as it is, to make it void, or to continue"
                    " it.",
                    cut=cut[-1].id,
                )
            )

    def _look_for_book(self) -> None:
        """Say it once where another program has deleted or replaced the file of the book."""
        book = self.session.book
        if book.in_place or self._gone_told or self.session.recording_now:
            return
        self._gone_told = True
        self.footer.show_gone(book.path.name)
        self.notices.error(
            tr(
                "{path} was deleted or replaced by another program since it was opened. Nothing more "
                "can be kept in it. Save a copy keeps all that is open here; Open book opens what "
                "stands there now.",
                path=book.path.name,
            )
        )

    def _records_changed(self) -> None:
        self.points.forget()
        self._name_undo()
        self.refresh()
        for page in self.pages:
            page.records_changed()

    def _cards_changed(self) -> None:
        self._name_undo()
        for page in self.pages:
            page.cards_changed()
        self.count()

    def _name_undo(self) -> None:
        stack = self.session.undo_stack
        for word, step in ((tr("Undo"), stack.next_undo), (tr("Redo"), stack.next_redo)):
            self._actions[word].setEnabled(step is not None)
            self._actions[word].setText(f"{word}: {step.label} ({step.effect})" if step else word)

    # Actions of the window itself

    @cached_property
    def methods(self) -> MethodsDialog:
        """The methods, laid out when they are first wanted."""
        return MethodsDialog(self)

    def show_methods(self) -> None:
        """What each figure is; at the section of what is explained."""
        shown = self.margin.shown
        self.show_method(shown.method if shown else "")

    def show_method(self, section: str) -> None:
        """A section of the methods."""
        self.methods.show()
        self.methods.go_to(section)
        self.methods.raise_()

    def show_details(self, fault: Fault) -> None:
        """What a mistake of the program was, to be passed on."""
        words = tr(
            "Nothing of your records, files or runs is in this text. It stands in the log as well (Help, Show the log)."
        )
        TextDialog(tr("Details"), words, fault.details(__version__), self).open()

    def search(self) -> None:
        """The search field of the page; where it has none, everything is searched."""
        if not self.shown_page.search():
            self.part(ProgramActions).find_anything()

    def undo(self) -> None:
        """Take the last change back."""
        label = self.session.undo()
        if label:
            self.notices.done(tr("Undone: {label}.", label=label))

    def redo(self) -> None:
        """Do it again."""
        label = self.session.redo()
        if label:
            self.notices.done(tr("Done again: {label}.", label=label))

    def chart_shown(self) -> Drawn:
        """The chart of the present page.

        Raises
        ------
        PinchError : it shows none.
        """
        chart = self.shown_page.chart()
        if chart is None:
            raise PinchError(tr("There is no chart on this page to write."))
        return chart

    def _write_chart(self) -> None:
        if self.shown_page.write_chart():
            return
        chart = self.chart_shown()
        path = save_name(self, tr("Write the chart"), "chart.png", tr("Pictures (*.png *.svg *.pdf)"))
        if path:
            self.writing.chart(chart, path)

    def copy_finding(self) -> None:
        """The finding of the page goes to the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.shown_page.finding())
            self.notices.done(tr("The finding is on the clipboard."))

    def fit(self) -> None:
        """Show all of the chart."""
        next(page for page in (self.shown_page, *self.pages) if page.is_made and page.fit())

    def fold_margin(self) -> None:
        """Fold the margin away, or unfold it."""
        self.margin.setVisible(not self.margin.isVisible())

    def quick_sums(self) -> None:
        """The quick sums in the margin, which unfolds for them."""
        self.margin.setVisible(True)
        self.margin.fold_sums()

    def switch_theme(self) -> None:
        """Light becomes dark, dark becomes light, whatever the desktop is."""
        self.preferences.set(THEME, "light" if look.theme().name == "dark" else "dark")
        self.follow_theme()

    def follow_theme(self) -> None:
        """Light or dark as it is set, or as the desktop is."""
        app, wanted = QApplication.instance(), self.preferences.theme.in_force
        assert isinstance(app, QApplication)
        if wanted == look.theme().name:
            return
        look.apply(app, wanted)
        self.refresh()
        for page in self.pages:
            if page.is_made:
                page.draw_again()

    # Qt

    def focusNextPrevChild(self, forward: bool) -> bool:
        """What a page made since the last Tab comes before the margin, too."""
        margin_last(self, self.margin)
        return super().focusNextPrevChild(forward)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window gives the page more room than the margin."""
        super().resizeEvent(event)
        self.margin.setFixedWidth(MARGIN_WIDTH if self.width() >= 1180 else NARROW_MARGIN)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files and folders may be dropped: a book is opened, everything else is read as logs."""
        data = event.mimeData() if event else None
        if event and data and data.hasUrls() and all(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """What was dropped comes in."""
        data = event.mimeData() if event else None
        if data is not None:
            self.safely(lambda: self.take([Path(url.toLocalFile()) for url in data.urls()]))

    def take(self, paths: list[Path]) -> None:
        """Files that were dropped go to the part that can use them."""
        for part in self._all():
            if part.takes(paths):
                return

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """A recording ends and is kept; nothing is left running."""
        self.margin.leave_notes()
        self.preferences.set(PAGE, self.shown_page.name)
        self.preferences.keep_geometry(self.saveGeometry())
        self.quiet()
        for part in self._all():
            part.cancel()
        self.faults.close()
        super().closeEvent(event)
