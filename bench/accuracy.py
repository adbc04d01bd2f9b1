#!/usr/bin/env python3
"""How often Pinch is right about runs whose truth is known: .venv/bin/python bench/accuracy.py [RUNS_A_FAMILY] [SEED]

A simulator of its own, which shares no line with the rig: other formulas (Foster terms instead of nodes, a power law of
clock, an ideal clamp or a hysteresis on temperature), other parameters for every run, drawn at random, and sensors of
several kinds. Prints a table by family, and the runs that were furthest off with their seeds.
"""

import itertools
import sys
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from pinch.core.frames import FRAME_RATE
from pinch.core.judge import Judgement, Known, judge
from pinch.core.runlog import RunLog, Series

DT = 0.1
EDGE_S = 2.0
"""Seconds around a true change of cause in which naming either is right."""


@dataclass
class Sensors:
    """What the log shows of the truth: sample period s, noise as a share (power, clock) and in K, steps, lag s."""

    period_s: float = 1.0
    power_noise: float = 0.002
    clock_noise: float = 0.003
    temp_noise: float = 0.3
    power_step: float = 0.01
    temp_step: float = 0.25
    mean_s: float = 1.0


@dataclass
class Machine:
    """A machine and its limits. `heat` is none, clamp or teeth; `r`, `tau` are Foster terms in K/W and s; `leak` is the
    share of the sustained power that leaks at 60 °C."""

    sustained_w: float
    burst_w: float
    window_s: float
    idle_w: float
    r: np.ndarray
    tau: np.ndarray
    ambient_c: float
    limit_c: float = 95.0
    heat: str = "clamp"
    band_k: float = 8.0
    drop: float = 0.6
    ceiling_mhz: float = 5200.0
    lowest_mhz: float = 600.0
    clock_gain: float = 900.0
    clock_power: float = 0.42
    leak: float = 0.12
    leak_per_k: float = 0.011


@dataclass
class Course:
    """What happens: idle and load, s; pauses and collapses (from, to), s of load; gaps, s of log; busy % of the
    processor; a frame cap; graphics as the bound, with the watts it leaves."""

    idle_s: float = 25.0
    load_s: float = 600.0
    pauses: tuple[tuple[float, float], ...] = ()
    collapses: tuple[tuple[float, float], ...] = ()
    gaps: tuple[tuple[float, float], ...] = ()
    busy: float = 100.0
    wanted_w: float | None = None
    cap_fps: float | None = None
    gpu_bound: bool = False
    games: bool = False


@dataclass
class Truth:
    """What is true of a run: cause and power at each 0.1 s of the log, and the numbers a judgement should come to."""

    causes: list[str]
    power: np.ndarray
    temp: np.ndarray
    burst_s: float
    settled: str
    r_th: float
    coolable_w: float


@dataclass
class Case:
    """A run with its truth."""

    machine: Machine
    course: Course
    log: RunLog
    truth: Truth
    known: Known


@dataclass
class Score:
    """How far judgements were off, over a family of runs."""

    named: list[float] = field(default_factory=list)
    sustained: list[float] = field(default_factory=list)
    burst: list[float] = field(default_factory=list)
    burst_s: list[float] = field(default_factory=list)
    window: list[float] = field(default_factory=list)
    state: list[float] = field(default_factory=list)
    mean: list[float] = field(default_factory=list)
    r_th: list[float] = field(default_factory=list)
    coolable: list[float] = field(default_factory=list)
    spans_s: list[float] = field(default_factory=list)
    false_alarms: int = 0


def leak_of(m: Machine, temp_c: float) -> float:
    """Power that leaks at a temperature, W."""
    return m.leak * m.sustained_w * (1.0 + m.leak_per_k * (temp_c - 60.0))


def clock_of(m: Machine, watts: float, temp_c: float, activity: float = 1.0) -> float:
    """Clock that a power buys, MHz."""
    return max(m.lowest_mhz, m.clock_gain * max((watts - leak_of(m, temp_c)) / activity, 0.01) ** m.clock_power)


