#!/usr/bin/env python3
"""How often curves over watts and verdicts are right where the truth is known.

.venv/bin/python bench/ladders.py [N] [SEED]

Curves of several kinds with parameters drawn at random, nine limits with four runs each, 0.8 % noise of the score and
0.3 % of the watts; pairs that cross once. Verdicts on pairs of cells with a known difference. Prints what the method
named wrongly, the largest and the 95 % error, and how often stated 95 % intervals held the truth.
"""

import sys
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from pinch.core.cell_scores import cell_score, pooled_scatter
from pinch.core.crossing import pair_up
from pinch.core.ladder import Ladder, Point, fit_ladder
from pinch.core.runlog import FloatArray
from pinch.core.scaling import scale
from pinch.core.sweetspots import EFFICIENCY, KNEE, MARGINAL, NEARLY_ALL, RULES, sweet_spots
from pinch.core.targets import reach_target
from pinch.core.verdict import judge_pair

LIMITS = np.array([7.0, 10.0, 13.0, 16.0, 20.0, 25.0, 30.0, 38.0, 45.0])
WATT_NOISE = 0.003
FINE, CONTRAST = 20001, 0.12
Truth = Callable[[FloatArray], FloatArray]


def law(rng: np.random.Generator) -> tuple[Truth, float]:
    offset, exponent = rng.uniform(0.0, 5.0), rng.uniform(0.3, 0.8)
    return lambda p: 10.0 * (p - offset) ** exponent, exponent


def saturating(rng: np.random.Generator) -> tuple[Truth, float]:
    tau = rng.uniform(8.0, 18.0)
    return lambda p: 100.0 * (1.0 - np.exp(-p / tau)), np.nan


def hyperbola(rng: np.random.Generator) -> tuple[Truth, float]:
    half, offset = rng.uniform(8.0, 25.0), rng.uniform(0.0, 4.0)
    return lambda p: 100.0 * (p - offset) / (p - offset + half), np.nan


def plateau(rng: np.random.Generator) -> tuple[Truth, float]:
    """A law that heat or graphics hold from some watts on, with a soft corner."""
    top, exponent, sharp = rng.uniform(22.0, 34.0), rng.uniform(0.4, 0.6), rng.uniform(6.0, 10.0)
    return lambda p: 10.0 * ((p - 2.0) ** -sharp + (top - 2.0) ** -sharp) ** (-exponent / sharp), np.nan


def line(rng: np.random.Generator) -> tuple[Truth, float]:
    """As graphics do that are far from their best."""
    floor = rng.uniform(0.0, 4.0)
    return lambda p: 5.0 * (p - floor), 1.0


def logarithm(rng: np.random.Generator) -> tuple[Truth, float]:
    start = rng.uniform(1.5, 4.0)
    return lambda p: 30.0 * np.log(p / start), np.nan


def two_slopes(rng: np.random.Generator) -> tuple[Truth, float]:
    """A steep law up to some watts, a flat one from there on."""
    turn = rng.uniform(15.0, 26.0)
    return lambda p: 10.0 * np.minimum((p / turn) ** 0.7, (p / turn) ** 0.2), np.nan


def then_held(rng: np.random.Generator) -> tuple[Truth, float]:
    """A law up to where heat or something else holds it, and hardly more from there on."""
    turn, offset = rng.uniform(14.0, 30.0), rng.uniform(0.0, 4.0)
    below, above = rng.uniform(0.45, 0.8), rng.uniform(0.0, 0.12)
    return lambda p: 10.0 * (np.minimum(p, turn) - offset) ** below * np.maximum(p / turn, 1.0) ** above, np.nan


def risen_then_held(rng: np.random.Generator) -> tuple[Truth, float]:
    """A rise to a ceiling that is cut off before it is there."""
    turn = rng.uniform(20.0, 36.0)
    return lambda p: 50.0 * (1.0 - np.exp(-np.minimum(p, turn) / 14.0)) * np.maximum(p / turn, 1.0) ** 0.03, np.nan


