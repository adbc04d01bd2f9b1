"""The parts of a simulated device: chip, power limiter, cooler, heat control. All data are invented.

Each part keeps its own state and steps by a fixed time; `rig.device` joins them.
"""

from bisect import bisect_left
from functools import cached_property, lru_cache

import numpy as np
from msgspec import Struct


class Chip(Struct, frozen=True, dict=True):
    """A chip: clocks in GHz; dynamic power `switching` · f · (v0 + v1·f)² in W with V in volts; leakage in W that
    grows by `leak_per_k` for each kelvin above 25 °C; `idle_w` flows always."""

    name: str
    cores: int
    lowest_ghz: float
    ceiling_ghz: float
    one_core_ghz: float
    switching: float
    v0: float = 0.55
    v1: float = 0.14
    idle_w: float = 2.5
    leak_w: float = 1.2
    leak_per_k: float = 0.012
    temp_limit_c: float = 95.0

    def leakage_w(self, temp_c: float) -> float:
        """Leakage at a temperature, W."""
        return self.leak_w * (1.0 + self.leak_per_k * (temp_c - 25.0))

    def dynamic_w(self, ghz: float, activity: float) -> float:
        """Dynamic power at a clock, W; `activity` is the share of the chip that works, 0 to 1."""
        return activity * self.switching * ghz * (self.v0 + self.v1 * ghz) ** 2

    def clock_for(self, power_w: float, temp_c: float, activity: float, ceiling_ghz: float) -> float:
        """Highest clock within a power budget, GHz, between the lowest and the ceiling."""
        grid, watts = self._power_table
        room = (power_w - self.idle_w - self.leakage_w(temp_c)) / activity
        i = bisect_left(watts, room)
        if i == 0:
            return self.lowest_ghz
        if i == len(watts):
            return min(grid[-1], ceiling_ghz)
        part = (room - watts[i - 1]) / (watts[i] - watts[i - 1])
        return min(grid[i - 1] + part * (grid[i] - grid[i - 1]), ceiling_ghz)

    @cached_property
    def _power_table(self) -> tuple[list[float], list[float]]:
        """Clocks in GHz and the dynamic power of the whole chip at each, W."""
        grid = np.linspace(self.lowest_ghz, self.one_core_ghz, 400).tolist()
        return grid, [self.dynamic_w(f, 1.0) for f in grid]

    def power_at(self, ghz: float, temp_c: float, activity: float) -> float:
        """Package power at a clock under load, W."""
        return self.idle_w + self.leakage_w(temp_c) + self.dynamic_w(ghz, activity)


class TwoLevelLimiter:
    """A power limiter on a running average A with τ dA/dt = P − A: `burst_w` until A reaches `sustained_w`."""

    def __init__(self, sustained_w: float, burst_w: float, window_s: float, dt: float) -> None:
        self.sustained_w, self.burst_w = sustained_w, burst_w
        self._share = 1.0 - float(np.exp(-dt / window_s))
        self.average_w = 0.0

    def rest(self, power_w: float) -> None:
        """Begin after a long rest at `power_w`."""
        self.average_w = power_w

    def allowed_w(self) -> float:
        """Power allowed for the next step, W: the burst limit unless that would lift A above the sustained one."""
        return min(self.burst_w, self.average_w + (self.sustained_w - self.average_w) / self._share)

    def step(self, power_w: float) -> None:
        """Take the power of the step into the average."""
        self.average_w += (power_w - self.average_w) * self._share


class StairsLimiter:
    """A power limiter by the clock: each of its levels, (W, until s of load), and then `sustained_w`."""

    def __init__(self, sustained_w: float, stairs: tuple[tuple[float, float], ...], dt: float) -> None:
        self.sustained_w, self._stairs, self._dt = sustained_w, stairs, dt
        self._rest_w, self._loaded_s = 0.0, 0.0

    def rest(self, power_w: float) -> None:
        """Begin after a long rest at `power_w`; twice as much is load."""
        self._rest_w, self._loaded_s = 2.0 * power_w, 0.0

    def allowed_w(self) -> float:
        """Power allowed for the next step, W."""
        return next((watts for watts, until in self._stairs if self._loaded_s < until), self.sustained_w)

    def step(self, power_w: float) -> None:
        """Count the time under load, from anew after a rest."""
        self._loaded_s = self._loaded_s + self._dt if power_w > self._rest_w else 0.0


