"""Score against measured watts: runs, curves, bands, claimed watts as light marks, the chosen sweet spots; below it
what a watt buys."""

from collections.abc import Sequence
from enum import StrEnum
from typing import Protocol, overload

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pinch.charts.spec import Band, Chart, Dots, Line, Panel, unbroken
from pinch.core.ladder import Ladder
from pinch.core.printing import counted, plain
from pinch.core.runlog import FloatArray
from pinch.core.scaling import joules_per
from pinch.core.sweetspots import SweetSpot, marginal_gain
from pinch.language import tr

LEAST_JOINED = 2
LABEL_PLACES = (1.0, 0.75, 0.5, 0.25, 0.0)
LABEL_REACH, LABEL_RISE, ENOUGH = 0.1, 0.06, 0.08
"""Half the width of a label, how far it stands off its line, and how far off others is enough: shares of the chart."""


class Second(StrEnum):
    """What stands below the score."""

    NOTHING = "score only"
    EFFICIENCY = "and score per watt"
    ENERGY = "and joules of each"
    GAIN = "and % of one more watt"


class Named(Protocol):
    """What has a name, which can be long in the making."""

    @property
    def name(self) -> str:
        """How it is called."""


class LateWords(Sequence[str]):
    """The words of many points, of which few are ever read: each is made when it is asked for."""

    def __init__(self, of: Sequence[Named], series: str) -> None:
        self._of, self._series = of, series

    def __len__(self) -> int:
        return len(self._of)

    @overload
    def __getitem__(self, at: int) -> str: ...

    @overload
    def __getitem__(self, at: slice) -> Sequence[str]: ...

    def __getitem__(self, at: int | slice) -> str | Sequence[str]:
        if isinstance(at, slice):
            return LateWords(self._of[at], self._series)
        return unbroken(f"{self._series}, {self._of[at].name}")

    def __reduce__(self) -> tuple[type[tuple[str, ...]], tuple[list[str]]]:
        return tuple, (list(self),)  # another process gets the words alone


class MeasuredSetting(Struct, frozen=True):
    """A setting: its name, the mean of what its runs drew, W, and scored, and what it claims (None: nothing)."""

    name: str
    power_w: float
    score: float
    claimed_w: float | None


class ToldPoint(Struct, frozen=True):
    """A score that somebody tells, at the watts told with it, and whose it is."""

    power_w: float
    score: float
    words: str


class DrawnSeries(Struct, frozen=True):
    """A device and workload: its place in the colours, whether its line is dashed (a second workload), what its runs
    drew, W, and scored, (n,) each, and the runs; its settings by their watts, the curve, that of its lows, and the
    sweet spot to mark; None where there is none. Scores are divided by `unit`."""

    name: str
    slot: int
    dashed: bool
    power_w: FloatArray
    scores: FloatArray
    of: Sequence[Named]
    settings: Sequence[MeasuredSetting]
    told: Sequence[ToldPoint]
    ladder: Ladder | None
    lows: Ladder | None
    spot: SweetSpot | None
    unit: float = 1.0


def scaling_chart(
    title: str,
    series: Sequence[DrawnSeries],
    score_title: str,
    score_unit: str,
    x_title: str,
    second: Second = Second.NOTHING,
    footnote: str = "",
    reader_w: float | None = None,
    x_unit: str = "W",
) -> Chart:
    """Chart of devices over one axis of watts; what is told stands beside the curves."""
    panels = [_score_panel(series, score_title, score_unit)]
    if second is not Second.NOTHING and any(s.ladder for s in series):
        panels.append(_second_panel(series, score_unit, second))
    alternative = " ".join(_words(s) for s in series)
    return Chart(
        title,
        tuple(panels),
        x_title,
        x_unit,
        footnote=footnote,
        alternative=alternative,
        reader=reader_w,
        x_from_zero=x_unit == "W",
    )


def _score_panel(series: Sequence[DrawnSeries], title: str, unit: str) -> Panel:
    labelled: list[Line] = []
    lines, bands, dots = [], [], []
    for s in series:
        dots += _dots(s)
        if s.ladder is None:
            labelled += _joined(s)
            continue
        low, high = s.ladder.band
        labelled.append(Line(s.ladder.power, s.ladder.score / s.unit, s.slot, s.name, s.dashed))
        if np.isfinite(low).all():
            bands.append(Band(s.ladder.power, low / s.unit, high / s.unit, s.slot))
        if s.lows is not None:
            lines.append(Line(s.lows.power, s.lows.score / s.unit, s.slot, "", True))
    lines = [*apart(labelled), *lines]
    return Panel(title, unit, tuple(lines), tuple(bands), tuple(dots), (), key="score")


def _joined(s: DrawnSeries) -> list[Line]:
    """Settings without a curve, joined in their order on x."""
    if len(s.settings) < LEAST_JOINED:
        return []
    x, y = np.array([(setting.power_w, setting.score) for setting in s.settings]).T
    return [Line(x, y / s.unit, s.slot, s.name, s.dashed)]


