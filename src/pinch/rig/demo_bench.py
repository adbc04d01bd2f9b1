"""The records of the cabin test: devices in full, settings, workloads, protocols and plans. All data are invented."""

import random
from datetime import date, datetime, time, timedelta
from typing import Any

from pinch.bench.book import Book
from pinch.bench.parts import (
    Aspect,
    Battery,
    Build,
    ChangeNeed,
    Claims,
    Cooling,
    CoreKind,
    Cores,
    Display,
    Exclusion,
    Graphics,
    Memory,
    Need,
    Offer,
)
from pinch.bench.planning import begin_of, make_plan, plan_bench
from pinch.bench.plans import Cell, OrderRule, Outcome, Plan, PlanEntry, PlanSession
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import (
    Came,
    Counts,
    Device,
    Form,
    Protocol,
    Repeatable,
    Setting,
    Status,
    WorkKind,
    Workload,
)
from pinch.rig.catalogue import RigDevice, RigSetting, RigWork

T8_CORES = (
    Cores(kind=CoreKind.PERFORMANCE, count=4, threads=8, ceiling_mhz=5000.0),
    Cores(kind=CoreKind.EFFICIENCY, count=4, threads=4, ceiling_mhz=3700.0),
)
T8_GRAPHICS = Graphics(name="Tarn T8 graphics", shared=True, compute_units=12)
INSTRUMENTS = (
    Instrument(name="Mains meter", profile="ac-power", address="rig", of_reading=0.5, of_range=0.1, range=600),
    Instrument(name="Level meter", measures=Quantity.NOISE, fixed=1.4, resolution=0.1, notes="On a stand at 50 cm."),
    Instrument(name="Contact thermometer", measures=Quantity.SURFACE, of_reading=0.5, fixed=1.0, resolution=0.1),
)
ASHORE, BELOW = "Cabin test, ashore", "Cabin test, below deck"
MORE_OF: dict[str, dict[str, Any]] = {
    "Lantern Deep": {
        "length_s": 300.0,
        "passes": 3,
        "warm_up_pass": True,
        "counts": Counts.SOAK,
        "repeatable": Repeatable.WALKED,
        "preset": "high",
        "upscaling": "balanced",
        "inner_resolution": "1129×706",
    },
}
"""What is known of a workload beyond what its simulation needs."""
DETAILS: dict[str, dict[str, Any]] = {
    "sandpiper": {
        "cores": T8_CORES,
        "graphics": T8_GRAPHICS,
        "memory": Memory(kind="LPDDR5X", size_gb=32, speed_mts=7500, modules=4, dual_channel=True),
        "storage": "1 TB, one slot",
        "cooling": Cooling(fans=2, heat_pipes=2),
        "mass_kg": 1.4,
        "width_mm": 314.0,
        "depth_mm": 221.0,
        "height_mm": 15.9,
        "display": Display(size_in=14, pixels="2560×1600", shape="16:10", refresh_hz=120, variable_refresh=True),
        "battery": Battery(design_wh=62, full_wh=60.4, charge_min=105),
        "adapter_w": 100.0,
        "claims": Claims(sustained_w=28, burst_w=64, window_s=28, lowest_w=12, highest_w=45, step_w=1),
        "builds": (
            Build(what="firmware", version="1.09", date="2026-07-02"),
            Build(what="OS", version="26.1", date="2026-08-11"),
            Build(what="graphics driver", version="31.4", date="2026-08-20"),
        ),
        "ports": "2 USB-C, 1 USB-A, HDMI",
        "came": Came.LENT,
        "offers": (
            Offer(price=1399, currency="EUR", date="2026-09-01", region="DE", seller="shop", tax_in=True,
                  configuration="32 GB, 1 TB"),
        ),
        "exclusions": (Exclusion(aspect=Aspect.MODE, value="Full", never_with=Aspect.SUPPLY, other="battery"),),
    },
    "sandpiper-old": {
        "cores": (Cores(kind=CoreKind.PERFORMANCE, count=6, threads=12, ceiling_mhz=4700.0),),
        "graphics": Graphics(name="Tarn T6 graphics", shared=True, compute_units=8),
        "memory": Memory(kind="LPDDR5", size_gb=16, speed_mts=6400, modules=4, dual_channel=True),
        "cooling": Cooling(fans=2, heat_pipes=1),
        "mass_kg": 1.45,
        "battery": Battery(design_wh=58, full_wh=51.3, charge_min=110),
        "adapter_w": 65.0,
        "claims": Claims(sustained_w=25, burst_w=50, window_s=28, lowest_w=15, highest_w=35, step_w=1),
        "builds": (
            Build(what="firmware", version="1.31", date="2026-02-14"),
            Build(what="OS", version="26.1", date="2026-08-11"),
            Build(what="graphics driver", version="30.9", date="2025-11-05"),
        ),
        "came": Came.BOUGHT,
    },
    "limpet": {
        "cores": T8_CORES,
        "graphics": T8_GRAPHICS,
        "memory": Memory(kind="DDR5", size_gb=32, speed_mts=5600, timings="46-45-45-90", modules=2, dual_channel=True),
        "storage": "1 TB, two slots",
        "cooling": Cooling(fans=1, heat_pipes=1),
        "mass_kg": 0.62,
        "width_mm": 117.0,
        "depth_mm": 112.0,
        "height_mm": 46.0,
        "adapter_w": 120.0,
        "claims": Claims(sustained_w=35, burst_w=65, window_s=8, lowest_w=20, highest_w=54, step_w=1),
        "builds": (Build(what="firmware", version="0.54", date="2026-06-18"), Build(what="OS", version="26.1")),
        "ports": "2 USB-C, 4 USB-A, 2 HDMI, 2.5 Gbit/s",
        "came": Came.BOUGHT,
        "change_needs": (ChangeNeed(aspect=Aspect.LIMITS, need=Need.FIRMWARE),
                         ChangeNeed(aspect=Aspect.CLOCK_LOCK, need=Need.FIRMWARE)),
        "offers": (
            Offer(price=649, currency="EUR", date="2026-08-15", region="NL", seller="marketplace", tax_in=True,
                  configuration="bare"),
        ),
    },
    "gannet": {
        "cores": (
            Cores(kind=CoreKind.PERFORMANCE, count=2, threads=4, ceiling_mhz=4400.0),
            Cores(kind=CoreKind.EFFICIENCY, count=4, threads=8, ceiling_mhz=3200.0),
        ),
        "graphics": Graphics(name="Fell F12 graphics", shared=True, compute_units=16),
        "memory": Memory(kind="LPDDR5X", size_gb=24, speed_mts=8000, dual_channel=True, graphics_share_gb=8),
        "cooling": Cooling(fans=1, heat_pipes=2),
        "mass_kg": 0.69,
        "width_mm": 286.0,
        "depth_mm": 115.0,
        "height_mm": 38.0,
        "display": Display(size_in=7, pixels="1920×1200", shape="16:10", refresh_hz=120, variable_refresh=True),
        "battery": Battery(design_wh=48, full_wh=47.2, charge_min=80),
        "adapter_w": 65.0,
        "claims": Claims(sustained_w=20, burst_w=30, window_s=5, lowest_w=7, highest_w=30, step_w=1),
        "builds": (Build(what="firmware", version="0.9 beta", date="2026-08-28"), Build(what="OS", version="26.1")),
        "came": Came.LENT,
        "exclusions": (Exclusion(aspect=Aspect.LIMITS, value="> 25", never_with=Aspect.SUPPLY, other="battery"),),
    },
}  # fmt: skip
THREE_EVENINGS = "Gannet, three evenings"


