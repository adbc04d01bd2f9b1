"""Cards of the bench itself: the units and how they came, and what was tested."""

from collections import Counter
from collections.abc import Sequence

from pinch.analysis.offers import offer_of
from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.cards import TestedQuery, UnitsQuery
from pinch.bench.parts import Offer
from pinch.bench.records import Came, Device, Result, Setting, Status, Workload, standing
from pinch.bench.summaries import Origin
from pinch.charts.table_chart import Heading, TableChart, in_words
from pinch.core.errors import PinchError
from pinch.core.metrics import MAIN
from pinch.core.printing import counted, with_article
from pinch.language import day_words, numeral, tr, trn
from pinch.narrative.cards.content import Found

UNIT_COLUMNS = (
    *(
        Column("device"),
        Column("form"),
        Column("chip"),
        Column("claimed sustained", "W"),
        Column("claimed burst", "W"),
    ),
    *(Column("mass", "kg"), Column("battery", "Wh"), Column("status"), Column("how it came"), Column("price")),
    *(Column("currency"), Column("price of"), Column("region"), Column("tax in"), Column("configuration")),
)


def make_units(query: UnitsQuery, book: BookPoints) -> Found:
    """The units with what they are, how they came, and what they cost when.

    Raises
    ------
    PinchError : there is no device.
    """
    used = {p.run.device_id for p in book.points} | {r.device_id for r in book.results}
    wanted = query.device_ids or tuple(used)
    devices = [d for d in book.devices if d.id in wanted]
    if not devices:
        raise PinchError(tr("None of its devices is in the book any more."))
    headings = (
        *(Heading(tr("Device"), words=True), Heading(tr("form"), words=True), Heading(tr("chip"), words=True)),
        *(Heading(tr("claimed limits"), "W"), Heading(tr("mass"), "kg"), Heading(tr("battery"), "Wh")),
        *(Heading(tr("how it came"), words=True), Heading(tr("price"), words=True)),
    )
    rows = [_unit_row(d) for d in devices]
    chart = TableChart("", headings, tuple(rows), alternative=in_words(headings, rows))
    table = Table("units", UNIT_COLUMNS, tuple(_unit_cells(d, offer_of(d)) for d in devices))
    return Found(units_words(devices), chart, table, method=[tr("prices are of the day they carry")])


def units_words(devices: Sequence[Device]) -> str:
    """How the units came, and which are not those that are sold."""
    came = Counter(d.came for d in devices)
    words = {
        Came.BOUGHT: tr("bought"),
        Came.LENT: tr("lent"),
        Came.GIVEN: tr("given by makers"),
        Came.PAID: tr("reviewed for pay"),
    }
    told = [trn("{n} was {how}", "{n} were {how}", came[c], how=word) for c, word in words.items() if came[c]]
    unknown = came[Came.UNKNOWN]
    told += [tr("how {which} came is not noted", which=_which(unknown, len(devices)))] if unknown else []
    early = [
        tr("{name} is {with_article} unit", name=d.name, with_article=with_article(tr(d.status)))
        for d in devices
        if d.status is not Status.RETAIL
    ]
    count = tr("One unit") if len(devices) == 1 else tr("{devices} units", devices=len(devices))
    return f"{count}: {', '.join([*told, *early])}."


def _which(some: int, of: int) -> str:
    return tr("it") if of == 1 else tr("they") if some == of else tr("one") if some == 1 else numeral(some, ",")


def price_words(offer: Offer | None) -> str:
    """A price with its day, region, tax and for whom; empty where there is none."""
    if offer is None or offer.price is None:
        return ""
    tax = {True: tr("tax in"), False: tr("without tax")}.get(offer.tax_in) if offer.tax_in is not None else ""
    members = tr("for members") if offer.members else ""
    parts = (
        f"{numeral(offer.price, 'g')} {offer.currency}".strip(),
        day_words(offer.date) or tr("no date"),
        offer.region,
        tax,
        members,
    )
    return ", ".join(filter(None, parts))


def _unit_row(d: Device) -> tuple[str, ...]:
    claimed = " / ".join(numeral(w, "g") for w in (d.claims.sustained_w, d.claims.burst_w) if w)
    mass = numeral(d.mass_kg, "g") if d.mass_kg else ""
    holds = numeral(d.battery.usable_wh, "g") if d.battery.usable_wh else ""
    return d.name, tr(d.form), d.chip, claimed, mass, holds, standing(d) or tr("not noted"), price_words(offer_of(d))


