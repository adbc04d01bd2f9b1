"""The same picture for each of several workloads, small, side by side: plain data."""

from msgspec import Struct

from pinch.charts.spec import Chart


class GridChart(Struct, frozen=True):
    """Small charts of one panel each, with one key of their series: names with their slots."""

    title: str
    cells: tuple[Chart, ...]
    key: tuple[tuple[str, int], ...]
    footnotes: tuple[str, ...] = ()
    alternative: str = ""