def three_slopes(rng: np.random.Generator) -> tuple[Truth, float]:
    """Two sharp corners."""
    one, two = rng.uniform(11.0, 18.0), rng.uniform(22.0, 34.0)
    return (
        lambda p: (
            (np.minimum(p, one) / one) ** 0.9 * (np.clip(p, one, two) / one) ** 0.5 * np.maximum(p / two, 1.0) ** 0.05
        ),
        np.nan,
    )


@dataclass(frozen=True)
class Kind:
    """How a curve is measured: its family, limits and runs of each, noise of a run, and the errors that all runs of a
    rung share: of its score, and of its watts, as shares."""

    family: Callable[[np.random.Generator], tuple[Truth, float]]
    runs: int = 4
    noise: float = 0.008
    rung: float = 0.0
    watt_rung: float = 0.0
    every: int = 1


KINDS = {
    "power law": Kind(law),
    "saturating": Kind(saturating),
    "hyperbola": Kind(hyperbola),
    "plateau": Kind(plateau),
    "logarithm": Kind(logarithm),
    "straight line": Kind(line),
    "two slopes": Kind(two_slopes),
    "three slopes": Kind(three_slopes),
    "a law, then held": Kind(then_held),
    "a rise, then held": Kind(risen_then_held),
    "a law, then held, 1 % a rung": Kind(then_held, rung=0.01),
    "power law, 1 % a rung": Kind(law, rung=0.01),
    "saturating, 1 % a rung": Kind(saturating, rung=0.01),
    "plateau, 1 % a rung": Kind(plateau, rung=0.01),
    "logarithm, 2 % a rung": Kind(logarithm, rung=0.02),
    "power law, watts 2 % off a rung": Kind(law, watt_rung=0.02),
    "hyperbola, watts 2 % off a rung": Kind(hyperbola, watt_rung=0.02),
    "power law, 2 runs, 2 % noise": Kind(law, runs=2, noise=0.02),
    "plateau, 5 limits": Kind(plateau, every=2),
    "power law, 5 limits, 1 % a rung": Kind(law, every=2, rung=0.01),
    "saturating, 3 limits": Kind(saturating, every=4),
}


@dataclass
class Tally:
    """Errors, and whether the interval held the truth."""

    errors: list[float] = field(default_factory=list)
    held: list[bool] = field(default_factory=list)

    def add(self, found: float, low: float, high: float, truth: float) -> None:
        self.errors.append(abs(found - truth))
        self.held.append(low <= truth <= high)

    @property
    def words(self) -> str:
        if not self.errors:
            return " | "
        worst, usual = max(self.errors), float(np.quantile(self.errors, 0.95))
        return f"{usual:.2g}, {worst:.2g} | {100 * np.mean(self.held):.0f}"


def runs_of(truth: Truth, rng: np.random.Generator, kind: Kind | None = None) -> list[Point]:
    kind = kind or Kind(law)
    limits = LIMITS[:: kind.every]
    watts = np.repeat(limits, kind.runs) * (1.0 + WATT_NOISE * rng.standard_normal(len(limits) * kind.runs))
    rungs = np.repeat(1.0 + kind.rung * rng.standard_normal(len(limits)), kind.runs)
    scores = truth(watts) * rungs * (1.0 + kind.noise * rng.standard_normal(len(watts)))
    watts = watts * np.repeat(1.0 + kind.watt_rung * rng.standard_normal(len(limits)), kind.runs)
    names = np.repeat([f"{w:g} W" for w in limits], kind.runs)
    return [Point(n, float(p), float(s)) for n, p, s in zip(names, watts, scores, strict=True)]


