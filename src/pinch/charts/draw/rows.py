"""Rows with a label before and words behind them, around axes in the middle."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec import Struct

from pinch.charts.draw.area import Area, write_words
from pinch.charts.draw.lettering import LABEL, NOTE, shortened, width
from pinch.charts.theme import Theme

if TYPE_CHECKING:
    from matplotlib.figure import Figure

WIDEST_LABEL, WIDEST_WORDS, GAP = 300.0, 300.0, 12.0


class Rows(Struct, frozen=True):
    """Where the axes stand, how high a row is, and how much room labels and words have, px."""

    place: Area
    row: float
    labels: float
    words: float

    def write(self, figure: "Figure", number: int, label: str, words: str, theme: Theme, strong: bool = False) -> None:
        """The label and the words of a row."""
        middle = self.place.top + self.row * (number + 0.5)
        name = shortened(label, LABEL, self.labels - GAP)
        write_words(figure, name, (self.place.left - 10, middle), LABEL, theme.ink, align="right")
        behind = (self.place.left + self.place.width + GAP, middle)
        write_words(
            figure, shortened(words, NOTE, self.words - GAP), behind, NOTE, theme.ink if strong else theme.quiet
        )


def rows_in(area: Area, labels: Sequence[str], words: Sequence[str], above: float, below: float, most: float) -> Rows:
    """Rows within an area, with room above for a key and below for an axis, none higher than `most`."""
    left = min(WIDEST_LABEL, max(width(label, LABEL) for label in labels) + 14)
    right = min(WIDEST_WORDS, max(width(w, NOTE) for w in words) + 16)
    row = min(most, (area.height - above - below) / len(labels))
    place = Area(area.left, area.top + above, area.width, row * len(labels)).inside(left=left, right=right)
    return Rows(place, row, left, right)
