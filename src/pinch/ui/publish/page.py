"""The Publish page: the deck, the report, and what is asked before anything leaves."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QByteArray, QMimeData
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QInputDialog

from pinch.bench.cards import CellsQuery, Report
from pinch.bench.records import Device
from pinch.charts.chart_files import face_bytes
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.narrative.cards.concerns import Concern
from pinch.narrative.cards.content import CardContent
from pinch.publish.pictures import Picture, PictureChoice, Written, file_name
from pinch.publish.publication import PublishChoice
from pinch.publish.report import ReportChoice
from pinch.publish.report_folder import in_the_way
from pinch.runs.consent import agree, wishes_of
from pinch.ui.dialogs import agreed, agrees
from pinch.ui.file_dialogs import WRITTEN, folder_name, open_name, save_name
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import CardTarget, Page, RecordsTarget, RunTarget, Sent, Shell, Target
from pinch.ui.publish.control import PublishControl, ShownDeck
from pinch.ui.publish.view import CHECK, DECK, REPORT, PublishView

NOTES = [
    tr("A card remembers what was asked. New runs change it, and it says when its finding did."),
    tr(
        "Its finding is composed from the figures. You may write another: it is marked, and the"
        " composed one stays by it."
    ),
    tr("Footnotes write themselves: what is not alike, rooms, repeats, schools, units and days."),
    tr("The picture is the very file that is written."),
]
USUAL_FRAMES, MOST_FRAMES = 125, 3000
NAMED = 3


class PublishPage(Page[PublishView]):
    """The deck of the book, the report, and what an editor would stop."""

    name = tr("Publish")

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = PublishControl(shell.session, shell.points, shell.dialog_parent)
        self.control.sent.connect(shell.notices.done)
        self.control.failed.connect(shell.notices.error)
        self.control.written.connect(self._written)
        self.control.writing.connect(lambda share: self.view.show_writing(share))

    def make(self) -> PublishView:
        view, shell, control = PublishView(), self.shell, self.control
        deck, report = view.deck, view.report
        view.explained.connect(shell.margin.explain)
        control.finished.connect(self._shown)
        control.failed.connect(
            lambda _: None if view.shown else view.show_nothing(tr("The cards cannot be worked out."))
        )
        control.drawn.connect(deck.show_png)
        view.picture_wanted.connect(lambda content: control.draw(content, deck.theme))
        view.told.connect(shell.margin.tell)
        view.end_wanted.connect(control.end_writing)
        view.concern_opened.connect(self.open_concern)
        for signal, call in (
            (deck.write_wanted, self.write_deck),
            (deck.sequence_wanted, self.write_sequence),
            (deck.copy_wanted, self.copy_picture),
            (deck.split_wanted, self.split),
            (report.write_wanted, self.write_report),
            (report.template_wanted, self.choose_template),
        ):
            signal.connect(partial(shell.safely, call))
        deck.changed.connect(lambda card, fields: shell.safely(lambda: control.change(card, **fields)))
        deck.moved.connect(lambda card, by: shell.safely(lambda: control.move(card, by)))
        deck.removed.connect(lambda card: shell.safely(lambda: control.remove(card)))
        deck.redrawn.connect(lambda card, kind: shell.safely(lambda: control.redraw(card, kind)))
        deck.agreed.connect(lambda content: shell.safely(lambda: control.agree(content)))
        report.changed.connect(lambda fields: shell.safely(lambda: control.change_report(**fields)))
        return view

    def menu(self) -> Sequence[MenuEntry]:
        publish = MenuName.PUBLISH
        return (
            MenuEntry(publish, 10, tr("Send this page to the deck"), self.send, "Ctrl+K"),
            MenuEntry(publish, 110, tr("Write the report …"), self.write_report, "Ctrl+Alt+R"),
            MenuEntry(publish, 120, tr("Write the deck as pictures …"), self.write_deck, "Ctrl+Alt+D"),
            MenuEntry(publish, 130, tr("Write this card as a sequence …"), self.write_sequence, "Ctrl+Alt+Q"),
            MenuEntry(publish, 140, tr("Copy this card as a picture"), self.copy_picture, "Ctrl+Shift+X"),
            MenuEntry(publish, 210, tr("This card up"), partial(self.move, -1), "Alt+Shift+Up"),
            MenuEntry(publish, 220, tr("This card down"), partial(self.move, 1), "Alt+Shift+Down"),
            MenuEntry(publish, 230, tr("Remove this card"), self.remove, "Ctrl+Shift+Del"),
            MenuEntry(publish, 235, tr("Split this card"), self.split, "Ctrl+Alt+S"),
            MenuEntry(publish, 240, tr("Agree to the changed finding"), self.agree, "Ctrl+Alt+A"),
            MenuEntry(publish, 245, tr("Ask what this card leaves open"), self.ask),
            MenuEntry(publish, 250, tr("Check before publishing"), self.check, "Ctrl+Alt+C"),
        )

    def forget(self) -> None:
        self.control.forget()

    def cancel(self) -> None:
        self.control.close()

    def count(self) -> str:
        cards = self.session.book.count_cards()
        return counted(cards, "card") if cards else ""

    def show(self) -> None:
        self.shell.margin.show_notes(None)
        if self.view.tabs.currentIndex() == DECK:
            self.shell.margin.tell(tr("The deck"), NOTES)
        if self.control.start():
            self.view.show_working()

    def cards_changed(self) -> None:
        if self.shell.shows(self):
            self.shell.refresh()

    def points_ready(self) -> None:
        self.control.start()

    def sent(self) -> Sent:
        raise PinchError(tr("The cards are here already. Send what another page shows."))

    def finding(self) -> str:
        content = self.view.deck.content
        return content.finding if content is not None else super().finding()

    def write_chart(self) -> bool:
        self.write_card()
        return True

    def reveal(self, target: Target) -> bool:
        if not isinstance(target, CardTarget):
            return False
        self.view.go_to_card(target.card_id)
        return True

    def check(self) -> None:
        """What an editor would stop."""
        self.shell.show_page(self)
        self.view.tabs.setCurrentIndex(CHECK)

    def _shown(self, shown: ShownDeck) -> None:
        """The deck is worked out."""
        self.view.show_deck(shown)
        self.shell.count()

    def open_concern(self, concern: Concern) -> None:
        """Go to where a concern can be mended: a run, a card, a device, or the report's words."""
        place = concern.place
        if place.run_id is not None:
            self.shell.go_to(RunTarget(place.run_id))
        elif place.card_id is not None:
            self.view.go_to_card(place.card_id)
        elif place.device_id is not None:
            self.session.choose(place.device_id, None, self.session.subject.workload_id, None)
            self.shell.go_to(RecordsTarget(Device))
        else:
            self.view.tabs.setCurrentIndex(REPORT)

    # The deck

    def send(self) -> None:
        """What the present page shows becomes a card."""
        sent = self.shell.sent_by_page()
        if self.session.book.read_only:
            raise PinchError(tr("The book is read-only, so nothing can be sent to its deck."))
        self.control.send(sent.kind, sent.query, sent.finding)

    def move(self, by: int) -> None:
        """The chosen card up (−1) or down (1)."""
        self._content()
        self.view.deck.move_chosen(by)

    def remove(self) -> None:
        """The chosen card leaves the deck."""
        self._content()
        self.view.deck.remove_chosen()

    def split(self) -> None:
        """The chosen card becomes several: one a workload, run or device."""
        content = self._content()
        count = self.control.split(content)
        self.shell.notices.done(
            tr("“{card}” is {count} cards now; Ctrl+Z makes it one again.", card=content.card.name, count=count)
        )

    def agree(self) -> None:
        """The changed finding of the chosen card holds."""
        self.control.agree(self._content())

    def ask(self) -> None:
        """Which of the first two cells of the chosen card is faster becomes a question."""
        query = self._content().card.query
        if not isinstance(query, CellsQuery) or len(query.cells) < 2 or not query.workload_ids:
            raise PinchError(tr("This card does not compare two settings; ask on the Plan page: Ask …"))
        pair = query.cells[0].setting_id, query.cells[1].setting_id
        self.shell.changes.ask_pair(pair, query.workload_ids[0], query.delta)
        self.shell.notices.done(tr("It is asked: Plan, Questions says where it stands."))

    def copy_picture(self) -> None:
        """The chosen card as a picture, with its words, to the clipboard."""
        content, clipboard = self._content(), QApplication.clipboard()
        if content.face is None or clipboard is None:
            raise PinchError(tr("“{card}” shows nothing: {problem}", card=content.card.name, problem=content.problem))
        theme = self.view.deck.theme
        data = QMimeData()
        data.setImageData(QImage.fromData(face_bytes(content.face, "png", theme, (1920, 1080)), "PNG"))
        data.setData("image/svg+xml", QByteArray(face_bytes(content.face, "svg", theme)))
        data.setText(content.face.alternative)
        clipboard.setMimeData(data)
        self.shell.notices.done(tr("The picture is on the clipboard, with its alternative text."))

    # Writing

    def write_report(self) -> None:
        """All that is ticked on the Report tab, into a folder."""
        view = self._shown_view()
        view.report.leave()
        book = self.session.book
        if agreed(self.shell.dialog_parent, book.path, wishes_of(book.report())):
            self._write(tr("Empty folder for the report"), view.report.choice(view.deck.theme))

    def write_deck(self) -> None:
        """All cards as pictures."""
        view = self._shown_view()
        chosen = view.report.choice(view.deck.theme).pictures or PictureChoice(theme=view.deck.theme)
        self._write(tr("Folder for the pictures"), PublishChoice(ReportChoice(()), chosen, (), None))

    def write_card(self) -> None:
        """The chosen card as one picture."""
        content, view = self._content(), self.view
        if content.face is None:
            raise PinchError(tr("“{card}” shows nothing: {problem}", card=content.card.name, problem=content.problem))
        number = view.deck.list.currentRow() + 1
        usual = f"{file_name(Picture(number, content.card.name, content.face))}.png"
        path = save_name(self.shell.dialog_parent, tr("Write this card"), usual, tr("Pictures (*.png *.svg *.pdf)"))
        if path:
            self.shell.writing.face(content.face, path, view.deck.theme, view.report.png_size.currentData())

    def write_sequence(self) -> None:
        """The chosen card as numbered pictures for a video."""
        content = self._content()
        words = tr("How many pictures? At 25 a second, 125 are five seconds.")
        frames, given = QInputDialog.getInt(
            self.shell.dialog_parent, tr("Sequence"), words, USUAL_FRAMES, 2, MOST_FRAMES
        )
        folder = folder_name(self.shell.dialog_parent, tr("Empty folder for the sequence"), WRITTEN) if given else None
        if folder:
            view = self.view
            size = view.report.png_size.currentData()
            self.control.write_sequence(content, folder, frames, size, view.deck.theme)

    def choose_template(self) -> None:
        """A template of the operator's own."""
        path = open_name(self.shell.dialog_parent, tr("Template of the report"), tr("Templates (*.html *.j2)"))
        if path:
            agree(self.session.book.path, wishes_of(Report(template=str(path))))
            self.control.change_report(template=str(path))

    def _write(self, title: str, choice: PublishChoice) -> None:
        folder = folder_name(self.shell.dialog_parent, title, WRITTEN)
        if not folder:
            return
        way = in_the_way(folder).words
        words = tr("{way} Files of the same names would be replaced.", way=way)
        if not way or agrees(self.shell.dialog_parent, tr("The folder is not empty"), words):
            self.control.write(folder, replace(choice, replaces=bool(way)))

    def _shown_view(self) -> PublishView:
        """The page, shown."""
        if not self.shell.shows(self):
            self.shell.show_page(self)
        return self.view

    def _content(self) -> CardContent:
        content = self.view.deck.content if self.shell.shows(self) else None
        if content is None:
            raise PinchError(tr("Choose a card on the Publish page first."))
        self.view.tabs.setCurrentIndex(DECK)
        return content

    def _written(self, written: Written | None) -> None:
        self.view.show_writing(None)
        if written is None:
            self.shell.notices.done(tr("The writing has ended; the files that are there are whole."))
            return
        folder = written.paths[0].parent if written.paths else Path()
        words = tr("{paths} files are written into {folder}.", paths=len(written.paths), folder=folder)
        if written.left_out:
            left = "; ".join(written.left_out[:NAMED])
            self.shell.notices.error(tr("{words} Left out: {left}", words=words, left=left))
        else:
            self.shell.notices.done(words)
