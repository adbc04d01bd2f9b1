"""The Publish page's work: cards worked out, drawn and written in the background, and the operator's changes."""

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from pinch.analysis.points import BookPoints
from pinch.bench.cards import Card, CardKind, Query, Report
from pinch.bench.opening import open_book
from pinch.charts.chart_files import face_bytes
from pinch.charts.theme import Theme
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.narrative.cards.concerns import Concern, concerns
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.deck import (
    CardMaker,
    Deck,
    as_agreed,
    make_cards,
    moved_to,
    new_card,
    replace_fields,
)
from pinch.narrative.cards.questions import question_of
from pinch.narrative.cards.splitting import split_card
from pinch.narrative.quotable import kept_quotes, quotable
from pinch.publish.pictures import Written
from pinch.publish.private import PrivateCount
from pinch.publish.publication import PublishChoice, private_in, write_deck
from pinch.publish.reveal import write_reveal
from pinch.ui.background import Job
from pinch.ui.points_control import PointsControl
from pinch.ui.session import Session
from pinch.ui.working import Working


class ShownDeck(Struct, frozen=True):
    """A deck with what an editor would stop, what private things stand behind it, and the sentences of its report that
    may be taken over, by what they are of."""

    deck: Deck
    concerns: list[Concern]
    private: list[PrivateCount]
    quotable: dict[str, str]


