"""The Compare page: prices beside scores. No Qt."""

from collections.abc import Sequence
from functools import partial

from pinch.analysis.cells import BenchCell
from pinch.analysis.offers import offer_of
from pinch.bench.parts import Offer
from pinch.bench.records import Device
from pinch.core.errors import DataError
from pinch.core.index import Index
from pinch.core.money import MoneyPair, money_pair
from pinch.language import day_words, numeral, tr
from pinch.narrative.compare_words import ShownComparison
from pinch.narrative.explain_verdicts import explain_price
from pinch.narrative.price_words import deal_of
from pinch.narrative.verdict_words import percent
from pinch.ui.table_rows import TableRow

MONEY_COLUMNS = (
    "",
    tr("Price"),
    tr("On"),
    tr("Price against"),
    tr("Score against"),
    tr("Score for money"),
    tr("Break-even price"),
)
OFFER_COLUMNS = (
    tr("Device"),
    tr("Price"),
    tr("On"),
    tr("Where"),
    tr("Tax"),
    tr("Configuration"),
    tr("To equal configuration"),
)


def money_rows(shown: ShownComparison) -> list[TableRow]:
    """Price and score of each device against the baseline's."""
    result = shown.result
    if not result.choice.cells:
        return []
    base_offer = offer_of(result.baseline.device, result.choice.offers)
    rows = [_price_row(result.baseline, base_offer)]
    for cell in result.choice.cells[1:]:
        offer, index = offer_of(cell.device, result.choice.offers), result.indexes.get(cell.name)
        if base_offer is None or offer is None or index is None:
            lack = tr("no price is noted") if offer is None or base_offer is None else tr("no workload is shared")
            rows.append(TableRow((cell.name, *_price(offer), lack, "", "", ""), aside=True))
            continue
        try:
            pair = money_pair(deal_of(offer, index.ratio), deal_of(base_offer, 1.0))
        except DataError as error:
            rows.append(TableRow((cell.name, *_price(offer), error.reason, "", "", ""), aside=True))
        else:
            rows.append(_money_row(cell, offer, index, pair, result.baseline.name))
    return rows


def offer_rows(devices: Sequence[Device]) -> list[TableRow]:
    """The history of all prices, the newest first."""
    offers = sorted(
        ((o, d) for d in devices for o in d.offers if o.price is not None), key=lambda x: x[0].date, reverse=True
    )
    return [
        TableRow(
            (
                d.name,
                f"{numeral(o.price or 0.0, ',.2f')} {o.currency}".strip(),
                day_words(o.date) or tr("no date"),
                " ".join(filter(None, (o.seller, o.region))),
                {True: tr("in"), False: tr("out"), None: tr("not noted")}[o.tax_in],
                ", ".join(
                    filter(None, (o.configuration, tr("for members") * o.members, tr("the one tested") * o.tested))
                ),
                numeral(o.allowance, "+g") if o.allowance else "",
            ),
            of=d.id,
        )
        for o, d in offers
    ]


def _price(offer: Offer | None) -> tuple[str, str]:
    if offer is None or offer.price is None:
        return "", ""
    extra = tr(" {allowance:+g}", allowance=offer.allowance) if offer.allowance else ""
    return f"{numeral(offer.price, 'g')}{extra} {offer.currency}".strip(), day_words(offer.date) or tr("no date")


def _price_row(cell: BenchCell, offer: Offer | None) -> TableRow:
    return TableRow((cell.name, *_price(offer), tr("baseline"), "", "", ""))


def _money_row(cell: BenchCell, offer: Offer, index: Index, pair: MoneyPair, base: str) -> TableRow:
    cells = (
        cell.name,
        *_price(offer),
        percent(1 + pair.price_difference),
        percent(1 + pair.score_difference),
        f"{numeral(pair.value_ratio, '.2f')} ×",
        f"{numeral(pair.break_even, '.0f')} {offer.currency}",
    )
    return TableRow(cells, partial(explain_price, cell.name, base, offer, index, pair))
