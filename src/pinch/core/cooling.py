"""How a device warms and cools: the time constants behind a temperature, and the wait until it is cool again.

The temperature is a sum of first-order answers to the power, T(t) = T₀ + Σ Rᵢ·(hᵢ∗P)(t), where hᵢ is a low-pass with
τᵢ and Rᵢ ≥ 0; the number of terms is chosen by AICc (Hurvich and Tsai, Biometrika 76, 1989). What it takes to cool is
then the superposed decay of the terms.
"""

import math
from functools import cached_property
from itertools import combinations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.core import robust
from pinch.core.errors import DataError
from pinch.core.independent import dependence
from pinch.core.runlog import BoolArray, FloatArray
from pinch.language import tr

MOST_TERMS = 3
SHORTEST_S = 120.0
"""A record shorter than this says nothing about slow parts."""
MOST_ALIKE, LEAST_W = 0.98, 0.1
SLOWER_THAN_RECORD = 2.5
"""From a known room up, a term shows in less than its own time."""
MOST_ROWS, TRIED = 400, 22
MOST_STEPS, SLIGHTLY, STANDS, MOST_DAMPED = 40, 1e-4, 1e-5, 1e6
"""Steps of the search; by how much a logarithm is moved to see what it does; a step below which it stands."""
WHITE = 0.1
START_K, LEAST_NOISE_K = 20.0, 0.05
"""How far a term is expected to be off its rest when a record begins, K: weak beside what a warm start shows."""
MISFIT, WARM_BY = 1.2, 6.0
"""A warm beginning is looked at where a fit is off by so many times the noise, and has to be likelier by so much beyond
its own parameters, in units of AIC."""
USUALLY_ALIKE = 10.0
"""Samples of a second that count for one, before what a fit leaves says better."""
LEAST_SHARE = 0.03
"""A term with less of the whole resistance, or slower than the record is long, follows drift, not the cooler."""


class HeatFit(Struct, frozen=True):
    """`r` (n,) in K/W and `tau` (n,) in s, fastest first; `base_c` is the temperature without power as the sensor tells
    it, fitted, or a known room and `offset_k`, by which the two sensors disagree; `start` (n,) is what each term was
    above its resting answer when the record began, K; `r_th_u` is the standard uncertainty of the whole resistance,
    K/W, of which `r_fit_u` would be left were the offset known; `alike` the lag-1 correlation of what is left."""

    r: FloatArray
    tau: FloatArray
    base_c: float
    rms_k: float
    start: FloatArray
    r_th_u: float
    r_fit_u: float = 0.0
    alike: float = 0.0
    offset_k: float = 0.0

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


def fit_heat(
    t: FloatArray, power_w: FloatArray, temp_c: FloatArray, ambient_c: float | None = None, offset_u: float = 0.0
) -> HeatFit:
    """Fit one to three terms to a whole record, from `ambient_c` up, or from a fitted base where nobody knows it.

    Parameters
    ----------
    t : (n,) even times, s.
    power_w, temp_c : (n,) power and temperature in each step; NaN where there is none.
    offset_u : standard uncertainty of the room and the sensor against each other, K; what the record shows of their
        offset is weighed against it.

    Raises
    ------
    DataError : it is shorter than two minutes, or power or temperature never change.
    """
    step = float(t[1] - t[0]) if len(t) > 1 else 1.0
    have = np.isfinite(temp_c)
    if len(t) * step < SHORTEST_S or have.sum() < SHORTEST_S / step:
        raise DataError("log", tr("it is too short for time constants"))
    known = np.isfinite(power_w)
    none = not known.any() or np.max(power_w[known]) < LEAST_W
    still = none or (ambient_c is None and np.ptp(power_w[known]) < 0.5)  # else T leads to room + R·P
    if still or np.ptp(temp_c[have]) < 2.0:
        raise DataError("log", tr("its power or temperature does not change"))
    power = np.interp(t, t[known], power_w[known])
    noise = max(robust.noise_sd(temp_c[have]), LEAST_NOISE_K)
    record = _Record(power, temp_c, _rows(have), step, ambient_c, noise, offset_u, USUALLY_ALIKE)
    found = _best(record)
    if ambient_c is not None and (found is None or found.rms_k > MISFIT * noise):
        warm = _best(replace(record, warm=True))
        if warm is not None and (found is None or _is_likelier(record, warm, found)):
            found = warm
    if found is None:
        raise DataError("log", tr("its temperature does not follow its power"))
    return found


