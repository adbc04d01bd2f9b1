"""What the margin says of a card."""

from collections.abc import Sequence

from pinch.narrative.cards.concerns import Concern
from pinch.narrative.cards.content import CardContent
from pinch.narrative.explanation import Explanation


def explain_card(content: CardContent, found: Sequence[Concern]) -> Explanation:
    """How a card came about, and what speaks against it."""
    cautions = [c.words for c in found if c.place.card_id == content.card.id]
    if content.found is None:
        return Explanation(content.card.name, content.problem, (), "", "", "cards", tuple(cautions))
    runs = content.found.runs
    devices = list(dict.fromkeys(p.device.name for p in runs))
    window = f"{len(runs)} runs of {', '.join(devices)}." if runs else ""
    meaning = (
        "A card remembers what was asked, not what came out: new runs change it, and it says when its finding did."
    )
    formula = [f"composed: {content.composed}"]
    if content.edited:
        formula.append(f"as edited: {content.finding}")
    if content.moved:
        formula.append(f"agreed to last: {content.card.seen}")
    below = f"Below it: {' · '.join(content.notes)}." if content.notes else ""
    where = " ".join(filter(None, (window, below)))
    return Explanation(content.card.name, meaning, tuple(formula), where, "", "cards", tuple(cautions))
