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


def explain_concern(c: Concern) -> Explanation:
    """What an editor would stop, and why."""
    claim = c.claim
    rests = (
        *((f"runs {', '.join(map(str, claim.runs))}",) if claim.runs else ()),
        *((f"typed results {', '.join(map(str, claim.results))}",) if claim.results else ()),
    )
    where = f"True of {claim.n} of {claim.of} that could be looked at." if claim.of > 1 else ""
    return Explanation(CONCERN_NAMES[c.code], c.words, rests, where, "", "before-publishing")


CONCERN_NAMES = {
    "changed": "The finding changed",
    "edited": "A sentence by hand",
    "tie-as-win": "A tie that is told as a win",
    "single-run": "A single run called faster or slower",
    "unfair": "An unfair pair",
    "void-run": "A void run",
    "drifting": "A run that had not settled",
    "tiny-base": "A percentage of very little",
    "claimed-watts": "Claimed watts on an axis",
    "label-watts": "A label that is not what it draws",
    "disclosure": "A disclosure is missing",
    "undated-price": "A price without its day",
    "missing-signs": "Signs that no font has",
    "empty": "A card with nothing to show",
    "told": "Scores of others",
    "window-by-hand": "A window by hand",
    "no-title": "No title",
    "no-card": "No card",
    "twice": "The same shown twice",
    "quote": "A sentence that the figures do not say any more",
    "two-prices": "Two prices of one thing",
    "crowded": "A picture that holds more than it can show",
}
