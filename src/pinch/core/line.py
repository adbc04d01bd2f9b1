"""A straight line through points, with what is not known of it (NIST/SEMATECH e-Handbook 4.1.4.1; JCGM 100:2008,
H.3)."""

import math

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.figures import Estimate
from pinch.core.robust import t_factor
from pinch.core.runlog import FloatArray
from pinch.language import tr


class StraightLine(Struct, frozen=True):
    """y = intercept + slope · x over n points: standard uncertainties, their covariance, the standard deviation of what
    is left, and the range of x that it stands on."""

    slope: float
    u_slope: float
    intercept: float
    u_intercept: float
    covariance: float
    residual_sd: float
    n: int
    x_low: float
    x_high: float

    def at(self, x: float, unit: str = "") -> Estimate:
        """The line at x, with the standard uncertainty of the line there."""
        variance = self.u_intercept**2 + 2.0 * x * self.covariance + (x * self.u_slope) ** 2
        return Estimate(self.intercept + self.slope * x, math.sqrt(max(0.0, variance)), unit)

    def covers(self, x: float) -> bool:
        """Whether x is within what the line stands on."""
        return self.x_low <= x <= self.x_high

    @property
    def factor(self) -> float:
        """Half the width of a 95 % interval in standard uncertainties (Student)."""
        return t_factor(0.95, self.n - 2)


def fit_line(x: FloatArray, y: FloatArray) -> StraightLine:
    """Least squares through (n,) points.

    Raises
    ------
    DataError : fewer than three points, or all at one x.
    """
    n = len(x)
    if n < 3:
        raise DataError("line", tr("it needs three points, there are {n}", n=n))
    middle = float(x.mean())
    off = x - middle
    spread = float(off @ off)
    if spread <= 1e-12 * max(1.0, float(x @ x)):
        raise DataError("line", tr("all points lie at one place"))
    slope = float(off @ y) / spread
    level = float(y.mean())
    left = y - level - slope * off
    sd = math.sqrt(float(left @ left) / (n - 2))
    u_slope = sd / math.sqrt(spread)
    u_intercept = sd * math.sqrt(1.0 / n + middle * middle / spread)
    return StraightLine(
        slope,
        u_slope,
        level - slope * middle,
        u_intercept,
        -middle * u_slope**2,
        sd,
        n,
        float(x.min()),
        float(x.max()),
    )
