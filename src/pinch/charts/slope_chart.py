"""How workloads change from one generation or build to the next: plain data."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.language import numeral


class SlopeLine(Struct, frozen=True):
    """A workload over the columns: values in % of the first (NaN: not measured), words at its end. `sure` where the
    last answer is faster or slower."""

    label: str
    values: tuple[float, ...]
    words: str
    sure: bool


class SlopeChart(Struct, frozen=True):
    """Lines from column to column, in % of the first column; `slot` is the colour of the last column's device."""

    title: str
    columns: tuple[str, ...]
    lines: tuple[SlopeLine, ...]
    y_title: str
    slot: int = 0
    footnotes: tuple[str, ...] = ()
    alternative: str = ""


def in_words(columns: Sequence[str], lines: Sequence[SlopeLine]) -> str:
    """What the lines show, for who cannot see them."""
    return " ".join(
        f"{s.label}: "
        + ", ".join(f"{c} {numeral(v, '.0f')} %" for c, v in zip(columns, s.values, strict=True) if v == v)
        + "."
        for s in lines
    )
