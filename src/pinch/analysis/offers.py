"""Which of the prices of a device a comparison takes, in which currency: what was chosen stands in its words."""

from collections.abc import Sequence
from statistics import median

from msgspec import Struct

from pinch.bench.parts import Offer, PriceOf, Rate
from pinch.bench.records import Device
from pinch.language import day_words, tr


class OfferChoice(Struct, frozen=True):
    """Which price of each device, and rates that the operator typed: prices of a currency with a rate are brought into
    what the rate is into."""

    which: PriceOf = PriceOf.TESTED
    rates: tuple[Rate, ...] = ()


AS_TESTED = OfferChoice()


def offer_of(device: Device, choice: OfferChoice = AS_TESTED) -> Offer | None:
    """The offer of a device that a comparison takes; None where it has no price.

    Of what was tested: the newest one, of the tested unit where that is marked. The cheapest, or the median: among all
    of the currency that most are in. Offers for everybody count where there is such a one.
    """
    priced = [_in_one_currency(o, choice.rates) for o in device.offers if o.price is not None]
    priced = [o for o in priced if not o.members] or priced
    if choice.which is PriceOf.TESTED:
        return max([o for o in priced if o.tested] or priced, key=lambda o: o.date, default=None)
    currencies = [o.currency for o in priced]
    alike = [o for o in priced if o.currency == max(currencies, key=currencies.count)]
    if not alike or choice.which is PriceOf.CHEAPEST:
        return min(alike, key=lambda o: (o.price or 0.0) + o.allowance, default=None)
    return _median(alike)


def _median(offers: Sequence[Offer]) -> Offer:
    """The middle of several prices, each brought to the equal configuration, as an offer that says what it is."""
    prices = [(o.price or 0.0) + o.allowance for o in offers]
    if len(offers) == 1:
        return offers[0]
    days = sorted(o.date for o in offers if o.date)
    span = (
        days[-1]
        if len(set(days)) == 1
        else tr("{first} to {last}", first=day_words(days[0]), last=day_words(days[-1]))
        if days
        else tr("no noted days")
    )
    words = tr(
        "median of {offers} offers from {least:g} to {most:g} {currency}, {span}",
        offers=len(offers),
        least=min(prices),
        most=max(prices),
        currency=offers[0].currency,
        span=span,
    )
    regions = {o.region for o in offers}
    return Offer(
        price=median(prices),
        currency=offers[0].currency,
        date=days[-1] if days else "",
        region=regions.pop() if len(regions) == 1 else "",
        configuration=words,
    )


def _in_one_currency(offer: Offer, rates: Sequence[Rate]) -> Offer:
    rate = next((r for r in rates if r.currency == offer.currency), None)
    if rate is None or offer.price is None:
        return offer
    what = offer.configuration or (tr("as tested") if offer.tested else tr("configuration not noted"))
    day = tr(" of {day}", day=day_words(rate.day)) if rate.day else ""
    told = tr(
        "{what}, {price:g} {currency} at {worth:g} {into}{day}, typed in",
        what=what,
        price=offer.price,
        currency=offer.currency,
        worth=rate.worth,
        into=rate.into,
        day=day,
    )
    return offer.model_copy(
        update={
            "price": round(offer.price * rate.worth, 2),
            "allowance": round(offer.allowance * rate.worth, 2),
            "currency": rate.into,
            "configuration": told,
        }
    )
