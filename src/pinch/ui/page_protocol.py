"""What the window knows of a page, and what a page may ask of the window.

A page is a folder below `ui` with a `page.py`, and one line in `registry.py`. It never reaches another page or the
window itself: what it needs of them it asks of its `Shell`, and whatever can show a `Target` is found by asking all
pages.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path
from typing import ClassVar, Generic, Protocol, TypeVar

from msgspec import Struct
from PyQt6.QtWidgets import QLabel, QTabBar, QTabWidget, QWidget

from pinch.bench.cards import CardKind, Query
from pinch.bench.records import Listed, Run
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.changes import Changes
from pinch.ui.menus import MenuEntry
from pinch.ui.plan.control import PlanControl
from pinch.ui.points_control import PointsControl
from pinch.ui.preferences import Preferences
from pinch.ui.session import Session
from pinch.ui.shell.footer import Footer
from pinch.ui.shell.margin import Margin
from pinch.ui.shell.notices import Notices
from pinch.ui.writing import Writing


class RunTarget(Struct, frozen=True):
    """A run, judged."""

    run_id: int


class RecordsTarget(Struct, frozen=True):
    """Records of a kind on the bench."""

    kind: type[Listed]


class PlanTarget(Struct, frozen=True):
    """The chosen plan, its matrix or its run sheet."""

    as_matrix: bool


class RecordingTarget(Struct, frozen=True):
    """What is to be recorded; `length_s` of one pass where it is known, `continues` a cut run that goes on."""

    length_s: float | None = None
    continues: Run | None = None


class CardTarget(Struct, frozen=True):
    """A card of the deck."""

    card_id: int


Target = RunTarget | RecordsTarget | PlanTarget | RecordingTarget | CardTarget


class Sent(Struct, frozen=True):
    """What a page sends to the deck: how it is drawn, the query that it comes from, and a sentence that stands in place
    of the composed one (empty: none)."""

    kind: CardKind
    query: Query
    finding: str = ""


class Shell(Protocol):
    """The window, as its pages and parts see it."""

    session: Session
    margin: Margin
    notices: Notices
    footer: Footer
    writing: Writing
    points: PointsControl
    planning: PlanControl
    changes: Changes
    preferences: Preferences
    entries: Sequence[MenuEntry]

    @property
    def dialog_parent(self) -> QWidget:
        """What dialogs stand before."""

    def safely(self, call: Callable[[], object]) -> None:
        """Do it; what goes wrong is said in the notice line."""

    def shows(self, page: "Page[PageView]") -> bool:
        """Whether this page is the one that is shown."""

    def go_to(self, target: Target) -> None:
        """Show a target on the page that can."""

    def show_page(self, page: "Page[PageView]") -> None:
        """Show a page; the subject stays."""

    def sent_by_page(self) -> Sent:
        """What the page that is shown sends to the deck.

        Raises
        ------
        PinchError : it shows nothing that can be a card.
        """

    def write_chart(self) -> None:
        """Ask where, and write the chart of the present page."""

    def refresh(self) -> None:
        """Show the subject on the present page."""

    def count(self) -> None:
        """The live counts of the spine."""

    def follow_theme(self) -> None:
        """Light or dark as it is set, or as the desktop is."""

    def tell_away(self, words: str) -> None:
        """Something that an operator who looks elsewhere waits for."""

    def quiet(self) -> None:
        """End work in the background: nothing disturbs what is measured."""


class PageView(QWidget):
    """The widget of a page: a finding on top."""

    headline: QLabel


class WindowPart:
    """Something that the window has, with or without a page: what it offers in the menus, and how it lets go."""

    def menu(self) -> Sequence[MenuEntry]:
        """Its entries in the menus."""
        return ()

    def forget(self) -> None:
        """Another book is open: nothing of the old one holds."""

    def cancel(self) -> None:
        """The window closes: let go of what is under way, and wait for what must not be cut."""

    def takes(self, paths: Sequence[Path]) -> bool:
        """Take files that were dropped on the window; False where they are none of its business."""
        return False


V = TypeVar("V", bound=PageView, covariant=True)


class Page(WindowPart, ABC, Generic[V]):
    """A page. Its view is made at the first visit, or at the start where `early` is set."""

    name: ClassVar[str]
    early: ClassVar[bool] = False

    def __init__(self, shell: Shell) -> None:
        self.shell, self.session = shell, shell.session

    @cached_property
    def view(self) -> V:
        """The widget of the page."""
        return self.make()

    @property
    def is_made(self) -> bool:
        """Whether the view is there."""
        return "view" in vars(self)

    @abstractmethod
    def make(self) -> V:
        """Make the view, joined to its control."""

    def prepare(self) -> None:
        """What else its first visit would wait for, while nobody does."""

    @abstractmethod
    def show(self) -> None:
        """Show the session's subject, on the page and in the margin."""

    def count(self) -> str:
        """The live count beside its name."""
        return ""

    def records_changed(self) -> None:
        """Devices, settings, workloads or runs have changed."""

    def cards_changed(self) -> None:
        """The deck or the report has changed."""

    def points_ready(self) -> None:
        """All runs are judged, and this page is shown."""

    def reveal(self, target: Target) -> bool:
        """Bring a target into view; False where another page shows it."""
        return False

    def chart(self) -> Drawn | None:
        """The chart that can be written, None where there is none."""
        return None

    def write_chart(self) -> bool:
        """Write what it shows in a way of its own; False where its chart is written as it is."""
        return False

    def sent(self) -> Sent:
        """What it sends to the deck.

        Raises
        ------
        PinchError : it shows nothing that can be a card.
        """
        raise PinchError(tr("There is nothing on the {name} page to send to the deck.", name=self.name))

    def finding(self) -> str:
        """Its finding in a sentence."""
        return self.view.headline.text()

    def search(self) -> bool:
        """Go to its search field; False where it has none."""
        return False

    def fit(self) -> bool:
        """Show all of the chart; False where it has none to fit."""
        return False

    def draw_again(self) -> None:
        """The theme is another one."""

    def turn_tab(self, by: int) -> None:
        """The next (1) or previous (−1) tab."""
        tabs = getattr(self.view, "tabs", None)
        if isinstance(tabs, QTabBar | QTabWidget):
            tabs.setCurrentIndex((tabs.currentIndex() + by) % tabs.count())
