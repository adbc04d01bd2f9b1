"""Sentences of Pinch's that somebody may take over into the verdict of a report, and what became of those that were."""

from collections import Counter

from msgspec import Struct

from pinch.bench.cards import Quote, Report
from pinch.language import tr
from pinch.narrative.cards.deck import Deck
from pinch.narrative.reporting import sections_of

OWN_TEXTS = ("verdict", "speaks_for", "speaks_against")


class Outdated(Struct, frozen=True):
    """A sentence that was taken over and reads otherwise now; `now` is empty where nothing says it any more."""

    quote: Quote
    now: str


def quotable(deck: Deck) -> dict[str, str]:
    """All sentences by what they are of: findings of cards, then what the sections of the report say."""
    found = {
        tr("card {card}", card=c.card.id): c.finding for c in deck.contents if c.card.in_report and c.found is not None
    }
    seen: Counter[str] = Counter()
    for section in sections_of(deck) if found else ():
        for claim in (*section.claims, *section.listed):
            key = f"{section.key} {claim.code}"
            seen[key] += 1
            found[f"{key} {seen[key]}"] = claim.words
    return found


def kept_quotes(report: Report) -> tuple[Quote, ...]:
    """The quotes of a report whose words still stand in its own texts."""
    texts = [getattr(report, name) for name in OWN_TEXTS]
    return tuple(q for q in report.quotes if any(q.words in text for text in texts))


def outdated(deck: Deck) -> list[Outdated]:
    """Sentences in somebody's own words that the figures do not say any more."""
    quotes = kept_quotes(deck.report)
    says = quotable(deck) if quotes else {}
    return [Outdated(q, says.get(q.of, "")) for q in quotes if says.get(q.of) != q.words]
