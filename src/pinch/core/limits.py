"""The two-level power limiter: what its limits and its window were, from the log alone.

Model: the running average A obeys τ dA/dt = P − A. The chip may draw P2 until A reaches P1, then it holds P1.
From idle at P0 the burst lasts t_b = τ ln((P2 − P0) / (P2 − P1)), the closed form of this first-order equation.
"""

import numpy as np

from pinch.core import robust
from pinch.core.figures import Estimate, PowerLimits, unknown
from pinch.core.runlog import FloatArray


def burst_length_s(idle_w: float, sustained_w: float, burst_w: float, window_s: float) -> float:
    """t_b: how long the burst lasts from idle, s. NaN where burst is not above sustained above idle."""
    if not burst_w > sustained_w > idle_w:
        return float("nan")
    return float(window_s * np.log((burst_w - idle_w) / (burst_w - sustained_w)))


def window_from_burst(idle_w: float, sustained: Estimate, burst: Estimate, length: Estimate) -> Estimate:
    """τ from the measured burst, s, uncertainty by first-order propagation (JCGM 100:2008, 5.1.2)."""
    p0, p1, p2 = idle_w, sustained.value, burst.value
    if not p2 > p1 > p0:
        return unknown("s")
    log_ratio = np.log((p2 - p0) / (p2 - p1))
    tau = length.value / log_ratio
    by_length = length.u / log_ratio
    by_sustained = tau / log_ratio / (p2 - p1) * sustained.u
    by_burst = tau / log_ratio * (1.0 / (p2 - p0) - 1.0 / (p2 - p1)) * burst.u
    return Estimate(float(tau), float(np.sqrt(by_length**2 + by_sustained**2 + by_burst**2)), "s")


def recover_limits(
    power: FloatArray,
    burst_bins: int | None,
    onset: float,
    idle_w: float,
    sustained: Estimate,
    step_s: float,
    bounded: bool,
) -> PowerLimits:
    """The limits in force from the power under load.

    Parameters
    ----------
    power : (n,) mean power of each bin from load start on, W.
    burst_bins : bins to the end of the burst plateau, None without a burst.
    onset : loaded share of the first bin, 0 to 1.
    idle_w : power before the load, NaN where the log has no idle phase (then no window can be had).
    sustained : the sustained power where power was the limiter there, else an unknown estimate.
    bounded : whether heat ended the burst.
    """
    if burst_bins is None:
        return PowerLimits(idle_w, unknown("W"), sustained, unknown("s"), unknown("s"), False)
    burst = _plateau(power[1:burst_bins] if burst_bins > 3 else power[:burst_bins])
    length = _burst_length(power, burst_bins, onset, burst.value, step_s)
    window = window_from_burst(idle_w, sustained, burst, length)
    return PowerLimits(idle_w, burst, sustained, length, window, bounded)


def _plateau(power: FloatArray) -> Estimate:
    """Level of a plateau, with the standard error of a mean of as many samples."""
    have = power[np.isfinite(power)]
    spread = float(np.std(have, ddof=1)) if len(have) > 1 else float("nan")
    return Estimate(robust.centre(have), spread / np.sqrt(max(1, len(have))), "W")


def _burst_length(power: FloatArray, bins: int, onset: float, level: float, step_s: float) -> Estimate:
    """Time at the burst level, s: whole bins plus the parts of the bins at both ends, which their means give away."""
    after = power[bins + 1] if bins + 1 < len(power) else np.nan
    part, whole = 0.0, bins
    if np.isfinite(after) and level > after:
        inside = np.clip((power[bins - 1] - after) / (level - after), 0.0, 1.0)
        outside = np.clip((power[bins] - after) / (level - after), 0.0, 1.0)
        whole, part = bins - 1, float(inside + outside)
    seconds = (whole + part - (1.0 - onset)) * step_s
    return Estimate(float(seconds), 0.1 * step_s * np.sqrt(2.0), "s")
