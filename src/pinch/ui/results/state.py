"""What a grid of typed results offers for its rows and columns, and with what it begins. No Qt."""

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

from pinch.analysis.work_metrics import metric_of, typed_metrics
from pinch.bench.book import Book
from pinch.bench.records import Workload, live
from pinch.bench.variants import own_name
from pinch.core.errors import DataError
from pinch.core.metrics import LOW_NAMES, Metric
from pinch.intake.entry_grid import Side
from pinch.language import tr

FIRST_LOW = next(iter(LOW_NAMES))


class Offered(Struct, frozen=True):
    """Something that can stand on a side: what it is kept as, and how it is written."""

    key: str
    words: str


def offered(side: Side, book: Book, devices: Iterable[str], workloads: Iterable[str]) -> list[Offered]:
    """What a book has for a side: settings of these devices, variants and metrics of these workloads."""
    if side is Side.DEVICE:
        return [_plainly(d.name) for d in live(book.devices())]
    if side is Side.WORKLOAD:
        return [_plainly(w.name) for w in _roots(book)]
    if side is Side.SETTING:
        wanted = set(devices)
        settings = (s.name for d in live(book.devices()) if d.name in wanted for s in live(book.settings(d.id)))
        return [_plainly(name) for name in dict.fromkeys(settings)]
    own = works_of(book, workloads)
    if side is Side.VARIANT:
        return [_plainly(name) for name in dict.fromkeys(own_name(w) for w in own)]
    found: dict[str, list[Metric]] = {}
    for metric in (m for w in own for m in typed_metrics(w)):
        found.setdefault(metric.key, []).append(metric)
    return [Offered(key, _metric_words(alike)) for key, alike in found.items()]


def works_of(book: Book, names: Iterable[str]) -> list[Workload]:
    """The workloads of these names with all their variants."""
    wanted = set(names)
    roots = {w.id for w in _roots(book) if w.name in wanted}
    return [w for w in live(book.workloads()) if w.root_id in roots]


def unit_of(book: Book, of: Mapping[Side, str]) -> str:
    """The unit of what a field is of; empty where the book does not know it yet."""
    root = next((w for w in _roots(book) if w.name == of[Side.WORKLOAD]), None)
    if root is None:
        return ""
    try:
        return metric_of(root, of[Side.METRIC]).unit
    except DataError:
        return root.score_unit


def first_metrics(metrics: Sequence[Offered]) -> list[str]:
    """The metrics that a grid begins with: what the workload is about, and its low where it has one."""
    keys = [m.key for m in metrics]
    return [*keys[:1], *(key for key in keys if key == FIRST_LOW)]


def _metric_words(alike: Sequence[Metric]) -> str:
    """One metric of several workloads: its names, and its unit where that is one."""
    names, units = dict.fromkeys(m.name for m in alike), {m.unit for m in alike}
    return ", ".join(filter(None, (tr(" or ").join(names), units.pop() if len(units) == 1 else "")))


def _roots(book: Book) -> list[Workload]:
    return [w for w in live(book.workloads()) if w.variant_of is None]


def _plainly(name: str) -> Offered:
    return Offered(name, name)
