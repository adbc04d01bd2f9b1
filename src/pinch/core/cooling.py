"""How a device warms and cools: the time constants behind a temperature, and the wait until it is cool again.

The temperature is a sum of first-order answers to the power, T(t) = T₀ + Σ Rᵢ·(hᵢ∗P)(t), where hᵢ is a low-pass with
τᵢ and Rᵢ ≥ 0; the number of terms is chosen by AICc (Hurvich and Tsai, Biometrika 76, 1989). What it takes to cool is
then the superposed decay of the terms.
"""

import math
from dataclasses import dataclass

import numpy as np

from pinch.core import robust
from pinch.core.errors import DataError
from pinch.core.runlog import BoolArray, FloatArray

MOST_TERMS = 3
SHORTEST_S = 120.0
"""A record shorter than this says nothing about slow parts."""
MOST_ALIKE = 0.98
SLOWER_THAN_RECORD = 2.5
"""From a known room up, a term shows in less than its own time."""
MOST_ROWS, WIDE = 400, 0.8
WHITE = 0.1
START_K, LEAST_NOISE_K = 1.0, 0.05
"""How far a term is expected to be off its rest when a record begins, K: weak beside what a warm start shows."""
LEAST_SHARE = 0.03
"""A term with less of the whole resistance, or slower than the record is long, follows drift, not the cooler."""


@dataclass(frozen=True)
class HeatFit:
    """`r` (n,) in K/W and `tau` (n,) in s, fastest first; `base_c` is the temperature without power, fitted or given;
    `start` (n,) is what each term was above its resting answer when the record began, K; `r_th_u` is the standard
    uncertainty of the whole resistance, K/W, `alike` the lag-1 correlation of what is left."""

    r: FloatArray
    tau: FloatArray
    base_c: float
    rms_k: float
    start: FloatArray
    r_th_u: float
    alike: float = 0.0

    @property
    def r_th(self) -> float:
        """The whole resistance, K/W."""
        return float(self.r.sum())

    def temperature(self, power_w: FloatArray, step_s: float) -> FloatArray:
        """The fitted temperature (n,) for (n,) power in steps of `step_s` from the beginning of the record, °C."""
        t = step_s * np.arange(1, len(power_w) + 1)
        terms = [
            r * _low_pass(power_w, step_s, float(tau)) + start * np.exp(-t / tau)
            for r, tau, start in zip(self.r, self.tau, self.start, strict=True)
        ]
        return np.asarray(self.base_c + sum(terms))

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


def fit_heat(t: FloatArray, power_w: FloatArray, temp_c: FloatArray, ambient_c: float | None = None) -> HeatFit:
    """Fit one to three terms to a whole record, from `ambient_c` up, or from a fitted base where nobody knows it.

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
    still = not known.any() or (ambient_c is None and np.ptp(power_w[known]) < 0.5)  # else T leads to room + R·P
    if still or np.ptp(temp_c[have]) < 2.0:
        raise DataError("log", "its power or temperature does not change")
    power = np.interp(t, t[known], power_w[known])
    noise = max(robust.noise_sd(temp_c[have]), LEAST_NOISE_K)
    record = _Record(power, temp_c, _rows(have), step, ambient_c, noise)
    best: HeatFit | None = None
    best_score = math.inf
    for terms in range(1, MOST_TERMS + 1):
        fit, score = _fit(record, terms)
        longest = len(t) * step * (1.0 if ambient_c is None else SLOWER_THAN_RECORD)
        real = np.all(fit.r > LEAST_SHARE * fit.r.sum()) and fit.slowest_s <= longest
        if score < best_score and real:
            best, best_score = fit, score
        if best is fit and fit.alike < WHITE:
            break  # what is left is noise; no further term can be in it
    if best is None:
        raise DataError("log", "its temperature does not follow its power")
    return best


@dataclass(frozen=True)
class _Record:
    """What is fitted: power (n,) and temperature (n,) in steps of `step` s, at the places `rows` (m,)."""

    power: FloatArray
    temp: FloatArray
    rows: np.ndarray
    step: float
    ambient: float | None
    noise_k: float

    def columns(self, tau: FloatArray) -> FloatArray:
        """Answers to the power (m, terms), then either the base, or the decays from the beginning (m, terms) where the
        base is known: both together cannot be told apart."""
        answers = [_low_pass(self.power, self.step, float(x))[self.rows] for x in tau]
        if self.ambient is None:
            return np.column_stack([*answers, np.ones(len(self.rows))])
        t = self.step * (self.rows + 1.0)
        return np.column_stack([*answers, *(np.exp(-t / x) for x in tau)])

    def solve(self, tau: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Best weights of the columns, those of the answers ≥ 0, and what is left (m,)."""
        from scipy.optimize import nnls

        columns, terms = self.columns(tau), len(tau)
        free = columns[:, terms:]  # of either sign, so each stands there twice
        target = self.temp[self.rows] - (self.ambient or 0.0)
        both = np.column_stack([columns[:, :terms], free, -free])
        # The normal equations are small: the record is gone through once.
        gram, right = both.T @ both, both.T @ target
        if self.ambient is not None:
            # Most records begin at rest; without this a slow term and its own beginning cannot be told apart.
            gram[terms:, terms:] += (self.noise_k / START_K) ** 2 * np.eye(len(gram) - terms)
        ridge = 1e-9 * np.trace(gram) / len(gram)
        root = np.linalg.cholesky(gram + ridge * np.eye(len(gram)))
        weights, _ = nnls(root.T, np.linalg.solve(root, right))
        count = free.shape[1]
        found = np.append(weights[:terms], weights[terms : terms + count] - weights[terms + count :])
        return found, target - columns @ found


