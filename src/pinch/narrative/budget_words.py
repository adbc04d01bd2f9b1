"""What an uncertainty is made of, in words."""

from pinch.core.budget import Budget
from pinch.core.printing import plain
from pinch.language import numeral, tr


def budget_words(budget: Budget | None) -> str:
    """A standard uncertainty with what contributes to it, the most first; empty where nothing is known to."""
    if budget is None or not budget.parts:
        return ""
    parts = "; ".join(f"{p.name} {numeral(100 * p.share, '.0f')} %" for p in budget.parts)
    return f"± {plain(budget.result.u, 2)} {budget.result.unit}".rstrip() + tr(
        " (standard), of which {parts} of the variance.", parts=parts
    )
