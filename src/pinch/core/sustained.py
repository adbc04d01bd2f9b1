"""Sustained, burst and hold figures of one channel."""

import numpy as np

from pinch.core import robust
from pinch.core.channels import unit_of
from pinch.core.figures import ChannelFigures, Estimate
from pinch.core.runlog import FloatArray


def channel_figures(channel: str, window: FloatArray, burst: FloatArray) -> ChannelFigures:
    """The figures of one channel.

    Parameters
    ----------
    window : (n,) 1 s means of the active seconds of the settled window; NaN bins are left out.
    burst : (m,) 1 s means of the burst plateau, or of the first 10 s of load.

    The standard error counts serial correlation as an AR(1) process: sd / √n_eff, n_eff = n (1 − r₁) / (1 + r₁).
    Positive r₁ only: an alternating series must not look better known than an independent one.
    """
    unit = unit_of(channel)
    kept = window[np.isfinite(window)]
    early = burst[np.isfinite(burst)]
    burst_mean = float(early.mean()) if len(early) else float("nan")
    if len(kept) == 0:
        nan = float("nan")
        return ChannelFigures(channel, unit, Estimate(nan, nan, unit), nan, nan, nan, burst_mean, nan, 0, 0.0, nan)
    mean = float(kept.mean())
    r1 = float(robust.autocorrelation(kept, 1)[0]) if len(kept) > 2 else 0.0
    n_effective = max(1.0, robust.effective_samples(len(kept), min(max(r1, 0.0), 0.999)))
    u = float(kept.std(ddof=1) / np.sqrt(n_effective)) if len(kept) > 1 else float("nan")
    p05, median, p95 = (float(q) for q in np.percentile(kept, [5, 50, 95]))
    meaningful = unit != "°C" and np.isfinite(burst_mean) and burst_mean != 0.0
    hold = mean / burst_mean if meaningful else float("nan")
    return ChannelFigures(
        channel, unit, Estimate(mean, u, unit), median, p05, p95, burst_mean, hold, len(kept), n_effective, r1
    )
