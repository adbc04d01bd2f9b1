"""What the Scale page shows: a device and workload over all settings. No Qt."""

from dataclasses import dataclass

import numpy as np

from pinch.bench.records import standing, workload_words
from pinch.bench.summaries import origin_words
from pinch.charts.scaling import MeasuredPoint, ToldPoint, scaling_chart
from pinch.charts.spec import Chart
from pinch.compose import ScaleResult
from pinch.core.explain import Explanation


@dataclass(frozen=True)
class Row:
    """A setting: claimed W (None: no claim), measured W, score, number of runs, and the runs' ids. `told` says whose
    score it is where none of it was measured; its watts are as they are told then, NaN where they are not."""

    setting: str
    claimed_w: float | None
    power_w: float
    power_sd: float
    score: float
    runs: tuple[int, ...]
    states: tuple[str, ...]
    told: str = ""

    @property
    def off_by(self) -> str:
        """Measured against claimed, in %."""
        if not self.claimed_w or self.told:
            return ""
        percent = round(100 * (self.power_w / self.claimed_w - 1))
        return f"{percent:+d} %".replace("-", "−") if percent else "0 %"


def rows(result: ScaleResult) -> list[Row]:
    """One row a setting, by measured watts, then one a score that is told."""
    by_setting: dict[str, list[int]] = {}
    for i, p in enumerate(result.points):
        by_setting.setdefault(p.setting.name, []).append(i)
    made = []
    for name, indices in by_setting.items():
        points = [result.points[i] for i in indices]
        watts = np.array([p.power_w for p in points])
        made.append(
            Row(
                name,
                points[0].setting.sustained_w,
                float(watts.mean()),
                float(watts.std(ddof=1)) if len(watts) > 1 else float("nan"),
                float(np.mean([p.score for p in points])),
                tuple(p.run.id or 0 for p in points),
                tuple(p.state for p in points),
            )
        )
    told = [
        Row(
            t.setting.name,
            t.setting.sustained_w,
            t.summary.power_w or float("nan"),
            float("nan"),
            t.summary.score,
            (t.run.id or 0,),
            (),
            origin_words(t.summary),
        )
        for t in result.told
    ]
    return [*sorted(made, key=lambda row: row.power_w), *told]


def headline(result: ScaleResult) -> str:
    """The finding of the page in one sentence."""
    device, workload = result.device.name, result.workload.name
    if not result.points and result.told:
        return f"{device}, {workload}: only scores that are told, none was measured here."
    if not result.points:
        return f"{device} has no settled run of {workload} yet. Record some on the Run page."
    if result.scaling is None:
        return f"{device}, {workload}: no curve yet, {result.reason}."
    spot = result.scaling.nearly_all
    best = result.scaling.cells[int(np.argmax([c.score for c in result.scaling.cells]))]
    if any(w.code == "flat" for w in result.scaling.warnings):
        return (
            f"{device} already gives 95 % of its best {workload} at {spot.power_w:.1f} W, the least that was measured."
        )
    interval = f" ({spot.low_w:.1f} to {spot.high_w:.1f})" if np.isfinite(spot.low_w) else ""
    return (
        f"{device} reaches 95 % of its best {workload} at {spot.power_w:.1f} W{interval}; "
        f"the best took {best.power_w:.1f} W."
    )


def chart(result: ScaleResult, slot: int, room: str) -> Chart:
    """The chart of the page."""
    points = [
        MeasuredPoint(p.power_w, p.score, p.setting.sustained_w, f"{p.setting.name}, run {p.run.repeat}")
        for p in result.points
    ]
    frames = result.workload.rate_channel == "frame.rate"
    words = [workload_words(result.workload), f"{len(points)} runs", room]
    words += ["settled package power, upright ticks: claimed", *filter(None, [standing(result.device)])]
    told = [
        ToldPoint(t.summary.power_w, t.summary.score, origin_words(t.summary)) for t in result.told if t.summary.power_w
    ]
    words += ["×: told, not measured"] if told else []
    footnote = " · ".join(words)
    return scaling_chart(
        headline(result),
        result.device.name,
        slot,
        points,
        result.scaling,
        "Average frame rate" if frames else "Score",
        result.workload.score_unit,
        footnote,
        told,
    )


def explain_sweet_spot(result: ScaleResult) -> Explanation | None:
    """The 95 % rule with this device's numbers."""
    if result.scaling is None:
        return None
    s = result.scaling
    best = float(s.curve.score[-1])
    spot = s.nearly_all
    if np.isfinite(spot.low_w):
        uncertainty = f"95 % of 400 resamples of the runs: {spot.low_w:.1f} to {spot.high_w:.1f} W."
    else:
        uncertainty = "No setting was repeated, so no interval can be claimed."
    return Explanation(
        "Nearly all of it",
        "The least measured power at which the fitted curve reaches 95 % of its best score.",
        (
            f"0.95 × {best:.4g} = {0.95 * best:.4g} {result.workload.score_unit}",
            f"curve(P) = {0.95 * best:.4g}",
            f"P = {spot.power_w:.1f} W",
        ),
        f"Measured range {s.curve.power[0]:.1f} to {s.curve.power[-1]:.1f} W; nothing is said outside it.",
        uncertainty,
        "scaling",
        (
            "The curve never falls and never bends up (least squares); each point stands at its measured watts.",
            *(w.text for w in s.warnings),
            *(w.text for w in result.left_out),
        ),
    )
