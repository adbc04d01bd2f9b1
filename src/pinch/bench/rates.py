"""Rates of currencies as an operator types them."""

import re

from pinch.bench.entry import read_quantity
from pinch.bench.parts import Rate
from pinch.bench.records import checked
from pinch.core.errors import PinchError
from pinch.language import tr

EXAMPLE = "1 USD = 0.92 EUR, 2026-08-15"
_RATE = re.compile(r"1?\s*([A-Za-z]{3})\s*=\s*(\d+(?:[.,]\d+)?)\s*([A-Za-z]{3})(?:[\s,]+(\d{4}-\d\d-\d\d))?")


def read_rates(text: str) -> tuple[Rate, ...]:
    """Rates such as `1 USD = 0.92 EUR, 2026-08-15`, several parted by semicolons.

    Raises
    ------
    PinchError : one cannot be read, or in two ways, two are of one currency, or they lead into different ones.
    """
    rates = []
    for part in filter(None, (part.strip() for part in text.split(";"))):
        found = _RATE.fullmatch(part)
        if found is None:
            raise PinchError(tr("“{part}” is no rate; write it as {example}.", part=part, example=EXAMPLE))
        currency, worth, into, day = found.groups()
        entry = read_quantity(worth, "")
        if entry.question:
            raise PinchError(f"“{part}”: {entry.question}")
        fields = {"currency": currency.upper(), "worth": entry.value, "into": into.upper()}
        rates.append(checked(Rate, tr("the rate"), **fields, day=day or ""))
    if len({r.currency for r in rates}) < len(rates) or len({r.into for r in rates}) > 1:
        raise PinchError(tr("Each currency has one rate, and all lead into the same currency."))
    return tuple(rates)


def rates_words(rates: tuple[Rate, ...]) -> str:
    """Rates as they are typed."""
    return "; ".join(f"1 {r.currency} = {r.worth:g} {r.into}{f', {r.day}' if r.day else ''}" for r in rates)
