"""Pairs of values on one axis, mains against battery or before against after: plain data."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.core.printing import plain


class Ball(Struct, frozen=True):
    """One end: its value with the 95 % interval (NaN: none)."""

    value: float
    low: float
    high: float


class Dumbbell(Struct, frozen=True):
    """A pair under a name: the first end is hollow, the second filled; what is said behind it. `sure` where the answer
    is faster or slower."""

    label: str
    first: Ball
    second: Ball
    slot: int
    words: str
    sure: bool


class DumbbellChart(Struct, frozen=True):
    """Pairs below each other on one axis; `ends` name the first and the second of every pair."""

    title: str
    ends: tuple[str, str]
    x_title: str
    x_unit: str
    rows: tuple[Dumbbell, ...]
    footnotes: tuple[str, ...] = ()
    alternative: str = ""


def in_words(rows: Sequence[Dumbbell], ends: tuple[str, str]) -> str:
    """What the pairs show, for who cannot see them."""
    return " ".join(
        f"{r.label}: {ends[0]} {plain(r.first.value)}, {ends[1]} {plain(r.second.value)}, {r.words}." for r in rows
    )
