"""Small tables of text from a file or the clipboard: CSV and its relatives, XLSX, ODS.

A spreadsheet is read by a package that runs nothing and expands no entities, in a process with bounds: one cell at the
far corner of a sheet may ask for more memory than there is. That it holds no macros is checked before.
"""

import csv
import io
import json
import math
import re
import zipfile
from collections.abc import Sequence
from datetime import date, datetime
from itertools import zip_longest
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from pinch.bench.files import open_plain
from pinch.core.errors import DataError
from pinch.language import tr
from pinch.sources.archive import check_archive
from pinch.sources.contained import contained
from pinch.sources.logs.decode import read_text_of
from pinch.sources.table_cells import DecimalMark, is_number, mark_of, read_cell

SPREADSHEETS = (".xlsx", ".ods")
WITH_MACROS = (".xlsm", ".xlsb", ".xls")
MOST_ROWS, MOST_COLUMNS, MOST_BYTES, MOST_CELL = 250_000, 1_000, 200_000_000, 10_000
_CELLS = "cells.json"
_BROKEN = (ArithmeticError, AttributeError, LookupError, NotImplementedError, OSError, TypeError, ValueError)
"""What a reader that others made may stumble into where a file is broken."""
DELIMITERS = "\t;,|"


class Sheet(Struct, frozen=True):
    """A table as text: the names of its columns, and its rows, each as wide; `lines` are their numbers in the file,
    counted from 1; `mark` is the decimal mark of its numbers; `notes` say what was left out, and what is odd."""

    place: str
    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    mark: DecimalMark
    notes: tuple[str, ...] = ()


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
        return _of_spreadsheet(path)
    return read_text_of(path, lambda text: sheet_of_text(text.whole(), str(path)))


def sheet_of_text(text: str, place: str) -> Sheet:
    """The table in a text, such as cells that were copied from a spreadsheet.

    Raises
    ------
    DataError : there is no table in it, or it is too large.
    """
    delimiter = max(DELIMITERS, key=lambda mark: _regularity(text, mark))
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise DataError(place, tr("the table is broken ({error})", error=error)) from None
    return table_of(place, rows, comma_parts=delimiter == ",")


def _regularity(text: str, delimiter: str) -> tuple[int, int]:
    """How many of the first lines are as wide as most of them, of two cells or more, with a delimiter; and that
    width."""
    lines = [line for line in text[:40_000].splitlines()[:60] if line.strip()]
    try:
        widths = [len(row) for row in csv.reader(lines, delimiter=delimiter)]
    except csv.Error:
        return 0, 0
    wide = [w for w in widths if w > 1]
    usual = max(set(wide), key=wide.count, default=0)
    return wide.count(usual), usual


def _of_spreadsheet(path: Path) -> Sheet:
    with contained("pinch.sources.sheets:write_cells", str(path), str(path)) as folder:
        found = json.loads((folder / _CELLS).read_text(encoding="utf-8"))
    sheet = table_of(str(path), found["rows"], comma_parts=False)
    return replace(sheet, notes=(*found["notes"], *sheet.notes))