class PublishControl(Working):
    """`finished` gives a `ShownDeck`, `drawn` the PNG of a card by its number, `sent` what a new card is, `written`
    what was written."""

    doing = tr("Working out the deck")
    drawn = pyqtSignal(int, bytes)
    sent = pyqtSignal(str)
    written = pyqtSignal(object)
    writing = pyqtSignal(float)

    def __init__(self, session: Session, points: PointsControl, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._points = session, points
        self._drawing: Job | None = None
        self._drawings: list[Job] = []
        self._writing: Job | None = None
        self._sending: Job | None = None
        self._wishes: list[tuple[Card, Callable[[CardContent], None]]] = []
        self._made_of: BookPoints | None = None
        self.shown: ShownDeck | None = None
        points.ready.connect(self._work_out)

    def forget(self) -> None:
        """Another book is open."""
        self.cancel()
        self.shown = self._made_of = None
        self._wishes = []
        if self._sending is not None:  # its card is of that book
            self._sending.cancel()
            self._drawings.append(self._sending)
            self._sending = None

    def close(self) -> None:
        """Let go of everything, and wait for it: a thread that draws must not outlive the application."""
        jobs = [job for job in (self._job, self._sending, self._writing, *self._drawings) if job is not None]
        self.cancel()
        for job in jobs:
            job.cancel()
        for job in jobs:
            job.wait()

    # The deck

    def start(self) -> bool:
        """Work out the cards of the book; False where that was done already, and is told once more."""
        points = self._points.wanted()
        if points is None:
            return True
        book = self._session.book
        cards, report = book.cards(), book.report()
        if self.is_done_for(points, (cards, report)):
            if self.shown is not None:
                self.finished.emit(self.shown)
            return False
        known = self._known() if self._made_of is points else {}
        path = book.path

        def work(progress: Callable[[float], bool]) -> ShownDeck:
            return _shown_deck(path, points, cards, report, known, progress)

        self._made_of = points
        self.begin(points, (cards, report), work)
        return True

    def send(self, kind: CardKind, query: Query, finding: str = "") -> None:
        """A new card at the end of the deck, once it is worked out; several come in the order in which they were
        sent."""
        self._wishes.append((Card(name="a new card", kind=kind, query=query, finding=finding), self._keep))
        if self._points.wanted() is not None:
            self._work_out()

    def draw(self, content: CardContent, theme: Theme) -> None:
        """Draw the picture of a card, and no other any more."""
        if self._drawing is not None:
            self._drawing.cancel()
        face, number = content.face, content.card.id
        if face is None:
            return
        self._drawing = Job(tr("Drawing a card"), lambda _: face_bytes(face, "png", theme), self)
        self._drawings = [*(job for job in self._drawings if job.running), self._drawing]
        self._drawing.finished.connect(lambda png: self.drawn.emit(number, png))
        self._drawing.failed.connect(self.failed)
        self._drawing.start()

    # Changes

    def change(self, card_id: int, **fields: object) -> None:
        """Other words, another kind, in the report or not.

        Raises
        ------
        PinchError : a word will not do.
        """
        book = self._session.book
        card = book.get(Card, card_id)
        try:
            changed = replace_fields(card, **fields)
        except ValueError:
            raise PinchError(tr("A card needs a title of at most 120 letters; its words have at most 600.")) from None
        if changed != card:
            self._session.change_cards(tr("change a card"), lambda: book.save(changed))

    def redraw(self, card_id: int, kind: CardKind) -> None:
        """Draw a card as something else; what that finds is agreed to with it."""
        if self._points.points is None:
            raise PinchError(tr("The runs are still being judged; choose again in a moment."))
        card = self._session.book.get(Card, card_id)
        self._wishes.append((replace_fields(card, kind=kind), self._keep_redrawn))
        self._work_out()

    def agree(self, content: CardContent) -> None:
        """The finding as it is composed now is the one that holds."""
        self.change(content.card.id, **as_agreed(content))

    def move(self, card_id: int, by: int) -> None:
        """One place up (−1) or down (1)."""
        book = self._session.book
        moved = moved_to(book.cards(), card_id, by)
        if moved:
            self._session.change_cards(tr("move a card"), lambda: [book.save(card) for card in moved])

    def remove(self, card_id: int) -> None:
        """Take a card out of the deck; undo brings it back."""
        book = self._session.book
        card = book.get(Card, card_id)
        self._session.change_cards(tr("remove “{card}”", card=card.name), lambda: book.delete(card))

    def split(self, content: CardContent) -> int:
        """Several cards in place of one, one a workload, run or device; returns how many.

        Raises
        ------
        PinchError : it shows one thing alone.
        """
        book, parts = self._session.book, split_card(content)
        card = content.card
        cards = [c for own in book.cards() for c in (parts if own.id == card.id else [own])]

        def change() -> None:
            book.delete(card)
            for place, kept in enumerate(cards, 1):
                if kept.kept_id is None or kept.place != place:
                    book.save(replace_fields(kept, place=place))

        self._session.change_cards(tr("split “{card}”", card=card.name), change)
        return len(parts)

    def change_report(self, **fields: object) -> None:
        """Other words of the report."""
        book = self._session.book
        report = book.report()
        try:
            changed = Report.model_validate({**report.model_dump(), **fields})
            changed = changed.model_copy(update={"quotes": kept_quotes(changed)})
        except ValueError:
            raise PinchError(tr("That is too long for the report.")) from None
        if changed != report:
            self._session.change_cards(tr("change the report"), lambda: book.save(changed))

    # Writing

    @property
    def busy(self) -> bool:
        """Whether something is being written."""
        return self._writing is not None

    def write(self, folder: Path, choice: PublishChoice) -> None:
        """Write what is chosen of the deck that is shown.

        Raises
        ------
        PinchError : there is no deck yet, or something is being written.
        """
        deck, path = self._ready_to_write(), self._session.book.path

        def work(progress: Callable[[float], bool]) -> Written:
            book = open_book(path)
            try:
                return write_deck(book, deck, folder, choice, progress)
            finally:
                book.close()

        self._begin_writing(work)

    def write_sequence(
        self, content: CardContent, folder: Path, frames: int, size: tuple[int, int], theme: Theme
    ) -> None:
        """Write a card as numbered pictures that reveal it from left to right.

        Raises
        ------
        PinchError : it has no picture, or something is being written.
        """
        self._ready_to_write()
        face = content.face
        if face is None:
            raise PinchError(tr("“{card}” shows nothing: {problem}", card=content.card.name, problem=content.problem))
        self._begin_writing(lambda progress: Written(tuple(write_reveal(face, folder, frames, size, theme, progress))))

    def end_writing(self) -> None:
        """End what is being written; the files that are there are whole."""
        if self._writing is not None:
            self._writing.cancel()
            self._drawings.append(self._writing)  # it may draw on for a while, and is waited for at the end
            self._writing = None
            self.written.emit(None)

    def _ready_to_write(self) -> Deck:
        if self._writing is not None:
            raise PinchError(tr("Something is being written already; wait for it, or end it."))
        if self.shown is None or not self.shown.deck.contents:
            raise PinchError(tr("There is no card to write yet; send one from any page with Ctrl+K."))
        return self.shown.deck

    def _begin_writing(self, work: Callable[[Callable[[float], bool]], Written]) -> None:
        self._writing = Job(tr("Writing the report"), work, self)
        self._writing.progressed.connect(self.writing)
        self._writing.finished.connect(self._wrote)
        self._writing.failed.connect(self._not_written)
        self._writing.start()

    def _wrote(self, written: Written) -> None:
        self._writing = None
        self.written.emit(written)

    def _not_written(self, reason: str) -> None:
        self._writing = None
        self.written.emit(None)
        self.failed.emit(reason)

    # In the background

    def _known(self) -> dict[int, CardContent]:
        """What was worked out already, by the number of the card."""
        return {c.card.id: c for c in self.shown.deck.contents} if self.shown else {}

    def _finish(self, result: object) -> None:
        assert isinstance(result, ShownDeck)
        self.shown = result
        super()._finish(result)

    def _work_out(self) -> None:
        """Work out the next card that was asked for, once those before it are in the book."""
        points, path = self._points.points, self._session.book.path
        if not self._wishes or points is None or self._sending is not None:
            return
        card, then = self._wishes.pop(0)

        def work(_: Callable[[float], bool]) -> CardContent:
            book = open_book(path)
            try:
                return CardMaker(book, points).make(card)
            finally:
                book.close()

        def ended(told: Callable[[], None]) -> None:
            self._sending = None
            told()
            self._work_out()

        self._sending = Job(tr("Working out a card"), work, self)
        self._sending.finished.connect(lambda content: ended(lambda: then(content)))
        self._sending.failed.connect(lambda reason: ended(lambda: self.failed.emit(reason)))
        self._sending.start()

    def _keep_redrawn(self, content: CardContent) -> None:
        book = self._session.book
        card = replace_fields(content.card, **as_agreed(content))
        try:
            self._session.change_cards(tr("draw a card as something else"), lambda: book.save(card))
        except PinchError as error:
            self.failed.emit(str(error))

    def _keep(self, content: CardContent) -> None:
        """The new card goes into the book, unless it has nothing to show."""
        if content.found is None:
            self.failed.emit(tr("Nothing was sent to the deck. {problem}", problem=content.problem))
            return
        book = self._session.book
        named = CardContent(replace_fields(content.card, name=question_of(content.card, content.found)), content.found)
        try:
            self._session.change_cards(tr("send to the deck"), lambda: new_card(book, named))
        except PinchError as error:
            self.failed.emit(str(error))
            return
        self.sent.emit(
            tr("“{card}” is card {cards} of the deck (Alt+8).", card=named.card.name, cards=len(book.cards()))
        )


def _shown_deck(
    path: Path,
    points: BookPoints,
    cards: list[Card],
    report: Report,
    known: dict[int, CardContent],
    progress: Callable[[float], bool],
) -> ShownDeck:
    """The deck; cards that are what they were are not worked out again."""
    book = open_book(path)
    try:
        new = [card for card in cards if card.id not in known or known[card.id].card != card]
        made = {c.card.id: c for c in make_cards(book, points, new, progress)}
        deck = Deck(tuple(made.get(card.id) or known[card.id] for card in cards), report, points)
        return ShownDeck(deck, concerns(deck), private_in(book, deck), quotable(deck))
    finally:
        book.close()
