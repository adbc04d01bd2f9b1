"""Which series a chart shows, for who takes some away."""

from pinch.charts.face import Drawn
from pinch.charts.multiples_chart import GridChart
from pinch.charts.spec import Chart


def series_of(chart: Drawn) -> tuple[tuple[int, str], ...]:
    """The slots of the series of a chart with their names; none of a chart whose rows are named beside them."""
    if isinstance(chart, GridChart) or (isinstance(chart, Chart) and chart.key):
        return tuple((slot, name) for name, slot in chart.key)
    names = dict[int, list[str]]()
    for line in (line for panel in chart.panels for line in panel.lines) if isinstance(chart, Chart) else ():
        if line.label:
            names.setdefault(line.slot, []).append(line.label)
    return tuple((slot, " · ".join(dict.fromkeys(found))) for slot, found in names.items())
