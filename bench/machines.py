"""Machines whose truth is known, for `bench/accuracy.py`: what firmware does, and what sensors make of it.

Shares no line and no formula with the judge or with the rig: a loop of a tenth of a second in which the work wants
watts, every rule of the firmware allows some, and the least one rules. Parts (processor, graphics) warm through
ladders of thermal nodes (Cauer form, explicit Euler) and spend `floor + a · f^e` watts at a clock.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

STEP_S = 0.1
Watts = Callable[["State"], float]
FREE = float("inf")


@dataclass
class Part:
    """A processor or graphics: `full_w` at `top_mhz` and activity 1; clock goes with power to the `bends`; `nodes` are
    K/W and J/K from the die outwards; `limit_c` with `heat` none, clamp, teeth or deep (cuts to `cut` of the power)."""

    full_w: float = 60.0
    top_mhz: float = 4600.0
    bends: float = 0.42
    floor_w: float = 1.0
    nodes: tuple[tuple[float, float], ...] = ((0.25, 8.0), (0.5, 160.0))
    limit_c: float = 95.0
    heat: str = "none"
    cut: float = 0.75
    band_k: float = 5.0
    lock_mhz: float = FREE

    def clock_at(self, watts: float, activity: float) -> float:
        return self.top_mhz * (max(watts - self.floor_w, 0.02) / (self.full_w * activity)) ** self.bends

    def watts_at(self, mhz: float, activity: float) -> float:
        return self.floor_w + self.full_w * activity * (mhz / self.top_mhz) ** (1.0 / self.bends)


@dataclass
class State:
    """What a rule of the firmware sees: seconds of load, package power of the past, temperatures, charge in %."""

    t: float = 0.0
    watts: list[float] = field(default_factory=list)
    chip_c: float = 25.0
    skin_c: float = 25.0
    charge: float = 100.0


@dataclass
class Rule:
    """A limit on package power: `allows(state)` W, and the cause that it is."""

    allows: Watts
    cause: str


@dataclass
class Game:
    """A work of graphics: rate at full clock, how heavy scenes are over time, what the processor takes for each frame,
    and a cap. `gpu_share_busy` of 1 means that graphics are the bound."""

    rate: float = 70.0
    weight: Callable[[float], float] = lambda t: 1.0
    cpu_w_per_fps: float = 0.12
    cap: float = FREE
    rate_bends: float = 0.85
    cpu_bound: Callable[[float], float] = lambda t: FREE


@dataclass
class Run:
    """A run: idle and load in s; load as busy share over time; activity (watts for a clock) over time; rules."""

    cpu: Part = field(default_factory=Part)
    gpu: Part | None = None
    game: Game | None = None
    rules: list[Rule] = field(default_factory=list)
    idle_s: float = 25.0
    load_s: float = 600.0
    after_s: float = 0.0
    idle_w: float = 3.0
    room_c: float = 23.0
    busy: Callable[[float], float] = lambda t: 1.0
    activity: Callable[[float], float] = lambda t: 1.0
    fault: Callable[[float], bool] = lambda t: False
    skin: tuple[float, float] = (0.35, 400.0)
    battery_wh: float = 0.0
    base_w: float = 2.0
    separate: bool = False
    starts_s: tuple[tuple[float, float], ...] = ()


@dataclass
class Truth:
    """Truth at each tenth of a second: columns by channel, causes, and when there is load."""

    columns: dict[str, np.ndarray]
    causes: np.ndarray
    load: tuple[float, float]


class Warm:
    """Nodes of a part in Cauer form: heat goes from the die through each resistance to the next mass, to the room."""

    def __init__(self, nodes: tuple[tuple[float, float], ...], room_c: float) -> None:
        self.r = [n[0] for n in nodes]
        self.c = [n[1] for n in nodes]
        self.t = [room_c] * len(nodes)
        self.room = room_c

    def step(self, watts: float, dt: float) -> None:
        t, flow_in = self.t, watts
        fresh = list(t)
        for i in range(len(t)):
            out = (t[i] - (t[i + 1] if i + 1 < len(t) else self.room)) / self.r[i]
            fresh[i] = t[i] + (flow_in - out) * dt / self.c[i]
            flow_in = out
        self.t = fresh


class Governor:
    """The heat rule of one part: a clamp by proportion and integral, or hysteresis."""

    def __init__(self, part: Part) -> None:
        self.part, self.power, self.is_cut = part, FREE, False

    def allows(self, temp: float, now: float) -> float:
        p = self.part
        if p.heat == "none":
            return FREE
        if p.heat == "clamp":
            off = p.limit_c - temp
            if off > 6.0:
                self.power = FREE
                return FREE
            if self.power == FREE:
                self.power = now
            self.power = max(2.0, self.power + 0.004 * now * off)
            return self.power + 0.02 * now * off
        if temp >= p.limit_c:
            self.is_cut = True
        elif temp <= p.limit_c - p.band_k:
            self.is_cut = False
        return p.cut * p.full_w if self.is_cut else FREE


def simulate(run: Run, rng: np.random.Generator) -> Truth:
    """Everything that is true of a run."""
    steps = round((run.idle_s + run.load_s + run.after_s) / STEP_S)
    names = ["cpu.power", "cpu.clock", "cpu.temp", "cpu.load", "soc.power", "skin.case.temp", "battery.charge"]
    names += ["gpu.power", "gpu.clock", "gpu.temp", "gpu.load", "frame.rate", "score.rate"]
    out = {name: np.full(steps, np.nan) for name in names}
    causes = np.full(steps, "waiting", dtype=object)
    die = Warm(run.cpu.nodes, run.room_c)
    gpu_die = Warm(run.gpu.nodes, run.room_c) if run.gpu else None
    for warm in (die, gpu_die):
        if warm:
            for _ in range(600):
                warm.step(run.idle_w * 0.6, 1.0)
    skin, state = run.room_c + run.skin[0] * run.idle_w, State(charge=100.0)
    heat, gpu_heat = Governor(run.cpu), Governor(run.gpu) if run.gpu else None
    last_cpu, last_gpu = run.cpu.full_w, run.gpu.full_w if run.gpu else 0.0
    wander = 0.0
    for i in range(steps):
        t = i * STEP_S - run.idle_s
        wander += -0.02 * wander + 0.0016 * rng.standard_normal()
        busy = run.busy(t) if 0.0 <= t < run.load_s else 0.0
        for a, b in run.starts_s:
            busy = max(busy, 1.0 if a <= t < b else 0.0)
        state.t, state.chip_c, state.skin_c = t, die.t[0], skin
        activity = run.activity(t) * (1.0 + wander)
        if busy < 0.03 or run.fault(t):
            p_cpu = run.idle_w * 0.6 if not run.fault(t) else 0.2 * run.cpu.full_w
            p_gpu, f, f_gpu = (0.3 if run.gpu else 0.0), 900.0, 300.0
            gpu_busy, rate = 0.0, float("nan")
            cause, package = ("fault" if run.fault(t) else "waiting"), 0.0
        else:
            rules = [(r.allows(state), r.cause) for r in run.rules]
            limit, cause = min(rules, key=lambda x: x[0], default=(FREE, ""))
            if run.game is None or run.gpu is None:
                p_cpu, f, cause = _cpu_work(run, busy, activity, limit, cause, heat.allows(die.t[0], last_cpu))
                p_gpu, f_gpu, gpu_busy, rate = 0.0, 300.0, 0.0, float("nan")
                last_cpu = p_cpu
            else:
                most = gpu_heat.allows(gpu_die.t[0], last_gpu) if gpu_heat and gpu_die else FREE
                p_cpu, f, p_gpu, f_gpu, gpu_busy, rate, cause = _game_work(run, t, activity, limit, cause, most)
                last_gpu = p_gpu
                busy = min(0.95, 0.12 + 0.004 * rate) if cause != "waiting" else busy
        package = p_cpu + (0.0 if run.separate else p_gpu) + (run.base_w if run.gpu and not run.separate else 0.0)
        die.step(p_cpu + (0.35 * p_gpu if run.gpu and not run.separate else 0.0), STEP_S)
        if gpu_die is not None:
            gpu_die.step(p_gpu + (0.35 * p_cpu if not run.separate else 0.0), STEP_S)
        skin += (run.room_c + run.skin[0] * package - skin) * STEP_S / run.skin[1]
        state.watts.append(package)
        if run.battery_wh:
            state.charge -= 100.0 * (package + 4.0) * STEP_S / 3600.0 / run.battery_wh
        row = (p_cpu, f, die.t[0], 100.0 * busy if busy else 2.0, package, skin, state.charge)
        row += (p_gpu, f_gpu, gpu_die.t[0] if gpu_die else np.nan, 100.0 * gpu_busy, rate)
        for name, value in zip(names, row, strict=False):
            out[name][i] = value
        out["score.rate"][i] = 0.11 * f * max(busy, 0.0) if busy >= 0.03 else np.nan
        causes[i] = cause
    return Truth(out, causes, (run.idle_s, run.idle_s + run.load_s))


def _cpu_work(run: Run, busy: float, activity: float, limit: float, cause: str, hot: float) -> tuple[float, float, str]:
    """Power, clock and cause of work of the processor alone."""
    cpu = run.cpu
    top = min(cpu.top_mhz, cpu.lock_mhz)
    wanted = cpu.watts_at(top, activity * busy)
    choices = [(limit, cause), (hot, "heat"), (wanted, "clock-ceiling" if busy >= 0.9 else "waiting")]
    watts, cause = min(choices, key=lambda x: x[0])
    watts = max(watts, cpu.floor_w + 0.5)
    return watts, min(top, cpu.clock_at(watts, activity * busy)), cause


def _game_work(
    run: Run, t: float, activity: float, limit: float, cause: str, hot: float
) -> tuple[float, float, float, float, float, float, str]:
    """Powers, clocks, how busy graphics are, rate and cause of a game: graphics get what the processor leaves."""
    game, gpu, cpu = run.game, run.gpu, run.cpu
    assert game is not None and gpu is not None
    weight = game.weight(t)
    top = min(gpu.top_mhz, gpu.lock_mhz)
    most_rate = game.rate / weight * (top / gpu.top_mhz) ** game.rate_bends
    wall = min(game.cap, game.cpu_bound(t))
    wanted_rate = min(most_rate, wall)
    share = min(1.0, wanted_rate / most_rate)
    wanted = gpu.watts_at(top, activity * (0.25 + 0.75 * share))
    bound = "graphics-bound" if share >= 0.999 else "frame-cap" if game.cap <= game.cpu_bound(t) else "waiting"
    choices = [(hot, "heat"), (wanted, bound)]
    if not run.separate:
        rate_guess = wanted_rate
        left = limit - run.base_w - cpu.floor_w - game.cpu_w_per_fps * rate_guess
        choices.append((left, cause))
    else:
        choices.append((limit, cause))
    p_gpu, cause = min(choices, key=lambda x: x[0])
    p_gpu = max(p_gpu, 1.2)
    f_gpu = min(top, gpu.clock_at(p_gpu, activity * (0.25 + 0.75 * share)))
    rate = min(wall, game.rate / weight * (f_gpu / gpu.top_mhz) ** game.rate_bends)
    if cause not in ("graphics-bound", "frame-cap", "waiting") and not run.separate:
        # What the processor does not take with fewer frames goes to graphics: two rounds come near enough.
        for _ in range(2):
            p_gpu = (
                min(p_gpu, FREE) if cause == "heat" else limit - run.base_w - cpu.floor_w - game.cpu_w_per_fps * rate
            )
            f_gpu = min(top, gpu.clock_at(p_gpu, activity * (0.25 + 0.75 * share)))
            rate = min(wall, game.rate / weight * (f_gpu / gpu.top_mhz) ** game.rate_bends)
    busy = 0.985 if rate < wall * 0.999 else min(0.985, share * (top / f_gpu) ** game.rate_bends)
    p_cpu = cpu.floor_w + game.cpu_w_per_fps * rate
    return p_cpu, 2600.0 + 6.0 * rate, p_gpu, f_gpu, busy, rate, cause


# What limiters there are


def average_limit(burst_w: float, held_w: float, window_s: float) -> Rule:
    """Burst until the running average comes to the held power."""
    memory = {"average": 3.0, "seen": 0}

    def allows(s: State) -> float:
        for w in s.watts[int(memory["seen"]) :]:
            memory["average"] += (w - memory["average"]) * STEP_S / window_s
        memory["seen"] = len(s.watts)
        room = held_w + (held_w - memory["average"]) * window_s / STEP_S
        return float(np.clip(room, held_w, burst_w)) if room > held_w else held_w

    return Rule(allows, "")


def boxcar_limit(burst_w: float, held_w: float, window_s: float) -> Rule:
    """Burst until the mean of a fixed window comes to the held power."""
    n = round(window_s / STEP_S)

    def allows(s: State) -> float:
        recent = s.watts[-n:]
        return burst_w if sum(recent) / n < held_w else held_w

    return Rule(allows, "")


def stairs(levels: tuple[float, ...], until_s: tuple[float, ...]) -> Rule:
    """Levels that hold until set seconds of load; the last one for good."""

    def allows(s: State) -> float:
        place = sum(s.t >= u for u in until_s)
        return levels[place]

    return Rule(allows, "")


def sinking(at_full_w: float, at_empty_w: float) -> Rule:
    """Power that sinks with the charge."""
    return Rule(lambda s: at_empty_w + (at_full_w - at_empty_w) * s.charge / 100.0, "supply")


def skin_limit(limit_c: float, start_w: float, least_w: float) -> Rule:
    """A slow rule on the surface: takes or gives a share of a watt each second."""
    memory = {"now": start_w, "next": 0.0}

    def allows(s: State) -> float:
        if s.t >= memory["next"]:
            memory["next"] = s.t + 4.0
            off = limit_c - s.skin_c
            memory["now"] = float(np.clip(memory["now"] + 0.012 * start_w * np.clip(off, -2, 2), least_w, start_w))
        return memory["now"]

    return Rule(allows, "skin")


# What sensors make of it


@dataclass
class Sensor:
    """A sensor: noise as a share (K for temperatures), step, lag s, averaging time constant s, seconds for which it
    repeats its value."""

    noise: float = 0.002
    step: float = 0.01
    lag_s: float = 0.0
    average_s: float = 0.0
    repeats_s: float = 0.0


@dataclass
class Logger:
    """What is logged: channels with their sensors, the period, jitter and hiccups, spikes, gaps, cut off at the end."""

    sensors: dict[str, Sensor]
    period_s: float = 1.0
    jitter_s: float = 0.0
    hiccups: int = 0
    spikes: int = 0
    ends_s: float = FREE


def observe(truth: Truth, logger: Logger, rng: np.random.Generator) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Stamps and columns of the log."""
    total = len(truth.causes) * STEP_S
    t = np.arange(logger.period_s, min(total, logger.ends_s) - 1e-9, logger.period_s)
    t = t + logger.jitter_s * rng.random(len(t))
    keep = np.ones(len(t), dtype=bool)
    for _ in range(logger.hiccups):
        at = int(rng.integers(0, max(1, len(t) - 12)))
        keep[at : at + int(rng.integers(2, 10))] = False
    t = t[keep]
    columns = {}
    for name, s in logger.sensors.items():
        columns[name] = _seen(truth.columns[name], name, s, t, logger, rng)
    return t, columns