def _unit_cells(d: Device, offer: Offer | None) -> tuple[Cell, ...]:
    cost: tuple[Cell, ...] = (None, "", "", "", None, "")
    if offer is not None:
        cost = (offer.price, offer.currency, offer.date, offer.region, offer.tax_in, offer.configuration)
    claims = (d.claims.sustained_w, d.claims.burst_w)
    return (
        *(d.name, str(d.form), d.chip, *claims, d.mass_kg, d.battery.usable_wh, str(d.status), str(d.came)),
        *cost,
    )


def make_tested(query: TestedQuery, book: BookPoints) -> Found:
    """How many runs there are of each setting under each workload.

    Raises
    ------
    PinchError : there is no run.
    """
    points = [p for p in book.points if not query.device_ids or p.run.device_id in query.device_ids]
    typed = _own_results(query, book)
    if not points and not typed:
        raise PinchError(tr("There is no run and no result of one's own in the book yet."))
    used = {p.run.workload_id for p in points} | {r.workload_id for r in typed}
    works = [w for w in book.workloads if w.id in used]
    cells = _tested_cells(points, typed, book)
    counts = _counted_runs(points, typed)
    numbers: list[tuple[Cell, ...]] = [(d.name, s.name, *(counts[s.id, w.id] for w in works)) for d, s in cells]
    rows = [tuple(str(cell or "") for cell in row) for row in numbers]
    headings = (
        Heading(tr("Device"), words=True),
        Heading(tr("Setting"), words=True),
        *(Heading(w.name) for w in works),
    )
    chart = TableChart("", headings, tuple(rows), alternative=in_words(headings, rows))
    columns = (Column("device"), Column("setting"), *(Column(w.name, "runs") for w in works))
    left_out = [f"{p.device.name}, {p.name}: {p.why_not.rstrip('.')}" for p in points if p.why_not]
    method = [tr("not counted: {left_out}", left_out="; ".join(left_out[:4]))] if left_out else []
    words = _tested_words(points, typed, works)
    return Found(words, chart, Table("runs", columns, tuple(numbers)), points, method, typed=typed)


def _own_results(query: TestedQuery, book: BookPoints) -> list[Result]:
    """One's own typed results of what workloads are about, without those that belong to a run."""
    wanted = [r for r in book.results if not query.device_ids or r.device_id in query.device_ids]
    return [r for r in wanted if r.metric in MAIN and r.origin is Origin.OWN and r.run_id is None]


def _counted_runs(points: Sequence[RunPoint], typed: Sequence[Result]) -> Counter[tuple[int, int]]:
    """Runs that count, by setting and workload; a typed result has as many as it says."""
    counts = Counter((p.run.setting_id, p.run.workload_id) for p in points if not p.why_not)
    for r in typed:
        counts[r.setting_id, r.workload_id] += r.n
    return counts


def _tested_cells(
    points: Sequence[RunPoint], typed: Sequence[Result], book: BookPoints
) -> list[tuple[Device, Setting]]:
    """The settings that runs and typed results are of, in the order of devices and watts."""
    settings: dict[int, tuple[Device, Setting]] = {p.run.setting_id: (p.device, p.setting) for p in points}
    known = {s.id: (d, s) for d, s in book.settings}
    settings |= {r.setting_id: known[r.setting_id] for r in typed if r.setting_id in known}
    order = {d.id: n for n, d in enumerate(book.devices)}
    return sorted(settings.values(), key=lambda c: (order[c[0].id], c[1].sustained_w or 0.0, c[1].id))


def _tested_words(runs: Sequence[RunPoint], typed: Sequence[Result], works: Sequence[Workload]) -> str:
    valid = [p for p in runs if not p.why_not]
    if not valid and not typed:
        return (
            tr("None of {runs} runs counts.", runs=len(runs))
            if len(runs) > 1
            else tr("There is one run, and it does not count.")
        )
    cells = {(p.run.setting_id, p.run.workload_id) for p in valid} | {(r.setting_id, r.workload_id) for r in typed}
    devices = {p.run.device_id for p in valid} | {r.device_id for r in typed}
    by_hand = sum(r.n for r in typed)
    lost = len(runs) - len(valid)
    left = tr(" {lost} more {what} not count.", lost=lost, what=tr("does") if lost == 1 else tr("do")) if lost else ""
    parts = (
        counted(len(valid) + by_hand, "run"), counted(len(works), "workload"), counted(len(cells), "cell"),
        counted(len(devices), "device"),
    )  # fmt: skip
    typed_words = (
        tr(" Of {by_hand} the results are typed.", by_hand=by_hand) if valid else tr(" All results are typed.")
    )
    return "{} of {} in {} of {}.".format(*parts) + (typed_words if by_hand else "") + left
