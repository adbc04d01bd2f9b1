"""Bars of cells under each workload, as plain data: drawn by Qt on screen and by matplotlib in a file."""

import math
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from pinch.core.printing import alike
from pinch.language import tr

BASELINE = tr("baseline")
"""The words of the bar that the others are set against."""


class Bar(Struct, frozen=True):
    """A cell: value with its 95 % interval (NaN: none), its device's place in the colours, whether it is the subject of
    the review (drawn heavier), and what is said behind it."""

    label: str
    value: float
    low: float
    high: float
    slot: int
    subject: bool
    words: str


class BarGroup(Struct, frozen=True):
    """The cells under one workload; `title` names it with its unit and direction."""

    title: str
    bars: tuple[Bar, ...]

    @property
    def printed(self) -> tuple[str, ...]:
        """The values in their order, as they are written beside each other."""
        return tuple(alike([b.value for b in self.bars]))

    @property
    def longest(self) -> float:
        """The end of the axis: the largest value or interval."""
        ends = [b.high if math.isfinite(b.high) else b.value for b in self.bars]
        return max(ends, default=1.0) or 1.0


class BarChart(Struct, frozen=True):
    """Groups below each other; every group has an axis of its own that begins at zero."""

    title: str
    groups: tuple[BarGroup, ...]
    footnotes: tuple[str, ...] = ()
    alternative: str = ""


def legible(chart: BarChart, most: int) -> BarChart:
    """The bars that can be read where at most so many find room in a group: the first ones, with the baseline. The
    title of a group says how many are not drawn."""
    groups = []
    for group in chart.groups:
        kept = set(range(min(most, len(group.bars))))
        base = next((n for n, bar in enumerate(group.bars) if bar.words == BASELINE), 0)
        if base not in kept:
            kept = (kept - {max(kept)}) | {base}
        lost = len(group.bars) - len(kept)
        title = (
            tr(
                "{title}; {lost} of {bars} are not drawn, but in the table file",
                title=group.title,
                lost=lost,
                bars=len(group.bars),
            )
            if lost
            else ""
        )
        groups.append(BarGroup(title or group.title, tuple(group.bars[n] for n in sorted(kept))))
    return replace(chart, groups=tuple(groups))


def in_words(groups: Sequence[BarGroup]) -> str:
    """What the bars show, for who cannot see them."""
    return " ".join(
        f"{g.title}: {'; '.join(f'{b.label} {text} {b.words}' for b, text in zip(g.bars, g.printed, strict=True))}."
        for g in groups
    )
