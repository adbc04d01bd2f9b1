"""What the cabin test reads beside the chip: the mains meter or the battery, the fan's noise, the surfaces.
Invented."""

import math

import numpy as np

from pinch.bench.book import Book
from pinch.bench.readings import Quantity, Reading
from pinch.bench.records import Run
from pinch.core.runlog import RunLog, Series
from pinch.rig.catalogue import RigDevice
from pinch.rig.meter_stand_in import wall_w

ON_BATTERY_W = 4.5
ROOM_DB, QUIET_DB, QUIET_RPM = 21.5, 22.0, 2000.0
SURFACES = {
    "laptop": (("palm_rest", 0.16), ("keys", 0.34), ("back", 0.52), ("exhaust", 0.66)),
    "mini PC": (("case", 0.55), ("exhaust", 0.75)),
    "handheld": (("grip_left", 0.22), ("grip_right", 0.26), ("back", 0.72), ("exhaust", 0.95)),
}
"""Kelvin above the room for each watt of the package."""


def with_supply(log: RunLog, device: RigDevice, mains: bool, seed: int) -> RunLog:
    """The log with what the mains meter read; on battery with draw, energy left and charge."""
    rng, power = np.random.default_rng(seed), log.series["cpu.power"]
    graphics = log.series.get("gpu.power")
    watts = power.values + (graphics.values if graphics else 0.0)
    noise = 1.0 + 0.003 * rng.standard_normal(len(power.t))
    series = dict(log.series)

    def add(channel: str, values: np.ndarray, digits: int) -> None:
        series[channel] = Series(channel, power.t, np.round(values, digits))

    if mains:
        add("wall.power", np.array([wall_w(float(w)) for w in watts]) * noise, 2)
    elif device.battery_wh is not None:
        draw = (watts + ON_BATTERY_W) * noise
        left = device.battery_wh * 0.96 - np.cumsum(draw) / 3600.0
        add("battery.power", draw, 2)
        add("battery.energy", left, 2)
        add("battery.charge", 100.0 * left / device.battery_wh, 0)
    return RunLog(series, log.marks)


def add_readings(book: Book, run: Run, device: RigDevice, log: RunLog) -> None:
    """Noise and surfaces of the first repeat of each setting, read towards its end."""
    if run.repeat > 1 or run.void or run.ambient_c != 22.0 or "frame.rate" in log.series:
        return
    rng = np.random.default_rng(run.id)
    end = float(log.series["cpu.power"].t[-1])
    fan = float(log.series["fan.1.speed"].values[-60:].mean())
    watts = float(log.series["cpu.power"].values[-60:].mean())
    level = QUIET_DB + 50.0 * math.log10(fan / QUIET_RPM)
    heard = 10.0 * math.log10(10 ** (level / 10) + 10 ** (ROOM_DB / 10))
    common = {"run_id": run.id, "taken": run.started}
    noise = {"quantity": Quantity.NOISE, "distance_mm": 500.0, "instrument": "Level meter", "u": 0.81}
    for n in range(2):
        value = round(heard + 0.2 * float(rng.standard_normal()), 1)
        book.save(Reading.model_validate({**common, **noise, "t_s": end - 60 + 20 * n, "value": value}))
    book.save(
        Reading.model_validate(
            {**common, **noise, "t_s": 1.0, "value": ROOM_DB, "place": "room", "note": "before the load"}
        )
    )
    for n, (place, per_w) in enumerate(SURFACES.get(device.form, ())):
        value = round(22.0 + 1.5 + per_w * watts + 0.2 * float(rng.standard_normal()), 1)
        touched = {"quantity": Quantity.SURFACE, "instrument": "Contact thermometer", "u": 0.6, "place": place}
        book.save(Reading.model_validate({**common, **touched, "t_s": end - 20 + 5 * n, "value": value}))
