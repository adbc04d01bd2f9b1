"""Score against measured watts: runs, curve, band, claimed watts as light marks, sweet spot."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pinch.charts.spec import Band, Chart, Dots, Line, Panel, Rule
from pinch.core.scaling import Scaling


@dataclass(frozen=True)
class MeasuredPoint:
    """One run: measured settled W, score, the claimed W of its setting (None: no claim), and its name."""

    power_w: float
    score: float
    claimed_w: float | None
    name: str


@dataclass(frozen=True)
class ToldPoint:
    """A score that somebody tells, at the watts told with it, and whose it is."""

    power_w: float
    score: float
    words: str


def scaling_chart(
    title: str,
    device: str,
    slot: int,
    points: Sequence[MeasuredPoint],
    scaling: Scaling | None,
    score_title: str,
    score_unit: str,
    footnote: str = "",
    told: Sequence[ToldPoint] = (),
) -> Chart:
    """Chart of one device and workload; what is told stands beside the curve."""
    measured = Dots(
        np.array([p.power_w for p in points]),
        np.array([p.score for p in points]),
        tuple(p.name for p in points),
        slot,
    )
    claims = _claims(points)
    claimed = Dots(
        np.array([p.claimed_w for p in claims], dtype=float),
        np.array([p.score for p in claims]),
        tuple(f"claimed {p.claimed_w:g} W" for p in claims),
        slot,
        light=True,
    )
    lines: tuple[Line, ...] = ()
    bands: tuple[Band, ...] = ()
    rules: tuple[Rule, ...] = ()
    alternative = f"{len(points)} runs of {device}."
    if scaling is not None:
        curve = scaling.band
        lines = (Line(curve.power, curve.score, slot, device),)
        bands = (Band(curve.power, curve.low, curve.high, slot),) if np.isfinite(curve.low).all() else ()
        spot = scaling.nearly_all.power_w
        rules = (Rule(spot, f"nearly all of it: {spot:.1f} W (95 %)", upright=True, accent=True),)
        alternative += f" 95 % of the best score is reached at {spot:.1f} W."
    if told:
        alternative += f" {len(told)} scores are told, not measured: {'; '.join(p.words for p in told)}."
    beside = Dots(
        np.array([p.power_w for p in told]),
        np.array([p.score for p in told]),
        tuple(p.words for p in told),
        slot,
        told=True,
    )
    dots = (claimed, *([beside] if told else []), measured)
    panel = Panel(score_title, score_unit, lines, bands, dots, rules, key="score")
    return Chart(title, (panel,), "Measured settled power, package", "W", footnote=footnote, alternative=alternative)


def _claims(points: Sequence[MeasuredPoint]) -> list[MeasuredPoint]:
    """One light mark a setting, at the mean score of its runs."""
    by_name: dict[tuple[str, float], list[float]] = {}
    for p in points:
        if p.claimed_w is not None:
            by_name.setdefault((p.name.split(",")[0], p.claimed_w), []).append(p.score)
    return [MeasuredPoint(w, float(np.mean(scores)), w, name) for (name, w), scores in by_name.items()]
