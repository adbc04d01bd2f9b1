"""A run sheet: runs in an order, with what must happen between them, laid into the times there are.

Times are seconds on one clock. Between two runs on a device its cooling, its recharging and the operator's readings and
changes go on side by side, so the wait is the longest of the three. One run goes on at a time; while one device
cools, another may run.
"""

import math
from collections.abc import Callable, Hashable, Sequence

import numpy as np
from msgspec import Struct

from pinch.core.balance import balanced_rounds, imbalance
from pinch.core.sequence import Order, shortest_order

TIME_LIMIT_S = 0.15
"""For finding the order of one device; then the best so far is used and its gap is told."""
MORE_TRIES = 1
"""Runs tried beyond those that fit before they were arranged anew."""


class Task(Struct, frozen=True):
    """Something the operator does between runs: its kind (set, restart, firmware, hands, supply), how long, what."""

    kind: str
    seconds: float
    words: str


class SheetJob(Struct, frozen=True):
    """One run, named by `cell` and `repeat`. After it the device needs `cool_s` until the next load, `cold_s`
    until a run that `needs_cold`, and `recharge_s` for its battery. Priority 1 is the most wanted."""

    cell: int
    repeat: int
    device: int
    setting: int
    run_s: float
    cool_s: float = 0.0
    cold_s: float = 0.0
    needs_cold: bool = False
    readings_s: float = 0.0
    recharge_s: float = 0.0
    priority: int = 2


class Step(Struct, frozen=True):
    """One line of the sheet: kind (set, restart, firmware, supply, recharge, cool, run, read), from, to, and words;
    `job` is the run that it is or prepares."""

    kind: str
    start_s: float
    end_s: float
    job: SheetJob
    words: str = ""


class Window(Struct, frozen=True):
    """A time for testing; `end_s` may be infinite."""

    start_s: float
    end_s: float = math.inf


Change = Callable[[int | None, int], tuple[Task, ...]]
"""What must be done to come from one setting of a device (None: not known) to another."""


class RunSheet(Struct, frozen=True):
    """Steps in order of time and the jobs left out. `continuous_s` is the time without breaks, `bound_s` the least
    that any order would take, `imbalance` that of a balanced order, None where it was not asked for."""

    steps: tuple[Step, ...]
    left_out: tuple[SheetJob, ...]
    continuous_s: float
    bound_s: float
    imbalance: float | None = None

    @property
    def proved(self) -> bool:
        """Whether no order of the same runs is shorter."""
        return self.continuous_s <= self.bound_s + 1e-3

    @property
    def gap(self) -> float:
        """How much shorter another order could be at most, as a share."""
        return 0.0 if self.proved else 1.0 - self.bound_s / self.continuous_s

    @property
    def end_s(self) -> float:
        """When the last step ends; NaN where there is none."""
        return max((s.end_s for s in self.steps), default=math.nan)

    @property
    def runs(self) -> list[Step]:
        """The runs, in order."""
        return [s for s in self.steps if s.kind == "run"]


class Arrangement(Struct, frozen=True):
    """An order of jobs and what is known about its length, s."""

    jobs: tuple[SheetJob, ...]
    continuous_s: float
    bound_s: float
    imbalance: float | None = None


def cool_wait_s(before: SheetJob, after: SheetJob) -> float:
    """Time after a run until the device is cool enough for another, s."""
    return before.cold_s if after.needs_cold else before.cool_s


def wait_s(before: SheetJob, after: SheetJob, change: Change) -> float:
    """Least time between two runs of one device, s."""
    work = before.readings_s + _work_s(before, after, change)
    return max(cool_wait_s(before, after), before.recharge_s, work)


def _work_s(before: SheetJob, after: SheetJob, change: Change) -> float:
    return 0.0 if before.setting == after.setting else sum(t.seconds for t in change(before.setting, after.setting))


def shortest(jobs: Sequence[SheetJob], change: Change) -> Arrangement:
    """The order of least total time: proved best for one device; for several, the shorter of one device after the
    other and of running one while others cool."""
    queues = {d: _device_order([j for j in jobs if j.device == d], change) for d in sorted({j.device for j in jobs})}
    lone = [o.bound + sum(j.run_s for j in q) + min(j.readings_s for j in q) for q, o in queues.values()]
    candidates = [[j for queue, _ in queues.values() for j in queue]]
    if len(queues) > 1:
        candidates.append(_merged([queue for queue, _ in queues.values()], change))
    lengths = [_continuous(c, change) for c in candidates]
    best = int(np.argmin(lengths)) if jobs else 0
    bound = max([*lone, sum(j.run_s for j in jobs)], default=0.0)
    return Arrangement(tuple(candidates[best]), lengths[best], min(bound, lengths[best]))


