#!/usr/bin/env python3
"""How often Pinch is right about runs whose truth is known: .venv/bin/python bench/accuracy.py [RUNS] [SEED] [FAMILY]

Families of different mechanisms, from `bench/machines.py`, which shares nothing with the judge; every run has other
parameters, drawn at random. Prints a table by family (see docs/methods.md), how true the probabilities are, and with
FAMILY (a part of its name) each run and what it took for what. `--keep FILE` keeps the figures as JSON, or draws the
probabilities where its name ends in .svg.
"""

import json
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent))

from machines import (
    FREE,
    STEP_S,
    Game,
    Logger,
    Part,
    Rule,
    Run,
    Sensor,
    Truth,
    average_limit,
    boxcar_limit,
    observe,
    simulate,
    sinking,
    skin_limit,
    stairs,
)

from pinch.charts.chart_files import face_bytes
from pinch.charts.face import face_of
from pinch.charts.spec import Chart, Dots, Line, Panel
from pinch.core.judge import Judgement, judge
from pinch.core.known import Known
from pinch.core.runlog import RunLog, Series

EDGE_S = 3.0
"""Seconds around a true change of cause in which naming either is right."""
Rng = np.random.Generator


@dataclass
class Case:
    """A run, its log and what is true. `levels` are the watts that the last limit holds (None: none was in force at the
    end), `state` the settled state where it is plain."""

    run: Run
    truth: Truth
    log: RunLog
    known: Known
    held_w: float | None = None
    burst_w: float | None = None
    state: str = ""
    teeth: bool | None = False
    faults: tuple[tuple[float, float], ...] = ()
    also: dict[str, tuple[str, ...]] = field(default_factory=dict)


def u(rng: Rng, low: float, high: float) -> float:
    return float(rng.uniform(low, high))


def cpu_of(rng: Rng, watts: float, **fields: object) -> Part:
    """A processor that would take `watts` at its top clock, and is not held by heat."""
    share = u(rng, 0.25, 0.45)
    total = u(rng, 35.0, 55.0) / watts
    nodes = ((total * share, u(rng, 2.0, 6.0) / (total * share)), (total * (1 - share), u(rng, 60.0, 170.0) / total))
    made = {
        "full_w": watts,
        "top_mhz": float(rng.integers(36, 56)) * 100.0,
        "bends": u(rng, 0.34, 0.48),
        "nodes": nodes,
    }
    return Part(**{**made, "limit_c": 105.0, **fields})  # type: ignore[arg-type]


def sensors(rng: Rng, coarse: bool = False) -> dict[str, Sensor]:
    power = Sensor(u(rng, 0.001, 0.006), float(rng.choice([0.001, 0.01, 0.1])))
    clock = Sensor(u(rng, 0.001, 0.008), float(rng.choice([1.0, 25.0])))
    temp = Sensor(u(rng, 0.05, 0.4), float(rng.choice([0.1, 0.25, 1.0])))
    if coarse:
        power.step, temp.step, clock.step = 1.0, 1.0, 100.0
    return {"cpu.power": power, "cpu.clock": clock, "cpu.temp": temp, "cpu.load": Sensor(0.002, 1.0)}


def make(rng: Rng, run: Run, seen: dict[str, Sensor], logger: dict[str, object] | None = None, **more: object) -> Case:
    if rng.random() < 0.5 and "score.rate" not in seen and run.game is None:
        seen["score.rate"] = Sensor(u(rng, 0.002, 0.01), 0.1)
    truth = simulate(run, rng)
    t, columns = observe(truth, Logger(seen, **(logger or {})), rng)  # type: ignore[arg-type]
    series = {n: Series(n, t[np.isfinite(v)], v[np.isfinite(v)]) for n, v in columns.items() if np.isfinite(v).any()}
    known = Known(ambient_c=run.room_c if rng.random() < 0.6 else None)
    held, burst = more.get("held_w"), more.get("burst_w")
    for i, cause in enumerate(truth.causes):
        if cause == "":
            watts = truth.columns["soc.power"][i]
            is_burst = burst is not None and watts > 1.02 * float(held or 0.0) and watts > 0.9 * float(burst)  # type: ignore[arg-type]
            truth.causes[i] = "burst-power" if is_burst else "sustained-power"
    return Case(run, truth, RunLog(series), known, **more)  # type: ignore[arg-type]


