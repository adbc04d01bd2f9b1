"""A table as a picture: plain data."""

from collections.abc import Sequence

from msgspec import Struct


class Heading(Struct, frozen=True):
    """A column: its name, the unit of its numbers, and whether it holds words."""

    name: str
    unit: str = ""
    words: bool = False


class TableChart(Struct, frozen=True):
    """Rows of cells as they are printed; `strong` rows are those of the subject. Of columns that find no room the last
    ones are left to the table file, and the picture says so."""

    title: str
    headings: tuple[Heading, ...]
    rows: tuple[tuple[str, ...], ...]
    strong: frozenset[int] = frozenset()
    footnotes: tuple[str, ...] = ()
    alternative: str = ""


def in_words(headings: Sequence[Heading], rows: Sequence[Sequence[str]]) -> str:
    """What the table says, for who cannot see it."""
    told = []
    for row in rows:
        pairs = zip(headings[1:], row[1:], strict=True)
        told.append(f"{row[0]}: " + ", ".join(f"{h.name} {c} {h.unit}".rstrip() for h, c in pairs if c) + ".")
    return " ".join(told)