def balanced(
    jobs: Sequence[SheetJob], change: Change, seed: int, dear: Callable[[int], Hashable] = lambda setting: None
) -> Arrangement:
    """Repeats interleaved in rounds; in a round each setting does the next repeat of its workloads. Settings that are
    not alike in what is `dear` to change are done one group after the other, each balanced in itself."""
    groups: dict[Hashable, list[SheetJob]] = {}
    for job in jobs:
        groups.setdefault(dear(job.setting), []).append(job)
    parts = [_rounds_of(own, seed) for own in groups.values()]
    order = [job for jobs_in_rounds, _ in parts for job in jobs_in_rounds]
    least = shortest(jobs, change).bound_s
    worst = max((uneven for _, uneven in parts), default=0.0)
    return Arrangement(tuple(order), _continuous(order, change), least, worst)


def _rounds_of(jobs: Sequence[SheetJob], seed: int) -> tuple[list[SheetJob], float]:
    """Jobs in balanced rounds, and how uneven those are."""
    cells: dict[int, dict[int, list[SheetJob]]] = {}
    for job in jobs:
        cells.setdefault(job.setting, {}).setdefault(job.cell, []).append(job)
    settings = sorted(cells)
    rounds = balanced_rounds([max(map(len, cells[s].values())) for s in settings], seed)
    order: list[SheetJob] = []
    for number, visited in enumerate(rounds):
        for place in visited:
            ready = [queue.pop(0) for queue in cells[settings[place]].values() if queue]
            order += ready if number % 2 == 0 else ready[::-1]
    return order, imbalance(rounds)


def make_sheet(
    jobs: Sequence[SheetJob],
    change: Change,
    windows: Sequence[Window],
    arrange: Callable[[Sequence[SheetJob]], Arrangement],
) -> RunSheet:
    """Lay the jobs into the windows. Where they do not all fit, the least wanted are left out: lowest priority first,
    and of equal priority the later repeats first."""
    arrangement = arrange(jobs)
    steps, homeless = lay_out(arrangement.jobs, change, windows)
    if homeless:
        possible = [j for j in jobs if any(w.end_s - w.start_s >= j.run_s + j.readings_s for w in windows)]
        whole = arrangement if len(possible) == len(jobs) else arrange(possible)
        arrangement, steps = _most_that_fit(whole.jobs, change, windows, arrange)
        placed = {id(s.job) for s in steps if s.kind == "run"}
        homeless = [j for j in jobs if id(j) not in placed]
    return RunSheet(tuple(steps), tuple(homeless), arrangement.continuous_s, arrangement.bound_s, arrangement.imbalance)


def lay_out(jobs: Sequence[SheetJob], change: Change, windows: Sequence[Window]) -> tuple[list[Step], list[SheetJob]]:
    """Jobs in their order, each as early as it can be; one that does not fit into what is left of a window begins the
    next. Returns the steps in order of time and the jobs for which no window was left."""
    steps: list[Step] = []
    homeless: list[SheetJob] = []
    last: dict[int, tuple[SheetJob, float]] = {}
    number, free = 0, windows[0].start_s if windows else 0.0
    for job in jobs:
        place = number
        while place < len(windows):
            window = windows[place]
            begun = window.start_s if place > number else free
            before = last.get(job.device)
            laid = _lay(job, before, max(begun, window.start_s), window.start_s, change)
            if laid[-1].end_s <= window.end_s + 1e-6:
                break
            place += 1
        if place == len(windows):
            homeless.append(job)
            continue
        number = place
        run_end = next(s.end_s for s in laid if s.kind == "run")
        free, last[job.device] = run_end, (job, run_end)
        steps += laid
    return sorted(steps, key=lambda s: (s.start_s, s.end_s)), homeless


def _lay(
    job: SheetJob, before: tuple[SheetJob, float] | None, free_s: float, opened_s: float, change: Change
) -> list[Step]:
    """Steps of one run: what prepares it, the run, and the readings after it."""
    tasks = change(None, job.setting) if before is None else ()
    if before is not None and before[0].setting != job.setting:
        tasks = change(before[0].setting, job.setting)
    work = sum(t.seconds for t in tasks)
    if before is not None and before[1] >= opened_s:
        previous, ended = before
        start = max(free_s, ended + wait_s(previous, job, change))
        at = ended + previous.readings_s
        filler = [("recharge", ended + previous.recharge_s)]
        filler.append(("cool", ended + cool_wait_s(previous, job)))
    else:
        start = max(free_s, opened_s + work)
        at, filler = start - work, []
    steps = []
    for task in tasks:
        steps.append(Step(task.kind, at, at + task.seconds, job, task.words))
        at += task.seconds
    for kind, until in filler:
        if until > at + 1.0:
            steps.append(Step(kind, at, until, job))
            at = until
    steps.append(Step("run", start, start + job.run_s, job))
    if job.readings_s:
        steps.append(Step("read", start + job.run_s, start + job.run_s + job.readings_s, job))
    return steps


