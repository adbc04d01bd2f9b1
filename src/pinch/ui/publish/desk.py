"""What is done on the Publish page, and what it asks first."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QMimeData
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from pinch.bench.records import Device
from pinch.charts.chart_files import face_bytes
from pinch.core.errors import PinchError
from pinch.narrative.cards.concerns import Concern
from pinch.narrative.cards.content import CardContent
from pinch.publish.pictures import Picture, PictureChoice, Written, file_name
from pinch.publish.publication import PublishChoice
from pinch.publish.report import ReportChoice
from pinch.ui.publish.control import ShownDeck
from pinch.ui.publish.sending import card_of_page
from pinch.ui.publish.view import CHECK, DECK, REPORT, PublishView
from pinch.ui.shell.pages import PUBLISH

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

NOTES = [
    "A card remembers what was asked. New runs change it, and it says when its finding did.",
    "Its finding is composed from the figures. You may write another: it is marked, and the composed one stays by it.",
    "Footnotes write themselves: what is not alike, rooms, repeats, schools, units and days.",
    "The picture is the very file that is written.",
]
USUAL_FRAMES, MOST_FRAMES = 125, 3000
NAMED = 3


class PublishDesk:
    """One method for each action of the page."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window

    def connect(self) -> None:
        """Hear from the control what happens without the page."""
        control, window = self._window.publishing, self._window
        control.sent.connect(window.notices.done)
        control.failed.connect(window.notices.error)
        control.written.connect(self._written)
        control.writing.connect(self._writing)

    def connect_view(self, view: PublishView) -> None:
        """The page was built."""
        window, control, deck, report = self._window, self._window.publishing, view.deck, view.report
        control.finished.connect(self.shown)
        control.failed.connect(lambda _: None if view.shown else view.show_nothing("The cards cannot be worked out."))
        control.drawn.connect(deck.show_png)
        view.picture_wanted.connect(lambda content: control.draw(content, deck.theme))
        view.told.connect(window.margin.tell)
        view.end_wanted.connect(control.end_writing)
        view.concern_opened.connect(self.open_concern)
        for signal, call in (
            (deck.write_wanted, self.write_deck),
            (deck.sequence_wanted, self.write_sequence),
            (deck.copy_wanted, self.copy_picture),
            (report.write_wanted, self.write_report),
            (report.template_wanted, self.choose_template),
        ):
            signal.connect(partial(window.safely, call))
        deck.changed.connect(lambda card, fields: window.safely(lambda: control.change(card, **fields)))
        deck.moved.connect(lambda card, by: window.safely(lambda: control.move(card, by)))
        deck.removed.connect(lambda card: window.safely(lambda: control.remove(card)))
        deck.redrawn.connect(lambda card, kind: window.safely(lambda: control.redraw(card, kind)))
        deck.agreed.connect(lambda content: window.safely(lambda: control.agree(content)))
        report.changed.connect(lambda fields: window.safely(lambda: control.change_report(**fields)))

    # Showing

    def show(self) -> None:
        """The deck of the book."""
        self._window.margin.show_notes(None)
        if self._window.publish_view.tabs.currentIndex() == DECK:
            self._window.margin.tell("The deck", NOTES)
        if self._window.publishing.start():
            self._window.publish_view.show_working()

    def shown(self, shown: ShownDeck) -> None:
        """The deck is worked out."""
        self._window.publish_view.show_deck(shown)
        self._window.count()

    def check(self) -> None:
        """What an editor would stop."""
        self._window.show_page(PUBLISH)
        self._window.publish_view.tabs.setCurrentIndex(CHECK)

    def open_concern(self, concern: Concern) -> None:
        """Go to where a concern can be mended: a run, a card, a device, or the report's words."""
        place, window = concern.place, self._window
        if place.run_id is not None:
            window.open_run(place.run_id)
        elif place.card_id is not None:
            window.publish_view.go_to_card(place.card_id)
        elif place.device_id is not None:
            window.session.choose(place.device_id, None, window.session.subject.workload_id, None)
            window.show_bench(Device)
        else:
            window.publish_view.tabs.setCurrentIndex(REPORT)

    # The deck

    def send(self) -> None:
        """What the present page shows becomes a card."""
        window = self._window
        kind, query = card_of_page(window)
        if window.session.book.read_only:
            raise PinchError("The book is read-only, so nothing can be sent to its deck.")
        window.publishing.send(kind, query)

    def move(self, by: int) -> None:
        """The chosen card up (−1) or down (1)."""
        self._content()
        self._window.publish_view.deck.move_chosen(by)

    def remove(self) -> None:
        """The chosen card leaves the deck."""
        self._content()
        self._window.publish_view.deck.remove_chosen()

    def agree(self) -> None:
        """The changed finding of the chosen card holds."""
        self._window.publishing.agree(self._content())

    def copy_picture(self) -> None:
        """The chosen card as a picture, with its words, to the clipboard."""
        content, clipboard = self._content(), QApplication.clipboard()
        if content.face is None or clipboard is None:
            raise PinchError(f"“{content.card.name}” shows nothing: {content.problem}")
        theme = self._window.publish_view.deck.theme
        data = QMimeData()
        data.setImageData(QImage.fromData(face_bytes(content.face, "png", theme, (1920, 1080)), "PNG"))
        data.setData("image/svg+xml", QByteArray(face_bytes(content.face, "svg", theme)))
        data.setText(content.face.alternative)
        clipboard.setMimeData(data)
        self._window.notices.done("The picture is on the clipboard, with its alternative text.")

    # Writing

    def write_report(self) -> None:
        """All that is ticked on the Report tab, into a folder."""
        view = self._view()
        view.report.leave()
        self._write("Empty folder for the report", view.report.choice(view.deck.theme))

    def write_deck(self) -> None:
        """All cards as pictures."""
        view = self._view()
        chosen = view.report.choice(view.deck.theme).pictures or PictureChoice(theme=view.deck.theme)
        self._write("Folder for the pictures", PublishChoice(ReportChoice(()), chosen, (), None))

    def write_card(self) -> None:
        """The chosen card as one picture."""
        content, view = self._content(), self._window.publish_view
        if content.face is None:
            raise PinchError(f"“{content.card.name}” shows nothing: {content.problem}")
        number = view.deck.list.currentRow() + 1
        usual = f"{file_name(Picture(number, content.card.name, content.face))}.png"
        name, _ = QFileDialog.getSaveFileName(self._window, "Write this card", usual, "Pictures (*.png *.svg *.pdf)")
        if name:
            self._window.writing.face(content.face, Path(name), view.deck.theme, view.report.png_size.currentData())

    def write_sequence(self) -> None:
        """The chosen card as numbered pictures for a video."""
        content = self._content()
        words = "How many pictures? At 25 a second, 125 are five seconds."
        frames, given = QInputDialog.getInt(self._window, "Sequence", words, USUAL_FRAMES, 2, MOST_FRAMES)
        folder = QFileDialog.getExistingDirectory(self._window, "Empty folder for the sequence") if given else ""
        if folder:
            view = self._window.publish_view
            size = view.report.png_size.currentData()
            self._window.publishing.write_sequence(content, Path(folder), frames, size, view.deck.theme)

    def choose_template(self) -> None:
        """A template of the operator's own."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Template of the report", "", "Templates (*.html *.j2)")
        if name:
            self._window.publishing.change_report(template=name)

    def _write(self, title: str, choice: PublishChoice) -> None:
        name = QFileDialog.getExistingDirectory(self._window, title)
        if name:
            self._window.publishing.write(Path(name), choice)

    def _view(self) -> PublishView:
        """The page, shown."""
        if self._window.page != PUBLISH:
            self._window.show_page(PUBLISH)
        return self._window.publish_view

    def _content(self) -> CardContent:
        content = self._window.publish_view.deck.content if self._window.page == PUBLISH else None
        if content is None:
            raise PinchError("Choose a card on the Publish page first.")
        self._window.publish_view.tabs.setCurrentIndex(DECK)
        return content

    def _writing(self, share: float) -> None:
        self._window.publish_view.show_writing(share)

    def _written(self, written: Written | None) -> None:
        self._window.publish_view.show_writing(None)
        if written is None:
            self._window.notices.done("The writing has ended; the files that are there are whole.")
            return
        folder = written.paths[0].parent if written.paths else Path()
        words = f"{len(written.paths)} files are written into {folder}."
        if written.left_out:
            left = "; ".join(written.left_out[:NAMED])
            self._window.notices.error(f"{words} Left out: {left}")
        else:
            self._window.notices.done(words)