def watts_of(m: Machine, mhz: float, temp_c: float, activity: float = 1.0) -> float:
    """Power that a clock takes, W."""
    return leak_of(m, temp_c) + activity * (mhz / m.clock_gain) ** (1.0 / m.clock_power)


def simulate(m: Machine, c: Course, rng: np.random.Generator) -> tuple[dict[str, np.ndarray], list[str]]:
    """Truth at 0.1 s: power, clock, temperature, load, graphics load and rate, and the cause of each step."""
    steps = round((c.idle_s + c.load_s) / DT)
    keep = np.exp(-DT / m.tau)
    rise, average = m.r * m.idle_w, m.idle_w
    average_keep = np.exp(-DT / m.window_s)
    power, temp, clock, causes = np.empty(steps), np.empty(steps), np.empty(steps), []
    cut, wander = None, 0.0
    for i in range(steps):
        t = i * DT - c.idle_s
        hot = m.ambient_c + float(rise.sum())
        wander += -DT / 10.0 * wander + 0.015 * np.sqrt(DT / 5.0) * rng.standard_normal()
        activity = 1.0 + wander
        paused = any(a <= t < b for a, b in c.pauses)
        if t < 0 or paused:
            p, cause, f = m.idle_w, "waiting", m.lowest_mhz
        else:
            allowed = min(m.burst_w, (m.sustained_w - average_keep * average) / (1.0 - average_keep))
            p, cause = allowed, "burst-power" if allowed > 1.02 * m.sustained_w else "sustained-power"
            if c.wanted_w is not None and c.wanted_w * activity < p:
                p = c.wanted_w * activity
                cause = "frame-cap" if c.cap_fps else "graphics-bound" if c.gpu_bound else "waiting"
            ceiling_w = watts_of(m, m.ceiling_mhz, hot, activity)
            if ceiling_w < p:
                p, cause = ceiling_w, "clock-ceiling"
            if m.heat == "clamp":
                # The power at which the next step just reaches the limit.
                still = m.ambient_c + float((keep * rise).sum())
                most = (m.limit_c - still) / float(((1.0 - keep) * m.r).sum())
                if most < p:
                    p, cause = max(m.idle_w, most), "heat"
            elif m.heat == "teeth":
                if cut is None and hot >= m.limit_c:
                    cut = m.drop * (m.limit_c - m.ambient_c) / m.r.sum()
                elif cut is not None and hot <= m.limit_c - m.band_k:
                    cut = None
                if cut is not None and cut < p:
                    p, cause = cut, "heat"
            if any(a <= t < b for a, b in c.collapses):
                p, cause = 0.3 * m.sustained_w, "fault"
            f = min(m.ceiling_mhz, clock_of(m, p, hot, activity))
        average = average_keep * average + (1.0 - average_keep) * p
        rise = keep * rise + (1.0 - keep) * m.r * p
        power[i], temp[i], clock[i] = p, m.ambient_c + float(rise.sum()), f
        causes.append(cause)
    idle = np.array([x == "waiting" for x in causes]) & (power <= m.idle_w * 1.001)
    busy = np.where(idle, 2.0, c.busy)
    columns = {"cpu.power": power, "cpu.clock": clock, "cpu.temp": temp, "cpu.load": busy}
    if c.games:
        rate = np.where(idle, np.nan, 0.02 * clock)
        if c.cap_fps:
            rate = np.where(np.array(causes) == "frame-cap", c.cap_fps, np.minimum(rate, c.cap_fps))
        columns[FRAME_RATE] = rate
        columns["gpu.load"] = np.where(idle, 1.0, 98.0 if c.gpu_bound else 70.0)
    return columns, causes


