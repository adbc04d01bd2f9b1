"""What the finder offers of a book: devices, workloads, plans, runs and cards."""

from collections.abc import Iterator
from functools import partial

from pinch.bench.records import Device, Workload, live
from pinch.language import tr
from pinch.ui.page_protocol import CardTarget, PlanTarget, RecordsTarget, RunTarget, Shell
from pinch.ui.shell.context_strip import run_words
from pinch.ui.shell.finder import Findable


def findables(shell: Shell) -> Iterator[Findable]:
    """All of the open book, in the order of the work; archived records are left out."""
    session = shell.session
    book, choose, subject = session.book, session.choose, session.subject
    devices = {d.id: d for d in book.devices()}
    workloads = {w.id: w for w in book.workloads()}

    def device(device_id: int) -> None:
        choose(device_id, None, subject.workload_id, None)
        shell.go_to(RecordsTarget(Device))

    def workload(workload_id: int) -> None:
        choose(subject.device_id, subject.setting_id, workload_id, None)
        shell.go_to(RecordsTarget(Workload))

    def plan(plan_id: int) -> None:
        shell.planning.choose(plan_id)
        shell.go_to(PlanTarget(as_matrix=False))

    def run(run_id: int) -> None:
        session.choose_run(run_id)
        shell.go_to(RunTarget(run_id))

    for d in live(devices.values()):
        yield Findable(d.name, tr("device"), partial(device, d.id))
    for w in live(workloads.values()):
        yield Findable(w.name, tr("workload"), partial(workload, w.id))
    for p in live(book.plans()):
        yield Findable(p.name, tr("plan"), partial(plan, p.id))
    for card in book.cards():
        yield Findable(card.name, tr("card"), partial(shell.go_to, CardTarget(card.id)))
    settings = {s.id: s.name for d in devices for s in book.settings(d)}
    for r in reversed(book.runs()):
        names = devices[r.device_id].name, workloads[r.workload_id].name
        yield Findable(
            f"{names[0]}, {names[1]}, {run_words(r, settings.get(r.setting_id, ''))}",
            tr("run {number}", number=r.id),
            partial(run, r.id),
        )
