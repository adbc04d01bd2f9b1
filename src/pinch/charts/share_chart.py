"""What held settings or runs back, as shares of their load: plain data."""

from collections.abc import Mapping, Sequence

from msgspec import Struct

from pinch.core.causes import Cause
from pinch.language import numeral


class ShareRow(Struct, frozen=True):
    """A setting or run: what held it by share (0 to 1) in the order drawn, and what is said behind it."""

    label: str
    shares: tuple[tuple[Cause, float], ...]
    words: str


class ShareChart(Struct, frozen=True):
    """Rows of stretches from 0 to 100 % of the load."""

    title: str
    rows: tuple[ShareRow, ...]
    footnotes: tuple[str, ...] = ()
    alternative: str = ""

    @property
    def causes(self) -> tuple[Cause, ...]:
        """The causes that occur, in the order in which they are drawn."""
        return tuple(c for c in Cause if any(c == own and share > 0 for r in self.rows for own, share in r.shares))


def share_row(label: str, shares: Mapping[Cause, float], words: str) -> ShareRow:
    """A row with its causes in the one order of all charts."""
    return ShareRow(label, tuple((c, shares[c]) for c in Cause if shares.get(c, 0.0) > 0.0), words)


def in_words(rows: Sequence[ShareRow]) -> str:
    """What the rows show, for who cannot see them."""
    return " ".join(
        f"{r.label}: " + ", ".join(f"{c.label} {numeral(100 * share, '.0f')} %" for c, share in r.shares) + "."
        for r in rows
    )
