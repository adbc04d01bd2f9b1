"""The timeline of a run: power, clock, temperature and rate on one time axis, the limiter strip above."""

import numpy as np
from msgspec.structs import replace

from pinch.charts.spec import CauseStretch, Chart, Line, Panel, Rule, Stretch, minutes
from pinch.core.channels import unit_of
from pinch.core.figures import Segment
from pinch.core.judge import Judgement
from pinch.core.runlog import RunLog, Series, breaks_of, period_of
from pinch.language import numeral, tr


def timeline_chart(
    log: RunLog,
    judged: Judgement,
    title: str,
    claimed_w: float | None = None,
    rate_unit: str = "",
    footnote: str = "",
    slot: int = 0,
) -> Chart:
    """Chart of one judged run. `claimed_w` is drawn as a label beside what was measured."""
    panels = []
    if judged.power:
        rules = (Rule(claimed_w, tr("claimed {claimed_w:g}", claimed_w=claimed_w)),) if claimed_w else ()
        package = _panel(log, judged.power, tr("Power"), "power", rules)
        panels.append(_with_wall(package, log))
    if judged.clock:
        ceiling = judged.levels.ceiling_mhz
        rules = (Rule(ceiling, "ceiling"),) if np.isfinite(ceiling) else ()
        panels.append(_panel(log, judged.clock, tr("Clock"), "clock", rules))
    if judged.temp:
        panels.append(_panel(log, judged.temp, tr("Temperature"), "temp", _temp_rules(judged), from_zero=False))
    if judged.rate:
        frames = judged.rate == "frame.rate"
        panels.append(
            _panel(log, judged.rate, tr("Frame rate") if frames else tr("Score rate"), "rate", unit=rate_unit)
        )
    if not panels:
        panels = [_panel(log, name, name, name) for name in list(log.series)[:4]]
    panels = [replace(panel, lines=tuple(replace(line, slot=slot) for line in panel.lines)) for panel in panels]
    settled = judged.settled
    shares = ", ".join(f"{c.label} {numeral(100 * s, '.0f')} %" for c, s in judged.limiter_share.items())
    return Chart(
        title,
        tuple(panels),
        tr("Time"),
        "min:s",
        clock=True,
        strip=tuple(stretch_of(s) for s in judged.limiters),
        window=Stretch(settled.start_s, settled.end_s),
        gaps=tuple(Stretch(g.start_s, g.end_s) for g in judged.gaps),
        marks=tuple(Rule(m.t_s, m.text, upright=True) for m in log.marks),
        footnote=footnote,
        alternative=tr(
            "{title} Held by: {shares}. Settled window {start_s} to {end_s}.",
            title=title,
            shares=shares,
            start_s=minutes(settled.start_s),
            end_s=minutes(settled.end_s),
        ),
    )


def stretch_of(s: Segment) -> CauseStretch:
    """A stretch of the strip, with both causes where it is arguable."""
    return CauseStretch(s.start_s, s.end_s, s.cause, s.second if s.is_arguable and s.second is not s.cause else None)


def _panel(
    log: RunLog,
    channel: str,
    title: str,
    key: str,
    rules: tuple[Rule, ...] = (),
    from_zero: bool = True,
    unit: str = "",
) -> Panel:
    series = log.series[channel]
    return Panel(title, unit or unit_of(channel), (broken_line(series),), rules=rules, from_zero=from_zero, key=key)


def _with_wall(panel: Panel, log: RunLog) -> Panel:
    """The package's power with that at the wall, dashed, where a meter told it."""
    if "wall.power" not in log.series or not len(log.series["wall.power"].t):
        return panel
    wall = replace(broken_line(log.series["wall.power"]), dashed=True)
    return replace(panel, title=tr("Power, dashed at the wall"), lines=(*panel.lines, wall))


def broken_line(series: Series) -> Line:
    """The raw samples, broken at gaps: nothing is drawn where nothing was logged."""
    holes = np.flatnonzero(breaks_of(series.t)) + 1
    t = np.insert(series.t, holes, series.t[holes - 1] + period_of(series.t))
    values = np.insert(series.values, holes, np.nan)
    return Line(t, values)


def _temp_rules(judged: Judgement) -> tuple[Rule, ...]:
    rules = []
    limit = judged.temp_limit_c
    if np.isfinite(limit):
        rules.append(Rule(limit, tr("limit") if judged.levels.temp_given else tr("limit, as seen")))
    if judged.known.ambient_c is not None:
        rules.append(Rule(judged.known.ambient_c, tr("room")))
    return tuple(rules)
