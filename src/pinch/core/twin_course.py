"""A predicted run over time: the burst, the way to what it settles at, and when heat begins to hold it.

The burst lasts until the mean of the power, exponentially weighted over a window, has come up to the limit: the rule
that most firmware keeps. The temperature follows the power through the time constants of the device's own runs.
"""

import math

import numpy as np
from msgspec import Struct

from pinch.core.predictive import Law, Term, fit_law
from pinch.core.runlog import FloatArray
from pinch.core.twin import Twin
from pinch.core.twin_laws import KNOWN_AS
from pinch.core.twin_runs import LIMIT, Foretold, Prediction, TwinRefusedError, foretold
from pinch.language import tr

TRIED, STEPS, SEED = 200, 400, 20261
WINDOW_SD, LEAST_OVER = 0.05, 1.03
"""Scatter of the window that is expected beforehand, and how far over the limit a burst stands (shares)."""
LEAST_SHARE, CUT = 0.5, 0.99
"""Of what may be, so much must meet the heat limit before a time is told; heat holds where power is below this share of
what the limit allows."""


class PredictedCourse(Struct, frozen=True):
    """Times s, watts and °C of the middle course, (n,), with the 95 % band of each; how long the burst is, when heat
    first holds it (NaN: never), and `meets_heat` is how sure that is (a share)."""

    t: FloatArray
    power: FloatArray
    power_band: tuple[FloatArray, FloatArray]
    temp: FloatArray
    temp_band: tuple[FloatArray, FloatArray]
    burst: Foretold
    heat: Foretold
    meets_heat: float


def course_of(twin: Twin, told: Prediction, length_s: float) -> PredictedCourse:
    """How a run of `length_s` of load would go, from rest.

    Raises
    ------
    TwinRefusedError : no log of the device tells how fast it warms.
    """
    shares, tau = _warming(twin, told.change.fan)
    rng = np.random.default_rng(SEED)
    power, temp = told.draws.power[:TRIED], told.draws.temp[:TRIED]
    room, idle = told.change.room_c, _idle(twin)
    resistance = (temp - room) / power
    burst_w, burst_s = _burst(twin, told, idle, rng)
    step = length_s / STEPS
    keep = np.exp(-step / tau)
    gain = resistance[:, None] * shares * (1.0 - keep)
    warm = idle * resistance[:, None] * shares
    watts, degrees = np.empty((STEPS, len(power))), np.empty((STEPS, len(power)))
    most = max(max(r.power_w, r.burst_w) if r.burst_w > 0 else r.power_w for r in twin.runs)
    allowed = np.minimum(told.draws.allowed[:TRIED], most)
    meets = np.full(len(power), np.inf)
    for n in range(STEPS):
        bursts = np.clip(burst_s / step - n, 0.0, 1.0)  # the share of this step
        wanted = bursts * burst_w + (1.0 - bursts) * allowed
        carried = (told.draws.limit_c[:TRIED] - room - (warm * keep).sum(axis=1)) / gain.sum(axis=1)
        held = np.minimum(wanted, np.maximum(carried, idle))
        meets = np.where((held < CUT * wanted) & np.isinf(meets), n * step, meets)
        warm = warm * keep + gain * held[:, None]
        watts[n], degrees[n] = held, room + warm.sum(axis=1)
    met = np.isfinite(meets)
    heat = foretold(meets[met], "s") if met.mean() >= LEAST_SHARE else Foretold(math.nan, math.nan, math.nan, "s")
    return PredictedCourse(
        np.asarray(step * np.arange(STEPS)),
        *_middle(watts),
        *_middle(degrees),
        foretold(burst_s, "s") if (burst_s > 0).mean() >= LEAST_SHARE else Foretold(math.nan, math.nan, math.nan, "s"),
        heat,
        float(met.mean()),
    )


def _middle(values: FloatArray) -> tuple[FloatArray, tuple[FloatArray, FloatArray]]:
    low, middle, high = np.percentile(values, [2.5, 50.0, 97.5], axis=1)
    return middle, (low, high)


def _warming(twin: Twin, fan: str) -> tuple[FloatArray, FloatArray]:
    """Shares of the resistance and their time constants: those of the run with the most terms, of this profile if there
    is one."""
    known = [r for r in twin.runs if r.tau and r.fan == fan] or [r for r in twin.runs if r.tau]
    if not known:
        raise TwinRefusedError(
            tr("No log of this device tells how fast it warms: a run with its temperature logged opens this.")
        )
    terms = max(len(r.tau) for r in known)
    same = [r for r in known if len(r.tau) == terms]
    shares = np.median([np.array(r.r) / sum(r.r) for r in same], axis=0)
    return shares / shares.sum(), np.exp(np.median([np.log(r.tau) for r in same], axis=0))


def _idle(twin: Twin) -> float:
    known = [r.idle_w for r in twin.runs if r.idle_w >= 0]
    return float(np.median(known)) if known else 0.0


def _burst(twin: Twin, told: Prediction, idle: float, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
    """Watts and seconds of the burst; 0 s where there is none."""
    law = _window(twin, idle)
    held = [r for r in twin.held_by(LIMIT) if r.burst_w > LEAST_OVER * r.power_w]
    none = np.zeros(TRIED)
    if law is None or not math.isfinite(told.change.limit_w):
        return none, none
    near = min(held, key=lambda r: abs(r.limit_w - told.change.limit_w) if math.isfinite(r.limit_w) else math.inf)
    window = np.exp(law.coefficients(rng, TRIED)[:, 0] + law.scatter(rng, TRIED))
    least = told.draws.allowed[:TRIED]
    over = near.burst_w > LEAST_OVER * least
    ratio = (near.burst_w - idle) / np.maximum(near.burst_w - least, 1e-9)
    return np.full(TRIED, near.burst_w), np.where(over, window * np.log(np.maximum(ratio, 1.0)), 0.0)


def _window(twin: Twin, idle: float) -> Law | None:
    """ln s of the window, by the bursts of the runs that a limit held."""
    own = [r for r in twin.held_by(LIMIT) if r.burst_s > 0 and r.burst_w > LEAST_OVER * r.power_w > idle]
    if not own:
        return None
    y = np.log([r.burst_s / math.log((r.burst_w - idle) / (r.burst_w - r.power_w)) for r in own])
    return fit_law(np.ones((len(y), 1)), y, (Term(float(y.mean()), 3.0),), WINDOW_SD, KNOWN_AS)
