"""How far a twin is off devices that it has not seen: three simulators that share no code with it make the runs of a
review, and then the run that the twin was asked about. `python bench/twins.py [DEVICES]` prints the table of
docs/methods.md."""

import math
import sys
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))
from machines import Part, Run, average_limit, simulate
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from pinch.core.twin import twin_of
from pinch.core.twin_runs import Change, TwinRefusedError, TwinRun

Device = Callable[[float, float], tuple[float, float, float, float, str]]
"""Limit W and room °C to watts, MHz, °C, score and what held it, once it has settled."""
SCATTER = {"power": 0.003, "clock": 0.003, "score": 0.005}
SENSOR_K = 0.3
KNOWN = 0.5
"""Share of the devices whose heat limit is told."""
CAUSES = {"": "sustained-power", "burst-power": "sustained-power", "sustained-power": "sustained-power", "heat": "heat"}


def nodes_and_euler(rng: np.random.Generator) -> Device:
    """`bench/machines.py`: a loop of a tenth of a second over Cauer nodes, with a clamp at its heat limit."""
    full, scale = float(rng.uniform(20, 90)), float(rng.uniform(0.7, 1.5))
    nodes = ((0.1 * 40 / full * scale, 30.0), (0.95 * 40 / full * scale, 90.0))
    part = Part(full_w=full, top_mhz=float(rng.uniform(3000, 5200)), bends=float(rng.uniform(0.33, 0.55)), nodes=nodes)
    part.floor_w, part.limit_c, part.heat = float(rng.uniform(0.5, 2.5)), float(rng.uniform(68, 95)), "clamp"

    def settle(limit_w: float, room_c: float) -> tuple[float, float, float, float, str]:
        rule = average_limit(min(1.3 * limit_w, full), limit_w, 20.0)
        run = Run(cpu=part, rules=[rule], idle_s=5.0, load_s=700.0, room_c=room_c)
        truth = simulate(run, np.random.default_rng(int(rng.integers(1 << 31))))
        last = slice(-2500, -10)
        means = [
            float(np.nanmean(truth.columns[n][last])) for n in ("cpu.power", "cpu.clock", "cpu.temp", "score.rate")
        ]
        names, counts = np.unique(truth.causes[last].astype(str), return_counts=True)
        return (*means, CAUSES.get(str(names[counts.argmax()]), "clock-ceiling"))  # type: ignore[return-value]

    settle.limit_c = part.limit_c  # type: ignore[attr-defined]
    return settle


def voltage_and_leakage(rng: np.random.Generator) -> Device:
    """Watts of f · V(f)² and an exponential leakage, a fan that follows the temperature, two nodes integrated by scipy,
    and a heat limit that the firmware holds exactly."""
    top, span = float(rng.uniform(3.0, 5.2)), float(rng.uniform(0.35, 0.6))
    cap = float(rng.uniform(2.0, 9.0))
    full = cap * top * (0.65 + span) ** 2
    leak_w, leak_k = full * float(rng.uniform(0.02, 0.08)), float(rng.uniform(40.0, 80.0))
    r_slow, r_fast = float(rng.uniform(0.8, 1.4)) * 55.0 / full, 0.15 * 55.0 / full
    limit_c, bound = float(rng.uniform(70, 98)), float(rng.uniform(0.6, 1.0))

    def watts(ghz: float, temp: float) -> float:
        volts = 0.65 + span * ghz / top
        return cap * ghz * volts**2 + leak_w * math.exp((temp - 60.0) / leak_k)

    def resistance(temp: float) -> float:
        return r_slow * (1.0 - 0.25 / (1.0 + math.exp((65.0 - temp) / 6.0)))

    def warm(power: float, room: float) -> float:
        def change(_: float, t: np.ndarray) -> list[float]:
            between = (t[0] - t[1]) / r_fast
            return [(power - between) / 10.0, (between - (t[1] - room) / resistance(t[0])) / 120.0]

        solved = solve_ivp(change, (0.0, 3000.0), [room, room], method="LSODA", rtol=1e-6)
        return float(solved.y[0, -1])

    def settle(limit_w: float, room_c: float) -> tuple[float, float, float, float, str]:
        temp, cause = warm(limit_w, room_c), "sustained-power"
        power = limit_w
        if temp > limit_c:
            power = float(brentq(lambda p: warm(p, room_c) - limit_c, 0.2, limit_w, xtol=0.01))
            temp, cause = limit_c, "heat"
        most = watts(top, temp)
        if most < power:
            power, cause = most, "clock-ceiling"
            temp = warm(power, room_c)
        ghz = float(brentq(lambda f: watts(f, temp) - min(power, watts(top, temp)), 0.1, top))
        return power, 1000.0 * ghz, temp, ghz**bound, cause

    settle.limit_c = limit_c  # type: ignore[attr-defined]
    return settle


