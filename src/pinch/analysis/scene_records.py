"""Several records of one scene: how far they are apart tells how surely the same route comes out again, which a single
record cannot."""

from collections.abc import Mapping

from pinch.analysis.cells import key_of
from pinch.analysis.points import BookPoints
from pinch.bench.records import Run
from pinch.core.cell_scores import CellScore, cell_score

LEAST_RECORDS = 3
"""Of two records Student's t makes an interval that says nothing."""


def records_of_scene(book: BookPoints, run: Run) -> Mapping[str, CellScore]:
    """What the records of a run's cell come to, by the key of each low; nothing where there are fewer than three."""
    nearly = book.by_pair.get((run.device_id, run.workload_id), ())
    own = next((p for p in nearly if p.run.id == run.id), None)
    if own is None or own.why_not:
        return {}
    cell = key_of(own)
    alike = [p for p in nearly if p.run.setting_id == run.setting_id and not p.why_not and key_of(p) == cell]
    found = {}
    for key in own.digest.lows:
        values = [low for p in alike if (low := p.digest.lows.get(key)) is not None]
        if len(values) >= LEAST_RECORDS:
            found[key] = cell_score(values)
    return found