def steady(t: float) -> float:
    return 1.0


def scenes(rng: Rng, deep: float, length: float = 12.0) -> Callable[[float], float]:
    """Work that changes from scene to scene."""
    weights = 1.0 + deep * rng.standard_normal(400)
    ends = np.cumsum(rng.uniform(0.5, 1.5, 400) * length)
    return lambda t: float(np.clip(weights[int(np.searchsorted(ends, max(t, 0.0)))], 0.6, 1.4))


def two_levels(rng: Rng, **more: object) -> tuple[Run, float, float]:
    held = u(rng, 12.0, 50.0)
    burst = held * u(rng, 1.2, 1.9)
    run = Run(cpu=cpu_of(rng, burst * u(rng, 1.1, 1.6)), load_s=u(rng, 420, 1000), room_c=u(rng, 18, 30))
    run.cpu = cpu_of(rng, burst * u(rng, 1.1, 1.6), **more)
    run.cpu.nodes = tuple(
        (r * run.cpu.full_w / held * 0.75, c / run.cpu.full_w * held / 0.75) for r, c in run.cpu.nodes
    )
    if burst * sum(n[0] for n in run.cpu.nodes) > 78.0 and run.cpu.heat == "none":
        run.cpu.limit_c = 120.0
    run.rules = [average_limit(burst, held, u(rng, 8.0, 30.0))]
    return run, held, burst


