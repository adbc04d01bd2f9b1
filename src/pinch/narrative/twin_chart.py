"""A predicted run over time, beside a measured one where there is one. What is predicted is hatched and dashed, and
says that it is."""

import math

import numpy as np

from pinch.analysis.foreseen import Foreseen
from pinch.charts.spec import Band, Chart, Dots, Line, Panel, Rule
from pinch.core.judge import Judgement
from pinch.core.runlog import FloatArray, RunLog
from pinch.language import tr
from pinch.narrative import twin_words

Measured = tuple[str, RunLog, Judgement]
"""The name of a run, its log and its judgement."""


def course_chart(f: Foreseen, slot: int, measured: Measured | None = None) -> Chart | None:
    """Watts and temperature over time; None where the twin cannot tell its course."""
    course = f.course
    if course is None:
        return None
    heat = f.told.draws.limit_c
    rules = (Rule(float(np.median(heat)), tr("heat")),) if np.isfinite(heat).all() else ()
    panels = []
    for title, unit, values, band, channel, levels in (
        (tr("Power"), "W", course.power, course.power_band, "power", ()),
        (tr("Temperature"), "°C", course.temp, course.temp_band, "temp", rules),
    ):
        if not np.isfinite(values).all():
            continue
        lines = [Line(course.t, values, slot, tr("predicted"), dashed=True)]
        if measured is not None and (there := _measured(measured, channel, float(course.t[-1]))) is not None:
            lines.append(Line(*there, slot, tr("{name}, measured", name=measured[0]), label_under=True))
        bands = (Band(course.t, *band, slot, hatched=True),)
        panels.append(Panel(title, unit, tuple(lines), bands, rules=levels, from_zero=unit == "W"))
    words = twin_words.headline(f)
    footnote = tr("Hatched: where 95 of 100 runs would be, predicted. {rests}", rests=twin_words.rests_on(f))
    return Chart(words, tuple(panels), tr("Time"), "min:s", clock=True, footnote=footnote, alternative=words)


def _measured(measured: Measured, channel: str, length_s: float) -> tuple[FloatArray, FloatArray] | None:
    """A channel of a run from the begin of its load, as long as the prediction."""
    _, log, judged = measured
    name = judged.power if channel == "power" else judged.temp
    if name is None:
        return None
    t = log.series[name].t - judged.load_start_s
    inside = (t >= 0.0) & (t <= length_s)
    return t[inside], log.series[name].values[inside]


def predicted_dot(f: Foreseen, slot: int, unit: float = 1.0) -> Dots | None:
    """A place on the curve that nobody has measured; None where no score is told."""
    told = f.told
    if not told.score.known or not math.isfinite(told.power.value):
        return None
    words = tr("predicted, {watts:.1f} W in {room:g} °C", watts=told.power.value, room=told.change.room_c)
    if not math.isfinite(told.change.room_c):
        words = tr("predicted, {watts:.1f} W", watts=told.power.value)
    score = np.array([told.score.value / unit])
    return Dots(np.array([told.power.value]), score, (words,), slot, predicted=True)
