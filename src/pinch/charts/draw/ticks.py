"""Numbers along an axis of a file's chart, printed as everywhere else."""

from collections.abc import Sequence

from matplotlib.ticker import Formatter

from pinch.core.printing import ticks


class PlainTicks(Formatter):
    """Ticks with the same decimals, grouped, never with an exponent or an offset."""

    def __call__(self, x: float, pos: int | None = None) -> str:
        return ticks([x])[0]

    def format_ticks(self, values: Sequence[float]) -> list[str]:
        """The words of all ticks of an axis."""
        return ticks(list(values))
