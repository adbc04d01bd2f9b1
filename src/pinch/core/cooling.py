"""How a device warms and cools: the time constants behind a temperature, and the wait until it is cool again.

The temperature is a sum of first-order answers to the power, T(t) = T₀ + Σ Rᵢ·(hᵢ∗P)(t), where hᵢ is a low-pass with
τᵢ and Rᵢ ≥ 0; the number of terms is chosen by AICc (Hurvich and Tsai, Biometrika 76, 1989). What it takes to cool is
then the superposed decay of the terms.
"""

import math
from dataclasses import dataclass

import numpy as np

from pinch.core.errors import DataError
from pinch.core.runlog import FloatArray

MOST_TERMS = 3
SHORTEST_S = 120.0
"""A record shorter than this says nothing about slow parts."""
LEAST_SHARE = 0.03
"""A term with less of the whole resistance, or slower than the record is long, follows drift, not the cooler."""


@dataclass(frozen=True)
class HeatFit:
    """`r` (n,) in K/W and `tau` (n,) in s, fastest first; `base_c` is the temperature without power, fitted."""

    r: FloatArray
    tau: FloatArray
    base_c: float
    rms_k: float

    @property
    def slowest_s(self) -> float:
        """The slowest time constant, s."""
        return float(self.tau[-1])

    def cool_down_s(self, power_w: float, idle_w: float, within_k: float) -> float:
        """Time from the end of a load that had settled at `power_w` until the device is within `within_k` of where it
        rests at `idle_w`, s."""
        rise = self.r * max(0.0, power_w - idle_w)
        if rise.sum() <= within_k:
            return 0.0
        low, high = 0.0, self.slowest_s * math.log(rise.sum() / within_k) + 1.0
        for _ in range(60):  # the decay falls all the way, so halving finds the place
            middle = 0.5 * (low + high)
            hot = float(rise @ np.exp(-middle / self.tau)) > within_k
            low, high = (middle, high) if hot else (low, middle)
        return high


def fit_heat(t: FloatArray, power_w: FloatArray, temp_c: FloatArray) -> HeatFit:
    """Fit one to three terms to a whole record.

    Parameters
    ----------
    t : (n,) even times, s.
    power_w, temp_c : (n,) power and temperature in each step; NaN where there is none.

    Raises
    ------
    DataError : it is shorter than two minutes, or power or temperature never change.
    """
    step = float(t[1] - t[0]) if len(t) > 1 else 1.0
    have = np.isfinite(temp_c)
    if len(t) * step < SHORTEST_S or have.sum() < SHORTEST_S / step:
        raise DataError("log", "it is too short for time constants")
    known = np.isfinite(power_w)
    if not known.any() or np.ptp(power_w[known]) < 0.5 or np.ptp(temp_c[have]) < 2.0:
        raise DataError("log", "its power or temperature does not change")
    power = np.interp(t, t[known], power_w[known])
    best: HeatFit | None = None
    best_score = math.inf
    for terms in range(1, MOST_TERMS + 1):
        fit, score = _fit(power, temp_c, have, step, terms)
        real = np.all(fit.r > LEAST_SHARE * fit.r.sum()) and fit.slowest_s <= len(t) * step
        if score < best_score and real:
            best, best_score = fit, score
    if best is None:
        raise DataError("log", "its temperature does not follow its power")
    return best


def _fit(power: FloatArray, temp: FloatArray, have: np.ndarray, step: float, terms: int) -> tuple[HeatFit, float]:
    from scipy.optimize import minimize

    longest = len(power) * step
    guess = np.log(np.geomspace(max(4.0 * step, longest / 150), longest / 4, terms + 2)[1:-1])

    def inner(log_tau: FloatArray) -> tuple[FloatArray, float]:
        return _solve(power, temp, have, step, np.exp(np.clip(log_tau, np.log(step), np.log(3.0 * longest))))

    found = minimize(lambda x: inner(x)[1], guess, method="Nelder-Mead", options={"xatol": 1e-3})  # type: ignore[call-overload]
    weights, rss = inner(found.x)
    tau = np.exp(np.clip(found.x, np.log(step), np.log(3.0 * longest)))
    order = np.argsort(tau)
    n, free = int(have.sum()), 2 * terms + 2
    score = n * math.log(max(rss, 1e-12) / n) + 2 * free + 2 * free * (free + 1) / (n - free - 1)
    return HeatFit(weights[:-1][order], tau[order], float(weights[-1]), math.sqrt(rss / n)), score


def _solve(
    power: FloatArray, temp: FloatArray, have: np.ndarray, step: float, tau: FloatArray
) -> tuple[FloatArray, float]:
    """Best Rᵢ ≥ 0 and base for given time constants, and the sum of squares that is left."""
    from scipy.optimize import nnls

    columns = np.column_stack([*(_low_pass(power, step, x) for x in tau), np.ones(len(power))])
    weights, norm = nnls(columns[have], temp[have])
    return weights, float(norm**2)


def _low_pass(power: FloatArray, step: float, tau: float) -> FloatArray:
    """First-order low-pass of power that is constant in each step, beginning at rest at the first power."""
    from scipy.signal import lfilter

    keep = math.exp(-step / tau)
    filtered, _ = lfilter([1.0 - keep], [1.0, -keep], power, zi=[keep * power[0]])
    return np.asarray(filtered)


def time_to_steady_s(fit: HeatFit, power_w: FloatArray, step_s: float, within_k: float) -> float:
    """How long the temperature still needs until it is within `within_k` of where the present power leads, s.

    Parameters
    ----------
    power_w : (n,) power of the record so far in even steps of `step_s`, NaN where there is none; its last minute's mean
        is taken to go on.
    """
    known = np.isfinite(power_w)
    if not known.any():
        return math.nan
    power = np.interp(np.arange(len(power_w)), np.flatnonzero(known), power_w[known])
    last = power[-max(1, round(60.0 / step_s)) :].mean()
    left = fit.r * np.array([last - _low_pass(power, step_s, float(tau))[-1] for tau in fit.tau])
    ahead = np.linspace(0.0, 6.0 * fit.slowest_s, 1201)
    off = np.abs(np.exp(-ahead[:, None] / fit.tau) @ left) > within_k
    hot = np.flatnonzero(off)
    return float(ahead[min(int(hot[-1]) + 1, len(ahead) - 1)]) if len(hot) else 0.0