def device_record(device: RigDevice) -> Device:
    """A rig device as a record of the bench."""
    return Device(
        name=device.name,
        form=Form(device.form),
        chip=device.chip.name,
        status=Status(device.status),
        temp_limit_c=device.chip.temp_limit_c,
        rig=device.key,
        notes=device.notes,
        **DETAILS.get(device.key, {}),
    )


def setting_record(device_id: int, setting: RigSetting) -> Setting:
    """A rig setting as a record of the bench."""
    lock, graphics = setting.clock_lock_ghz, setting.graphics_lock_ghz
    named = not setting.name[0].isdigit()
    return Setting(
        device_id=device_id,
        name=setting.name,
        mode=setting.name.split(" on ")[0].split(",")[0] if named else "",
        sustained_w=setting.sustained_w,
        burst_w=setting.burst_w,
        window_s=setting.window_s,
        mains=setting.mains,
        clock_ceiling_mhz=None if lock is None else lock * 1000.0,
        graphics_ceiling_mhz=None if graphics is None else graphics * 1000.0,
    )


def workload_record(work: RigWork) -> Workload:
    """A rig workload as a record of the bench."""
    unit = "fps" if work.channel == "frame.rate" else "tiles/s" if work.name.startswith("Tile") else "1/s"
    kind = WorkKind.ONE_CORE if work.one_core else WorkKind.RUNDOWN if "rundown" in work.name else WorkKind.ALL_CORE
    game = {"resolution": "1920×1200", "preset": "medium", "kind": WorkKind.GAME}
    told: dict[str, Any] = {
        "repeatable": Repeatable.BUILT_IN,
        "length_s": 9000.0 if kind is WorkKind.RUNDOWN else 600.0,
        **(game if unit == "fps" else {"kind": kind}),
        **MORE_OF.get(work.name, {}),
    }
    return Workload(
        name=work.name,
        rate_channel=work.channel,
        score_unit=unit,
        frame_cap_fps=work.cap,
        one_core=work.one_core,
        **told,
    )