def observe(columns: dict[str, np.ndarray], s: Sensors, c: Course, rng: np.random.Generator) -> RunLog:
    """The log that sensors make of it."""
    n = round(s.period_s / DT)
    back = max(1, round(s.mean_s / DT))
    steps = len(columns["cpu.power"])
    ends = np.arange(n, steps + 1, n)
    t = ends * DT
    noise = {"cpu.power": s.power_noise, "cpu.clock": s.clock_noise, FRAME_RATE: 0.004}
    series = {}
    for name, values in columns.items():
        sums = np.concatenate([[0.0], np.cumsum(np.nan_to_num(values))])
        mean = (sums[ends] - sums[np.maximum(ends - back, 0)]) / (ends - np.maximum(ends - back, 0))
        seen = np.where(np.isfinite(values[ends - 1]), mean, np.nan)
        seen = seen * (1.0 + noise.get(name, 0.0) * rng.standard_normal(len(seen)))
        if name == "cpu.temp":
            seen = np.round((seen + s.temp_noise * rng.standard_normal(len(seen))) / s.temp_step) * s.temp_step
        elif name == "cpu.power":
            seen = np.round(seen / s.power_step) * s.power_step
        elif name == "cpu.clock":
            seen = np.round(seen)
        have = np.isfinite(seen)
        for a, b in c.gaps:
            have &= ~((t > a) & (t < b))
        series[name] = Series(name, t[have], seen[have])
    return RunLog(series)


def truth_of(m: Machine, c: Course, columns: dict[str, np.ndarray], causes: list[str]) -> Truth:
    load = causes[round(c.idle_s / DT) :]
    burst = next((i for i, x in enumerate(load) if x != "burst-power"), len(load)) * DT
    power, temp = columns["cpu.power"], columns["cpu.temp"]
    last = round(c.load_s / DT / 3)
    r_th = float(m.r.sum())
    drift = abs(float(temp[-1] - temp[-last])) if m.heat != "teeth" else 0.0
    settled = "too-short" if c.load_s < 75 else "settled" if drift < 0.7 else "drifting" if drift > 2.2 else "either"
    coolable = (m.limit_c - m.ambient_c) / r_th
    return Truth(causes, power, temp, burst, settled, r_th, coolable)


def make(m: Machine, c: Course, s: Sensors, rng: np.random.Generator, **known: float) -> Case:
    columns, causes = simulate(m, c, rng)
    told = Known(known.get("limit"), None, m.ambient_c, known.get("cap"))
    return Case(m, c, observe(columns, s, c, rng), truth_of(m, c, columns, causes), told)


def machine(rng: np.random.Generator, **fields: object) -> Machine:
    """A machine that no heat limits unless it is said."""
    sustained = float(rng.uniform(9.0, 60.0))
    share = rng.uniform(0.25, 0.5)
    slow = float(rng.uniform(60.0, 160.0))
    total = float(rng.uniform(0.5, 0.75)) * 65.0 / sustained
    made: dict[str, object] = {
        "sustained_w": sustained,
        "burst_w": sustained * rng.uniform(1.2, 2.2),
        "window_s": float(rng.uniform(6.0, 32.0)),
        "idle_w": float(rng.uniform(1.5, 5.0)),
        "r": total * np.array([share, 1.0 - share]),
        "tau": np.array([float(rng.uniform(2.0, 9.0)), slow]),
        "ambient_c": float(rng.uniform(18.0, 30.0)),
        "limit_c": 105.0,
        "heat": "none",
        "clock_gain": float(rng.uniform(600.0, 900.0)),
        "clock_power": float(rng.uniform(0.33, 0.45)),
        "ceiling_mhz": 9000.0,
    }
    return Machine(**{**made, **fields})  # type: ignore[arg-type]


def two_level(rng: np.random.Generator) -> Case:
    return make(machine(rng), Course(load_s=rng.uniform(500, 1100)), Sensors(), rng)


def coarse(rng: np.random.Generator) -> Case:
    s = Sensors(rng.choice([1.0, 2.0]), 0.01, 0.01, 0.3, rng.choice([0.1, 1.0]), 1.0, 2.0)
    return make(machine(rng), Course(load_s=rng.uniform(600, 1200)), s, rng)


