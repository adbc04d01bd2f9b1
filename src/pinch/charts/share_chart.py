"""What held settings or runs back, as shares of their load: plain data."""

from collections.abc import Sequence
from dataclasses import dataclass

from pinch.charts.theme import CAUSE_WORDS


@dataclass(frozen=True)
class ShareRow:
    """A setting or run: what held it by share (0 to 1) in the order drawn, and what is said behind it."""

    label: str
    shares: tuple[tuple[str, float], ...]
    words: str


@dataclass(frozen=True)
class ShareChart:
    """Rows of stretches from 0 to 100 % of the load."""

    title: str
    rows: tuple[ShareRow, ...]
    footnotes: tuple[str, ...] = ()
    alternative: str = ""

    @property
    def causes(self) -> tuple[str, ...]:
        """The causes that occur, in the order in which they are drawn."""
        return tuple(
            c for c in CAUSE_WORDS if any(c == own and share > 0 for r in self.rows for own, share in r.shares)
        )


def share_row(label: str, shares: dict[str, float], words: str) -> ShareRow:
    """A row with its causes in the one order of all charts."""
    return ShareRow(label, tuple((c, shares[c]) for c in CAUSE_WORDS if shares.get(c, 0.0) > 0.0), words)


def in_words(rows: Sequence[ShareRow]) -> str:
    """What the rows show, for who cannot see them."""
    return " ".join(
        f"{r.label}: " + ", ".join(f"{CAUSE_WORDS[c]} {100 * share:.0f} %" for c, share in r.shares) + "." for r in rows
    )
