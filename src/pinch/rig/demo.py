"""The demo book: the cabin test, made by the rig. All data are invented.

*Harbour Light*, a made-up quarterly for people who live and work aboard boats, asks which small computer keeps its
speed in a warm cabin on a small power budget: 31 °C below deck, 22 °C ashore; mains ashore, battery at anchor.
"""

import contextlib
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
from msgspec import Struct

from pinch.bench import runlogs
from pinch.bench.book import Book
from pinch.bench.opening import new_book
from pinch.bench.records import ExitStatus, Run
from pinch.bench.variants import join_as_variants
from pinch.core.frames import FRAME_RATE, FRAME_TIME
from pinch.core.progress import CancelledError, Progress, tell, unheard
from pinch.core.runlog import Mark, RunLog, Series
from pinch.rig import catalogue
from pinch.rig.catalogue import RigDevice, RigWork
from pinch.rig.demo_bench import add_more_records, add_plans, device_record, setting_record, workload_record
from pinch.rig.demo_deck import add_deck, add_questions
from pinch.rig.demo_power import add_readings, with_supply
from pinch.rig.demo_results import add_results
from pinch.rig.device import simulate_run
from pinch.rig.frame_maker import FrameMaker

FIRST_DAY = datetime(2026, 9, 1, 8, 0, tzinfo=UTC)
VERSION = 24
"""Part of the demo book's path: raised when the demo changes."""


class DemoRun(Struct, frozen=True):
    """One run of the demo, in the order they were done."""

    device: RigDevice
    setting: str
    work: RigWork
    load_s: int
    ambient_c: float = 22.0
    notes: str = ""
    void: str = ""
    gap: tuple[int, int] | None = None
    mark: tuple[float, str] | None = None


def demo_runs() -> list[DemoRun]:
    """All runs of the cabin test."""
    sandpiper, old, limpet, gannet = catalogue.DEVICES
    tile, one, skerry, capped = catalogue.TILE, catalogue.TILE_ONE, catalogue.SKERRY, catalogue.SKERRY_CAPPED
    runs: list[DemoRun] = []
    for repeat in range(2):
        runs += [DemoRun(sandpiper, s, tile, 900) for s in ("Hush", "18 W", "22 W", "Even", "35 W", "Full")]
        runs += [DemoRun(old, s, tile, 900) for s in ("Hush", "20 W", "25 W", "30 W", "Full")]
        runs += [DemoRun(limpet, s, tile, 780) for s in ("20 W", "28 W", "Stock", "45 W", "54 W")]
        steps = ("7 W", "10 W", "13 W", "16 W", "20 W", "25 W", "30 W")
        runs += [DemoRun(gannet, s, tile, 600) for s in steps]
        runs += [DemoRun(gannet, s, skerry, 600) for s in steps]
        runs += [DemoRun(limpet, s, skerry, 600) for s in ("20 W", "28 W", "Stock", "45 W")]
        runs += [DemoRun(sandpiper, s, skerry, 900) for s in ("Hush", "22 W", "Even", "Full")]
        runs += [DemoRun(limpet, s, tile, 600, 31.0) for s in ("Stock", "45 W")]
        if repeat == 0:
            runs += [DemoRun(sandpiper, "Full", one, 600), DemoRun(limpet, "Stock", one, 600)]
    runs += [
        DemoRun(sandpiper, "Hush on battery", tile, 900, notes="At anchor."),
        DemoRun(sandpiper, "Full", capped, 600, notes="Frame cap set to 40."),
        DemoRun(sandpiper, "Full", tile, 900, 31.0, "Below deck; compare with the runs ashore only with care."),
        DemoRun(limpet, "Firmware 54, faulty", tile, 600, 31.0, "Power drops out when it gets hot."),
        DemoRun(limpet, "Firmware 54, clock lock 3.1", tile, 600, 31.0, "The clock lock cures the drop-outs."),
        DemoRun(sandpiper, "Even", tile, 60, notes="Stopped early for lunch."),
        DemoRun(sandpiper, "Even", tile, 900, gap=(420, 465), notes="The logger stalled for a while."),
        DemoRun(old, "Full", tile, 900, void="The lid was closed half-way.", notes="Lid closed at five minutes."),
        DemoRun(limpet, "54 W", tile, 600, 31.0, "Below deck, highest limit.", mark=(200.0, "cabin door opened")),
        DemoRun(sandpiper, "18 W on battery", tile, 900, notes="At anchor."),
        DemoRun(sandpiper, "Even on battery", tile, 900, notes="At anchor."),
        *(DemoRun(gannet, f"{w} W at anchor", tile, 600, notes="At anchor.") for w in (10, 15, 20, 25)),
        DemoRun(gannet, "10 W at anchor", catalogue.LOOP, 4800, notes="An evening's part of a rundown."),
        DemoRun(old, "Full", one, 600),
        *(DemoRun(old, "Full", skerry, 600) for _ in range(2)),
        DemoRun(gannet, "20 W", catalogue.LANTERN, 600, notes="Its logger tells of processor and graphics alone."),
        DemoRun(limpet, "45 W", catalogue.LANTERN, 900, 31.0, "Below deck; its graphics get hot."),
        DemoRun(limpet, "45 W, graphics lock 1.8", catalogue.LANTERN, 900, 31.0, "The lock keeps its graphics cool."),
        DemoRun(sandpiper, "Firmware 1.10, stairs", tile, 900, notes="Newer firmware limits power by the clock."),
    ]
    return runs