def two_level(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    if rng.random() < 0.5:
        run.activity = scenes(rng, 0.03)
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")


def coarse(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    return make(rng, run, sensors(rng, True), {"period_s": float(rng.choice([1.0, 2.0]))}, held_w=held, burst_w=burst)


def late_power(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    seen = sensors(rng)
    seen["cpu.power"].lag_s = u(rng, 1.5, 3.0)
    return make(rng, run, seen, held_w=held, burst_w=burst, state="settled")


def averaged_power(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    seen = sensors(rng)
    seen["cpu.power"].average_s = u(rng, 1.5, 5.0)
    return make(rng, run, seen, held_w=held, burst_w=burst, state="settled")


def repeated(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    seen = sensors(rng)
    for name in ("cpu.power", "cpu.temp", "cpu.clock")[: int(rng.integers(1, 4))]:
        seen[name].repeats_s = float(rng.choice([2.0, 3.0, 5.0]))
    return make(rng, run, seen, held_w=held, burst_w=burst, state="settled")


def ten_hertz(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.load_s = u(rng, 300, 500)
    logger = {"period_s": 0.1, "jitter_s": 0.03, "hiccups": 12, "spikes": int(rng.integers(0, 12))}
    return make(rng, run, sensors(rng), logger, held_w=held, burst_w=burst, state="settled")


def spikes(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    return make(
        rng, run, sensors(rng), {"spikes": int(rng.integers(4, 14))}, held_w=held, burst_w=burst, state="settled"
    )


def three_levels(rng: Rng) -> Case:
    held = u(rng, 14.0, 45.0)
    levels = (held * u(rng, 1.35, 1.7), held * u(rng, 1.08, 1.2), held)
    first = u(rng, 15.0, 40.0)
    run = Run(cpu=cpu_of(rng, levels[0] * 1.3), load_s=u(rng, 500, 1100))
    run.cpu.limit_c = 120.0
    run.rules = [stairs(levels, (first, first + u(rng, 10.0, 60.0)))]
    return make(rng, run, sensors(rng), held_w=held, burst_w=levels[0], state="settled")


def cascade(rng: Rng) -> Case:
    held = u(rng, 14.0, 45.0)
    middle, burst = held * u(rng, 1.15, 1.3), held * u(rng, 1.5, 1.9)
    run = Run(cpu=cpu_of(rng, burst * 1.3), load_s=u(rng, 700, 1200))
    run.cpu.limit_c = 120.0
    run.rules = [average_limit(burst, middle, u(rng, 6, 15)), average_limit(burst, held, u(rng, 60, 150))]
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")


def boxcar(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.rules = [boxcar_limit(burst, held, u(rng, 20, 60))]
    run.load_s = min(run.load_s, 600.0)
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst)


def timers(rng: Rng) -> Case:
    """Stairs of firmware timers; the last step may come late."""
    held = u(rng, 14.0, 40.0)
    levels = (held * u(rng, 1.6, 1.9), held * u(rng, 1.25, 1.4), held * u(rng, 1.08, 1.15), held)
    load = u(rng, 500, 900)
    late = bool(rng.random() < 0.5)
    ends = (u(rng, 20, 60), u(rng, 90, 180), load * (u(rng, 0.75, 0.92) if late else u(rng, 0.4, 0.5)))
    run = Run(cpu=cpu_of(rng, levels[0] * 1.3), load_s=load, rules=[stairs(levels, ends)])
    run.cpu.limit_c = 120.0
    state = "settled" if not late else "late"
    return make(rng, run, sensors(rng), held_w=held, burst_w=levels[0], state=state)


def late_step(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    low = held * u(rng, 0.72, 0.9)
    at = run.load_s * u(rng, 0.75, 0.95)
    run.rules.append(Rule(lambda s: low if s.t >= at else FREE, ""))
    return make(rng, run, sensors(rng), held_w=low, burst_w=burst, state="late")


def weak_charger(rng: Rng) -> Case:
    """The adapter carries less than the limit; the battery helps out for a while."""
    run, held, burst = two_levels(rng)
    low = held * u(rng, 0.7, 0.9)
    at = run.load_s * u(rng, 0.2, 0.45)
    run.rules.append(Rule(lambda s: low if s.t >= at else FREE, "supply"))
    run.battery_wh = u(rng, 40, 70)
    case = make(rng, run, sensors(rng), held_w=low, burst_w=burst, also={"supply": ("supply", "sustained-power")})
    return case


def sinking_battery(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.load_s = u(rng, 700, 1200)
    run.battery_wh = held * u(rng, 0.6, 1.0)
    run.rules.append(sinking(held * 0.98, held * u(rng, 0.2, 0.4)))
    seen = {**sensors(rng), "battery.charge": Sensor(0.0, 1.0)}
    return make(rng, run, seen, burst_w=burst, state="drifting")


def skin(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.load_s = u(rng, 900, 1500)
    run.skin = (20.0 / held, u(rng, 120, 260))
    limit = run.room_c + 20.0 * u(rng, 0.7, 0.85)
    run.rules.append(skin_limit(limit, burst * 1.05, held * 0.5))
    seen = sensors(rng)
    if rng.random() < 0.7:
        seen["skin.case.temp"] = Sensor(0.05, 0.1)
        also = {"skin": ("skin",)}
    else:
        also = {"skin": ("skin", "sustained-power", "unknown")}
    return make(rng, run, seen, burst_w=burst, held_w=None, also=also)


def hot_part(rng: Rng, mode: str, **more: object) -> tuple[Run, float, float]:
    run, held, burst = two_levels(rng, heat=mode, limit_c=u(rng, 78, 100), **more)
    carried = held * u(rng, 0.6, 0.9)
    total = sum(n[0] for n in run.cpu.nodes)
    wish = (run.cpu.limit_c - run.room_c) / carried
    run.cpu.nodes = tuple((r * wish / total, c * total / wish) for r, c in run.cpu.nodes)
    return run, held, burst


def clamp(rng: Rng) -> Case:
    run, _held, burst = hot_part(rng, "clamp")
    run.load_s = u(rng, 600, 1200)
    if rng.random() < 0.4:
        run.activity = scenes(rng, 0.04)
    return make(rng, run, sensors(rng), burst_w=burst)


def clamp_coarse(rng: Rng) -> Case:
    run, _held, burst = hot_part(rng, "clamp")
    run.load_s = u(rng, 600, 1200)
    return make(rng, run, sensors(rng, True), burst_w=burst)


def teeth(rng: Rng, cut: tuple[float, float] = (0.62, 0.8), mode: str = "teeth") -> Case:
    """Hysteresis whose teeth a log of a sample a second can show."""
    while True:
        run, held, burst = hot_part(rng, mode, band_k=u(rng, 4, 11))
        nodes = run.cpu.nodes
        run.cpu.nodes = ((nodes[0][0], u(rng, 5, 14) / nodes[0][0]), nodes[1])
        run.cpu.cut = u(rng, *cut) * held * 0.75 / run.cpu.full_w
        run.load_s = u(rng, 600, 1000)
        case = make(rng, run, sensors(rng), burst_w=burst, teeth=True)
        late = case.truth.causes[len(case.truth.causes) // 2 :]
        onsets = int(np.sum((late[:-1] != "heat") & (late[1:] == "heat")))
        if onsets and 6.0 <= len(late) * STEP_S / onsets <= 140.0:
            return case


def deep_cuts(rng: Rng) -> Case:
    return teeth(rng, (0.2, 0.45), "deep")


def cool_limit(rng: Rng) -> Case:
    """A cool machine at a flat limit: nothing about it is heat."""
    run, held, burst = two_levels(rng)
    scale = u(rng, 22, 32) / held / sum(n[0] for n in run.cpu.nodes)
    run.cpu.nodes = tuple((r * scale, c / scale) for r, c in run.cpu.nodes)
    run.activity = scenes(rng, 0.03)
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")


def ceiling(rng: Rng) -> Case:
    wanted = u(rng, 15, 40)
    run = Run(cpu=cpu_of(rng, wanted), load_s=u(rng, 400, 800))
    run.rules = [average_limit(wanted * 2.0, wanted * u(rng, 1.2, 1.6), 28.0)]
    run.cpu.limit_c = 120.0
    run.activity = scenes(rng, u(rng, 0.02, 0.08))
    return make(rng, run, sensors(rng), state="settled")


def lock(rng: Rng) -> Case:
    run, held, _burst = hot_part(rng, "clamp")
    run.cpu.lock_mhz = run.cpu.clock_at(0.75 * held * u(rng, 0.6, 0.75), 1.0)
    run.activity = scenes(rng, u(rng, 0.01, 0.05))
    return make(rng, run, sensors(rng))


def few_threads(rng: Rng) -> Case:
    """Falling parallelism: parts of the work leave cores without any."""
    run, _held, burst = two_levels(rng)
    ends = np.cumsum(rng.uniform(40, 120, 40))
    shares = rng.choice([1.0, 0.75, 0.5, 0.25], 40, p=[0.4, 0.2, 0.2, 0.2])
    shares[0] = 1.0
    run.busy = lambda t: float(shares[int(np.searchsorted(ends, t))])
    return make(rng, run, sensors(rng), burst_w=burst)


def falling_work(rng: Rng) -> Case:
    """Work whose parallelism falls steadily to its end."""
    run, _held, burst = two_levels(rng)
    run.load_s = max(run.load_s, 500.0)
    begin = run.load_s * u(rng, 0.2, 0.5)
    run.busy = lambda t: 1.0 if t < begin else max(0.3, 1.0 - 0.7 * (t - begin) / (run.load_s - begin))
    return make(rng, run, sensors(rng), burst_w=burst, state="drifting")


def background(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.idle_s = 70.0
    if rng.random() < 0.5:
        run.starts_s = ((-55.0, -55.0 + u(rng, 3, 12)),)
    else:
        run.starts_s = ((-60.0, -57.0), (-40.0, -33.0))
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst)


def two_loads(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.load_s = u(rng, 500, 800)
    run.idle_s = u(rng, 250, 320)
    run.starts_s = ((-run.idle_s + 30.0, -u(rng, 90, 120)),)
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst)


def cut_off(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.idle_s = 0.0 if rng.random() < 0.5 else 15.0
    return make(
        rng, run, sensors(rng), {"ends_s": run.idle_s + run.load_s * u(rng, 0.4, 0.9)}, held_w=held, burst_w=burst
    )


def passes(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    length, pause = u(rng, 80, 150), u(rng, 8, 25)
    run.load_s = 5 * length + 4 * pause
    run.busy = lambda t: 1.0 if t % (length + pause) < length else 0.0
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst)


def fault(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    run.load_s = u(rng, 600, 900)
    first = u(rng, 200, 300)
    spans = ((first, first + u(rng, 6, 25)), (first + 200, first + 200 + u(rng, 6, 25)))
    run.fault = lambda t: any(a <= t < b for a, b in spans)
    return make(rng, run, sensors(rng), held_w=held, burst_w=burst, faults=spans)


def cores_only(rng: Rng) -> Case:
    """Clocks and temperatures of cores, no summary of either."""
    run, held, burst = two_levels(rng)
    case = make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")
    series = dict(case.log.series)
    clock, temp = series.pop("cpu.clock"), series.pop("cpu.temp")
    for core in range(6):
        a, b = f"cpu.core.{core}.clock", f"cpu.core.{core}.temp"
        series[a] = Series(a, clock.t, clock.values * (1.0 - 0.004 * core))
        series[b] = Series(b, temp.t, np.round(temp.values - 2.0 * core + 0.3 * rng.standard_normal(len(temp.t)), 1))
    case.log = RunLog(series)
    return case


def most_of_cores(rng: Rng) -> Case:
    """A clock that is the highest of the cores: it hardly falls, and jumps."""
    run, held, burst = two_levels(rng)
    case = make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")
    clock = case.log.series["cpu.clock"]
    raised = clock.values * (1.0 + 0.06 * rng.beta(2.0, 3.0, len(clock.t)))
    case.log = RunLog({**case.log.series, "cpu.clock": Series("cpu.clock", clock.t, np.round(raised))})
    return case


def volts_amps(rng: Rng) -> Case:
    run, held, burst = two_levels(rng)
    case = make(rng, run, sensors(rng), held_w=held, burst_w=burst, state="settled")
    series = dict(case.log.series)
    power = series.pop("cpu.power")
    volts = np.round(1.05 + 0.02 * rng.standard_normal(len(power.t)) * 0.05, 3)
    series["cpu.voltage"] = Series("cpu.voltage", power.t, volts)
    series["cpu.current"] = Series("cpu.current", power.t, np.round(power.values / volts, 2))
    case.log = RunLog(series)
    return case


def flags(rng: Rng) -> Case:
    """The firmware's own flags, beside channels that alone would not tell."""
    kind = str(rng.choice(["heat", "power", "current"]))
    run, _held, burst = hot_part(rng, "clamp") if kind == "heat" else two_levels(rng)
    case = make(rng, run, {k: v for k, v in sensors(rng).items() if k != "cpu.temp"}, burst_w=burst)
    t = case.log.series["cpu.power"].t
    causes = case.truth.causes[np.clip((t / STEP_S).astype(int) - 5, 0, len(case.truth.causes) - 1)]
    if kind == "current":
        case.truth.causes[case.truth.causes == "sustained-power"] = "current"
        true = causes == "sustained-power"
    else:
        true = causes == "heat" if kind == "heat" else np.isin(causes.astype(str), ["sustained-power", "burst-power"])
    name = f"cpu.throttle.{kind}"
    case.log = RunLog({**case.log.series, name: Series(name, t, true.astype(float))})
    return case


def game_run(rng: Rng, limit: float, **fields: object) -> tuple[Run, dict[str, Sensor]]:
    """A game on a chip whose parts share a budget; `limit` is far away unless it is said to rule."""
    gpu_w = u(rng, 12, 40)
    gpu = Part(full_w=gpu_w, top_mhz=float(rng.integers(16, 29)) * 100.0, bends=u(rng, 0.36, 0.5), limit_c=110.0)
    gpu.nodes = ((u(rng, 12, 18) / gpu_w, gpu_w * 0.5), (u(rng, 16, 24) / gpu_w, gpu_w * 6.0))
    for name, value in fields.items():
        setattr(gpu, name, value)
    cpu = Part(full_w=gpu_w, floor_w=1.0, nodes=((0.2, 20.0), (25.0 / gpu_w, 5.0 * gpu_w)), limit_c=110.0)
    game = Game(rate=u(rng, 40, 110), weight=scenes(rng, u(rng, 0.03, 0.15), u(rng, 5, 20)))
    game.cpu_w_per_fps = u(rng, 0.2, 0.45) * gpu_w / game.rate * 0.6
    run = Run(cpu=cpu, gpu=gpu, game=game, load_s=u(rng, 400, 900), idle_s=u(rng, 10, 30))
    if limit < 1.0:
        held = run.base_w + 1.0 + limit * (gpu_w + game.cpu_w_per_fps * game.rate)
        run.rules = [average_limit(held * u(rng, 1.05, 1.5), held, u(rng, 8, 28))]
    seen = sensors(rng)
    del seen["cpu.power"]
    power = Sensor(u(rng, 0.001, 0.005), 0.01)
    seen |= {"soc.power": power, "gpu.clock": Sensor(0.003, 1.0), "gpu.temp": Sensor(0.1, 1.0)}
    seen |= {"gpu.load": Sensor(0.006, 1.0), "frame.rate": Sensor(0.004, 0.1), "gpu.power": Sensor(0.003, 0.01)}
    return run, seen


def _held_of(run: Run) -> float:
    state = simulate.__globals__["State"](watts=[1e4] * 20_000)
    return float(min(r.allows(state) for r in run.rules))


def game_limit(rng: Rng) -> Case:
    run, seen = game_run(rng, u(rng, 0.5, 0.85))
    held = _held_of(run)
    run.rules = [average_limit(held * u(rng, 1.1, 1.5), held, u(rng, 8, 28))]
    return make(rng, run, seen, held_w=held, burst_w=held * 1.05)


def game_parts_only(rng: Rng) -> Case:
    """A shared budget of which only the parts are logged."""
    run, seen = game_run(rng, u(rng, 0.5, 0.85))
    held = _held_of(run)
    run.rules = [average_limit(held * u(rng, 1.1, 1.5), held, u(rng, 8, 28))]
    run.base_w = 0.0
    del seen["soc.power"]
    seen["cpu.power"] = Sensor(0.003, 0.01)
    return make(rng, run, seen, held_w=held, burst_w=held * 1.05)


def game_graphics(rng: Rng) -> Case:
    run, seen = game_run(rng, 9.0)
    return make(rng, run, seen)


def game_cap(rng: Rng) -> Case:
    run, seen = game_run(rng, 9.0)
    assert run.game is not None
    run.game.cap = float(rng.choice([30.0, 40.0, 60.0]))
    run.game.rate = run.game.cap * u(rng, 1.15, 1.8)
    run.game.cpu_w_per_fps = 0.2
    return make(rng, run, seen)


def game_waits(rng: Rng) -> Case:
    """A game whose processor work keeps graphics from being full."""
    run, seen = game_run(rng, 9.0)
    assert run.game is not None
    level = run.game.rate * u(rng, 0.5, 0.75)
    wave = scenes(rng, 0.06, 9.0)
    run.game.cpu_bound = lambda t: level * wave(t)
    return make(rng, run, seen, also={"waiting": ("waiting",)})


def game_heat(rng: Rng) -> Case:
    """Graphics at their own heat limit, with a budget that would allow more."""
    limit = u(rng, 74, 90)
    run, seen = game_run(rng, 9.0, heat="clamp", limit_c=limit)
    assert run.gpu is not None
    wish = (limit - run.room_c) / (run.gpu.full_w * u(rng, 0.6, 0.85))
    total = sum(n[0] for n in run.gpu.nodes)
    run.gpu.nodes = tuple((r * wish / total, c) for r, c in run.gpu.nodes)
    run.load_s = u(rng, 700, 1100)
    return make(rng, run, seen)


def game_card(rng: Rng) -> Case:
    """A graphics card with a limit of its own beside a processor that idles along."""
    run, seen = game_run(rng, 9.0)
    run.separate = True
    assert run.gpu is not None
    held = run.gpu.full_w * u(rng, 0.55, 0.85)
    run.rules = [Rule(lambda s: held, "")]
    del seen["soc.power"]
    seen["cpu.power"] = Sensor(0.003, 0.01)
    return make(rng, run, seen, held_w=held)


def short(rng: Rng) -> Case:
    run, _held, burst = two_levels(rng)
    run.load_s = u(rng, 30, 56)
    return make(rng, run, sensors(rng), burst_w=burst, state="too-short")


FAMILIES: dict[str, Callable[[Rng], Case]] = {
    "two levels": two_level,
    "1 W, 1 °C, 100 MHz steps": coarse,
    "power sensor late": late_power,
    "power sensor averages": averaged_power,
    "values repeated": repeated,
    "10 Hz with hiccups": ten_hertz,
    "spikes and zeros": spikes,
    "three levels": three_levels,
    "cascaded averages": cascade,
    "moving window": boxcar,
    "firmware timers": timers,
    "late step": late_step,
    "weak charger": weak_charger,
    "sinking battery": sinking_battery,
    "skin limiter": skin,
    "heat, smooth": clamp,
    "heat, smooth, coarse sensors": clamp_coarse,
    "heat, saw-tooth": teeth,
    "heat, deep cuts": deep_cuts,
    "cool at a limit": cool_limit,
    "clock ceiling": ceiling,
    "clock lock": lock,
    "changing parallelism": few_threads,
    "falling parallelism": falling_work,
    "blips before the load": background,
    "two loads": two_loads,
    "cut off": cut_off,
    "passes with pauses": passes,
    "faults": fault,
    "cores only": cores_only,
    "highest core's clock": most_of_cores,
    "volts and amperes": volts_amps,
    "flags": flags,
    "game at a shared limit": game_limit,
    "game, parts only": game_parts_only,
    "game, graphics-bound": game_graphics,
    "game at a cap": game_cap,
    "game that waits": game_waits,
    "game, graphics' heat": game_heat,
    "game, graphics card": game_card,
    "too short": short,
}


@dataclass
class Tally:
    """What came of a family of runs."""

    seconds: int = 0
    named: int = 0
    wrong: int = 0
    worst: float = 1.0
    limits: Counter[str] = field(default_factory=Counter)
    settled: Counter[str] = field(default_factory=Counter)
    invented: int = 0
    missed: int = 0
    teeth_false: int = 0
    teeth_missed: int = 0
    mistaken: Counter[tuple[str, str]] = field(default_factory=Counter)
    said: list[tuple[float, bool]] = field(default_factory=list)

    def add(self, other: "Tally") -> None:
        for name, value in vars(other).items():
            mine = getattr(self, name)
            if name == "worst":
                self.worst = min(mine, value)
            elif isinstance(mine, Counter):
                mine.update(value)
            else:
                setattr(self, name, mine + value)


def rate(case: Case, j: Judgement) -> Tally:
    """How a judgement of a case stands against its truth."""
    tally = Tally()
    told = np.full(len(case.truth.causes) // 10 + 2, "", dtype=object)
    sure = np.zeros(len(told))
    for s in j.limiters:
        a, b = max(round(s.start_s), 0), max(round(s.end_s), 0)
        told[a:b], sure[a:b] = str(s.cause), getattr(s, "p", 1.0)
    begin, end = case.truth.load
    end = min(end, max(s.t[-1] for s in case.log.series.values()))
    causes, true = _with_teeth(case), case.truth.causes
    for second in range(int(np.ceil(begin)) + 1, int(end) - 2):
        near = causes[max(0, int((second - EDGE_S) / STEP_S)) : int((second + 1 + EDGE_S) / STEP_S)]
        middle_bin = int((second + 0.5) / STEP_S)
        middle = causes[middle_bin]
        if middle == "fault" or "fault" in near or len(set(near)) > 1:
            continue
        right = told[second] in case.also.get(middle, (middle,)) or told[second] == true[middle_bin]
        tally.seconds += 1
        tally.named += right
        tally.wrong += not right and told[second] not in ("unknown", "") and sure[second] >= 0.6
        tally.said.append((float(sure[second]), bool(right)))
        if not right:
            tally.mistaken[(middle, str(told[second]))] += 1
    tally.worst = tally.named / max(tally.seconds, 1)
    _rate_figures(case, j, tally)
    return tally


def _with_teeth(case: Case) -> np.ndarray:
    """Causes, where recovering between teeth is heat by definition; at its limit it may be called that as well."""
    causes = case.truth.causes
    hot = np.flatnonzero(causes == "heat")
    if case.teeth and len(hot):
        causes = causes.copy()
        causes[hot[0] : hot[-1] + 1] = "heat"
    return causes


def _rate_figures(case: Case, j: Judgement, tally: Tally) -> None:
    found = j.limits.sustained.value
    late = case.truth.causes[-round(60 / STEP_S) :]
    held = case.held_w if np.mean((late == "sustained-power") | (late == "supply")) > 0.8 else None
    if held is None:
        pass  # heat, work or a clock rules at the end: an earlier level may be told or not
    elif not np.isfinite(found):
        tally.limits["none"] += 1
    else:
        off = abs(found / held - 1.0)
        tally.limits["right" if off <= 0.025 else "wrong"] += 1
    state = str(j.settled.state)
    warm = case.truth.columns["gpu.temp" if j.temp == "gpu.temp" else "cpu.temp"]
    warm = warm[int(j.settled.start_s / STEP_S) : int(j.settled.end_s / STEP_S)]
    if case.state == "settled" and len(warm) and abs(warm[-50:].mean() - warm[:50].mean()) > 1.0:
        tally.settled["either"] += 1
    elif case.state == "settled":
        tally.settled["false drift" if state == "drifting" else "right"] += 1
    elif case.state in ("drifting", "too-short"):
        tally.settled["false settled" if state == "settled" else "right"] += 1
    elif case.state == "late":
        watts = case.truth.columns["soc.power"]
        window = watts[int(j.settled.start_s / STEP_S) : int((j.settled.end_s - 1) / STEP_S)]
        steps = np.ptp(np.percentile(window, [1, 99])) / np.median(window) > 0.04 if len(window) else False
        tally.settled["false settled" if state == "settled" and steps else "right"] += 1
    spans = [(case.truth.load[0] + a, case.truth.load[0] + b) for a, b in case.faults]
    hit = [any(x.start_s < b and x.end_s > a for a, b in spans) for x in j.collapses]
    tally.invented += hit.count(False)
    tally.missed += max(0, len(spans) - hit.count(True))
    if case.teeth is not None and (j.sawtooth is not None) != case.teeth:
        tally.teeth_false += not case.teeth
        tally.teeth_missed += case.teeth


def main() -> None:
    arguments = [a for a in sys.argv[1:] if not a.startswith("--")]
    kept = arguments.pop() if "--keep" in sys.argv else ""
    runs, seed, wanted = (*map(int, arguments[:2]), *(6, 1)[len(arguments[:2]) :], "".join(arguments[2:3]))[:3]
    print("| family | named % | worst run % | wrong % | limits | settled | collapses | saw-teeth |")
    print("|" + "---|" * 8)
    whole, families = Tally(), {}
    for number, (name, family) in enumerate(FAMILIES.items()):
        if wanted not in name:
            continue
        of_family = Tally()
        for i in range(runs):
            case = family(np.random.default_rng([seed, number, i]))
            found = rate(case, judge(case.log, case.known))
            of_family.add(found)
            if wanted:
                print(f"  run {i}: {found.worst:.3f}", dict(found.mistaken), dict(found.limits), dict(found.settled))
        print(row(name, of_family), flush=True)
        families[name] = {key: int(getattr(of_family, key)) for key in ("named", "wrong", "seconds")}
        whole.add(of_family)
    print(row("**all**", whole))
    print("mistaken:", whole.mistaken.most_common(16))
    bins = reliability(whole.said)
    print("said: right % (seconds):", {f"{low:.2f}": f"{100 * share:.1f} ({n})" for low, share, n in bins})
    if kept.endswith(".svg"):
        Path(kept).write_bytes(face_bytes(face_of(drawn(bins)), "svg"))
    elif kept:
        Path(kept).write_text(json.dumps({"families": families, "reliability": bins}), encoding="utf-8")


def drawn(bins: list[tuple[float, float, int]]) -> Chart:
    """How often what was said was right, over what was said."""
    said, right, seconds = (np.array(column) for column in zip(*bins, strict=True))
    even = np.array([0.0, 100.0])
    words = tuple(f"{n:,} s" for n in seconds.astype(int))
    ideal = Line(even, even, slot=5, dashed=True, label="as said", label_at=0)
    dots = Dots(100.0 * said, 100.0 * right, words, named=True)
    title = "Of seconds that were given so many percent, how many were right"
    panel = Panel("Right", "%", lines=(ideal,), dots=(dots,), bounds=(0.0, 112.0))
    return Chart(
        title, (panel,), "Said", "%", footnote="Beside each point how many seconds it is of.", alternative=title
    )


def reliability(said: list[tuple[float, bool]]) -> list[tuple[float, float, int]]:
    """Of seconds by what probability was given (mean of each class), how many were right."""
    p, right = np.array([s[0] for s in said]), np.array([s[1] for s in said])
    edges = [0.0, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 1.01]
    found = []
    for low, high in pairwise(edges):
        inside = (p >= low) & (p < high)
        if inside.any():
            found.append((float(p[inside].mean()), float(right[inside].mean()), int(inside.sum())))
    return found


def row(name: str, t: Tally) -> str:
    seconds = max(t.seconds, 1)
    limits = ", ".join(f"{n} {k}" for k, n in sorted(t.limits.items()))
    settled = ", ".join(f"{n} {k}" for k, n in sorted(t.settled.items()))
    numbers = f"{100 * t.named / seconds:.1f} | {100 * t.worst:.0f} | {100 * t.wrong / seconds:.1f}"
    collapses = f"{t.invented} invented, {t.missed} missed" if t.invented or t.missed else ""
    teeth = f"{t.teeth_false} false, {t.teeth_missed} missed" if t.teeth_false or t.teeth_missed else ""
    return f"| {name} | {numbers} | {limits} | {settled} | {collapses} | {teeth} |"


if __name__ == "__main__":
    main()
