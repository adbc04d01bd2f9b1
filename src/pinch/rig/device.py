"""The simulated device: joins chip, limiter, cooler and heat control, and knows what limited it at each step."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.core.runlog import FloatArray, RunLog, runlog_from_columns
from pinch.rig.catalogue import SCENE_S, RigDevice, RigSetting, RigWork
from pinch.rig.hardware import HeatControl, HeatGovernor, HeatPath, StairsLimiter, TwoLevelLimiter
from pinch.rig.rig_graphics import GraphicsState, RigGraphics

STEP_S = 0.1
GRAPHICS_REST_W = 0.4
_FAULT = HeatControl(smooth=False, band_k=16.0, drop=0.2)


class State(Struct, frozen=True):
    """What a simulated device shows: package energy since start J, power W, mean clock MHz, die temperature °C,
    load %, fan rpm, work done, heat events, the truth (what limits it), and what its graphics show while they are at
    work."""

    clock_s: float
    energy_j: float
    power_w: float
    clock_mhz: float
    temp_c: float
    load: float
    fan_rpm: float
    work_done: float
    heat_events: int
    truth: Cause
    graphics: GraphicsState | None = None


class SimulatedDevice:
    """A device of the rig on its own clock. Same device, setting, ambient and seed: same numbers."""

    def __init__(self, device: RigDevice, setting: RigSetting, ambient_c: float = 22.0, seed: int = 1) -> None:
        self.device = device
        self.clock_s = 0.0
        self._chip = device.chip
        self._luck = _normals(seed)
        cooler = device.cooler
        quieter = type(cooler)(cooler.die_r, cooler.sink_r * setting.fan, cooler.die_c, cooler.sink_c)
        self._heat = HeatPath(quieter, ambient_c, STEP_S)
        self._setting = setting
        # Runs of the same thing differ a little: in the power really held, and in the score.
        by_run = next(self._luck), next(self._luck)
        sustained = (setting.sustained_w + setting.sustained_trim_w) * (1.0 + 0.006 * by_run[0])
        self._score_luck = 1.0 + 0.006 * by_run[1]
        self._limiter: TwoLevelLimiter | StairsLimiter = (
            StairsLimiter(sustained, setting.stairs, STEP_S)
            if setting.stairs
            else TwoLevelLimiter(sustained, setting.burst_w, setting.window_s, STEP_S)
        )
        control = _FAULT if setting.faulty else device.control
        self._governor = HeatGovernor(control, self._chip.temp_limit_c, setting.burst_w, 4.0, STEP_S)
        self._work: RigWork | None = None
        self._drawing: RigGraphics | None = None
        """The graphics, while they are at work."""
        self._wobble = 0.0
        self._energy = self._done = 0.0
        self._power, self._clock, self._truth = self._chip.idle_w, self._chip.lowest_ghz, Cause.WAITING
        self._graphics_w, self._graphics_j, self._scene_s = 0.0, 0.0, 0.0
        for _ in range(20):  # at rest, not at ambient: leakage and temperature settle on each other
            self._heat.rest(self._idle_w())
        self._limiter.rest(self._idle_w())

    def start(self, work: RigWork) -> None:
        """Put the device to work.

        Raises
        ------
        PinchError : it is work of graphics, and the device has none.
        """
        if work.scenes and self.device.graphics is None:
            raise PinchError(f"{self.device.name} has no graphics that {work.name} could run on.")
        self._work, self._drawing = work, self.device.graphics if work.scenes else None

    def stop(self) -> None:
        """Let it idle."""
        self._work = self._drawing = None

    def advance(self, seconds: float) -> None:
        """Simulate `seconds`, in whole steps of 0.1 s."""
        for _ in range(round(seconds / STEP_S)):
            self._step()

    def state(self) -> State:
        """What it shows now."""
        temp = self._heat.die_c
        slow, fast = self.device.fan_rpm
        fan = slow + (fast - slow) * min(max((self._heat.sink_c - 30.0) / 35.0, 0.0), 1.0) / self._setting.fan
        busy = self._work is not None
        graphics = self._drawing
        load = (100.0 / self._chip.cores if self._work.one_core else 100.0) if self._work else 2.0
        clock = self._clock
        if graphics is not None:
            load, clock = 26.0, graphics.feed_ghz
        wobble = [next(self._luck) for _ in range(3)]
        return State(
            self.clock_s,
            self._energy,
            self._power,
            clock * 1000.0 + (self.device.noise["clock"] if busy else 2.0) * wobble[0],
            temp + self.device.noise["temp"] * wobble[1],
            min(100.0, load + 0.2 * abs(wobble[2])) if busy else load,
            fan,
            self._done,
            self._governor.events,
            self._truth,
            None if graphics is None else self._graphics_state(graphics, wobble),
        )

    def _graphics_state(self, graphics: RigGraphics, wobble: list[float]) -> GraphicsState:
        noise, temp = self.device.noise, graphics.temp_c(self._heat.die_c, self._graphics_w)
        return GraphicsState(
            self._graphics_j,
            self._clock * 1000.0 - noise["clock"] * wobble[0],
            temp - noise["temp"] * wobble[1],
            min(100.0, 98.0 + abs(wobble[2])),
        )

    @property
    def rate_now(self) -> float:
        """Work done each second at this moment; 0 at rest."""
        return 0.0 if self._work is None else self.rate(self._work, self._clock) * self._score_luck

    def _idle_w(self) -> float:
        return self._chip.idle_w + self._chip.leakage_w(self._heat.die_c)

    def _step(self) -> None:
        work, temp = self._work, self._heat.die_c
        if work is None:
            self._power, self._clock, self._truth = self._idle_w(), self._chip.lowest_ghz, Cause.WAITING
        else:
            self._power, self._clock, self._truth = self._loaded(work, temp)
            self._wobble += -0.02 * self._wobble + 0.2 * work.noise * next(self._luck)
            self._scene_s += STEP_S
            self._graphics_j += self._graphics_w * STEP_S
            rate = self.rate(work, self._clock) * self._score_luck * (1.0 + self._wobble) / self._weight(work)
            self._done += rate * STEP_S
        self._energy += self._power * STEP_S
        self._limiter.step(self._power)
        self._heat.step(self._power)
        self._governor.step(self._governed_c(), self._power)
        self.clock_s += STEP_S

    def _loaded(self, work: RigWork, temp: float) -> tuple[float, float, Cause]:
        """Power, clock and cause of a step under load."""
        if self._drawing is not None:
            return self._drawn(self._drawing, work, temp)
        chip, setting = self._chip, self._setting
        ceiling = chip.one_core_ghz if work.one_core else chip.ceiling_ghz
        ceiling = min(ceiling, setting.clock_lock_ghz or ceiling)
        by_limit, by_heat = self._limiter.allowed_w(), self._governor.allowed_w()
        budget = min(by_limit, by_heat)
        clock = chip.clock_for(budget, temp, work.activity, ceiling)
        cause = Cause.CLOCK_CEILING
        if clock < ceiling:
            cause = self._held_by(by_limit, by_heat)
        if work.cap is not None:
            needed = self._clock_for_rate(work, work.cap)
            if needed < clock:
                clock, cause = needed, Cause.FRAME_CAP
        jitter = 1.0 + 0.004 * next(self._luck)
        return chip.power_at(clock, temp, work.activity) * jitter, clock, cause

    def _held_by(self, by_limit: float, by_heat: float) -> Cause:
        """What holds a clock below its highest, by the watts that limit and heat allow."""
        setting = self._setting
        if by_heat < 0.98 * min(by_limit, self._limiter.sustained_w):
            return Cause.HEAT
        near_burst = by_limit > 0.97 * setting.burst_w and setting.burst_w > setting.sustained_w
        return Cause.BURST_POWER if near_burst else Cause.SUSTAINED_POWER

    def _drawn(self, graphics: RigGraphics, work: RigWork, temp: float) -> tuple[float, float, Cause]:
        """The same of work of graphics: they have what the processor leaves of the budget."""
        part, lock, weight = graphics.part, self._setting.graphics_lock_ghz, self._weight(work)
        by_limit, by_heat = self._limiter.allowed_w(), self._governor.allowed_w()
        top = min(part.ceiling_ghz, lock or part.ceiling_ghz)
        clock = part.clock_for(min(by_limit, by_heat) - graphics.feed_w, temp, weight, top)
        cause = Cause.CLOCK_CEILING if lock else Cause.GRAPHICS_BOUND
        if clock < top:
            cause = self._held_by(by_limit, by_heat)
        self._graphics_w = part.power_at(clock, temp, weight) * (1.0 + 0.004 * next(self._luck))
        return graphics.feed_w + self._graphics_w, clock, cause

    def _weight(self, work: RigWork) -> float:
        """How heavy the scene is that is drawn now."""
        return work.scenes[int(self._scene_s / SCENE_S) % len(work.scenes)] if work.scenes else 1.0

    def _governed_c(self) -> float:
        """The temperature that firmware looks at, as far from the chip's limit as the nearest is from its own."""
        graphics, die = self._drawing, self._heat.die_c
        if graphics is None:
            return die
        return max(die, graphics.temp_c(die, self._graphics_w) + self._chip.temp_limit_c - graphics.temp_limit_c)

    def rate(self, work: RigWork, ghz: float) -> float:
        """Work done each second at a clock."""
        cores = 1 if work.one_core else self._chip.cores
        share = cores / 8.0 if work.channel == "score.rate" and not work.one_core else 1.0
        return work.per_ghz * share * self.device.memory_gain * ghz / (1.0 + ghz / work.half_ghz)

    def _clock_for_rate(self, work: RigWork, rate: float) -> float:
        full = rate / (work.per_ghz * self.device.memory_gain)
        return max(self._chip.lowest_ghz, full / (1.0 - full / work.half_ghz))