def tables_and_noise(rng: np.random.Generator) -> Device:
    """States of 100 MHz with a table of voltages, of which the firmware mixes two; resistance by steps of the fan."""
    states = np.arange(0.8, float(rng.uniform(3.2, 5.4)), 0.1)
    volts = 0.62 + np.cumsum(rng.uniform(0.003, 0.02, len(states)))
    table = float(rng.uniform(2.5, 8.0)) * states * volts**2 + float(rng.uniform(0.5, 2.0))
    steps = np.sort(rng.uniform(50, 85, 3))
    levels = float(rng.uniform(0.8, 1.3)) * 52.0 / table[-1] * np.array([1.0, 0.93, 0.87, 0.82])
    limit_c, offset = float(rng.uniform(66, 95)), float(rng.uniform(-0.03, 0.03))

    def temp_of(power: float, room: float) -> float:
        temp = room
        for _ in range(200):
            temp += 0.2 * (room + power * float(np.interp(temp, steps, levels[:3], levels[0], levels[3])) - temp)
        return temp

    def settle(limit_w: float, room_c: float) -> tuple[float, float, float, float, str]:
        power, cause = limit_w * (1.0 + offset), "sustained-power"
        if temp_of(power, room_c) > limit_c:
            power, cause = float(brentq(lambda p: temp_of(p, room_c) - limit_c, 1.0, power)), "heat"
        if power > table[-1]:
            power, cause = float(table[-1]), "clock-ceiling"
        clock = 1000.0 * float(np.interp(power, table, states))
        return power, clock, temp_of(power, room_c), clock**0.85 / 10.0, cause

    settle.limit_c = limit_c  # type: ignore[attr-defined]
    return settle


SIMULATORS = (nodes_and_euler, voltage_and_leakage, tables_and_noise)


@dataclass(frozen=True)
class Told:
    """A prediction beside what the simulator did: offs as shares (K for the temperature), and whether it held them."""

    what: str
    offs: dict[str, float]
    held: dict[str, bool]


def run_of(device: Device, limit_w: float, room_c: float, rng: np.random.Generator) -> TwinRun:
    power, clock, temp, score, cause = device(limit_w, room_c)
    factor = {name: math.exp(sd * rng.standard_normal()) for name, sd in SCATTER.items()}
    return TwinRun(
        cell=f"{limit_w:.1f} W in {room_c:.0f} °C",
        power_w=power * factor["power"],
        limit_w=limit_w,
        clock_mhz=clock * factor["clock"],
        temp_c=round(2.0 * (temp + SENSOR_K * rng.standard_normal())) / 2.0,
        score=score * factor["score"],
        room_c=room_c,
        cause=cause,
    )


def review(device: Device, most_w: float, rng: np.random.Generator) -> list[TwinRun]:
    """Six limits, one or two runs each, in one room; one limit again in a room 6 K warmer."""
    limits = most_w * np.array([0.35, 0.48, 0.61, 0.74, 0.87, 1.0]) * rng.uniform(0.98, 1.02, 6)
    made = [run_of(device, float(w), 22.0, rng) for w in limits for _ in range(int(rng.integers(1, 3)))]
    return [*made, run_of(device, float(limits[3]), 28.0, rng)]


def ask(make: Callable[[np.random.Generator], Device], seed: int) -> Iterator[Told]:
    """Ask about three limits inside the range, and the highest one in a room 8 K warmer."""
    rng = np.random.default_rng(seed)
    device = make(rng)
    most_w = device(1e4, 22.0)[0] * float(rng.uniform(0.75, 1.15))
    told_c = round(device.limit_c) if rng.random() < KNOWN else math.nan  # type: ignore[attr-defined]
    twin = twin_of(review(device, most_w, rng), told_c)
    asked = [(most_w * float(rng.uniform(0.38, 0.97)), 22.0) for _ in range(3)] + [(most_w, 30.0)]
    for limit_w, room_c in asked:
        real = run_of(device, limit_w, room_c, rng)
        what = (
            "room + 8 K, heat"
            if room_c > 22.0 and real.cause == "heat"
            else "inside"
            if room_c == 22.0
            else "room + 8 K"
        )
        try:
            told = twin.predict(Change(limit_w=limit_w, room_c=room_c))
        except TwinRefusedError as refused:
            yield Told(f"{what}: refused", {}, {str(refused): True})
            continue
        pairs = {
            "power": (told.power, real.power_w),
            "clock": (told.clock, real.clock_mhz),
            "temp": (told.temp, real.temp_c),
            "score": (told.score, real.score),
        }
        offs = {n: f.value - v if n == "temp" else f.value / v - 1.0 for n, (f, v) in pairs.items()}
        yield Told(what, offs, {n: f.low <= v <= f.high for n, (f, v) in pairs.items()})


def main() -> None:
    devices = int(sys.argv[1]) if len(sys.argv) > 1 else 30
    for make in SIMULATORS:
        found: dict[str, list[Told]] = defaultdict(list)
        for seed in range(devices):
            for told in ask(make, 1000 + seed):
                found[told.what].append(told)
        for what, all_of in sorted(found.items()):
            print(f"{make.__name__:22} {what:28} n {len(all_of):4}", end="")
            if "refused" in what:
                print("  " + next(iter(all_of[0].held)))
                continue
            for name in ("power", "clock", "temp", "score"):
                offs = np.array([t.offs[name] for t in all_of])
                unit, by = ("K", 1.0) if name == "temp" else ("%", 100.0)
                rms, p95 = by * float(np.sqrt(np.mean(offs**2))), by * float(np.percentile(np.abs(offs), 95))
                held = 100.0 * float(np.mean([t.held[name] for t in all_of]))
                print(f"  {name} {rms:.2f} ({p95:.2f}) {unit} {held:.0f} %", end="")
            print()


if __name__ == "__main__":
    main()
