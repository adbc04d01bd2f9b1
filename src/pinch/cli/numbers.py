"""Numbers on their way into JSON: what is not known is null."""

import json
import math
from collections.abc import Iterable
from typing import Any

from pinch.core.figures import Note


def number(value: float, digits: int = 6) -> float | None:
    """A finite number to so many significant digits, else None."""
    return float(f"{value:.{digits}g}") if math.isfinite(value) else None


def warnings_json(warnings: Iterable[Note]) -> list[dict[str, str]]:
    """Warnings as they stand in every JSON object."""
    return [{"code": w.code, "text": w.text} for w in warnings]


def print_json(document: dict[str, Any]) -> None:
    """One object on standard output."""
    print(json.dumps(document, ensure_ascii=False, allow_nan=False))