def _normals(seed: int) -> Iterator[float]:
    """Standard normal numbers without end, drawn many at once; plain floats: NumPy's would slow down every step."""
    rng = np.random.default_rng(seed)
    while True:
        yield from rng.standard_normal(1000).tolist()


class SimulatedRun(Struct, frozen=True):
    """A log made directly, with its truth: the cause at each second of the log, and the load's start in s."""

    log: RunLog
    truth: tuple[Cause, ...]
    load_start_s: float


def simulate_run(
    device: RigDevice,
    setting: RigSetting,
    work: RigWork,
    load_s: int,
    ambient_c: float = 22.0,
    seed: int = 1,
    idle_s: int = 20,
    pauses: tuple[tuple[int, int], ...] = (),
) -> SimulatedRun:
    """A run log at 1 Hz: `idle_s` of rest, then `load_s` of work; `pauses` are (from, to) in s of load."""
    sim = SimulatedDevice(device, setting, ambient_c, seed)
    rows: list[tuple[State, float]] = []
    before = sim.state()
    for second in range(idle_s + load_s):
        loaded = second - idle_s
        if loaded >= 0 and not any(a <= loaded < b for a, b in pauses):
            sim.start(work)
        else:
            sim.stop()
        sim.advance(1.0)
        state = sim.state()
        rows.append((state, before.energy_j))
        before = state
    return SimulatedRun(_as_log(rows, work, ambient_c, idle_s), tuple(s.truth for s, _ in rows), float(idle_s))


