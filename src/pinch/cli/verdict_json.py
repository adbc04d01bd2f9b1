"""A verdict as it stands in JSON."""

from typing import Any

from pinch.cli.numbers import number
from pinch.core.run_order import RunOrder
from pinch.core.verdict import StepKind, Verdict


def verdict_json(v: Verdict) -> dict[str, Any]:
    """What is said of a pair, by the stable keys of docs/formats.md."""
    step = None
    if v.step is not None:
        which = "both" if v.step.kind is not StepKind.AGAIN else "a" if v.step.of_first else "b"
        step = {"kind": str(v.step.kind), "runs": v.step.runs, "of": which}
    return {
        "ci": [number(v.low), number(v.high)] if v.has_interval else None,
        "answer": v.answer,
        "more_runs": v.more_runs,
        "note": v.words,
        "together": v.together,
        "order": str(v.ordered.order) if v.ordered is not None else str(RunOrder.UNKNOWN),
        "next": step,
    }
