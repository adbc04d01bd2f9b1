"""The face of a picture: a title, what was found, the chart, and the notes below it."""

from msgspec import Struct

from pinch.charts.bar_chart import BarChart
from pinch.charts.dumbbell_chart import DumbbellChart
from pinch.charts.multiples_chart import GridChart
from pinch.charts.runsheet_chart import SheetChart
from pinch.charts.share_chart import ShareChart
from pinch.charts.slope_chart import SlopeChart
from pinch.charts.spec import Chart
from pinch.charts.table_chart import TableChart

Drawn = Chart | SheetChart | BarChart | ShareChart | DumbbellChart | SlopeChart | GridChart | TableChart


class Face(Struct, frozen=True):
    """A picture: its title or question, the finding in one sentence, the chart, the notes below it, and the same in
    words for who cannot see it."""

    title: str
    finding: str
    chart: Drawn
    notes: tuple[str, ...] = ()
    alternative: str = ""


def face_of(chart: Drawn) -> Face:
    """A chart by itself: its title is the finding."""
    notes = (chart.footnote,) if isinstance(chart, Chart | SheetChart) else chart.footnotes
    return Face("", chart.title, chart, tuple(filter(None, notes)), chart.alternative)