class Cooler(Struct, frozen=True):
    """Two thermal nodes, die and sink: resistances K/W, heat capacities J/K; die → sink → ambient."""

    die_r: float
    sink_r: float
    die_c: float
    sink_c: float


class HeatPath:
    """The temperatures of a cooler's two nodes, stepped exactly for power held constant over `dt`."""

    def __init__(self, cooler: Cooler, ambient_c: float, dt: float) -> None:
        (self._a, self._b, self._c, self._d), (self._p, self._q) = _exact_step(cooler, dt)
        self.ambient_c, self._cooler = ambient_c, cooler
        self._die = self._sink = 0.0

    @property
    def die_c(self) -> float:
        """Die temperature, °C."""
        return self.ambient_c + self._die

    @property
    def sink_c(self) -> float:
        """Sink temperature, °C."""
        return self.ambient_c + self._sink

    def rest(self, power_w: float) -> None:
        """Put both nodes where they settle at a steady `power_w`."""
        self._sink = self._cooler.sink_r * power_w
        self._die = self._sink + self._cooler.die_r * power_w

    def step(self, power_w: float) -> None:
        """Advance by one step at `power_w`."""
        die, sink = self._die, self._sink
        self._die = self._a * die + self._b * sink + self._p * power_w
        self._sink = self._c * die + self._d * sink + self._q * power_w


@lru_cache(maxsize=64)
def _exact_step(cooler: Cooler, dt: float) -> tuple[list[float], list[float]]:
    """Transition matrix, row by row, and gain of constant power over `dt`, from the matrix exponential."""
    from scipy.linalg import expm

    g1, g2 = 1.0 / cooler.die_r, 1.0 / cooler.sink_r
    rate = np.array([[-g1 / cooler.die_c, g1 / cooler.die_c], [g1 / cooler.sink_c, -(g1 + g2) / cooler.sink_c]])
    drive = np.array([1.0 / cooler.die_c, 0.0])
    step = expm(rate * dt)
    return step.ravel().tolist(), np.linalg.solve(rate, (step - np.eye(2)) @ drive).tolist()


class HeatControl(Struct, frozen=True):
    """How firmware keeps the temperature limit: `smooth`, or by hysteresis: down to `drop` of the power that was
    allowed when the limit was hit, until `band_k` cooler."""

    smooth: bool = True
    band_k: float = 8.0
    drop: float = 0.6


class HeatGovernor:
    """The power that heat allows, W."""

    def __init__(self, control: HeatControl, limit_c: float, most_w: float, least_w: float, dt: float) -> None:
        self._control, self._limit, self._most, self._least, self._dt = control, limit_c, most_w, least_w, dt
        self._budget = most_w
        self._last_error = 0.0
        self._cut_w: float | None = None
        self.events = 0

    def allowed_w(self) -> float:
        """Power allowed for the next step, W."""
        return self._budget if self._control.smooth or self._cut_w is None else self._cut_w

    def step(self, temp_c: float, power_w: float) -> None:
        """Look at the temperature after a step."""
        if self._control.smooth:
            self._step_smooth(temp_c, power_w)
        elif self._cut_w is None and temp_c >= self._limit:
            self._cut_w = max(self._least, self._control.drop * power_w)
            self.events += 1
        elif self._cut_w is not None and temp_c <= self._limit - self._control.band_k:
            self._cut_w = None
        elif self._cut_w is not None and temp_c > self._limit + 1.0:
            self._cut_w = max(self._least, self._cut_w * (1.0 - 0.1 * self._dt))  # the cut was not enough

    def _step_smooth(self, temp_c: float, power_w: float) -> None:
        error = self._limit - temp_c
        was_free = self._budget >= power_w + 0.5
        if was_free and error < 4.0:
            self._budget = power_w + 0.4  # take over where the machine is, without a jump
        self._budget += (0.10 * error + 0.8 * (error - self._last_error) / self._dt) * self._dt
        self._budget = min(self._most, max(self._least, self._budget))
        self._last_error = error
        self.events += int(was_free and self._budget < power_w)
