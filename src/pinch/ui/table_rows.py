"""Rows of a plain table, as the pages make them. No Qt."""

from msgspec import Struct, field

from pinch.narrative.explanation import Explanation


class TableRow(Struct, frozen=True):
    """The cells of a row; what the margin says of it, or of its cells by column; and what it stands for. `aside` rows
    are written quietly; a `heading` has one cell across the table. A table sorts by
    `keys` where rows have them, a value a column; NaN comes last."""

    cells: tuple[str, ...]
    explanation: Explanation | None = None
    by_column: dict[int, Explanation] = field(default_factory=dict)
    of: object = None
    aside: bool = False
    heading: bool = False
    keys: tuple[float | str, ...] = ()

    def explained(self, column: int) -> Explanation | None:
        """What is said of a cell."""
        return self.by_column.get(column, self.explanation)