def make_demo_book(path: Path, progress: Progress = unheard, today: date = date(2026, 9, 21)) -> None:
    """Write the demo book: the same data at every making on a day; only the plans speak of `today`. `progress` hears
    shares from 0 to 1; where it answers False, nothing is left behind.

    Raises
    ------
    BookError : there is a file of that name, or it cannot be written.
    """
    with contextlib.suppress(CancelledError), new_book(path) as book:
        _fill(book, progress)
        add_plans(book, today)
        add_results(book)
        add_deck(book)
        add_questions(book)


def _fill(book: Book, progress: Progress) -> None:
    devices = {d.key: book.save(device_record(d)) for d in catalogue.DEVICES}
    settings = {
        (d.key, s.name): book.save(setting_record(devices[d.key].id, s)) for d in catalogue.DEVICES for s in d.settings
    }
    runs = demo_runs()
    workloads = {w.name: book.save(workload_record(w)) for w in catalogue.WORK if any(r.work is w for r in runs)}
    add_more_records(book)
    capped, skerry = workloads[catalogue.SKERRY_CAPPED.name], workloads[catalogue.SKERRY.name]
    (workloads[capped.name],) = join_as_variants(book, skerry, [capped])
    started = FIRST_DAY
    for number, demo in enumerate(runs):
        log = _log_of(demo, seed=number + 1)
        ids = (devices[demo.device.key].id, settings[demo.device.key, demo.setting].id)
        workload_id = workloads[demo.work.name].id
        run = book.save(
            Run(
                device_id=ids[0],
                setting_id=ids[1],
                workload_id=workload_id,
                repeat=book.next_repeat(*ids, workload_id),
                started=started,
                ambient_c=demo.ambient_c,
                source="rig",
                notes=demo.notes,
                void=demo.void,
                status=ExitStatus.STOPPED if demo.load_s < 120 else ExitStatus.COMPLETE,
            )
        )
        runlogs.add_log(book, run, log)
        add_readings(book, run, demo.device, log)
        started = _next_start(started, demo.load_s)
        tell(progress, (number + 1) / len(runs))


def _log_of(demo: DemoRun, seed: int) -> RunLog:
    setting = demo.device.setting(demo.setting)
    log = simulate_run(demo.device, setting, demo.work, demo.load_s, demo.ambient_c, seed).log
    log = with_supply(log, demo.device, setting.mains, seed)
    if demo.device is catalogue.GANNET and FRAME_RATE in log.series:
        log = RunLog({**log.series, FRAME_TIME: _frames_of(log.series[FRAME_RATE], seed)})
    marks = (Mark(*demo.mark),) if demo.mark else ()
    if demo.gap is None:
        return RunLog(log.series, marks)
    start, end = demo.gap
    kept = {}
    for name, series in log.series.items():
        have = np.flatnonzero((series.t <= start) | (series.t >= end))
        kept[name] = Series(name, series.t[have], series.values[have])
    return RunLog(kept, marks)


def _frames_of(rate: Series, seed: int) -> Series:
    """Single frames of a second after the other, at the rate of each."""
    maker = FrameMaker(seed)
    maker.go_to(float(rate.t[0]) - 1.0)
    frames = [frame for per_s in rate.values.tolist() for frame in maker.advance(per_s, 1.0)]
    ends, ms = np.array(frames).T
    return Series(FRAME_TIME, np.round(ends, 4), np.round(ms, 2))


def _next_start(started: datetime, load_s: int) -> datetime:
    """Runs follow each other with ten minutes to cool, between eight and six o'clock."""
    later = started + timedelta(seconds=load_s + 620)
    if later.hour >= 18:
        later = (later + timedelta(days=1)).replace(hour=8, minute=0, second=0)
    return later
