"""Small tables of text from a file or the clipboard: CSV and its relatives, XLSX, ODS.

A spreadsheet is read by a package that runs nothing and expands no entities, in a process with bounds: one cell at the
far corner of a sheet may ask for more memory than there is. That it holds no macros is checked before.
"""

import csv
import io
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

from pinch.bench.files import open_plain
from pinch.core.errors import DataError
from pinch.sources.archive import check_archive
from pinch.sources.contained import contained
from pinch.sources.logs.decode import read_text_of

SPREADSHEETS = (".xlsx", ".ods")
WITH_MACROS = (".xlsm", ".xlsb", ".xls")
MOST_ROWS, MOST_COLUMNS, MOST_BYTES, MOST_CELL = 100_000, 1_000, 200_000_000, 10_000
_CELLS = "cells.json"
DELIMITERS = "\t;,|"


@dataclass(frozen=True)
class Sheet:
    """A table as text: the names of its columns, and its rows, each as wide; `lines` are their numbers in the file,
    counted from 1; `decimal` is the mark of its numbers."""

    place: str
    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    decimal: str


def is_spreadsheet(path: Path) -> bool:
    """Whether a file is called a spreadsheet."""
    return path.suffix.casefold() in (*SPREADSHEETS, *WITH_MACROS)


def read_sheet(path: Path) -> Sheet:
    """The table in a file; of a spreadsheet that on its first sheet.

    Raises
    ------
    DataError : it cannot be read, is too large, holds macros, or no table.
    """
    kind = path.suffix.casefold()
    if kind in WITH_MACROS:
        raise DataError(str(path), f"{kind} can hold macros; save it as .xlsx, .ods or .csv")
    if kind in SPREADSHEETS:
        with open_plain(path):  # the other process would wait for a pipe
            pass
        return _table(str(path), _cells_of_spreadsheet(path), ".")
    return sheet_of_text(read_text_of(path).data.decode(), str(path))


def sheet_of_text(text: str, place: str) -> Sheet:
    """The table in a text, such as cells that were copied from a spreadsheet.

    Raises
    ------
    DataError : there is no table in it, or it is too large.
    """
    head = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = max(DELIMITERS, key=head.count)
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise DataError(place, f"the table is broken ({error})") from None
    return _table(place, rows, "." if delimiter == "," else _decimal_of(text))


def _decimal_of(text: str) -> str:
    """The decimal mark of numbers in a text: the one that stands before other than three digits, or after the other."""
    commas = len(re.findall(r"(?<![\d,])\d+,(?:\d{1,2}|\d{4,})(?![\d,])|\d\.\d{3},\d", text))
    points = len(re.findall(r"(?<![\d.])\d+\.(?:\d{1,2}|\d{4,})(?![\d.])|\d,\d{3}\.\d", text))
    return "," if commas > points else "."


def _cells_of_spreadsheet(path: Path) -> list[list[str]]:
    with contained("pinch.sources.sheets:write_cells", str(path), str(path)) as folder:
        rows: list[list[str]] = json.loads((folder / _CELLS).read_text(encoding="utf-8"))
        return rows


def write_cells(folder: Path, words: str) -> None:
    """Write the cells of the first sheet of the spreadsheet at the path `words` into a file of `folder`, as JSON.

    Raises
    ------
    DataError : it is no spreadsheet, holds macros, or is too large.
    """
    import python_calamine

    path = Path(words)
    members = check_archive(path)
    if any("vbaproject" in m.filename.casefold() or m.filename.startswith("Basic/") for m in members):
        raise DataError(str(path), "it holds macros; save it without them")
    if sum(m.file_size for m in members) > MOST_BYTES:
        raise DataError(str(path), f"unpacked it is larger than {MOST_BYTES // 1_000_000} MB")
    try:
        sheet = python_calamine.CalamineWorkbook.from_path(str(path)).get_sheet_by_index(0)
        if sheet.total_height > MOST_ROWS or sheet.total_width > MOST_COLUMNS:
            raise DataError(str(path), f"its first sheet has {sheet.total_height} rows and {sheet.total_width} columns")
        rows = sheet.to_python(skip_empty_area=False, nrows=MOST_ROWS + 1)
    except (python_calamine.CalamineError, OSError, ValueError, IndexError) as error:
        raise DataError(str(path), f"it is no spreadsheet that can be read ({error})") from None
    cells = [[_text(cell)[: MOST_CELL + 1] for cell in row] for row in rows]
    (folder / _CELLS).write_text(json.dumps(cells), encoding="utf-8")


def _text(cell: object) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return f"{cell:.15g}"
    if isinstance(cell, datetime):
        return cell.isoformat(sep=" ") if (cell.hour, cell.minute, cell.second) != (0, 0, 0) else f"{cell:%Y-%m-%d}"
    return cell.isoformat() if isinstance(cell, date) else str(cell)


def _table(place: str, rows: Sequence[Sequence[str]], decimal: str) -> Sheet:
    """The header is the first row with two filled cells; empty rows below it are passed over."""
    clean = [[cell.strip()[:MOST_CELL] for cell in row] for row in rows]
    header = next((n for n, row in enumerate(clean) if sum(bool(cell) for cell in row) >= 2), None)
    if header is None:
        raise DataError(place, "there is no row with the names of columns in it")
    if len(clean) > MOST_ROWS or max(len(row) for row in clean) > MOST_COLUMNS:
        raise DataError(place, f"it has more than {MOST_ROWS} rows or {MOST_COLUMNS} columns")
    names = list(clean[header])
    while names and not names[-1]:
        names.pop()
    kept = [(n, row) for n, row in enumerate(clean) if n > header and any(row)]
    for n, row in kept:
        if any(row[len(names) :]):
            raise DataError(place, f"the row has {len(row)} cells, the header {len(names)}", n + 1)
    if not kept:
        raise DataError(place, "it has a header but no rows")
    whole = tuple(tuple([*row, *[""] * len(names)][: len(names)]) for _, row in kept)
    return Sheet(place, tuple(names), whole, tuple(n + 1 for n, _ in kept), decimal)