def write_cells(folder: Path, words: str) -> None:
    """Write the cells of the first sheet of the spreadsheet at the path `words` into a file of `folder`, as JSON.

    Raises
    ------
    DataError : it is no spreadsheet, holds macros, or is too large.
    """
    path = Path(words)
    members = check_archive(path)
    if any("vbaproject" in m.filename.casefold() or m.filename.startswith("Basic/") for m in members):
        raise DataError(str(path), tr("it holds macros; save it without them"))
    if sum(m.file_size for m in members) > MOST_BYTES:
        raise DataError(str(path), tr("unpacked it is larger than {most_bytes} MB", most_bytes=MOST_BYTES // 1_000_000))
    rows, (first, *others) = _first_sheet(path)
    texts = [cell for row in rows for cell in row if isinstance(cell, str)]
    comma = mark_of(texts, comma_parts=False).mark == ","
    cells = [[_text(cell, comma)[: MOST_CELL + 1] for cell in row] for row in rows]
    notes = (
        [tr("Only its first sheet, {first!r}, is read; it has {others} more.", first=first, others=len(others))]
        if others
        else []
    )
    notes += _oddities(path) if path.suffix.casefold() == ".xlsx" else []
    (folder / _CELLS).write_text(json.dumps({"rows": cells, "notes": notes}), encoding="utf-8")


def _first_sheet(path: Path) -> tuple[Sequence[Sequence[object]], list[str]]:
    """The cells of the first sheet, and the names of all sheets."""
    import python_calamine

    try:
        book = python_calamine.CalamineWorkbook.from_path(str(path))
        sheet = book.get_sheet_by_index(0)
        if sheet.total_height > MOST_ROWS or sheet.total_width > MOST_COLUMNS:
            raise DataError(
                str(path),
                tr(
                    "its first sheet has {total_height} rows and {total_width} columns",
                    total_height=sheet.total_height,
                    total_width=sheet.total_width,
                ),
            )
        return sheet.to_python(skip_empty_area=False, nrows=MOST_ROWS + 1), book.sheet_names
    except (python_calamine.CalamineError, OSError, ValueError, IndexError) as error:
        if path.suffix.casefold() == ".ods" and (found := _indented_sheet(path)) is not None:
            return found
        raise DataError(str(path), tr("it is no spreadsheet that can be read ({error})", error=error)) from None


def _indented_sheet(path: Path) -> tuple[Sequence[Sequence[object]], list[str]] | None:
    """The same by a slower reader, of a document whose elements are indented: OpenDocument 1.2 allows white space
    between cells, and the fast one stumbles over it. None where it cannot be read either."""
    from xml.sax import SAXException

    import pandas as pd

    try:
        with pd.ExcelFile(path, engine="odf") as book:
            names = [str(name) for name in book.sheet_names]
            found = book.parse(0, header=None, dtype=object, keep_default_na=False, na_values=[""], nrows=MOST_ROWS + 1)
    except (*_BROKEN, SAXException, zipfile.BadZipFile):
        return None
    return found.astype(object).where(found.notna(), "").to_numpy().tolist(), names


def _oddities(path: Path) -> list[str]:
    """What of the first sheet of a workbook a person would not see: hidden rows, formulas that were never worked out.
    Workbooks after ECMA-376."""
    with zipfile.ZipFile(path) as archive:
        name = next((n for n in archive.namelist() if re.fullmatch(r"xl/worksheets/sheet1?\.xml", n)), None)
        text = archive.read(name).decode("utf-8", "replace") if name else ""
    hidden = re.findall(r'<row\b(?=[^>]*\bhidden="(?:1|true)")[^>]*\br="(\d+)"', text)
    empty = re.findall(
        r'<c\b[^>]*\br="([A-Z]+\d+)"[^>]*>\s*<f\b[^>]*?(?:/>|>[^<]*</f>)\s*(?:<v\s*/>|<v></v>)?\s*</c>', text
    )
    notes = [tr("Hidden rows are read too: {few}.", few=_few(hidden))] if hidden else []
    if empty:
        notes.append(
            tr(
                "Formulas without a value count as empty cells: {few}. Save it in a spreadsheet program.",
                few=_few(empty),
            )
        )
    return notes


def _few(things: Sequence[str], most: int = 5) -> str:
    return ", ".join(things[:most]) + (
        tr(" and {things} more", things=len(things) - most) if len(things) > most else ""
    )


def _text(cell: object, comma: bool) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return f"{cell:.15g}".replace(".", "," if comma else ".")
    if isinstance(cell, datetime):
        return cell.isoformat(sep=" ") if (cell.hour, cell.minute, cell.second) != (0, 0, 0) else f"{cell:%Y-%m-%d}"
    return cell.isoformat() if isinstance(cell, date) else str(cell)


def table_of(place: str, rows: Sequence[Sequence[str]], comma_parts: bool) -> Sheet:
    """The table among rows of cells: its names are those of the header, with what stands above them over several
    columns, and with the units of a row below it; empty rows are passed over, rows of totals left out and named.

    Raises
    ------
    DataError : there is none, or it is too large.
    """
    clean = _cleaned(place, rows)
    header = _header_of(clean)
    if header is None:
        raise DataError(place, tr("there is no row with the names of columns in it"))
    names, below = _names_of(clean, header)
    kept = [(n + 1, row) for n, row in enumerate(clean) if n >= below and any(row)]
    if not kept:
        raise DataError(place, tr("it has a header but no rows"))
    width = max(len(names), *(max((c for c, cell in enumerate(row) if cell), default=0) + 1 for _, row in kept))
    names = _told_apart([name or f"column {c + 1}" for c, name in enumerate([*names, *[""] * width][:width])])
    whole = [(line, tuple([*row, *[""] * width][:width])) for line, row in kept]
    mark = mark_of((cell for _, row in whole for cell in row), comma_parts)
    whole, notes = _without_totals(whole, mark.mark)
    again = [tr("Line {line} is the header once more.", line=line) for line, row in whole if list(row) == names]
    whole = [(line, row) for line, row in whole if list(row) != names]
    lines, body = (line for line, _ in whole), (row for _, row in whole)
    return Sheet(place, tuple(names), tuple(body), tuple(lines), mark, (*notes, *again))


def _cleaned(place: str, rows: Sequence[Sequence[str]]) -> list[list[str]]:
    if len(rows) > MOST_ROWS or max((len(row) for row in rows), default=0) > MOST_COLUMNS:
        raise DataError(
            place,
            tr(
                "it has more than {most_rows} rows or {most_columns} columns",
                most_rows=MOST_ROWS,
                most_columns=MOST_COLUMNS,
            ),
        )
    return [[cell.strip()[:MOST_CELL] for cell in row] for row in rows]


def _names_of(rows: Sequence[Sequence[str]], header: int) -> tuple[list[str], int]:
    """The names of a header with what stands above them and the units below them, and the row below all that."""
    names, below = list(rows[header]), header + 1
    if (over := _names_over(rows, header)) is not None:
        names = [", ".join(filter(None, pair)) for pair in zip_longest(over, names, fillvalue="")]
    if below < len(rows) and _is_units(rows[below]):
        units = [_unit(cell) for cell in rows[below]]
        names = [f"{name} [{unit}]" if unit else name for name, unit in zip_longest(names, units, fillvalue="")]
        below += 1
    while names and not names[-1]:
        names.pop()
    return names, below


def _header_of(rows: Sequence[Sequence[str]]) -> int | None:
    """The first row that is about as wide as those that follow it, where most of its cells are words."""
    for n, row in enumerate(rows):
        filled = [cell for cell in row if cell]
        if len(filled) < 2:
            continue
        following = [sum(map(bool, other)) for other in rows[n : n + 12]]
        if len(filled) >= 0.5 * max(following):
            below = rows[n + 1] if n + 1 < len(rows) else ()
            blanks = [c for c, cell in enumerate(below) if cell and (c >= len(row) or not row[c])]
            words = [cell for cell in below if cell and not is_number(cell, ".")]
            is_over = bool(blanks) and bool(below) and len(words) == sum(map(bool, below)) and not _is_units(below)
            return n + 1 if is_over and n + 2 < len(rows) else n
    return None


def _names_over(rows: Sequence[Sequence[str]], header: int) -> list[str] | None:
    """What stands above a header over several columns, column by column; None where nothing does. A row that begins at
    the first column is a title, unless the names below it need it to be told apart."""
    above, names = rows[header - 1] if header else (), rows[header]
    filled = [name for name in names if name]
    if not any(above) or (above[0] and len(set(filled)) == len(filled) and all(names[: len(filled)])):
        return None
    found, over = [], ""
    for own, name in zip_longest(above, names, fillvalue=""):
        over = own if own and name else over if name else ""
        found.append(own or over)
    return found


_UNITS = frozenset(
    (
        *(
            "fps",
            "1/s",
            "/s",
            "s",
            "sec",
            "ms",
            "min",
            "h",
            "w",
            "wh",
            "kwh",
            "mw",
            "v",
            "a",
            "ma",
            "j",
            "kj",
            "°c",
            "c",
        ),
        *("k", "°f", "mhz", "ghz", "hz", "khz", "%", "pts", "points", "punkte", "db", "db(a)", "dba", "rpm", "1/min"),
        *(
            "gb/s",
            "mb/s",
            "gib/s",
            "mib/s",
            "gb",
            "mb",
            "nits",
            "cd/m²",
            "cd/m2",
            "frames",
            "kg",
            "g",
            "mm",
            "eur",
            "€",
        ),
    )
)


def _unit(cell: str) -> str:
    return cell.strip("[]() ")


def _is_units(row: Sequence[str]) -> bool:
    filled = [_unit(cell).casefold() for cell in row if cell]
    return bool(filled) and all(cell in _UNITS for cell in filled)


def _told_apart(names: Sequence[str]) -> list[str]:
    """Names of which each stands once; the second of a name has its number."""
    seen: dict[str, int] = {}
    found = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        found.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return found


_TOTALS = {
    "sum": ("total", "totals", "sum", "gesamt", "summe", "somme", "suma"),
    "mean": ("average", "mean", "avg", "ø", "mittel", "mittelwert", "durchschnitt", "moyenne", "promedio", "media"),
    "geomean": ("geomean", "geometric mean", "geometrisches mittel", "geo mean"),
}
_NEAR = 0.006


def _without_totals(
    rows: Sequence[tuple[int, tuple[str, ...]]], mark: str
) -> tuple[list[tuple[int, tuple[str, ...]]], list[str]]:
    """The rows without those that only sum up what stands above them, and a sentence for each of those: it is called a
    total, and most of its numbers are what that would be."""
    kept: list[tuple[int, tuple[str, ...]]] = []
    notes = []
    for line, row in rows:
        name = next((cell for cell in row if cell), "").strip(" :").casefold()
        kind = next((kind for kind, words in _TOTALS.items() if name in words), None)
        if kind is not None and len(kept) > 1 and _sums_up(row, [r for _, r in kept], kind, mark):
            notes.append(tr("Line {line} ({name}) sums up those above it and is left out.", line=line, name=name))
        else:
            kept.append((line, row))
    return kept, notes


def _sums_up(row: Sequence[str], above: Sequence[Sequence[str]], kind: str, mark: str) -> bool:
    alike = tried = 0
    for c, cell in enumerate(row):
        numbers = [read_cell(r[c], mark).middle for r in above if r[c] and is_number(r[c], mark)]
        if not cell or not is_number(cell, mark) or len(numbers) < 2:
            continue
        tried += 1
        total = math.fsum(numbers)
        if kind == "mean":
            total /= len(numbers)
        elif kind == "geomean":
            total = math.exp(math.fsum(math.log(max(n, 1e-300)) for n in numbers) / len(numbers))
        alike += math.isclose(read_cell(cell, mark).middle, total, rel_tol=_NEAR, abs_tol=0.06)
    return tried > 0 and 2 * alike > tried