def true_spots(truth: Truth, ladder: Ladder) -> dict[str, float]:
    """The spots of the true curve over the range that was measured."""
    p = np.linspace(ladder.power[0], ladder.power[-1], FINE)
    y = truth(p)
    gain = np.gradient(np.log(y), p)
    worth = np.flatnonzero(gain >= 0.01)
    shape = (y - y[0]) / (y[-1] - y[0]) - (p - p[0]) / (p[-1] - p[0])
    return {
        "bent": float(shape.max()),
        EFFICIENCY: float(p[np.argmax(y / p)]),
        KNEE: float(p[np.argmax(shape)]),
        MARGINAL: float(p[worth[-1]]) if len(worth) else float(p[0]),
        NEARLY_ALL: float(p[np.argmax(y >= 0.95 * y.max())]),
    }


def curves(count: int, seed: int) -> None:
    columns = " | ".join(f"{rule} W | held %" for rule in RULES)
    print(f"| curve | law % | band held % | exponent | {columns} | target W | held % |")
    print("|" + "---|" * (6 + 2 * len(RULES)))
    for number, (name, kind) in enumerate(KINDS.items()):
        spots: dict[str, Tally] = {rule: Tally() for rule in RULES}
        target, exponents, lawful, band = Tally(), [], 0, []
        for i in range(count):
            rng = np.random.default_rng([seed, number, i])
            truth, exponent = kind.family(rng)
            ladder = fit_ladder(runs_of(truth, rng, kind))
            lawful += ladder.shape == "law"
            if np.isfinite(exponent) and np.isfinite(ladder.exponent):
                exponents.append(abs(ladder.exponent - exponent))
            low, high = ladder.band
            band.append(float(((low <= truth(ladder.power)) & (truth(ladder.power) <= high)).mean()))
            true = true_spots(truth, ladder)
            for rule, spot in sweet_spots(ladder).items():
                bent = true[rule] < ladder.power[-1] and (rule != KNEE or true["bent"] > 0.02)
                if not spot.edge and bent:
                    spots[rule].add(spot.power_w, spot.low_w, spot.high_w, true[rule])
            at = float(rng.uniform(12.0, 22.0))
            wanted = reach_target(ladder, float(truth(np.array([at]))[0]))
            target.add(wanted.power_w, wanted.low_w, wanted.high_w, at)
        b = f"{max(exponents):.2g}" if exponents else ""
        words = " | ".join(spots[rule].words for rule in RULES)
        print(f"| {name} | {100 * lawful / count:.0f} | {100 * np.mean(band):.0f} | {b} | {words} | {target.words} |")


def crossovers(count: int, seed: int) -> None:
    """Curves that cross once with leads of 6 % or more at either end, and the same curve measured twice."""
    print("\n| pairs | true crossing found % | another or several % | error W (95 %, worst) | held % |")
    print("|---|---|---|---|---|")
    for rung in (0.0, 0.01):
        tally, tried, found_once, other = Tally(), 0, 0, 0
        kind = Kind(law, rung=rung)
        for i in range(3 * count):
            rng = np.random.default_rng([seed, 100, i])
            at = float(rng.uniform(12.0, 35.0))
            steep, flat = law(rng)[0], saturating(rng)[0]
            ratio = float((steep(np.array([at])) / flat(np.array([at])))[0])
            p = np.linspace(LIMITS[0], LIMITS[-1], FINE)
            lead = np.log(steep(p) / (ratio * flat(p)))
            roots = p[:-1][np.diff(np.sign(lead)) != 0]
            if len(roots) != 1 or min(abs(lead[0]), abs(lead[-1])) < CONTRAST / 2:
                continue
            tried += 1
            a = fit_ladder(runs_of(steep, rng, kind))
            b = fit_ladder(runs_of(lambda w, flat=flat, ratio=ratio: ratio * flat(w), rng, kind))
            found = pair_up("a", a, "b", b).crossings
            if len(found) == 1:
                found_once += 1
                tally.add(found[0].power_w, found[0].low_w, found[0].high_w, at)
            else:
                other += len(found) > 1
        words = f"contrast {100 * CONTRAST:.0f} % or more, {100 * rung:g} % a rung ({tried})"
        print(f"| {words} | {100 * found_once / tried:.0f} | {100 * other / tried:.0f} | {tally.words} |")
    print("\n| the same curve twice | a crossing % | a lead % | no difference that matters somewhere % |")
    print("|---|---|---|---|")
    for name, kind in KINDS.items():
        crossed = leads = alike = 0
        for i in range(count):
            rng = np.random.default_rng([seed, 150, i])
            truth, _ = kind.family(rng)
            p = pair_up("a", fit_ladder(runs_of(truth, rng, kind)), "b", fit_ladder(runs_of(truth, rng, kind)))
            crossed += bool(p.crossings)
            leads += any(s.ahead in ("a", "b") for s in p.stretches)
            alike += any(s.ahead == "" for s in p.stretches)
        print(f"| {name} | {100 * crossed / count:.0f} | {100 * leads / count:.0f} | {100 * alike / count:.0f} |")


