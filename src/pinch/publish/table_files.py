"""Tables as files: CSV (a file each), XLSX and ODS (a sheet each), JSON.

Numbers stay numbers, the header says the unit and stays in view; text is never a formula.
"""

import csv
import io
import json
import zipfile
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from pathlib import Path

from pinch.analysis.plain_tables import MOST_PLACES, Cell, Table
from pinch.bench.files import write_whole
from pinch.core.errors import PinchError
from pinch.publish.harmless import harmless
from pinch.publish.ods_styles import OdsStyles

LONGEST_XLSX = 32_767
"""Signs that a cell of a spreadsheet holds at most (ECMA-376; from memory)."""
WIDEST = 42


def write_tables(tables: Sequence[Table], path: Path) -> tuple[Path, ...]:
    """Write tables as the ending says: .xlsx, .ods and .json all into one file, .csv into `NAME-TABLE.csv` each.
    Returns what was written; existing files are replaced only by complete ones.

    Raises
    ------
    PinchError : another ending, or a file cannot be written.
    """
    if path.suffix.casefold() == ".csv":
        paths = [path.with_name(f"{path.stem}-{table.name}.csv") for table in tables]
        for table, own in zip(tables, paths, strict=True):
            write_whole(own, csv_text(table).encode())
        return tuple(paths)
    writer = _WRITERS.get(path.suffix.casefold())
    if writer is None:
        known = ", ".join([".csv", *_WRITERS])
        raise PinchError(f"{path}: tables are written as {known}, not as {path.suffix or 'a file without ending'}.")
    write_whole(path, writer(tables))
    return (path,)