def _best(record: "_Record") -> HeatFit | None:
    """The fit of as many terms as there is evidence of; None where no term is in it."""
    best: HeatFit | None = None
    best_score = math.inf
    for terms in range(1, MOST_TERMS + 1):
        fit, score = _fit(record, terms)
        longest = len(record.power) * record.step * (1.0 if record.ambient is None else SLOWER_THAN_RECORD)
        real = np.all(fit.r > LEAST_SHARE * fit.r.sum()) and fit.slowest_s <= longest
        if score < best_score and real:
            best, best_score = fit, score
        if best is not None and (best is not fit or fit.alike < WHITE):
            break  # a further term did no good, or what is left is noise
    return best


def _is_likelier(record: "_Record", warm: HeatFit, rest: HeatFit) -> bool:
    """Whether a beginning away from rest is likelier, by as many samples as are independent."""
    as_warm = replace(record, warm=True).solve(warm.tau)
    gained = math.log(record.solve(rest.tau).misfit / as_warm.misfit)
    more = 3 * len(warm.tau) - 2 * len(rest.tau)
    return dependence(as_warm.left).worth * gained > 2.0 * more + WARM_BY


class _Tried(Struct, frozen=True):
    """Time constants (k,) with the sums of products of their columns, and of these with the temperature."""

    tau: FloatArray
    gram: FloatArray
    right: FloatArray


class _Solved(Struct, frozen=True):
    """Best weights of the columns, what is left (m,), K, and the same together with what the weights are off what is
    known of them beforehand, K: the time constants are searched by both, else a slow term may trade its own size for
    an offset that no sensor has."""

    weights: FloatArray
    left: FloatArray
    off: FloatArray

    @property
    def misfit(self) -> float:
        """The sum of squares of all that is off, K²."""
        return max(float(self.off @ self.off), 1e-12)


class _Record(Struct, frozen=True, dict=True):
    """What is fitted: power (n,) and temperature (n,) in steps of `step` s, at the places `rows` (m,). Samples count
    for less where they are alike: `alike` of them for one; `warm`: it began away from rest."""

    power: FloatArray
    temp: FloatArray
    rows: np.ndarray
    step: float
    ambient: float | None
    noise_k: float
    offset_u: float = 0.0
    alike: float = 1.0
    warm: bool = False

    @property
    def has_offset(self) -> bool:
        """Whether a known room may be off."""
        return self.ambient is not None and self.offset_u > 0.0

    def columns(self, tau: FloatArray) -> FloatArray:
        """Answers to the power (m, terms), then either the base, or where that is known the decays from a warm
        beginning (m, terms) and the offset: what is known of both beforehand tells them apart."""
        answers = [_low_pass(self.power, self.step, float(x))[self.rows] for x in tau]
        if self.ambient is None:
            return np.column_stack([*answers, np.ones(len(self.rows))])
        t = self.step * (self.rows + 1.0)
        decays = [np.exp(-t / x) for x in tau] if self.warm else []
        offset = [np.ones(len(self.rows))] if self.has_offset else []
        return np.column_stack([*answers, *decays, *offset])

    def prior_sd(self, terms: int) -> FloatArray:
        """What is known beforehand of the columns after the answers, standard deviation in K (infinite: nothing)."""
        if self.ambient is None:
            return np.array([np.inf])
        return np.array([START_K] * (terms if self.warm else 0) + ([self.offset_u] if self.has_offset else []))

    def held(self, terms: int) -> FloatArray:
        """The same as so many samples that say none."""
        return np.asarray(self.alike * (self.noise_k / self.prior_sd(terms)) ** 2)

    @cached_property
    def tried(self) -> "_Tried":
        """Time constants over the record, every pair of columns multiplied once."""
        tau = np.geomspace(self.step, 2.0 * len(self.power) * self.step, TRIED)
        columns = self.columns(tau)
        held = np.append(np.zeros(TRIED), self.held(TRIED))
        right = columns.T @ (self.temp[self.rows] - (self.ambient or 0.0))
        return _Tried(tau, columns.T @ columns + np.diag(held), right)

    def solve(self, tau: FloatArray) -> _Solved:
        """Best weights of the columns for these time constants, those of the answers ≥ 0."""
        columns, terms = self.columns(tau), len(tau)
        target = self.temp[self.rows] - (self.ambient or 0.0)
        # The normal equations are small: the record is gone through once. Without what is known beforehand a slow term,
        # its own beginning and the offset could hardly be told apart.
        held = self.held(terms)
        gram = columns.T @ columns + np.diag(np.append(np.zeros(terms), held))
        gram += 1e-9 * np.trace(gram) / len(gram) * np.eye(len(gram))
        found = _not_negative(gram, columns.T @ target, terms)
        left = target - columns @ found
        return _Solved(found, left, np.append(left, np.sqrt(held) * found[terms:]))


