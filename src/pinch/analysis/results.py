"""Every result of a book: what each run came to by each metric, and what was typed or told beside the runs."""

from collections.abc import Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.points import BookPoints, RunPoint
from pinch.analysis.work_metrics import metric_of
from pinch.bench.records import Device, Result, Setting, Workload
from pinch.bench.summaries import Origin
from pinch.bench.variants import own_name
from pinch.core.errors import DataError
from pinch.core.extent import Extent
from pinch.core.figures import SettledState
from pinch.core.metrics import LOW_NAMES, Better, Metric


class BookResult(Struct, frozen=True):
    """One value of one metric. `value` is None where only a range was read, or where it does not count: then `left_out`
    says why. `workload` is the work with its variant; `run_id` is the run that it comes from, None without one."""

    device: Device
    setting: Setting
    workload: Workload
    metric: Metric
    value: float | None
    low: float | None = None
    high: float | None = None
    n: int = 1
    spread: float | None = None
    units: int = 1
    origin: Origin = Origin.OWN
    author: str = ""
    day: str = ""
    extent: Extent = Extent.SOAK
    run_id: int | None = None
    left_out: str = ""

    @property
    def variant(self) -> str:
        """The variant by its own name; empty for a workload that has none."""
        return own_name(self.workload) if self.workload.variant_of is not None else ""


def results_of(book: BookPoints) -> list[BookResult]:
    """All results, run by run in their order, then those that were typed."""
    settings = {s.id: (d, s) for d, s in book.settings}
    works = {w.id: w for w in book.workloads}
    typed = [
        found
        for r in book.results
        if r.setting_id in settings and r.workload_id in works
        for found in _typed(r, *settings[r.setting_id], works[r.workload_id])
    ]
    return [*(found for p in book.points for found in _of_run(p)), *typed]


def chosen_results(
    results: Sequence[BookResult], device: str = "", workload: str = "", variant: str = "", metric: str = ""
) -> list[BookResult]:
    """Those of these names; an empty one is any. A workload is found by its whole name, or by that of its workload."""
    return [
        r
        for r in results
        if device in ("", r.device.name)
        and (workload in ("", r.workload.name) or r.workload.name == f"{workload}, {r.workload.variant}")
        and variant in ("", r.variant)
        and metric in ("", r.metric.key, r.metric.name, name_out(r.metric))
    ]


def name_out(metric: Metric) -> str:
    """A metric as commands and open data name it: a low without its school, which stands beside it."""
    share = {"low_1": "1 %", "low_0_1": "0.1 %"}.get(metric.key.partition(".")[0])
    return f"low {share}" if share and metric.key in LOW_NAMES else metric.key


def _of_run(p: RunPoint) -> Iterator[BookResult]:
    told = p.run.summary
    main = BookResult(
        p.device,
        p.setting,
        p.workload,
        metric_of(p.workload, p.metric),
        p.rate,
        day=f"{p.run.day or ''}",
        extent=_extent(p),
        run_id=p.run.id,
        left_out=p.why_not,
    )
    if told is not None:
        main = replace(main, n=told.repeats, spread=told.spread, units=told.units, origin=told.origin)
        main = replace(main, author=told.told_by, day=told.dated)
    yield main
    figures = {**p.read, **p.digest.lows, **p.digest.figures}
    if told is not None and told.power_w is not None:
        figures["soc.power.settled"] = told.power_w
    for key, value in figures.items():
        yield replace(main, metric=metric_of(p.workload, key), value=value, n=1, spread=None, left_out=p.why_unusable)


def _extent(p: RunPoint) -> Extent:
    """What of a run its figures are of."""
    whole = (SettledState.SCENE, SettledState.TOO_SHORT)
    return Extent.SCENE if p.digest.state in whole or p.off_share else p.workload.extent


def _typed(r: Result, device: Device, setting: Setting, workload: Workload) -> list[BookResult]:
    """A typed result, and the watts that were told with it."""
    try:
        metric = metric_of(workload, r.metric)
    except DataError:
        metric = Metric(r.metric, r.metric, "", Better.NEITHER)
    found = BookResult(
        device,
        setting,
        workload,
        metric,
        r.value,
        r.low,
        r.high,
        r.n,
        r.spread,
        r.units,
        r.origin,
        r.told_by,
        r.day,
        workload.extent,
        r.run_id,
    )
    if r.power_w is None:
        return [found]
    watts = metric_of(workload, "soc.power.settled")
    return [found, replace(found, metric=watts, value=r.power_w, low=None, high=None, n=1, spread=None)]