def csv_text(table: Table, with_units: bool = True) -> str:
    """A table as CSV, times as ISO 8601; units stand in the header unless they are told elsewhere."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([column.heading if with_units else column.name for column in table.columns])
    writer.writerows([_plain(cell) for cell in row] for row in table.rows)
    return text.getvalue()


def json_bytes(tables: Sequence[Table]) -> bytes:
    """All tables as one object: a list of rows each, and the units of their columns."""
    document = {
        table.name: {
            "units": {c.name: c.unit for c in table.columns if c.unit},
            "rows": [
                {c.name: _iso(cell) for c, cell in zip(table.columns, row, strict=True) if cell is not None}
                for row in table.rows
            ],
        }
        for table in tables
    }
    return (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode()


def xlsx_bytes(tables: Sequence[Table]) -> bytes:
    """All tables as one workbook."""
    import xlsxwriter

    file = io.BytesIO()
    book = xlsxwriter.Workbook(
        file, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    )
    book.set_properties({"created": datetime(2000, 1, 1)})  # the same tables give the same bytes
    head = book.add_format({"bold": True, "text_wrap": True, "valign": "top"})
    when = book.add_format({"num_format": "yyyy-mm-dd hh:mm"})
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    by_places = [book.add_format({"num_format": "0." + "0" * n if n else "0"}) for n in range(MOST_PLACES + 1)]
    for table in tables:
        sheet = book.add_worksheet(table.name)
        sheet.freeze_panes(1, 0)
        for c, column in enumerate(table.columns):
            sheet.write_string(0, c, column.heading, head)
            sheet.set_column(c, c, _width(table, c))
        formats = [by_places[table.places_of(c)] for c in range(len(table.columns))]
        for r, row in enumerate(table.rows, 1):
            for c, cell in enumerate(row):
                if isinstance(cell, datetime):
                    sheet.write_datetime(r, c, cell.astimezone(UTC).replace(tzinfo=None), when)
                elif isinstance(cell, date):
                    sheet.write_datetime(r, c, cell, day)
                elif isinstance(cell, bool):
                    sheet.write_boolean(r, c, cell)
                elif isinstance(cell, int | float):
                    sheet.write_number(r, c, cell, formats[c])
                elif cell:
                    sheet.write_string(r, c, cell[:LONGEST_XLSX])
    book.close()
    return file.getvalue()


def ods_bytes(tables: Sequence[Table]) -> bytes:
    """All tables as one spreadsheet; the header of each stays in view."""
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.table import Table as OdfTable
    from odf.table import TableCell, TableColumn, TableRow
    from odf.text import P

    book = OpenDocumentSpreadsheet()
    style = OdsStyles(book)
    for table in tables:
        sheet = OdfTable(name=table.name)
        for c in range(len(table.columns)):
            sheet.addElement(TableColumn(stylename=style.width(_width(table, c))))
        places = [table.places_of(c) for c in range(len(table.columns))]
        for number, cells in enumerate(([c.heading for c in table.columns], *table.rows)):
            row = TableRow()
            for cell, digits in zip(cells, places, strict=True):
                made = TableCell(**_odf_type(cell), **({"stylename": style.of(cell, digits)} if number else {}))
                if cell is not None:
                    made.addElement(P(text=str(_plain(cell, csv=False))))
                row.addElement(made)
            sheet.addElement(row)
        book.spreadsheet.addElement(sheet)
    _freeze_header(book, [table.name for table in tables])
    file = io.BytesIO()
    book.write(file)
    return _dateless(file.getvalue())


def _dateless(packed: bytes) -> bytes:
    """A zip with the same content and no times, so that the same tables give the same bytes."""
    file = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(packed)) as old, zipfile.ZipFile(file, "w") as new:
        for entry in old.infolist():
            bare = zipfile.ZipInfo(entry.filename, (1980, 1, 1, 0, 0, 0))
            bare.compress_type, bare.external_attr = entry.compress_type, entry.external_attr
            new.writestr(bare, old.read(entry))
    return file.getvalue()


def _freeze_header(book: object, names: Sequence[str]) -> None:
    """The first row of each sheet stays where it is when the rest is scrolled."""
    from odf.config import ConfigItem, ConfigItemMapEntry, ConfigItemMapIndexed, ConfigItemMapNamed, ConfigItemSet

    settings = {"VerticalSplitMode": ("short", 2), "VerticalSplitPosition": ("int", 1), "PositionBottom": ("int", 1)}
    views = ConfigItemSet(name="ooo:view-settings")
    indexed, view = ConfigItemMapIndexed(name="Views"), ConfigItemMapEntry()
    sheets = ConfigItemMapNamed(name="Tables")
    for name in names:
        entry = ConfigItemMapEntry(name=name)
        for key, (kind, value) in settings.items():
            entry.addElement(ConfigItem(name=key, type=kind, text=str(value)))
        sheets.addElement(entry)
    view.addElement(sheets)
    indexed.addElement(view)
    views.addElement(indexed)
    book.settings.addElement(views)  # type: ignore[attr-defined]


def _odf_type(cell: Cell) -> dict[str, object]:
    if isinstance(cell, bool):
        return {"valuetype": "boolean", "booleanvalue": "true" if cell else "false"}
    if isinstance(cell, int | float):
        return {"valuetype": "float", "value": repr(cell)}
    if isinstance(cell, datetime):
        return {"valuetype": "date", "datevalue": cell.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S")}
    if isinstance(cell, date):
        return {"valuetype": "date", "datevalue": cell.isoformat()}
    return {"valuetype": "string"} if cell else {}


def _plain(cell: Cell, csv: bool = True) -> Cell:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, str):
        return harmless(cell) if csv else cell
    return _iso(cell)


def _iso(cell: Cell) -> Cell:
    if isinstance(cell, datetime):
        return cell.isoformat(timespec="seconds")
    return cell.isoformat() if isinstance(cell, date) else cell


def _width(table: Table, place: int) -> int:
    longest = max((len(str(_plain(row[place]) or "")) for row in table.rows), default=0)
    return min(WIDEST, max(longest, len(table.columns[place].heading) // 2, 8)) + 1


_WRITERS: dict[str, Callable[[Sequence[Table]], bytes]] = {
    ".xlsx": xlsx_bytes,
    ".ods": ods_bytes,
    ".json": json_bytes,
}
