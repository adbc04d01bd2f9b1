"""What the margin says of a card."""

from collections.abc import Sequence

from pinch.language import tr
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
    window = tr("{runs} runs of {devices}.", runs=len(runs), devices=", ".join(devices)) if runs else ""
    meaning = tr(
        "A card remembers what was asked, not what came out: new runs change it, and it says when its finding did."
    )
    formula = [tr("composed: {composed}", composed=content.composed)]
    if content.edited:
        formula.append(tr("as edited: {finding}", finding=content.finding))
    if content.moved:
        formula.append(tr("agreed to last: {seen}", seen=content.card.seen))
    below = tr("Below it: {notes}.", notes=" · ".join(content.notes)) if content.notes else ""
    where = " ".join(filter(None, (window, below)))
    return Explanation(content.card.name, meaning, tuple(formula), where, "", "cards", tuple(cautions))


def explain_concern(c: Concern) -> Explanation:
    """What an editor would stop, and why."""
    claim = c.claim
    rests = (
        *((tr("runs {str}", str=", ".join(map(str, claim.runs))),) if claim.runs else ()),
        *((tr("typed results {str}", str=", ".join(map(str, claim.results))),) if claim.results else ()),
    )
    where = tr("True of {n} of {of} that could be looked at.", n=claim.n, of=claim.of) if claim.of > 1 else ""
    return Explanation(CONCERN_NAMES[c.code], c.words, rests, where, "", "before-publishing")


CONCERN_NAMES = {
    "changed": tr("The finding changed"),
    "edited": tr("A sentence by hand"),
    "tie-as-win": tr("A tie that is told as a win"),
    "single-run": tr("A single run called faster or slower"),
    "unfair": tr("An unfair pair"),
    "void-run": tr("A void run"),
    "drifting": tr("A run that had not settled"),
    "tiny-base": tr("A percentage of very little"),
    "claimed-watts": tr("Claimed watts on an axis"),
    "label-watts": tr("A label that is not what it draws"),
    "disclosure": tr("A disclosure is missing"),
    "undated-price": tr("A price without its day"),
    "missing-signs": tr("Signs that no font has"),
    "empty": tr("A card with nothing to show"),
    "told": tr("Scores of others"),
    "window-by-hand": tr("A window by hand"),
    "no-title": tr("No title"),
    "no-card": tr("No card"),
    "twice": tr("The same shown twice"),
    "quote": tr("A sentence that the figures do not say any more"),
    "two-prices": tr("Two prices of one thing"),
    "crowded": tr("A picture that holds more than it can show"),
}
