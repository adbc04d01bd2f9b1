"""Score for money. Whether it is worth it is the reader's to say: the two differences and the break-even price are
given."""

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.language import tr


class Deal(Struct, frozen=True):
    """A price, brought to an equal configuration by `allowance` (what is missing or too much of memory and storage),
    and the score relative to the base's, higher being better."""

    price: float
    currency: str
    ratio: float
    allowance: float = 0.0

    @property
    def equal_price(self) -> float:
        """The price of the equal configuration."""
        return self.price + self.allowance


class MoneyPair(Struct, frozen=True):
    """A against the base: price and score difference as shares, value (score for money) against the base's, and the
    price at which A gives as much for its money."""

    price_difference: float
    score_difference: float
    value_ratio: float
    break_even: float


def money_pair(a: Deal, base: Deal) -> MoneyPair:
    """Compare two prices with the scores they buy; `ratio` of both against the same thing.

    Raises
    ------
    DataError : the currencies differ, or a price is not above zero.
    """
    if a.currency != base.currency:
        raise DataError(
            "prices",
            tr(
                "one is in {one}, the other in {other}",
                one=a.currency or tr("no currency"),
                other=base.currency or tr("none"),
            ),
        )
    if a.equal_price <= 0 or base.equal_price <= 0:
        raise DataError("prices", tr("a price is not above zero"))
    score = a.ratio / base.ratio
    return MoneyPair(
        a.equal_price / base.equal_price - 1.0,
        score - 1.0,
        score / (a.equal_price / base.equal_price),
        base.equal_price * score - a.allowance,
    )
