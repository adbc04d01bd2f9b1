"""Prices beside scores: the chart, and what each costs and gives, in a sentence."""

import numpy as np

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import CompareResult
from pinch.analysis.offers import offer_of
from pinch.bench.parts import Offer, PriceOf
from pinch.charts.spec import Chart, Dots, Line, Panel
from pinch.core.errors import DataError
from pinch.core.index import Index
from pinch.core.money import Deal, money_pair
from pinch.language import day_words, tr
from pinch.narrative.compare_words import ShownComparison, headline
from pinch.narrative.verdict_words import in_brackets


def money_chart(shown: ShownComparison) -> Chart | None:
    """Score over price, a dot a device; None with fewer than two prices in one currency."""
    points = []
    for cell in shown.result.choice.cells:
        offer, index = offer_of(cell.device, shown.result.choice.offers), shown.result.indexes.get(cell.name)
        ratio = 1.0 if cell == shown.result.baseline else index.ratio if index else None
        if offer is not None and offer.price is not None and ratio is not None:
            points.append((cell, offer.price + offer.allowance, 100.0 * ratio, offer.currency))
    if len(points) < 2 or len({currency for *_, currency in points}) > 1:
        return None
    dots = [
        Dots(np.array([price]), np.array([score]), (cell.name,), shown.slots.get(cell.device.id, 0), told=False)
        for cell, price, score, _ in points
    ]
    far = max(price for _, price, _, _ in points)
    base = points[0]
    as_much = np.array([0.0, far * base[2] / base[1]])
    line = Line(np.array([0.0, far]), as_much, dots[0].slot, tr("as much for money"), True)
    panel = Panel(tr("Score, baseline = 100"), "%", (line,), dots=tuple(dots), key="money")
    words = "; ".join(
        tr("{cell}: {score:.0f} % at {price:g} {currency}", cell=cell.name, score=score, price=price, currency=currency)
        for cell, price, score, currency in points
    )
    return Chart(
        headline(shown), (panel,), tr("Price"), points[0][3] or tr("price"), footnote=_dates(shown), alternative=words
    )


def _dates(shown: ShownComparison) -> str:
    choice = shown.result.choice
    found = [(c.device.name, offer_of(c.device, choice.offers)) for c in choice.cells]
    return " · ".join(
        dict.fromkeys(
            tr(
                "{name}: {price:g} {currency} on {date}",
                name=name,
                price=o.price,
                currency=o.currency,
                date=day_words(o.date) or tr("no date"),
            )
            for name, o in found
            if o
        )
    )


def deal_of(offer: Offer, ratio: float) -> Deal:
    """A price with the score that it buys."""
    return Deal(offer.price or 0.0, offer.currency, ratio, offer.allowance)


def _of_offer(offer: Offer) -> str:
    """What was offered where and when, as far as it is noted."""
    what = offer.configuration or (tr("as tested") if offer.tested else tr("configuration not noted"))
    where = f", {offer.region}" if offer.region else ""
    tax = {True: tr(", tax in"), False: tr(", without tax")}.get(offer.tax_in, "") if offer.tax_in is not None else ""
    members = tr(", for members") if offer.members else ""
    return tr(
        "{what}{where}{tax}{members}, price of {date}",
        what=what,
        where=where,
        tax=tax,
        members=members,
        date=day_words(offer.date) or tr("no noted day"),
    )


def _unlike(offer: Offer, base: Offer) -> str:
    """What makes two prices no like for like, as far as it is noted."""
    if None in (offer.tax_in, base.tax_in) or offer.tax_in == base.tax_in:
        return ""
    return tr(" One of the two prices has tax in it, the other has not.")


def money_words(shown: ShownComparison) -> list[str]:
    """What each cell costs and gives against the baseline: two numbers and the price of equal value, no more."""
    result, told = shown.result, []
    base = offer_of(result.baseline.device, result.choice.offers)
    for cell in result.choice.cells[1:]:
        offer, index = offer_of(cell.device, result.choice.offers), result.indexes.get(cell.name)
        if base is None or offer is None or index is None or cell.device.id == result.baseline.device.id:
            continue
        try:
            pair = money_pair(deal_of(offer, index.ratio), deal_of(base, 1.0))
        except DataError:
            continue
        more = tr(
            "{more}{in_brackets} over {extent}{some_of}",
            more=_more(pair.score_difference),
            in_brackets=in_brackets(index),
            extent=index.extent,
            some_of=_some_of(index, result),
        )
        told.append(
            tr(
                "{which_price}{cell} costs {costs} than {baseline} and gives {gives}; as much for money"
                " at {break_even:.0f} {currency} ({of_offer}; {of_offer_2}).{unlike}",
                which_price=_which_price(result, cell),
                cell=cell.name,
                costs=_more(pair.price_difference),
                baseline=result.baseline.name,
                gives=more,
                break_even=pair.break_even,
                currency=offer.currency,
                of_offer=_of_offer(offer),
                of_offer_2=_of_offer(base),
                unlike=_unlike(offer, base),
            )
        )
    return told


def _which_price(result: CompareResult, cell: BenchCell) -> str:
    """Which of its prices a sentence is about; prices for members are none of those that anybody pays."""
    which = result.choice.offers.which
    if which is PriceOf.TESTED:
        return ""
    offers = (*cell.device.offers, *result.baseline.device.offers)
    return tr(
        "By {which} of the prices{what} ",
        which=which,
        what=tr(" for everybody") if any(o.members for o in offers) else "",
    )


def _more(share: float) -> str:
    by = 100 * abs(share)
    return tr("{by:.1f} % less", by=by) if share < 0 else tr("{by:.1f} % more", by=by)


def _some_of(index: Index, result: CompareResult) -> str:
    """Out of how many, where the index is not over all."""
    there = len({row.workload.id for row in result.rows})
    return (
        tr(" ({workloads} of {there} shared)", workloads=len(index.workloads), there=there)
        if len(index.workloads) < there
        else ""
    )