def verdicts(count: int, seed: int) -> None:
    def share(gain: float, noise: float, repeats: int, wanted: set[str]) -> float:
        hits = 0
        for i in range(count * 10):
            rng = np.random.default_rng([seed, 200, repeats, i])
            a = cell_score(100.0 * np.exp(gain + noise * rng.standard_normal(repeats)))
            b = cell_score(100.0 * np.exp(noise * rng.standard_normal(repeats)))
            hits += judge_pair(a, b).answer in wanted
        return 100.0 * hits / (count * 10)

    both = {"faster", "slower"}
    print("\n| pairs of cells | wanted | % |\n|---|---|---|")
    for noise, repeats in ((0.006, 8), (0.015, 5), (0.015, 3), (0.03, 3)):
        words = f"equal, {100 * noise:g} % noise, {repeats} runs"
        print(f"| {words} | called different (≤ 5) | {share(0.0, noise, repeats, both):.1f} |")
    print(f"| equal, 0.6 % noise, 8 runs | a tie (≥ 90) | {share(0.0, 0.006, 8, {'tie'}):.1f} |")
    print(f"| 9 % apart, 1.5 % noise, 5 runs | faster (≥ 90) | {share(np.log(1.09), 0.015, 5, {'faster'}):.1f} |")
    held = 0
    for i in range(count * 10):
        rng = np.random.default_rng([seed, 300, i])
        repeated = [cell_score(100.0 * np.exp(0.01 * rng.standard_normal(3))) for _ in range(6)]
        a, b = (cell_score(100.0 * np.exp(0.01 * rng.standard_normal(1))) for _ in range(2))
        v = judge_pair(a, b, pooled=pooled_scatter(repeated))
        held += v.low <= 1.0 <= v.high
    words = "two single runs, scatter borrowed of six cells"
    print(f"| {words} | interval holds the truth (90–98) | {held / count * 10:.1f} |")


def falling(count: int, seed: int) -> None:
    """A setting that is 4 % slower at more watts, and curves of which none is."""
    missed = false = 0
    for i in range(count):
        rng = np.random.default_rng([seed, 400, i])
        truth, _ = law(rng)
        plain = runs_of(truth, rng)
        false += any(w.code == "falling" for w in scale(plain).warnings)
        before = float(truth(np.array([LIMITS[-2]]))[0])
        luck = [p.score / float(truth(np.array([p.power_w]))[0]) for p in plain]
        hot = [Point(p.cell, p.power_w, 0.96 * before * x) for p, x in zip(plain, luck, strict=True)]
        mixed = [h if p.cell == "45 W" else p for p, h in zip(plain, hot, strict=True)]
        missed += not any(w.code == "falling" for w in scale(mixed).warnings)
    print(f"\na slower setting at more watts: missed {missed} of {count}, seen where there is none {false} of {count}")


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    curves(count, seed)
    crossovers(count, seed)
    verdicts(count, seed)
    falling(count, seed)


if __name__ == "__main__":
    main()