def _as_log(rows: list[tuple[State, float]], work: RigWork, ambient_c: float, idle_s: int) -> RunLog:
    def column(name: str, digits: int) -> FloatArray:
        return np.round([getattr(s, name) for s, _ in rows], digits)

    done = np.diff([0.0, *(s.work_done for s, _ in rows)])
    t = np.arange(1.0, len(rows) + 1.0)
    rate = np.where(t > idle_s, np.round(done, 3), np.nan)
    package = np.array([s.energy_j - e for s, e in rows])
    parts = _graphics_columns([s.graphics for s, _ in rows]) if work.scenes else {}
    if parts:
        package = package - parts["gpu.power"]
    return runlog_from_columns(
        t,
        {
            "cpu.power": np.round(package, 3),
            "cpu.clock": column("clock_mhz", 0),
            "cpu.temp": np.round(column("temp_c", 3) * 4) / 4,
            "cpu.load": column("load", 1),
            "fan.1.speed": column("fan_rpm", 0),
            "ambient.temp": np.full(len(t), ambient_c),
            work.channel: rate,
            **parts,
        },
    )


def _graphics_columns(states: list[GraphicsState | None]) -> dict[str, FloatArray]:
    """What graphics showed each second, at rest too."""
    rest = GraphicsState(0.0, 300.0, np.nan, 1.0)
    shown = [s or rest for s in states]
    watts = np.diff([0.0, *(s.energy_j for s in shown)])
    return {
        "gpu.power": np.round(np.where(watts > 0.0, watts, GRAPHICS_REST_W), 3),
        "gpu.clock": np.round([s.clock_mhz for s in shown], 0),
        "gpu.temp": np.round([s.temp_c for s in shown], 1),
        "gpu.load": np.round([s.load for s in shown], 0),
    }