def _rows(have: BoolArray) -> np.ndarray:
    """Places that are fitted: all of a short record; of a long one its beginning whole, where the fast terms show, and
    of the rest as many again."""
    places = np.flatnonzero(have)
    if len(places) <= 2 * MOST_ROWS:
        return places
    rest = np.linspace(MOST_ROWS, len(places) - 1, MOST_ROWS).round().astype(int)
    return np.asarray(places[np.append(np.arange(MOST_ROWS), rest[1:])])


def _fit(record: _Record, terms: int) -> tuple[HeatFit, float]:
    from scipy.optimize import minimize

    step, longest = record.step, len(record.power) * record.step
    low, high = np.log(step), np.log(3.0 * longest)
    guess = np.log(np.geomspace(max(4.0 * step, longest / 150), longest / 4, terms + 2)[1:-1])
    # The weights are solved for inside, only the time constants are searched (variable projection: Golub and Pereyra,
    # SIAM J. Numer. Anal. 10, 1973).
    found = minimize(  # type: ignore[call-overload]
        lambda x: math.log(_squares(record.solve(np.exp(np.clip(x, low, high)))[1])),
        guess,
        method="Nelder-Mead",
        options={"xatol": 4e-3, "fatol": 1e-5, "initial_simplex": np.vstack([guess, guess - WIDE * np.eye(terms)])},
    )
    tau = np.sort(np.exp(np.clip(found.x, low, high)))
    weights, left = record.solve(tau)
    rss = _squares(left)
    n, free = len(record.rows), 2 * terms + (1 if record.ambient is None else terms) + 1
    score = n * math.log(rss / n) + 2 * free + 2 * free * (free + 1) / (n - free - 1)
    base = float(weights[-1]) if record.ambient is None else record.ambient
    r = weights[:terms]
    start = np.zeros(terms) if record.ambient is None else weights[terms:]
    alike = float(robust.autocorrelation(left, 1)[0])
    return HeatFit(r, tau, base, math.sqrt(rss / n), start, _resistance_u(record, tau, weights), alike), score


def _squares(left: FloatArray) -> float:
    return max(float(left @ left), 1e-12)


def _resistance_u(record: _Record, tau: FloatArray, weights: FloatArray) -> float:
    """Standard uncertainty of ΣRᵢ, K/W, from the linearised model; what is left counts as an AR(1) process."""
    terms, columns = len(tau), record.columns(tau)
    slopes = []
    for i in range(terms):
        moved = tau.copy()
        moved[i] *= 1.01
        slopes.append((record.columns(moved) - columns) @ weights / 0.01)
    jacobian = np.column_stack([columns, *slopes])
    left = record.temp[record.rows] - (record.ambient or 0.0) - columns @ weights
    n = len(left)
    alike = min(max(float(robust.autocorrelation(left, 1)[0]), 0.0), MOST_ALIKE)
    variance = float(left @ left) / max(1, n - jacobian.shape[1]) * (1.0 + alike) / (1.0 - alike)
    scale = np.sqrt((jacobian**2).sum(axis=0))
    scale[scale == 0.0] = 1.0
    inverse = np.linalg.pinv((jacobian / scale).T @ (jacobian / scale), rcond=1e-10)
    pick = np.zeros(jacobian.shape[1])
    pick[:terms] = 1.0 / scale[:terms]
    return math.sqrt(max(0.0, variance * float(pick @ inverse @ pick)))


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
