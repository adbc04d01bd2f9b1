"""The deck of a book: every card worked out anew."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.analysis.judging import JudgeDesk
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.book import Book
from pinch.bench.cards import (
    KINDS,
    Card,
    CellsQuery,
    CurvesQuery,
    ModesQuery,
    Report,
    RunsQuery,
    UnitsQuery,
)
from pinch.charts.draw.lettering import missing_signs
from pinch.charts.face import Face
from pinch.core.errors import PinchError
from pinch.core.method import METHOD
from pinch.core.progress import Progress, tell, unheard
from pinch.language import tr
from pinch.narrative.cards import bench_cards, cell_cards, curve_cards, mode_cards, run_cards
from pinch.narrative.cards.content import CardContent, Found
from pinch.narrative.cards.footnotes import footnotes
from pinch.narrative.run_words import RunStory

EDITED = tr("the sentence is the editor's")


class Deck(Struct, frozen=True):
    """The cards of a book in their order, its report, and the points they were made of."""

    contents: tuple[CardContent, ...]
    report: Report
    points: BookPoints


class CardMaker:
    """Works out cards of one book. For one thread."""

    def __init__(self, book: Book, points: BookPoints) -> None:
        self._book, self._points = book, points
        self._desk = JudgeDesk(book)
        self._slots = points.slots

    def make(self, card: Card) -> CardContent:
        """What a card comes to; one that has nothing to show says why."""
        try:
            found = self._find(card)
        except PinchError as error:
            return CardContent(card, problem=str(error))
        claims = footnotes(found, self._points)
        finding = card.finding or found.finding
        by_hand = (card.footnote.rstrip("."), EDITED if finding != found.finding else "")
        notes = tuple(filter(None, (*(c.words for c in claims), *by_hand)))
        alternative = " ".join(filter(None, (finding, found.chart.alternative.removeprefix(found.finding).strip())))
        face = Face(card.name, finding, found.chart, notes, alternative)
        return CardContent(card, found, face, notes, claims, missing_signs(" ".join((card.name, alternative, *notes))))

    def _find(self, card: Card) -> Found:
        query, kind, book = card.query, card.kind, self._points
        if kind not in KINDS[query.of]:
            raise PinchError(tr("What it asks for cannot be drawn as {kind}.", kind=kind))
        if isinstance(query, RunsQuery):
            return run_cards.make(query, kind, book, self._slots, self._story)
        if isinstance(query, CurvesQuery):
            return curve_cards.make(query, kind, book, self._slots)
        if isinstance(query, CellsQuery):
            return cell_cards.make(query, kind, book, self._slots)
        if isinstance(query, ModesQuery):
            return mode_cards.make(query, kind, book, self._slots)
        return (
            bench_cards.make_units(query, book)
            if isinstance(query, UnitsQuery)
            else bench_cards.make_tested(query, book)
        )

    def _story(self, point: RunPoint) -> RunStory:
        log, judged = self._desk.judge(point.run)
        readings = self._points.readings.get(point.run.id, ())
        return RunStory(point.run, point.device, point.setting, point.workload, log, judged, readings)


def make_cards(
    book: Book, points: BookPoints, cards: Sequence[Card], progress: Progress = unheard
) -> tuple[CardContent, ...]:
    """What some cards come to."""
    maker, made = CardMaker(book, points), []
    for number, card in enumerate(cards):
        tell(progress, number / len(cards))
        made.append(maker.make(card))
    return tuple(made)


def new_card(book: Book, content: CardContent) -> Card:
    """A card for the end of the deck, as it came to be; the caller makes it a change."""
    last = max((card.place for card in book.cards()), default=0)
    return book.save(replace_fields(content.card, kept_id=None, place=last + 1, **as_agreed(content)))


def as_agreed(content: CardContent) -> dict[str, object]:
    """The fields of a card that say what was agreed to: its finding as it stands now, by the methods of now."""
    return {"seen": content.composed, "seen_method": METHOD}


def replace_fields(card: Card, **changed: object) -> Card:
    """A card with other fields, checked as when it is read."""
    return Card.model_validate({**card.model_dump(by_alias=False), **changed})


def moved_to(cards: Sequence[Card], card_id: int, by: int) -> list[Card]:
    """The cards whose place changes where one goes up (−1) or down (1)."""
    order = [c.id for c in cards]
    at = order.index(card_id)
    to = max(0, min(len(order) - 1, at + by))
    order.insert(to, order.pop(at))
    by_id = {c.id: c for c in cards}
    placed = [(by_id[number], place) for place, number in enumerate(order, 1)]
    return [replace_fields(card, place=place) for card, place in placed if card.place != place]