def add_more_records(book: Book) -> None:
    """What the cabin test wants beyond the runs of the rig: workloads, protocols, instruments."""
    for workload in (
        Workload(
            name="Chart Export", kind=WorkKind.TASK, score_unit="s", higher_is_better=False, length_s=240, passes=3
        ),
        Workload(name="Rest", kind=WorkKind.IDLE, score_unit="W", higher_is_better=False, length_s=600),
    ):
        book.save(workload)
    shared: dict[str, Any] = {
        "brightness_nits": 150.0,
        "volume_percent": 0.0,
        "radios": "Wi-Fi on, Bluetooth off",
        "background": "updates and indexing off",
        "builds": (Build(what="OS", version="26.1", date="2026-08-11"),),
        "readings_min": 2.0,
    }
    book.save(Protocol(name=ASHORE, ambient_c=22, ambient_within_k=1, room_noise_db=21.5, **shared))
    for instrument in INSTRUMENTS:
        book.save(instrument)
    book.save(Protocol(name=BELOW, ambient_c=31, ambient_within_k=1.5, room_noise_db=24, repeats=2, **shared))


def add_plans(book: Book, today: date) -> None:
    """The plans of the cabin test: three evenings with the handheld, of which the first was yesterday, and last year's
    laptop against this year's."""
    devices = {d.name: d for d in book.devices()}
    works = {w.name: w.id for w in book.workloads()}
    protocol = next(p for p in book.protocols() if p.name == ASHORE)
    old = devices["Sandpiper 14, last year's"]
    new = {s.name: s.id for s in book.settings(devices["Sandpiper 14"].id)}
    before = {s.name: s.id for s in book.settings(old.id)}
    pair = [(new["Hush"], before["Hush"]), (new["35 W"], before["Full"])]
    book.save(
        Plan(
            name="This year's against last year's",
            protocol_id=protocol.id,
            created=_evening(today, -9),
            order=OrderRule.BALANCED,
            seed=3,
            cells=tuple(
                Cell(setting_id=s, workload_id=works[w], repeats=4)
                for s in (id_ for both in pair for id_ in both)
                for w in ("Tile Render, all cores", "Chart Export")
            ),
        )
    )
    plan = Plan(
        name=THREE_EVENINGS,
        protocol_id=protocol.id,
        created=_evening(today, -2),
        cells=_gannet_cells(book, devices["Gannet"], works),
        sessions=tuple(PlanSession(start=_evening(today, n), minutes=180.0) for n in (-1, 0, 1)),
    )
    saved = book.save(plan)
    book.save(saved.model_copy(update={"entries": _first_evening(book, saved)}))


