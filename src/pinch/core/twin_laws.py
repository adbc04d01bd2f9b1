"""The laws through a device's own runs: watts by limit, clock by watts, score by clock, resistance by temperature; and
what they let be, as draws.

Each law has weak prior knowledge of its shape, so that few runs already say something (`core.predictive`). Nothing here
is checked for how far the runs reach: that is `core.twin`'s.
"""

import math
from collections import Counter
from functools import cached_property

import numpy as np
from msgspec import Struct

from pinch.core.predictive import Law, Term, fit_law
from pinch.core.runlog import FloatArray
from pinch.core.twin_runs import HEAT, LIMIT, WORK, Change, Draws, TwinRefusedError, TwinRun
from pinch.language import tr

DRAWS, SEED = 1000, 20260
POWER_SD, CLOCK_SD, SCORE_SD, HEAT_SD, PINNED_K = 0.004, 0.004, 0.006, 0.012, 0.5
"""Scatter from run to run that is expected before there are any: shares, and K where heat holds (from memory)."""
KNOWN_AS = 4.0
"""So many runs that this knowledge is worth."""
LEAK = 0.0015
"""Share of the clock that a kelvin may cost, or not, at equal watts: leakage (from memory)."""
BELOW_K = 1.5
"""As far below its limit as it is told, more or less, a device is held by heat (from memory)."""
WARM_C, WARM_K, MOST_K, ONWARD_K = 65.0, 20.0, 200.0, 10.0
"""Middle and scale of the temperatures that a resistance is told by, more above the room than there is, and how far
beyond the hottest run a resistance goes on changing."""
BEYOND = 0.006
"""Share of the resistance that a fan may be off for each kelvin beyond the hottest run (from memory)."""
NEAR_MOST = 0.15
"""Runs of free work within this share of the most that any drew tell what it draws."""
HALVINGS = 40