def _rows(have: BoolArray) -> np.ndarray:
    """Places that are fitted: all of a short record; of a long one its beginning whole, where the fast terms show, and
    of the rest as many again."""
    places = np.flatnonzero(have)
    if len(places) <= 2 * MOST_ROWS:
        return places
    rest = np.linspace(MOST_ROWS, len(places) - 1, MOST_ROWS).round().astype(int)
    return np.asarray(places[np.append(np.arange(MOST_ROWS), rest[1:])])


def _not_negative(gram: FloatArray, right: FloatArray, terms: int) -> FloatArray:
    """The weights of least squares for normal equations, the first `terms` of them ≥ 0. They are few: every choice of
    those that are not 0 is tried where not all can be."""
    best, gained = np.zeros(len(right)), -math.inf
    free = list(range(terms, len(right)))
    for count in range(terms, -1, -1):
        for chosen in combinations(range(terms), count):
            places = [*chosen, *free]
            weights = np.linalg.solve(gram[np.ix_(places, places)], right[places])
            if (weights[:count] >= 0.0).all() and float(weights @ right[places]) > gained:
                gained = float(weights @ right[places])
                best = np.zeros(len(right))
                best[places] = weights
        if count == terms and gained > -math.inf:
            break
    return best


def _searched(record: _Record, terms: int) -> FloatArray:
    """The time constants of least misfit near the best ones among those tried, (terms,), fastest first.

    The weights are solved for inside (variable projection: Golub and Pereyra, SIAM J. Numer. Anal. 10, 1973), the time
    constants are searched by their logarithms in damped steps (Marquardt, J. SIAM 11, 1963), until they stand: what
    they say does not hang on how a processor rounds.
    """
    low, high = math.log(record.step), math.log(3.0 * len(record.power) * record.step)
    at = np.log(_best_of(record, terms))
    here, damping = record.solve(np.exp(at)), 1e-2
    for _ in range(MOST_STEPS):
        moved = [record.solve(np.exp(at + SLIGHTLY * row)).off - here.off for row in np.eye(terms)]
        slopes = np.column_stack(moved) / SLIGHTLY
        curvature, pull = slopes.T @ slopes, slopes.T @ here.off
        curvature += (1e-12 * np.trace(curvature) + 1e-300) * np.eye(terms)
        nearer, step = here, at
        while nearer.misfit >= here.misfit and damping < MOST_DAMPED:
            step = np.linalg.solve(curvature + damping * np.diag(np.diag(curvature)), -pull)
            nearer = record.solve(np.exp(np.clip(at + step, low, high)))
            damping *= 4.0
        if damping >= MOST_DAMPED:
            break
        at, here, damping = np.clip(at + step, low, high), nearer, max(damping / 40.0, 1e-9)
        if np.abs(step).max() < STANDS:
            break
    return np.sort(np.exp(at))


