"""Small CSV tables that commands read: rows with their lines, numbers with what is wrong with them."""

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path

from msgspec import Struct

from pinch.cli.numbers import number
from pinch.core.errors import DataError
from pinch.sources.runlog_csv import read_text


class CsvRow(Struct, frozen=True):
    """A row of a table: its place, and its cells by column."""

    path: Path
    number: int
    cells: dict[str, str]

    def text(self, column: str, what: str) -> str:
        """What stands in a column.

        Raises
        ------
        DataError : nothing does.
        """
        found = self.cells.get(column, "").strip()
        if not found:
            raise DataError(str(self.path), f"the row names no {what}", self.number)
        return found

    def value(self, column: str) -> float:
        """The number in a column.

        Raises
        ------
        DataError : it is none.
        """
        text = self.cells.get(column, "")
        try:
            value = float(text)
        except ValueError:
            raise DataError(str(self.path), f"{column} is {text!r}, not a number", self.number) from None
        if number(value) is None:
            raise DataError(str(self.path), f"{column} is {text}, not a finite number", self.number)
        return value


def read_lines(path: Path, columns: Sequence[str]) -> Iterator[CsvRow]:
    """The rows of a table with at least these columns.

    Raises
    ------
    DataError : a column is missing, or there are no rows.
    """
    rows = csv.DictReader(io.StringIO(read_text(path)))
    missing = [name for name in columns if name not in (rows.fieldnames or [])]
    if missing:
        raise DataError(str(path), f"there is no column {missing[0]!r}", 1)
    none = True
    for row in rows:
        none = False
        yield CsvRow(
            path, rows.line_num, {k: v or "" for k, v in row.items() if k is not None and not isinstance(v, list)}
        )
    if none:
        raise DataError(str(path), "it has a header but no rows")