def one_level(rng: np.random.Generator) -> Case:
    m = machine(rng)
    m.burst_w = m.sustained_w
    return make(m, Course(load_s=rng.uniform(500, 900)), Sensors(), rng)


def hot(rng: np.random.Generator, heat: str) -> Machine:
    m = machine(rng, heat=heat, limit_c=float(rng.uniform(80.0, 100.0)), band_k=float(rng.uniform(4.0, 12.0)))
    m.drop = float(rng.uniform(0.45, 0.7))
    carried = rng.uniform(0.55, 0.9) * m.sustained_w
    m.r *= (m.limit_c - m.ambient_c) / carried / m.r.sum()
    return m


def clamp(rng: np.random.Generator) -> Case:
    m = hot(rng, "clamp")
    return make(m, Course(load_s=rng.uniform(700, 1300)), Sensors(), rng, limit=m.limit_c)


def clamp_untold(rng: np.random.Generator) -> Case:
    return make(hot(rng, "clamp"), Course(load_s=rng.uniform(800, 1300)), Sensors(), rng)


def teeth(rng: np.random.Generator) -> Case:
    """Teeth of at least six seconds; shorter ones are finer than a log of a sample a second shows."""
    while True:
        m = hot(rng, "teeth")
        m.tau[0] = rng.uniform(5.0, 15.0)
        m.r *= (m.limit_c - m.ambient_c) / (rng.uniform(0.75, 0.92) * m.sustained_w) / m.r.sum()
        m.drop = float(rng.uniform(0.72, 0.85))  # a cut to less than half of the limit would be a collapse
        case = make(m, Course(load_s=rng.uniform(700, 1300)), Sensors(), rng, limit=m.limit_c)
        late = case.truth.causes[len(case.truth.causes) // 2 :]
        onsets = sum(a != "heat" and b == "heat" for a, b in itertools.pairwise(late))
        if onsets and 6.0 <= len(late) * DT / onsets <= 150.0:
            return case


def hot_burst(rng: np.random.Generator) -> Case:
    m = machine(rng, heat="clamp", limit_c=float(rng.uniform(80.0, 95.0)), window_s=float(rng.uniform(40.0, 80.0)))
    m.burst_w = m.sustained_w * rng.uniform(1.7, 2.4)
    m.tau[0] = rng.uniform(1.5, 4.0)
    settled = m.ambient_c + m.sustained_w * m.r.sum()
    m.limit_c = float(max(settled + 8.0, 80.0))
    m.r[0] = 1.15 * (m.limit_c - m.ambient_c) / m.burst_w
    m.r[1] = max(0.1, (m.limit_c - 8.0 - m.ambient_c) / m.sustained_w - m.r[0])
    return make(m, Course(load_s=rng.uniform(700, 1100)), Sensors(), rng, limit=m.limit_c)


def ceiling(rng: np.random.Generator) -> Case:
    m = machine(rng)
    m.ceiling_mhz = clock_of(m, rng.uniform(0.55, 0.85) * m.sustained_w, 60.0)
    return make(m, Course(load_s=rng.uniform(400, 800)), Sensors(), rng)


def capped(rng: np.random.Generator) -> Case:
    m = machine(rng)
    cap = float(rng.choice([30.0, 40.0, 60.0, 90.0]))
    c = Course(load_s=rng.uniform(400, 800), wanted_w=rng.uniform(0.5, 0.85) * m.sustained_w, cap_fps=cap, games=True)
    return make(m, c, Sensors(), rng)


def gpu_bound(rng: np.random.Generator) -> Case:
    m = machine(rng)
    wanted = rng.uniform(0.4, 0.8) * m.sustained_w
    c = Course(load_s=rng.uniform(400, 800), wanted_w=wanted, gpu_bound=True, games=True, busy=rng.uniform(35, 75))
    return make(m, c, Sensors(), rng)


def passes(rng: np.random.Generator) -> Case:
    m = machine(rng)
    length, pause = rng.uniform(90, 160), rng.uniform(8, 25)
    starts = [length * (i + 1) + pause * i for i in range(4)]
    c = Course(load_s=5 * length + 4 * pause, pauses=tuple((s, s + pause) for s in starts))
    return make(m, c, Sensors(), rng)


def collapse(rng: np.random.Generator) -> Case:
    m = machine(rng)
    at = rng.uniform(200, 350)
    c = Course(load_s=800, collapses=((at, at + rng.uniform(6, 25)), (at + 200, at + 200 + rng.uniform(6, 25))))
    return make(m, c, Sensors(), rng)


def gap(rng: np.random.Generator) -> Case:
    at = rng.uniform(150, 400)
    c = Course(load_s=700, gaps=((at, at + rng.uniform(8, 60)),))
    return make(machine(rng), c, Sensors(), rng)


def drifting(rng: np.random.Generator) -> Case:
    m = machine(rng)
    m.tau[1] = rng.uniform(250, 500)
    return make(m, Course(load_s=rng.uniform(0.9, 1.4) * m.tau[1]), Sensors(), rng)


def short(rng: np.random.Generator) -> Case:
    return make(machine(rng), Course(load_s=rng.uniform(35, 58)), Sensors(), rng)


FAMILIES: dict[str, Callable[[np.random.Generator], Case]] = {
    "two-level limiter": two_level,
    "the same, coarse sensors": coarse,
    "one level": one_level,
    "heat, smooth": clamp,
    "heat, smooth, limit not told": clamp_untold,
    "heat, saw-tooth": teeth,
    "burst ended by heat": hot_burst,
    "clock ceiling": ceiling,
    "frame cap, not told": capped,
    "graphics-bound": gpu_bound,
    "passes with pauses": passes,
    "collapses": collapse,
    "a gap": gap,
    "drifting": drifting,
    "too short": short,
}


def named_rightly(case: Case, judged: Judgement) -> float:
    """Share of load seconds, edges aside, that have their true cause."""
    causes, idle = case.truth.causes, round(case.course.idle_s / DT)
    edge = round(EDGE_S / DT)
    right = total = 0
    changes = [i for i in range(1, len(causes)) if causes[i] != causes[i - 1]]
    near = np.zeros(len(causes), dtype=bool)
    for i in changes:
        near[max(0, i - edge) : i + edge] = True
    told = [""] * len(causes)
    for s in judged.limiters:
        a, b = round(s.start_s / DT), round(s.end_s / DT)
        told[a:b] = [s.cause] * (b - a)
    hot = [i for i, cause in enumerate(causes) if cause == "heat"]
    first_heat, last_heat = (hot[0], hot[-1]) if hot else (0, -1)  # recovering between teeth is heat by definition
    for second in range(idle, len(causes), 10):
        middle = min(second + 5, len(causes) - 1)
        missing = any(a < middle * DT < b for a, b in case.course.gaps)
        if near[middle] or missing or causes[middle] == "fault":
            continue
        total += 1
        between_teeth = case.machine.heat == "teeth" and first_heat <= middle <= last_heat
        right += told[middle] == causes[middle] or (between_teeth and told[middle] == "heat")
    return right / max(total, 1)


def settled_truly(case: Case, j: Judgement) -> str:
    """What the state should be: whether the true temperature moves over the window that was chosen."""
    if case.course.pauses or case.course.collapses:
        return "either"  # after each it warms again
    if case.truth.settled == "too-short" or case.machine.heat == "teeth":
        return case.truth.settled
    window = case.truth.temp[round(j.settled.start_s / DT) : round(j.settled.end_s / DT)]
    part = max(1, len(window) // 20)
    drift = abs(float(window[-part:].mean() - window[:part].mean())) / 0.95
    return "settled" if drift < 1.0 else "drifting" if drift > 2.0 else "either"


def rate(case: Case, score: Score) -> None:
    m, c, truth = case.machine, case.course, case.truth
    j = judge(case.log, case.known)
    score.named.append(named_rightly(case, j))
    settled = settled_truly(case, j)
    if settled != "either":
        score.state.append(float(j.settled.state == settled))
    load = truth.causes[round(c.idle_s / DT) :]
    if load.count("sustained-power") > 600 and truth.settled != "too-short":
        score.sustained.append(abs(j.limits.sustained.value / m.sustained_w - 1.0))
    if 3.0 < truth.burst_s < 0.5 * c.load_s and m.burst_w > 1.06 * m.sustained_w:
        score.burst.append(abs(j.limits.burst.value / m.burst_w - 1.0))
        after = load[round(truth.burst_s / DT) + 5]
        if after == "sustained-power":
            score.burst_s.append(abs(j.limits.burst_s.value - truth.burst_s))
            score.window.append(abs(j.limits.window_s.value / m.window_s - 1.0))
        elif after == "heat":
            score.state[-1:] = [score.state[-1] * float(j.limits.bounded)] if score.state else []
    if truth.settled == "settled" and m.heat != "teeth" and j.power:
        window = slice(round(j.settled.start_s / DT), round(j.settled.end_s / DT))
        at_work = np.array([x not in ("fault", "waiting") or c.wanted_w is not None for x in truth.causes[window]])
        score.mean.append(abs(j.figures[j.power].sustained.value / truth.power[window][at_work].mean() - 1.0))
    heat = j.heat
    if heat is not None and truth.settled != "too-short":
        score.r_th.append(abs(heat.r_th.value / truth.r_th - 1.0))
        if np.isfinite(heat.coolable_w.value):
            score.coolable.append(abs(heat.coolable_w.value / truth.coolable_w - 1.0))
    spans = [(c.idle_s + a, c.idle_s + b) for a, b in c.collapses]
    found = [(x.start_s, x.end_s) for x in j.collapses]
    pairs = [(spans, found), (list(c.gaps), [(g.start_s, g.end_s) for g in j.gaps])]
    for true, seen in pairs:
        if len(true) != len(seen):
            score.false_alarms += 1
        else:
            score.spans_s += [max(abs(a - x), abs(b - y)) for (a, b), (x, y) in zip(true, seen, strict=True)]
    if (j.sawtooth is not None) != (m.heat == "teeth"):
        score.false_alarms += 1


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    wanted = sys.argv[3] if len(sys.argv) > 3 else ""
    columns = "named % | worst run | sustained % | burst % | burst s | window % | state % | mean % | R_th %"
    print(f"| family | {columns} | coolable % | spans s | false |")
    print("|" + "---|" * 13)
    for number, (name, family) in enumerate(FAMILIES.items()):
        if wanted and wanted not in name:
            continue
        score = Score()
        for i in range(runs):
            rng = np.random.default_rng([seed, number, i])
            case = family(rng)
            rate(case, score)
            if wanted:
                print(f"  run {i}: named {score.named[-1]:.3f}", case.machine if score.named[-1] < 0.93 else "")
        print("| " + " | ".join([name, *cells(score)]) + " |", flush=True)


def cells(s: Score) -> list[str]:
    def p95(values: list[float], factor: float = 100.0) -> str:
        return f"{factor * np.nanpercentile(values, 95):.2g}" if values and not np.all(np.isnan(values)) else ""

    share = [f"{100 * np.mean(s.named):.1f}", f"{100 * min(s.named):.0f}"]
    numbers = [p95(s.sustained), p95(s.burst), p95(s.burst_s, 1.0), p95(s.window)]
    states = [f"{100 * np.mean(s.state):.0f}" if s.state else ""]
    heat = [p95(s.r_th), p95(s.coolable)]
    return [*share, *numbers, *states, p95(s.mean), *heat, p95(s.spans_s, 1.0), f"{s.false_alarms}"]


if __name__ == "__main__":
    main()
