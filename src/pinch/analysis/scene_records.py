"""Several records of one scene: how far they are apart tells how surely the same route comes out again, which a single
record cannot."""

from collections.abc import Mapping

from pinch.analysis.cells import key_of
from pinch.analysis.points import BookPoints
from pinch.core.cell_scores import CellScore, cell_score

LEAST_RECORDS = 3
"""Of two records Student's t makes an interval that says nothing."""


def records_of_scene(book: BookPoints, run_id: int) -> Mapping[str, CellScore]:
    """What the records of a run's cell come to, by the key of each low; nothing where there are fewer than three."""
    own = next((p for p in book.points if p.run.id == run_id), None)
    if own is None or own.why_not:
        return {}
    at, cell = (own.run.setting_id, own.run.workload_id), key_of(own)
    nearly = (p for p in book.points if (p.run.setting_id, p.run.workload_id) == at)
    alike = [p for p in nearly if not p.why_not and key_of(p) == cell]
    found = {}
    for key in own.digest.lows:
        values = [low for p in alike if (low := p.digest.lows.get(key)) is not None]
        if len(values) >= LEAST_RECORDS:
            found[key] = cell_score(values)
    return found
