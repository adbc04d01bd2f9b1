"""What the watts that one of a pair drew more are worth: its own curve, read at the watts of both."""

import numpy as np
from msgspec import Struct

from pinch.core.ladder import Ladder


class WattsWorth(Struct, frozen=True):
    """The share of its score that a device would lose if it drew `at_w` instead of `drew_w`, W, by its own curve, and
    the 95 % interval of that (NaN: nothing was repeated)."""

    drew_w: float
    at_w: float
    share: float
    low: float
    high: float


def watts_worth(ladder: Ladder, drew_w: float, at_w: float) -> WattsWorth | None:
    """What more watts are worth; None where the curve does not reach from the one to the other."""
    if not (ladder.covers(drew_w) and ladder.covers(at_w)):
        return None
    share = 1.0 - ladder.at(at_w) / ladder.at(drew_w)
    low = high = float("nan")
    if len(ladder.draws):
        lost = 1.0 - ladder.draws_at(at_w) / ladder.draws_at(drew_w)
        low, high = (float(v) for v in np.percentile(lost, [2.5, 97.5]))
    return WattsWorth(drew_w, at_w, share, low, high)
