"""A table as plain data: columns with units, cells with types."""

from dataclasses import dataclass
from datetime import datetime

Cell = str | float | int | bool | datetime | None


@dataclass(frozen=True)
class Column:
    """A column: its name, and the unit of its numbers (empty: none)."""

    name: str
    unit: str = ""

    @property
    def heading(self) -> str:
        """Name and unit, as they stand above a column."""
        return f"{self.name} [{self.unit}]" if self.unit else self.name


@dataclass(frozen=True)
class Table:
    """Rows below columns; every row has a cell for each column, None where there is nothing."""

    name: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]
