"""Sustained, burst and hold figures of one channel."""

import numpy as np

from pinch.core import robust
from pinch.core.budget import added
from pinch.core.channels import unit_of
from pinch.core.figures import ChannelFigures, Estimate
from pinch.core.independent import dependence
from pinch.core.runlog import FloatArray
from pinch.core.sensor_classes import SensorClasses
from pinch.language import tr


def channel_figures(
    channel: str, window: FloatArray, burst: FloatArray, sensors: SensorClasses | None = None
) -> ChannelFigures:
    """The figures of one channel.

    Parameters
    ----------
    window : (n,) 1 s means of the active seconds of the settled window; NaN bins are left out.
    burst : (m,) 1 s means of the burst plateau, or of the first 10 s of load.

    The uncertainty is made of what the samples scatter, as many as are independent of each other (`core.independent`),
    of the step in which they are shown, and of the sensor.
    """
    unit = unit_of(channel)
    kept = window[np.isfinite(window)]
    early = burst[np.isfinite(burst)]
    burst_mean = float(early.mean()) if len(early) else float("nan")
    nan = float("nan")
    if len(kept) == 0:
        return ChannelFigures(channel, unit, Estimate(nan, nan, unit), nan, nan, nan, burst_mean, nan, 0, 0.0, nan)
    mean = float(kept.mean())
    worth = dependence(kept).worth if len(kept) > 2 else 1.0
    sampling = float(kept.std(ddof=1) / np.sqrt(worth)) if len(kept) > 1 else nan
    step, sensors = robust.step_of(kept) / robust.RECTANGLE, sensors or SensorClasses()
    own = {tr("samples"): sampling, tr("their step"): step, sensors.told_by(channel): sensors.of(channel, mean)}
    budget = added(mean, unit, own)
    p05, median, p95 = (float(q) for q in np.percentile(kept, [5, 50, 95]))
    meaningful = unit != "°C" and np.isfinite(burst_mean) and burst_mean != 0.0
    hold = mean / burst_mean if meaningful else nan
    return ChannelFigures(
        channel, unit, budget.result, median, p05, p95, burst_mean, hold, len(kept), worth, sampling, budget.parts
    )