class TwinLaws(Struct, frozen=True, dict=True):
    """The runs of a device under one workload, and its temperature limit as it is told (NaN: not known)."""

    runs: tuple[TwinRun, ...]
    limit_c: float = math.nan

    @cached_property
    def fans(self) -> tuple[str, ...]:
        """The profiles of the fan that were run, the most frequent first."""
        return tuple(fan for fan, _ in Counter(r.fan for r in self.runs).most_common())

    @cached_property
    def rooms(self) -> tuple[float, ...]:
        """The rooms that were run in."""
        return tuple(sorted({r.room_c for r in self.runs if math.isfinite(r.room_c)}))

    @cached_property
    def middle_w(self) -> float:
        """The geometric middle of the watts."""
        return math.exp(float(np.mean([math.log(r.power_w) for r in self.runs])))

    @cached_property
    def _middle_room(self) -> float:
        return float(np.mean(self.rooms)) if self.rooms else math.nan

    @cached_property
    def hottest_c(self) -> float:
        """The highest temperature that a run held, NaN where none is known."""
        return max((r.temp_c for r in self.runs if math.isfinite(r.temp_c)), default=math.nan)

    def held_by(self, kind: str, fan: str | None = None) -> list[TwinRun]:
        """The runs that a limiter held, of one profile where given."""
        return [r for r in self.runs if r.kind == kind and fan in (None, r.fan)]

    # Its laws

    @cached_property
    def _limits(self) -> Law | None:
        own = [r for r in self.held_by(LIMIT) if math.isfinite(r.limit_w)]
        if not own:
            return None
        rows = np.array([self._limit_terms(r.limit_w) for r in own])
        y = np.array([math.log(r.power_w / r.limit_w) for r in own])
        return fit_law(rows, y, (Term(0.0, 0.2), Term(0.0, 0.03)), POWER_SD, KNOWN_AS)

    def _limit_terms(self, limit_w: float) -> FloatArray:
        return np.array([1.0, math.log(limit_w / self.middle_w)])

    @cached_property
    def _clocks(self) -> Law | None:
        own = [r for r in self.runs if math.isfinite(r.clock_mhz) and r.clock_mhz > 0]
        if not own:
            return None
        rows = np.array([self._clock_terms(np.array([r.power_w]), np.array([self._warmer(r)]))[0] for r in own])
        terms = (Term(7.5, 3.0), Term(0.45, 0.3), Term(0.0, 0.15), Term(0.0, LEAK))
        return fit_law(rows, np.log([r.clock_mhz for r in own]), terms, CLOCK_SD, KNOWN_AS)

    def _clock_terms(self, power: FloatArray, warmer: FloatArray) -> FloatArray:
        x = np.log(power / self.middle_w)
        return np.column_stack([np.ones_like(x), x, x * x, warmer])

    def _warmer(self, run: TwinRun) -> float:
        """How much warmer a run was than the cooler usually has it at its watts, in the middle room."""
        law = self._resistances(run.fan) or self._resistances(None)
        if law is None or not math.isfinite(run.temp_c) or not math.isfinite(self._middle_room):
            return 0.0
        return run.temp_c - float(_warm(law.mean, self._middle_room, np.array([run.power_w]), self.hottest_c)[0])

    @cached_property
    def _scores(self) -> Law | None:
        by_clock = self._clocks is not None
        own = [r for r in self.runs if r.score > 0 and (math.isfinite(r.clock_mhz) or not by_clock)]
        if not own:
            return None
        x = np.log([r.clock_mhz / self._middle_mhz if by_clock else r.power_w / self.middle_w for r in own])
        slope = Term(0.9, 0.4) if by_clock else Term(0.45, 0.3)
        rows = np.column_stack([np.ones_like(x), x, x * x])
        scores = np.log([r.score for r in own])
        return fit_law(rows, scores, (Term(float(scores.mean()), 5.0), slope, Term(0.0, 0.3)), SCORE_SD, KNOWN_AS)

    @cached_property
    def _middle_mhz(self) -> float:
        known = [math.log(r.clock_mhz) for r in self.runs if r.clock_mhz > 0]
        return math.exp(float(np.mean(known))) if known else math.nan

    def _resistances(self, fan: str | None) -> Law | None:
        """ln K/W over the temperature, which fans follow, of one profile; None where nothing is known of it."""
        if fan not in self._fitted:
            self._fitted[fan] = self._fit_resistances(fan)
        return self._fitted[fan]

    @cached_property
    def _fitted(self) -> dict[str | None, Law | None]:
        return {}

    def _fit_resistances(self, fan: str | None) -> Law | None:
        own = [r for r in self.runs if fan in (None, r.fan) and r.temp_c > r.room_c]
        if not own:
            return None
        rows = _heat_terms(np.array([r.temp_c for r in own]), self.hottest_c)
        y = np.log([(r.temp_c - r.room_c) / r.power_w for r in own])
        terms = (Term(float(y.mean()), 3.0), Term(0.0, 0.3), Term(0.0, 0.1))
        return fit_law(rows, y, terms, HEAT_SD, KNOWN_AS)

    # What they let be

    def draw(self, change: Change) -> Draws:
        """What may be.

        Raises
        ------
        TwinRefusedError : the runs lack what it takes.
        """
        rng = np.random.default_rng(SEED)
        allowed = {
            LIMIT: self._by_limit(change, rng),
            HEAT: self._by_heat(change, rng),
            WORK: self._by_work(change, rng),
        }
        kinds = np.array(list(allowed))
        least = np.argmin(np.array([watts for watts, _ in allowed.values()]), axis=0)
        power = np.choose(least, [watts for watts, _ in allowed.values()])
        if not np.isfinite(power).all():
            raise TwinRefusedError(
                tr("Without a limit nothing says how much it would draw: no run was left to its work or to its heat.")
            )
        limit_c = allowed[HEAT][1]
        temp = self._temperatures(change, power, rng)
        temp = np.where((least == list(allowed).index(HEAT)) & np.isfinite(limit_c), limit_c, temp)
        clock = self._clock_at(change, power, temp, rng)
        without = np.minimum(allowed[LIMIT][0], allowed[WORK][0])
        return Draws(power, clock, temp, self._score_at(power, clock, rng), kinds[least], without, limit_c)

    def _by_limit(self, change: Change, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
        nothing = np.full(DRAWS, np.inf)
        if not math.isfinite(change.limit_w):
            return nothing, nothing
        law = self._limits
        if law is None:
            raise TwinRefusedError(
                tr("No run was held by a limit on power: one under a limit that holds it opens this.")
            )
        off = law.coefficients(rng, DRAWS) @ self._limit_terms(change.limit_w) + law.scatter(rng, DRAWS)
        return change.limit_w * np.exp(off), nothing

    def _by_heat(self, change: Change, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
        """The watts at the temperature that heat holds, and that temperature; infinite where nothing is known of it."""
        own = self.held_by(HEAT, change.fan) or self.held_by(HEAT)
        known = [r for r in own if r.temp_c > r.room_c]
        if not known:
            return self._by_known_limit(change, rng)
        temps = np.array([r.temp_c for r in known])
        pinned = fit_law(np.ones((len(known), 1)), temps, (Term(float(temps[0]), 20.0),), PINNED_K, KNOWN_AS)
        limit_c = pinned.coefficients(rng, DRAWS)[:, 0] + pinned.scatter(rng, DRAWS)
        y = np.log([(r.temp_c - r.room_c) / r.power_w for r in known])
        law = fit_law(np.ones((len(y), 1)), y, (Term(float(y.mean()), 3.0),), HEAT_SD, KNOWN_AS)
        resistance = np.exp(law.coefficients(rng, DRAWS)[:, 0] + law.scatter(rng, DRAWS)) / (1.0 + change.cooling)
        return np.maximum(limit_c - change.room_c, 0.0) / resistance, limit_c

    def _by_known_limit(self, change: Change, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
        """The same by the limit as it is told, which no run has met."""
        law = self._resistances(change.fan)
        if law is None or not math.isfinite(self.limit_c):
            return np.full(DRAWS, np.inf), np.full(DRAWS, np.inf)
        limit_c = self.limit_c - BELOW_K + BELOW_K * rng.standard_normal(DRAWS)
        off = law.scatter(rng, DRAWS) + BEYOND * max(0.0, self.limit_c - self.hottest_c) * rng.standard_normal(DRAWS)
        ln_r = (_heat_terms(limit_c, self.hottest_c) * law.coefficients(rng, DRAWS)).sum(axis=1) + off
        return np.maximum(limit_c - change.room_c, 0.0) * (1.0 + change.cooling) / np.exp(ln_r), limit_c

    def _by_work(self, change: Change, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
        """What the work draws where nothing holds it, or at a locked clock."""
        free = np.full(DRAWS, np.inf)
        own = self.held_by(WORK)
        if own:
            most = max(r.power_w for r in own)
            y = np.log([r.power_w for r in own if r.power_w > most * (1.0 - NEAR_MOST)])
            law = fit_law(np.ones((len(y), 1)), y, (Term(float(y.mean()), 3.0),), 2.0 * POWER_SD, KNOWN_AS)
            free = np.exp(law.coefficients(rng, DRAWS)[:, 0] + law.scatter(rng, DRAWS))
        if math.isfinite(change.lock_mhz):
            free = np.minimum(free, self._watts_at(change.lock_mhz, rng))
        return free, free

    def _watts_at(self, mhz: float, rng: np.random.Generator) -> FloatArray:
        """The watts at which the clock is so much, by halving."""
        law = self._clocks
        if law is None:
            raise TwinRefusedError(tr("The clock of no run is known, so nothing can be said of a lock."))
        of, off = law.coefficients(rng, DRAWS), law.scatter(rng, DRAWS)
        low, high = (np.full(DRAWS, self.middle_w * 10.0**by) for by in (-2, 2))
        for _ in range(HALVINGS):
            middle = np.sqrt(low * high)
            over = (self._clock_terms(middle, np.zeros(DRAWS)) * of).sum(axis=1) + off > math.log(mhz)
            low, high = np.where(over, low, middle), np.where(over, middle, high)
        return np.asarray(np.sqrt(low * high))

    def _temperatures(self, change: Change, power: FloatArray, rng: np.random.Generator) -> FloatArray:
        law = self._resistances(change.fan)
        if law is None or not math.isfinite(change.room_c):
            return np.full(DRAWS, np.nan)
        of, off = law.coefficients(rng, DRAWS), law.scatter(rng, DRAWS)
        carried = power * np.exp(off) / (1.0 + change.cooling)
        beyond = np.maximum(_warm(of, change.room_c, carried, self.hottest_c) - self.hottest_c, 0.0)
        off_there = np.exp(BEYOND * beyond * rng.standard_normal(DRAWS))
        return _warm(of, change.room_c, carried * off_there, self.hottest_c)

    def _clock_at(self, change: Change, power: FloatArray, temp: FloatArray, rng: np.random.Generator) -> FloatArray:
        law = self._clocks
        if law is None:
            return np.full(DRAWS, np.nan)
        usual = self._temperatures(Change(room_c=self._middle_room, fan=change.fan), power, np.random.default_rng(SEED))
        warmer = np.where(np.isfinite(temp - usual), temp - usual, 0.0)
        rows = self._clock_terms(power, warmer)
        clock = np.exp((rows * law.coefficients(rng, DRAWS)).sum(axis=1) + law.scatter(rng, DRAWS))
        return np.asarray(np.minimum(clock, change.lock_mhz) if math.isfinite(change.lock_mhz) else clock)

    def _score_at(self, power: FloatArray, clock: FloatArray, rng: np.random.Generator) -> FloatArray:
        law = self._scores
        if law is None:
            return np.full(DRAWS, np.nan)
        x = np.log(clock / self._middle_mhz) if self._clocks is not None else np.log(power / self.middle_w)
        rows = np.column_stack([np.ones(DRAWS), x, x * x])
        return np.asarray(np.exp((rows * law.coefficients(rng, DRAWS)).sum(axis=1) + law.scatter(rng, DRAWS)))


def _heat_terms(temp_c: FloatArray, hottest_c: float) -> FloatArray:
    """By temperatures, (n,); well beyond the hottest run the resistance goes on as it was."""
    x = (np.minimum(temp_c, hottest_c + ONWARD_K) - WARM_C) / WARM_K
    return np.column_stack([np.ones_like(x), x, x * x])


def _warm(law: FloatArray, room_c: float, power_w: FloatArray, hottest_c: float) -> FloatArray:
    """The temperatures at which watts leave through a resistance that goes with them, (n,); `law` are its terms, (3,)
    or (n, 3)."""
    temp = room_c + power_w * np.exp((_heat_terms(np.full(len(power_w), WARM_C), hottest_c) * law).sum(axis=1))
    for _ in range(HALVINGS):
        wanted = room_c + power_w * np.exp((_heat_terms(temp, hottest_c) * law).sum(axis=1))
        temp = 0.5 * (temp + np.minimum(wanted, room_c + MOST_K))
    return np.asarray(temp)