def apart(lines: Sequence[Line]) -> list[Line]:
    """The lines with their labels where there is most room: above or under, at the end or further down."""
    if not lines:
        return []
    scale = max(float(line.x[-1]) for line in lines), max(float(line.y.max()) for line in lines)
    taken: list[tuple[float, float]] = []
    found = []
    for line in lines:
        places = [(int(part * (len(line.x) - 1)), under) for part in LABEL_PLACES for under in (False, True)]
        at, under = max(places, key=lambda place: _room(line, place, lines, taken, scale))
        taken.append(_label_middle(line, (at, under), scale))
        found.append(replace(line, label_at=at, label_under=under))
    return found


def _label_middle(line: Line, place: tuple[int, bool], scale: tuple[float, float]) -> tuple[float, float]:
    """About the middle of a label, on scales of 0 to 1."""
    at, under = place
    x, y = float(line.x[at]) / scale[0], float(line.y[at]) / scale[1]
    return x + (-LABEL_REACH if x > 0.5 else LABEL_REACH), y + (-LABEL_RISE if under else LABEL_RISE)


def _room(
    line: Line,
    place: tuple[int, bool],
    lines: Sequence[Line],
    taken: Sequence[tuple[float, float]],
    scale: tuple[float, float],
) -> float:
    """How far a label would be from the other curves and labels, up to what is enough; the end is liked best."""
    x, y = _label_middle(line, place, scale)
    far = ENOUGH
    for other in lines:
        for part in (-1.0, -0.5, 0.0, 0.5, 1.0):
            watts = (x + part * LABEL_REACH) * scale[0]
            if other.x[0] <= watts <= other.x[-1]:
                far = min(far, abs(float(np.interp(watts, other.x, other.y)) / scale[1] - y))
    for tx, ty in taken:
        if abs(tx - x) < 2.0 * LABEL_REACH and abs(ty - y) < LABEL_RISE:
            far = 0.0
    return far + (0.004 if place == (len(line.x) - 1, False) else 0.0)


def _dots(s: DrawnSeries) -> list[Dots]:
    claims = [(w, setting) for setting in s.settings if (w := setting.claimed_w) is not None]
    found = [
        Dots(
            np.array([w for w, _ in claims], dtype=float),
            np.array([setting.score / s.unit for _, setting in claims]),
            tuple(
                tr("{name}, {setting}: claimed {claimed_w:g} W", name=s.name, setting=setting.name, claimed_w=w)
                for w, setting in claims
            ),
            s.slot,
            light=True,
        )
    ]
    if s.told:
        found.append(_point_dots(s, [(p.power_w, p.score, p.words) for p in s.told], told=True))
    found.append(Dots(s.power_w, s.scores / s.unit, LateWords(s.of, s.name), s.slot))
    if s.spot is not None:
        found.append(
            _point_dots(s, [(s.spot.power_w, s.spot.score, tr("{power_w:.1f} W", power_w=s.spot.power_w))], spot=True)
        )
    return found


def _point_dots(
    s: DrawnSeries, points: Sequence[tuple[float, float, str]], told: bool = False, spot: bool = False
) -> Dots:
    watts, scores, words = (list(column) for column in zip(*points, strict=True)) if points else ([], [], [])
    texts = tuple(unbroken(w) for w in words)
    return Dots(
        np.array(watts, dtype=float), np.array(scores, dtype=float) / s.unit, texts, s.slot, told=told, spot=spot
    )


def _second_panel(series: Sequence[DrawnSeries], unit: str, second: Second) -> Panel:
    lines = [
        Line(s.ladder.power, _second_of(s.ladder, s.unit, second), s.slot, "", s.dashed)
        for s in series
        if s.ladder is not None
    ]
    titles = {
        Second.EFFICIENCY: (tr("Score per watt"), f"{unit}/W"),
        Second.ENERGY: (tr("Energy per frame") if unit == "fps" else tr("Energy per unit of work"), "J"),
        Second.GAIN: (tr("One more watt brings"), "%"),
    }
    return Panel(*titles[second], tuple(lines), key=second.name.lower())


def _second_of(ladder: Ladder, unit: float, second: Second) -> FloatArray:
    if second is Second.GAIN:
        return marginal_gain(ladder)
    return joules_per(ladder) if second is Second.ENERGY else ladder.score / unit / ladder.power


def _words(s: DrawnSeries) -> str:
    words = tr("{points} runs of {name}.", points=len(s.of), name=s.name)
    if s.ladder is not None:
        words += tr(
            " From {from_score} at {power:.1f} W to {to_score} at",
            from_score=plain(s.ladder.score[0]),
            power=s.ladder.power[0],
            to_score=plain(s.ladder.score[-1]),
        )
        words += tr(" {power:.1f} W.", power=s.ladder.power[-1])
    if s.spot is not None:
        words += tr(" The marked spot is at {power_w:.1f} W.", power_w=s.spot.power_w)
    if s.told:
        whose = "; ".join(filter(None, (p.words for p in s.told)))
        words += tr(
            " {told} told, not measured{what}.",
            told=counted(len(s.told), "score is", "scores are"),
            what=f": {whose}" if whose else "",
        )
    return words
