"""What a device would do where nobody has tried it: a prediction of its twin, how a run would go, and how far such
predictions are off."""

import math
from collections.abc import Mapping

from msgspec import Struct

from pinch.analysis.twins import DeviceTwin
from pinch.core.twin import Miss
from pinch.core.twin_course import PredictedCourse, course_of
from pinch.core.twin_runs import Change, Foretold, Prediction, TwinRefusedError

USUAL_S = 1800.0


class Foreseen(Struct, frozen=True):
    """A prediction with its run over time (None: `lacking` says why), how far the twin is off cells that were left out,
    and how long a full battery would last, min (unknown where nothing tells)."""

    of: DeviceTwin
    told: Prediction
    length_s: float
    course: PredictedCourse | None
    lacking: str
    misses: Mapping[str, Miss]
    battery: Foretold


def foresee(of: DeviceTwin, change: Change, length_s: float = USUAL_S) -> Foreseen:
    """Everything that a twin says of a change.

    Raises
    ------
    TwinRefusedError : its runs do not reach there.
    """
    told = of.twin.predict(change)
    course, lacking = None, ""
    try:
        course = course_of(of.twin, told, length_s)
    except TwinRefusedError as refused:
        lacking = str(refused)
    return Foreseen(of, told, length_s, course, lacking, of.twin.misses, _battery(of, told))


def _battery(of: DeviceTwin, told: Prediction) -> Foretold:
    """Minutes of a full battery at what would be drawn: the line of what is drawn over package watts, and both
    intervals together."""
    if of.lasting is None or not of.lasting.line.covers(told.power.value):
        return Foretold(math.nan, math.nan, math.nan, "min")
    hours, least, most = of.lasting.hours(told.power.value)
    down, up = (of.lasting.hours(w)[0] for w in (told.power.high, told.power.low))
    below, above = math.hypot(hours - least, hours - down), math.hypot(most - hours, up - hours)
    return Foretold(60.0 * hours, 60.0 * (hours - below), 60.0 * (hours + above), "min")
