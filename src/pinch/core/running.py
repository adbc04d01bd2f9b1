"""Mean, spread and extremes of numbers that come one by one, without keeping them.

Mean and squares after Welford (Technometrics 4(3), 1962), the mean's own steps summed with Neumaier's compensation
(ZAMM 54, 1974), so that a day of samples loses nothing to rounding.
"""

import math


class Running:
    """Takes numbers one by one; what is not finite is left out."""

    def __init__(self) -> None:
        self.count = 0
        self.low, self.high = math.nan, math.nan
        self._mean = self._carry = self._squares = 0.0

    @property
    def mean(self) -> float:
        """Mean so far, NaN without numbers."""
        return self._mean + self._carry if self.count else math.nan

    @property
    def deviation(self) -> float:
        """Standard deviation of a sample (n − 1), NaN with fewer than two numbers."""
        return math.sqrt(self._squares / (self.count - 1)) if self.count > 1 else math.nan

    def add(self, value: float) -> None:
        """Take one more number."""
        if not math.isfinite(value):
            return
        before = value - self.mean if self.count else 0.0
        self.count += 1
        if self.count == 1:
            self._mean, self.low, self.high = value, value, value
            return
        step = before / self.count
        total = self._mean + step
        big, small = (self._mean, step) if abs(self._mean) >= abs(step) else (step, self._mean)
        self._carry += (big - total) + small
        self._mean = total
        self._squares += before * (value - self.mean)
        self.low, self.high = min(self.low, value), max(self.high, value)
