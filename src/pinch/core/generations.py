"""How much of an uplift over the generation before comes from watts, and how much from the design."""

import math

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.ladder import Ladder
from pinch.language import tr


class UpliftSplit(Struct, frozen=True):
    """An uplift taken apart: `total` and what of it is there at equal watts, `design`, both as shares (0.24: +24 %);
    `design_low` to `design_high` is its 95 % interval (NaN: none). `at_w` are the powers at which both were known, and
    `watts_ratio` how many times the watts the new one drew."""

    total: float
    design: float
    design_low: float
    design_high: float
    at_w: tuple[float, ...]
    watts_ratio: float

    @property
    def watts(self) -> float:
        """Points of the uplift that more watts bring, as a share."""
        return self.total - self.design


def split_uplift(new: Ladder, new_w: float, old: Ladder, old_w: float) -> UpliftSplit:
    """Take the step from the old device at `old_w` to the new one at `new_w` apart.

    At equal watts the ratio of the curves is taken at the old and at the new power, as far as both are measured there;
    of two, their mean on logarithms, so that neither end is favoured. The design's points are its share of the whole
    on logarithms, where shares add up.

    Raises
    ------
    DataError : a power is outside its own curve, or neither is measured on both.
    """
    if not (new.covers(new_w) and old.covers(old_w)):
        raise DataError("uplift", tr("a setting lies outside the measured range of its device"))
    shared = tuple(w for w in dict.fromkeys((old_w, new_w)) if new.covers(w) and old.covers(w))
    if not shared:
        raise DataError(
            "uplift",
            tr("neither {old_w:.1f} W nor {new_w:.1f} W is measured on both devices", old_w=old_w, new_w=new_w),
        )
    whole = math.log(new.at(new_w) / old.at(old_w))
    design = float(np.mean([math.log(new.at(w) / old.at(w)) for w in shared]))
    low, high = math.nan, math.nan
    rows = min(len(new.draws), len(old.draws))
    if rows:
        order = np.random.default_rng(1).permutation(rows)  # both ladders draw by the same seed
        drawn = np.mean([np.log(new.draws_at(w)[:rows] / old.draws_at(w)[order]) for w in shared], axis=0)
        low, high = (_points(float(x), whole) for x in np.percentile(drawn, [2.5, 97.5]))
    return UpliftSplit(math.expm1(whole), _points(design, whole), low, high, shared, new_w / old_w)


def _points(part: float, whole: float) -> float:
    """A part of a ln ratio in points of the whole change; of no change at all, as it is."""
    return math.expm1(part) if abs(whole) < 1e-9 else part / whole * math.expm1(whole)