def date_plans_anew(book: Book, today: date) -> None:
    """Move the plans of the demo by whole days, so that the first of the three evenings was yesterday again."""
    plans = {plan.name: plan for plan in book.plans()}
    three = plans.get(THREE_EVENINGS)
    if three is None or not three.sessions:
        return
    later = timedelta(days=(today - three.sessions[0].start.date()).days - 1)
    for plan in plans.values() if later else ():
        moved = {
            "created": plan.created + later,
            "sessions": tuple(s.model_copy(update={"start": s.start + later}) for s in plan.sessions),
            "entries": tuple(
                e.model_copy(update={"started": e.started + later, "ended": e.ended + later}) for e in plan.entries
            ),
        }
        book.save(plan.model_copy(update=moved))


def _gannet_cells(book: Book, gannet: Device, works: dict[str, int]) -> tuple[Cell, ...]:
    settings = {s.name: s.id for s in book.settings(gannet.id)}
    cells = [Cell(setting_id=settings["7 W"], workload_id=works["Rest"], repeats=1, priority=1)]
    for number, name in enumerate(("7 W", "10 W", "13 W", "16 W", "20 W", "25 W", "30 W")):
        cells.append(
            Cell(setting_id=settings[name], workload_id=works["Tile Render, all cores"], repeats=2, priority=1)
        )
        if number % 2 == 0:
            cells.append(Cell(setting_id=settings[name], workload_id=works["Lantern Deep"], repeats=2, priority=3))
    for name, work in (("20 W at anchor", "Tile Render, all cores"), ("30 W at anchor", "Tile Render, all cores")):
        cells.append(Cell(setting_id=settings[name], workload_id=works[work], repeats=1))
    cells.append(Cell(setting_id=settings["10 W at anchor"], workload_id=works["Cabin loop rundown"], repeats=1))
    return tuple(cells)


def _first_evening(book: Book, plan: Plan) -> tuple[PlanEntry, ...]:
    """What happened yesterday: most of the first runs of the plan, one void, one skipped."""
    planned = make_plan(plan, plan_bench(book, plan), begin_of(plan))
    chance, clock = random.Random(7), plan.sessions[0].start + timedelta(minutes=2)
    entries: list[PlanEntry] = []
    for number, line in enumerate([line for line in planned.lines() if line.is_run][:12]):
        outcome, reason = Outcome.DONE, ""
        if number == 4:
            outcome, reason = Outcome.VOID, "the hatch was open, the room fell by 4 K"
        elif number == 7:
            outcome, reason = Outcome.SKIPPED, "neighbours asleep, too loud"
        length = timedelta(seconds=(line.end - line.start).total_seconds() + chance.uniform(2, 14))
        ended = clock if outcome is Outcome.SKIPPED else clock + length
        if ended > (plan.sessions[0].end or ended):
            break
        place = {"setting_id": line.setting_id, "workload_id": line.workload_id, "repeat": line.repeat}
        times = {"started": clock, "ended": ended}
        entries.append(PlanEntry.model_validate({**place, **times, "outcome": outcome, "reason": reason}))
        if outcome is not Outcome.SKIPPED:
            clock = ended + timedelta(minutes=chance.uniform(5.0, 6.5))
    return tuple(entries)


def _evening(today: date, days: int) -> datetime:
    return datetime.combine(today + timedelta(days=days), time(19, 30)).astimezone()