def _device_order(jobs: list[SheetJob], change: Change) -> tuple[list[SheetJob], Order]:
    """The best order of one device's jobs, of equally good ones that with the least to change. Jobs that cost the same
    before and after are one kind."""
    kinds: dict[tuple[object, ...], list[SheetJob]] = {}
    for job in jobs:
        key = (job.setting, job.cool_s, job.cold_s, job.needs_cold, job.readings_s, job.recharge_s)
        kinds.setdefault(key, []).append(job)
    queues = list(kinds.values())
    first = np.array([sum(t.seconds for t in change(None, q[0].setting)) for q in queues])
    cost = np.array([[wait_s(a[0], b[0], change) for b in queues] for a in queues]).reshape(len(queues), len(queues))
    work = np.array([[_work_s(a[0], b[0], change) for b in queues] for a in queues]).reshape(cost.shape)
    order = shortest_order(np.array([len(q) for q in queues]), first, cost, work, TIME_LIMIT_S)
    taken = [iter(sorted(q, key=lambda j: (j.priority, j.repeat, j.cell))) for q in queues]
    return [next(taken[kind]) for kind in order.kinds], order


def _merged(queues: list[list[SheetJob]], change: Change) -> list[SheetJob]:
    """Next is always the run that can begin first; of those, one on the device at hand."""
    places = [0] * len(queues)
    last: list[tuple[SheetJob, float] | None] = [None] * len(queues)
    order, free, at_hand = list[SheetJob](), 0.0, 0
    while len(order) < sum(map(len, queues)):
        starts = {}
        for number, queue in enumerate(queues):
            if places[number] < len(queue):
                laid = _lay(queue[places[number]], last[number], free, 0.0, change)
                starts[number] = next(s.start_s for s in laid if s.kind == "run")
        chosen = min(starts, key=lambda n: (starts[n], n != at_hand))
        job = queues[chosen][places[chosen]]
        free = starts[chosen] + job.run_s
        last[chosen], at_hand = (job, free), chosen
        places[chosen] += 1
        order.append(job)
    return order


def _continuous(jobs: Sequence[SheetJob], change: Change) -> float:
    steps, _ = lay_out(jobs, change, [Window(0.0)])
    return max((s.end_s for s in steps), default=0.0)


def _most_that_fit(
    whole: Sequence[SheetJob],
    change: Change,
    windows: Sequence[Window],
    arrange: Callable[[Sequence[SheetJob]], Arrangement],
) -> tuple[Arrangement, list[Step]]:
    """The longest row of the most wanted jobs that fits: found by halving in the order of all of them, then arranged
    anew, which may leave room for one more."""
    ranked = sorted(whole, key=lambda j: (j.priority, j.repeat, j.cell))

    def fits_as_is(number: int) -> bool:
        wanted = {id(j) for j in ranked[:number]}
        return not lay_out([j for j in whole if id(j) in wanted], change, windows)[1]

    fits, too_many = 0, len(ranked) + 1
    while too_many - fits > 1:
        middle = (fits + too_many) // 2
        fits, too_many = (middle, too_many) if fits_as_is(middle) else (fits, middle)
    best = _arranged(ranked[:fits], change, windows, arrange)
    while best is None:  # a new order may break at the end of a session where the old one did not
        fits -= 1
        best = _arranged(ranked[:fits], change, windows, arrange)
    for more in range(fits + 1, min(fits + MORE_TRIES, len(ranked)) + 1):
        found = _arranged(ranked[:more], change, windows, arrange)
        if found is None:
            break
        best = found
    return best


def _arranged(
    jobs: list[SheetJob],
    change: Change,
    windows: Sequence[Window],
    arrange: Callable[[Sequence[SheetJob]], Arrangement],
) -> tuple[Arrangement, list[Step]] | None:
    arrangement = arrange(jobs)
    steps, homeless = lay_out(arrangement.jobs, change, windows)
    return None if homeless else (arrangement, steps)
