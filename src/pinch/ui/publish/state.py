"""What the Publish page shows of a deck, in words and rows. No Qt."""

from collections.abc import Sequence
from functools import partial

from pinch.bench.cards import KINDS, Private
from pinch.core.printing import counted, listed
from pinch.language import numeral, tr
from pinch.narrative.cards.concerns import Concern, Weight
from pinch.narrative.cards.content import CardContent
from pinch.narrative.cards.deck import Deck
from pinch.narrative.explain_cards import explain_concern
from pinch.publish.private import PrivateCount
from pinch.ui.table_rows import TableRow

CONCERN_COLUMNS = ("", tr("What an editor would stop"), tr("Where"))
WEIGHT_WORDS = {Weight.STOP: tr("stop"), Weight.LOOK: tr("look")}
EMPTY = tr(
    "There is no card yet. On any page, Ctrl+K sends what it shows to the deck: a chart "
    "with its finding, its footnotes and its data."
)


def headline(deck: Deck, found: Sequence[Concern]) -> str:
    """How many cards there are, and whether they can be published."""
    count = len(deck.contents)
    if not count:
        return EMPTY
    cards = counted(count, "card")
    in_report = sum(c.card.in_report for c in deck.contents)
    words = tr("{cards}, {in_report} in the report", cards=cards, in_report=in_report)
    stops = sum(c.weight is Weight.STOP for c in found)
    if not found:
        return f"{words}. An editor would stop nothing."
    looks = len(found) - stops
    parts = [
        tr("{stops} to stop", stops=stops) if stops else "",
        tr("{looks} to look at", looks=looks) if looks else "",
    ]
    return tr("{words}. Before publishing: {what}, on Check.", words=words, what=listed(list(filter(None, parts))))


def card_lines(number: int, content: CardContent) -> tuple[str, str]:
    """A card in the list: its number and title, and what is to be known of it."""
    flags = []
    if content.problem:
        flags.append(tr("nothing to show"))
    if content.moved:
        flags.append(tr("its finding changed"))
    if content.edited:
        flags.append("edited")
    if not content.card.in_report:
        flags.append(tr("not in the report"))
    return f"{number}. {content.card.name}", ", ".join([tr(content.card.kind), *flags])


def kinds_of(content: CardContent) -> list[str]:
    """What the card can be drawn as."""
    return [str(kind) for kind in KINDS[content.card.query.of]]


def concern_rows(found: Sequence[Concern], deck: Deck) -> list[TableRow]:
    """Everything that an editor would stop; the row's `of` is the concern."""
    rows = []
    for c in found:
        cells = (WEIGHT_WORDS[c.weight], c.words, _where(c, deck))
        rows.append(TableRow(cells, partial(explain_concern, c), of=c, aside=c.weight is Weight.LOOK))
    return rows


def private_words(counts: Sequence[PrivateCount], what: Private) -> str:
    """What of one kind stands behind the report."""
    found = next((c for c in counts if c.what is what), None)
    return f"{tr(what)} ({numeral(found.count, ',') if found else tr('none')})"


def private_example(counts: Sequence[PrivateCount], what: Private) -> str:
    """One of those, to know what is meant; empty where there is none."""
    return next((tr("For example: {example}", example=c.example) for c in counts if c.what is what), "")


def _where(c: Concern, deck: Deck) -> str:
    if c.place.card_id is not None:
        number = next((n for n, x in enumerate(deck.contents, 1) if x.card.id == c.place.card_id), 0)
        return tr("card {number}", number=number) + (tr(", a run") if c.place.run_id is not None else "")
    return tr("the report") if c.place.report else tr("a device")