def _seen(
    true: np.ndarray, name: str, s: Sensor, t: np.ndarray, logger: Logger, rng: np.random.Generator
) -> np.ndarray:
    values = true
    if s.average_s:
        values = np.empty_like(true)
        now = true[0]
        for i, v in enumerate(true):
            now = v if not np.isfinite(now) else now + (v - now) * min(1.0, STEP_S / s.average_s)
            values[i] = now
    at = t - s.lag_s
    if s.repeats_s:
        at = np.floor(at / s.repeats_s) * s.repeats_s
    index = np.clip((at / STEP_S).astype(int), 0, len(values) - 1)
    window = max(1, round(min(1.0, logger.period_s) / STEP_S))
    sums = np.concatenate([[0.0], np.cumsum(np.nan_to_num(values))])
    low = np.maximum(index - window, 0)
    seen = np.where(index > low, (sums[index] - sums[low]) / np.maximum(index - low, 1), values[index])
    seen = np.where(np.isfinite(values[index]), seen, np.nan)
    noise = rng.standard_normal(len(t))
    if s.repeats_s:
        noise = noise[np.searchsorted(t, at, side="left").clip(0, len(t) - 1)]
    seen = seen + s.noise * noise * (1.0 if name.endswith("temp") else np.abs(seen))
    if s.step:
        seen = np.round(seen / s.step) * s.step
    if logger.spikes and name.endswith(("power", "temp", "clock")):
        for place in rng.integers(0, len(t), logger.spikes):
            seen[place] = 0.0 if rng.random() < 0.5 else seen[place] * 3.0
    return seen
