"""A table as plain data: columns with units, cells with types."""

import math
from datetime import date, datetime

from msgspec import Struct

Cell = str | float | int | bool | datetime | date | None
DIGITS, MOST_PLACES = 4, 6


class Column(Struct, frozen=True):
    """A column: its name, and the unit of its numbers (empty: none)."""

    name: str
    unit: str = ""

    @property
    def heading(self) -> str:
        """Name and unit, as they stand above a column."""
        return f"{self.name} [{self.unit}]" if self.unit else self.name


class Table(Struct, frozen=True):
    """Rows below columns; every row has a cell for each column, None where there is nothing."""

    name: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]

    def places_of(self, column: int) -> int:
        """Decimal places that show the numbers of a column, by its largest; 0 where all are whole."""
        numbers = [row[column] for row in self.rows]
        sizes = [abs(x) for x in numbers if isinstance(x, int | float) and not isinstance(x, bool) and math.isfinite(x)]
        if all(size == int(size) for size in sizes):
            return 0
        return min(MOST_PLACES, max(1, DIGITS - 1 - math.floor(math.log10(max(sizes)))))
