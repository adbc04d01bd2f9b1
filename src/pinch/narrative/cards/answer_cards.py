"""The card of an answered question: the runs that answer it, with the sentence of the answer."""

from pinch.analysis.asking import Asked
from pinch.analysis.points import BookPoints
from pinch.bench.bench_questions import OF_CURVES, Asks
from pinch.bench.cards import CardKind, CellQuery, CellsQuery, CurvesQuery, ModesQuery, Query, RunsQuery


def card_of(asked: Asked, book: BookPoints) -> tuple[CardKind, Query]:
    """What an answered question is drawn as, and the query of it."""
    q, runs = asked.question, [p for p in book.points if p.run.id in set(asked.run_ids)]
    if q.asks in OF_CURVES:
        query = CurvesQuery(
            device_ids=q.device_ids,
            workload_ids=(q.workload_id,),
            rule=q.rule,
            target=q.fps,
            low_share=q.low_share,
            subject=q.device_ids[0],
        )
        return CardKind.CURVES, query
    if q.asks is Asks.HOLDS:
        return CardKind.TIMELINE, RunsQuery(run_ids=(asked.run_ids[-1],))
    if q.asks is Asks.BATTERY:
        return CardKind.BATTERY, ModesQuery(device_id=runs[0].device.id, workload_id=q.workload_id)
    cells = dict.fromkeys(
        CellQuery(setting_id=p.setting.id, room_c=p.room_c, builds=p.run.builds or p.device.builds) for p in runs
    )
    return CardKind.BARS, CellsQuery(cells=tuple(cells), workload_ids=(q.workload_id,), delta=q.delta)