def _fit(record: _Record, terms: int) -> tuple[HeatFit, float]:
    tau = _searched(record, terms)
    left = record.solve(tau).left
    record = replace(
        record, alike=max(1.0, len(left) / dependence(left).worth), noise_k=math.sqrt(float(left @ left) / len(left))
    )
    solved = record.solve(tau)
    weights, left = solved.weights, solved.left
    n, free = len(record.rows), 2 * terms + (terms if record.warm else 1) + 1
    score = n * math.log(solved.misfit / n) + 2 * free + 2 * free * (free + 1) / (n - free - 1)
    base = float(weights[-1]) if record.ambient is None else record.ambient
    r = weights[:terms]
    start = weights[terms : 2 * terms] if record.warm else np.zeros(terms)
    offset = float(weights[-1]) if record.has_offset else 0.0
    alike = float(robust.autocorrelation(left, 1)[0])
    u, fit_u = _resistance_u(record, tau, weights)
    return HeatFit(r, tau, base + offset, math.sqrt(float(left @ left) / n), start, u, fit_u, alike, offset), score


def _best_of(record: _Record, terms: int) -> FloatArray:
    """The time constants among those tried that fit best together, (terms,): every choice is a small system of
    equations."""
    tried, gram, right = record.tried.tau, record.tried.gram, record.tried.right
    chosen = np.array(list(combinations(range(TRIED), terms)))
    shared = np.arange(2 * TRIED if record.warm else TRIED, len(gram))
    parts = [chosen, *([chosen + TRIED] if record.warm else []), np.tile(shared, (len(chosen), 1))]
    places = np.hstack(parts)
    inner, pull = gram[places[:, :, None], places[:, None, :]], right[places]
    inner += 1e-9 * np.trace(gram) / len(gram) * np.eye(places.shape[1])
    weights = np.linalg.solve(inner, pull[:, :, None])[:, :, 0]
    gained = np.where((weights[:, :terms] > 0.0).all(axis=1), (weights * pull).sum(axis=1), -np.inf)
    return np.asarray(tried[chosen[int(np.argmax(gained))]])


def _resistance_u(record: _Record, tau: FloatArray, weights: FloatArray) -> tuple[float, float]:
    """Standard uncertainty of ΣRᵢ, K/W, from the linearised model, and what of it is left were the offset known. What
    is left counts as often as it is independent."""
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
    variance = float(left @ left) / max(1, n - jacobian.shape[1])
    variance *= max((1.0 + alike) / (1.0 - alike), n / dependence(left).worth)
    known = np.zeros(jacobian.shape[1])
    known[terms : columns.shape[1]] = 1.0 / record.prior_sd(terms) ** 2
    precision = jacobian.T @ jacobian / variance + np.diag(known)
    whole = _of_sum(precision, terms)
    if not record.has_offset:
        return whole, whole
    kept = np.delete(np.arange(len(precision)), columns.shape[1] - 1)
    return whole, _of_sum(precision[np.ix_(kept, kept)], terms)


def _of_sum(precision: FloatArray, terms: int) -> float:
    """Standard uncertainty of the sum of the first parameters."""
    scale = np.sqrt(np.diag(precision))
    scale[scale == 0.0] = 1.0
    inverse = np.linalg.pinv(precision / np.outer(scale, scale), rcond=1e-10)
    pick = np.zeros(len(precision))
    pick[:terms] = 1.0 / scale[:terms]
    return math.sqrt(max(0.0, float(pick @ inverse @ pick)))


def _low_pass(power: FloatArray, step: float, tau: float) -> FloatArray:
    """First-order low-pass of power that is constant in each step, beginning at rest at the first power."""
    keep, reach = math.exp(-step / tau), 1
    filtered = (1.0 - keep) * power
    filtered[0] = power[0]
    while reach < len(power) and keep > 0.0:  # each holds what came in `reach` steps, then in twice as many
        filtered[reach:] += keep * filtered[:-reach]
        keep, reach = keep * keep, 2 * reach
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
