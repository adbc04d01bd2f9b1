"""Rows of a plain table, as the pages make them. No Qt."""

from collections.abc import Callable

from msgspec import Struct, field

from pinch.narrative.explanation import Explanation

Explain = Callable[[], Explanation | None]


class TableRow(Struct, frozen=True):
    """The cells of a row; what makes the margin's words of it, or of its cells by column, once they are asked for; and
    what it stands for. `aside` rows are written quietly; a `heading` has one cell across the table. A table sorts by
    `keys` where rows have them, a value a column; NaN comes last."""

    cells: tuple[str, ...]
    explain: Explain | None = None
    by_column: dict[int, Explain] = field(default_factory=dict)
    of: object = None
    aside: bool = False
    heading: bool = False
    keys: tuple[float | str, ...] = ()

    @property
    def explanation(self) -> Explanation | None:
        """What is said of the row."""
        return self.explain() if self.explain is not None else None

    def explained(self, column: int) -> Explanation | None:
        """What is said of a cell: its own, else that of the row."""
        own = self.by_column.get(column)
        return (own() if own is not None else None) or self.explanation
