"""How cells of an ODS spreadsheet show what they hold: days, times, yes and no, decimals, and widths of columns."""

from datetime import date, datetime
from typing import Any

from pinch.analysis.plain_tables import Cell

SIGN_CM = 0.2
"""What a sign is wide, common practice, no source."""


class OdsStyles:
    """The styles of a document, each made once."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self._made: dict[str, Any] = {}

    def of(self, cell: Cell, places: int) -> Any:
        """The style of a cell whose column shows so many decimal places; None for text."""
        from odf.number import Boolean as YesNo
        from odf.number import BooleanStyle, DateStyle, Day, Hours, Minutes, Month, Number, NumberStyle, Text, Year

        def day(style: Any) -> None:
            for part in (Year(style="long"), Text(text="-"), Month(style="long"), Text(text="-"), Day(style="long")):
                style.addElement(part)

        def time(style: Any) -> None:
            day(style)
            for part in (Text(text=" "), Hours(style="long"), Text(text=":"), Minutes(style="long")):
                style.addElement(part)

        if isinstance(cell, bool):
            return self._cell("yesno", BooleanStyle, lambda style: style.addElement(YesNo()))
        if isinstance(cell, int | float):
            number = Number(decimalplaces=places, minintegerdigits=1)
            return self._cell(f"places{places}", NumberStyle, lambda style: style.addElement(number))
        if isinstance(cell, datetime):
            return self._cell("time", DateStyle, time)
        return self._cell("day", DateStyle, day) if isinstance(cell, date) else None

    def width(self, signs: int) -> Any:
        """The style of a column that holds so many signs."""
        from odf.style import Style, TableColumnProperties

        name = f"width{signs}"
        if name not in self._made:
            style = Style(name=name, family="table-column")
            style.addElement(TableColumnProperties(columnwidth=f"{SIGN_CM * signs:.2f}cm"))
            self._keep(name, style)
        return self._made[name]

    def _cell(self, name: str, kind: Any, fill: Any) -> Any:
        from odf.style import Style

        if name not in self._made:
            shown = kind(name=f"{name}-shown")
            fill(shown)
            self._book.automaticstyles.addElement(shown)
            self._keep(name, Style(name=name, family="table-cell", datastylename=shown))
        return self._made[name]

    def _keep(self, name: str, style: Any) -> None:
        self._book.automaticstyles.addElement(style)
        self._made[name] = style
