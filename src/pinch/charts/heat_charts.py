"""The heat of a run: measured and fitted temperature with what is left between, and how it cools afterwards."""

import numpy as np

from pinch.charts.spec import Chart, Line, Panel, Rule, minutes
from pinch.core.heat import COOL_WITHIN_K, Heat
from pinch.language import tr

COOL_POINTS = 300


def heat_chart(heat: Heat, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """Measured and fitted temperature over the record, and the residual."""
    known = np.isfinite(heat.power_w)
    watts = np.interp(np.arange(len(heat.power_w)), np.flatnonzero(known), heat.power_w[known])
    t = np.asarray(heat.start_s + heat.step_s * (np.arange(len(watts)) + 0.5), dtype=float)
    fitted = heat.fit.temperature(watts, heat.step_s)
    rules = (Rule(heat.limit_c, tr("limit")),) if np.isfinite(heat.limit_c) else ()
    rules = (*rules, Rule(heat.room_c, tr("room") if not heat.offset_fitted else tr("base, fitted")))
    lines = Line(t, heat.temp_c, slot), Line(t, fitted, slot + 1, dashed=True)
    upper = Panel(tr("Temperature, dashed as fitted"), "°C", lines, rules=rules, from_zero=False, key="heat-fit")
    lower = Panel(
        tr("Measured less fitted"), "K", (Line(t, heat.temp_c - fitted, slot),), (), (), (Rule(0.0, ""),), False
    )
    words = tr("{title} The fit is off by {rms_k:.2f} K (RMS).", title=title, rms_k=heat.fit.rms_k)
    return Chart(title, (upper, lower), tr("Time"), "min:s", clock=True, footnote=footnote, alternative=words)


def cooling_chart(heat: Heat, settled_w: float, idle_w: float, title: str, footnote: str = "", slot: int = 0) -> Chart:
    """How far above its rest the device is after the load, by the fit."""
    rise = heat.fit.r * max(0.0, settled_w - idle_w)
    end = max(60.0, 1.3 * heat.cool_down_s) if np.isfinite(heat.cool_down_s) else 6.0 * heat.fit.slowest_s
    t = np.linspace(0.0, end, COOL_POINTS)
    above = np.exp(-t[:, None] / heat.fit.tau) @ rise
    rules = (Rule(COOL_WITHIN_K, tr("{cool_within_k:g} K", cool_within_k=COOL_WITHIN_K)),)
    panel = Panel(tr("Above its rest, after the load"), "K", (Line(t, above, slot),), rules=rules, key="cool-down")
    words = (
        tr(
            "{title} Within {cool_within_k:g} K after {cool_down_s}.",
            title=title,
            cool_within_k=COOL_WITHIN_K,
            cool_down_s=minutes(heat.cool_down_s),
        )
        if np.isfinite(end)
        else title
    )
    return Chart(title, (panel,), tr("Time after the load"), "min:s", clock=True, footnote=footnote, alternative=words)
