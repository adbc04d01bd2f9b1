#!/usr/bin/env python3
"""How often stated intervals hold the truth, and how often equal cells are called different.

.venv/bin/python bench/intervals.py [ratios] [frames] [heat] [means] [N] [SEED]

Processes of many kinds whose truth is known, made here by code that shares nothing with what is tested. Prints a table
for each subject (see docs/methods.md): how often the interval held the truth of those that were stated, how many said
that they cannot tell, and of verdicts how often the answer was wrong.
"""

import sys
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from scipy.linalg import expm
from scipy.signal import lfilter

from pinch.core.cell_scores import CellScore, cell_score, pooled_scatter
from pinch.core.errors import DataError
from pinch.core.framestats import LOWS, frame_figures
from pinch.core.heat import find_heat
from pinch.core.run_order import RunPlace
from pinch.core.runlog import RunLog, Series
from pinch.core.sensor_classes import SensorClasses
from pinch.core.sustained import channel_figures
from pinch.core.verdict import Answer, Verdict, judge_together

Rng = np.random.Generator
NOISE, MOST_VAGUE = 0.015, 0.25
BOTH = {Answer.FASTER, Answer.SLOWER}


@dataclass
class Table:
    """Cells as they were run: ln scores and places of each, the true ln gain of all but the first over the first."""

    logs: list[np.ndarray]
    places: list[list[RunPlace]]
    gains: list[float] = field(default_factory=lambda: [0.0])

    def verdicts(self) -> list[Verdict]:
        cells = [
            cell_score(100.0 * np.exp(y), p if len(p) == len(y) else ())
            for y, p in zip(self.logs, self.places, strict=True)
        ]
        pairs: list[tuple[CellScore, CellScore]] = [(c, cells[0]) for c in cells[1:]]
        return judge_together(pairs, pooled=pooled_scatter(cells))


def walked(order: str, y: Callable[[int, int], float], session: Callable[[int], int] = lambda i: 0) -> Table:
    """Cells run in an order of letters: `y(run, cell)` gives ln scores, `session` that of a run."""
    names = sorted(set(order))
    logs: list[list[float]] = [[] for _ in names]
    places: list[list[RunPlace]] = [[] for _ in names]
    at: dict[int, int] = {}
    for i, letter in enumerate(order):
        cell, s = names.index(letter), session(i)
        logs[cell].append(y(i, cell))
        places[cell].append(RunPlace(s, float(at.get(s, 0))))
        at[s] = at.get(s, 0) + 1
    return Table([np.array(x) for x in logs], places)


def unordered(draw: Callable[[int], np.ndarray], runs: tuple[int, ...]) -> Table:
    return Table([draw(n) for n in runs], [[] for _ in runs])


def normal(rng: Rng, noise: float = NOISE) -> Callable[[int, int], float]:
    return lambda i, cell: noise * float(rng.standard_normal())


def drifting(rng: Rng, per_run: float, noise: float = NOISE) -> Callable[[int, int], float]:
    return lambda i, cell: per_run * i + noise * float(rng.standard_normal())


def warming(rng: Rng, by: float, runs: float) -> Callable[[int, int], float]:
    return lambda i, cell: -by * (1.0 - np.exp(-i / runs)) + NOISE * float(rng.standard_normal())


def by_day(rng: Rng, day_sd: float, days: int, noise: float = NOISE) -> Callable[[int, int], float]:
    steps = day_sd * rng.standard_normal(days)
    return lambda i, cell: float(steps[i // 5]) + noise * float(rng.standard_normal())


def outliers(rng: Rng, n: int) -> np.ndarray:
    return NOISE * rng.standard_normal(n) - 0.08 * (rng.random(n) < 0.1)


def pool_of(rng: Rng) -> Table:
    """Two noisy single runs beside six quiet cells."""
    quiet = [0.004 * rng.standard_normal(3) for _ in range(6)]
    return Table([*(0.03 * rng.standard_normal(1) for _ in range(2)), *quiet], [[] for _ in range(8)], [0.0])


EQUAL: dict[str, Callable[[Rng], Table]] = {
    "independent, 5 runs": lambda r: unordered(lambda n: NOISE * r.standard_normal(n), (5, 5)),
    "independent, 3 runs, 3 % noise": lambda r: unordered(lambda n: 0.03 * r.standard_normal(n), (3, 3)),
    "one scatters five times the other, 4 and 8 runs": lambda r: Table(
        [0.03 * r.standard_normal(4), 0.006 * r.standard_normal(8)], [[], []]
    ),
    "skewed (log-normal)": lambda r: unordered(lambda n: -NOISE * np.exp(r.standard_normal(n)) / 2.0, (5, 5)),
    "heavy tails (Student, 3)": lambda r: unordered(lambda n: NOISE * r.standard_t(3, n), (5, 5)),
    "one run in ten 8 % slow": lambda r: unordered(lambda n: outliers(r, n), (6, 6)),
    "steps of 1 fps at 60": lambda r: unordered(
        lambda n: np.log(np.round(60.0 * np.exp(0.008 * r.standard_normal(n))) / 60.0), (4, 4)
    ),
    "blocks, no drift": lambda r: walked("aaaaabbbbb", normal(r)),
    "blocks, drift 0.8 % a run": lambda r: walked("aaaaabbbbb", drifting(r, -0.008)),
    "blocks of 3, drift 0.8 % a run": lambda r: walked("aaabbb", drifting(r, -0.008)),
    "blocks of 8, drift 0.4 % a run, 0.6 % noise": lambda r: walked("a" * 8 + "b" * 8, drifting(r, 0.004, 0.006)),
    "blocks, warming by 4 %": lambda r: walked("aaaaabbbbb", warming(r, 0.04, 4.0)),
    "in turns, drift 0.8 % a run": lambda r: walked("ababababab", drifting(r, -0.008)),
    "mirrored, drift 0.8 % a run": lambda r: walked("abbaabba", drifting(r, -0.008)),
    "other days (1.5 % from day to day)": lambda r: walked("aaaaabbbbb", by_day(r, 0.015, 2), lambda i: i // 5),
    "other days (2.5 % from day to day)": lambda r: walked("aaaaabbbbb", by_day(r, 0.025, 2), lambda i: i // 5),
    "both on each of two days": lambda r: walked("aabbbaaabb", by_day(r, 0.02, 2), lambda i: i // 5),
    "twelve cells, 5 runs each": lambda r: unordered(lambda n: NOISE * r.standard_normal(n), (5,) * 12),
    "twelve cells in blocks, drift 0.3 % a run": lambda r: walked(
        "".join(c * 4 for c in "abcdefghijkl"), drifting(r, -0.003)
    ),
    "noisy single runs beside a quiet pool": pool_of,
}
"""Tables of cells that are all equal."""


def moved(table: Table, gain: float) -> Table:
    """The same with the second cell better by so much."""
    return Table([table.logs[0], table.logs[1] + gain, *table.logs[2:]], table.places)


def ratios(count: int, seed: int) -> None:
    print("| equal cells | called different % | interval holds % | no answer for lack of scatter % |")
    print("|---|---|---|---|")
    for number, (name, make) in enumerate(EQUAL.items()):
        wrong = held = stated = silent = 0
        for i in range(count):
            table = make(np.random.default_rng([seed, 500 + number, i]))
            found = table.verdicts()
            wrong += any(v.answer in BOTH for v in found)
            own = [v for v in found if v.has_interval]
            stated += bool(own)
            held += bool(own) and all(v.low <= 1.0 <= v.high for v in own)
            silent += not own
        shown = f"{100 * held / stated:.0f}" if stated else ""
        print(f"| {name} | {100 * wrong / count:.1f} | {shown} | {100 * silent / count:.0f} |")
    print("\n| a real difference | seen % |\n|---|---|")
    for name, gain in (
        ("independent, 5 runs", 0.05), ("in turns, drift 0.8 % a run", 0.05), ("mirrored, drift 0.8 % a run", 0.05),
        ("blocks, no drift", 0.05), ("blocks, no drift", 0.08), ("other days (1.5 % from day to day)", 0.08),
        ("both on each of two days", 0.05), ("twelve cells, 5 runs each", 0.05),
    ):  # fmt: skip
        hits = 0
        for i in range(count):
            table = moved(EQUAL[name](np.random.default_rng([seed, 700, i])), float(np.log1p(gain)))
            hits += table.verdicts()[0].answer is Answer.FASTER
        print(f"| {name}: {100 * gain:g} % | {100 * hits / count:.0f} |")


def wander(rng: Rng, n: int, frames: float, sd: float) -> np.ndarray:
    """Slow change: of first order, over so many frames."""
    keep = np.exp(-1.0 / frames)
    return np.asarray(
        lfilter([sd * np.sqrt(1.0 - keep**2)], [1.0, -keep], rng.standard_normal(n + 5 * int(frames)))[-n:]
    )


def scenes(rng: Rng, n: int, fps: float, low_s: float, high_s: float, sd: float) -> np.ndarray:
    """One level for each scene of so many seconds, ln frame time, (n,)."""
    lengths = (rng.uniform(low_s, high_s, int(2 + n / fps / low_s)) * fps).astype(int)
    return np.repeat(sd * rng.standard_normal(len(lengths)), lengths)[:n]


def frame_noise(rng: Rng, n: int, sd: float = 0.06) -> np.ndarray:
    return sd * rng.standard_normal(n)


def spiked(rng: Rng, ms: np.ndarray, chance: float) -> np.ndarray:
    return np.asarray(ms + (rng.random(len(ms)) < chance) * rng.uniform(20.0, 60.0, len(ms)))


def regular(ms: np.ndarray, every: int) -> np.ndarray:
    return np.asarray(ms * np.where(np.arange(len(ms)) % every == 0, 2.2, 1.0))


def clustered(rng: Rng, ms: np.ndarray, begin: float, each: float) -> np.ndarray:
    """Stretches of about fifty frames in which one in four is long."""
    inside = np.convolve(rng.random(len(ms)) < begin, np.ones(50))[: len(ms)] > 0
    return np.asarray(ms * np.where(inside & (rng.random(len(ms)) < each), rng.uniform(2.0, 3.0, len(ms)), 1.0))


Frames = Callable[[Rng, int], np.ndarray]
FRAMES: dict[str, tuple[float, float, Frames]] = {
    "steady, 60 s": (60, 60, lambda r, n: 16.0 * np.exp(frame_noise(r, n))),
    # Of frame time, not of its logarithm, whose mean with such tails is infinite: there would be no truth to hold.
    "heavy tails, 300 s": (60, 300, lambda r, n: 14.0 * (1.0 + 0.06 * np.abs(r.standard_t(4, n)))),
    "wanders over 2 s, 120 s": (60, 120, lambda r, n: 15.0 * np.exp(frame_noise(r, n) + wander(r, n, 120.0, 0.12))),
    "wanders over 10 s, 300 s": (90, 300, lambda r, n: 11.0 * np.exp(frame_noise(r, n) + wander(r, n, 900.0, 0.12))),
    "wanders over 10 s, 900 s": (90, 900, lambda r, n: 11.0 * np.exp(frame_noise(r, n) + wander(r, n, 900.0, 0.12))),
    "scenes of 4–20 s, 180 s": (60, 180, lambda r, n: 15.0 * np.exp(frame_noise(r, n) + scenes(r, n, 60, 4, 20, 0.2))),
    "scenes of 4–20 s, 600 s": (60, 600, lambda r, n: 15.0 * np.exp(frame_noise(r, n) + scenes(r, n, 60, 4, 20, 0.2))),
    "scenes of 4–20 s, half an hour": (
        60, 1800, lambda r, n: 15.0 * np.exp(frame_noise(r, n) + scenes(r, n, 60, 4, 20, 0.2))
    ),
    "scenes of 1–3 s, 300 s": (120, 300, lambda r, n: 8.0 * np.exp(frame_noise(r, n) + scenes(r, n, 120, 1, 3, 0.15))),
    "spikes, one in 300 frames, 300 s": (60, 300, lambda r, n: spiked(r, 15.0 * np.exp(frame_noise(r, n)), 1 / 300)),
    "spikes, one in 40 frames, 120 s": (60, 120, lambda r, n: spiked(r, 15.0 * np.exp(frame_noise(r, n)), 1 / 40)),
    "every 90th frame long, 300 s": (60, 300, lambda r, n: regular(15.0 * np.exp(frame_noise(r, n)), 90)),
    "clusters of long frames, 600 s": (
        60, 600, lambda r, n: clustered(r, 15.0 * np.exp(frame_noise(r, n)), 1 / 2400, 0.25)
    ),
    "144 fps, scenes and spikes, 600 s": (
        144, 600, lambda r, n: spiked(r, 6.5 * np.exp(frame_noise(r, n) + scenes(r, n, 144, 3, 9, 0.12)), 1 / 200)
    ),
}  # fmt: skip
"""Frames a second, length in s, and how long each frame takes, ms."""
ENDLESS = 4_000_000


def true_rates(ms: np.ndarray) -> dict[str, float]:
    """Average and lows as the definitions have them, by sorting everything."""
    slowest = np.sort(ms)[::-1]
    found = {"average_fps": 1000.0 / float(ms.mean())}
    for name, share in (("low_1", 0.01), ("low_0_1", 0.001)):
        worst = slowest[: int(share * len(ms))]
        spent = np.cumsum(slowest)
        found[f"{name}.percentile"] = 1000.0 / float(worst[-1])
        found[f"{name}.mean_of_worst"] = 1000.0 / float(worst.mean())
        found[f"{name}.time_share"] = 1000.0 / float(slowest[np.searchsorted(spent, share * spent[-1])])
    return found


def frames(count: int, seed: int) -> None:
    names = ("average_fps", *(f"{low}.{s}" for low in LOWS for s in ("percentile", "mean_of_worst", "time_share")))
    print("| frames | " + " | ".join(names) + " |\n|" + "---|" * (len(names) + 1))
    for number, (name, (fps, seconds, make)) in enumerate(FRAMES.items()):
        true = true_rates(make(np.random.default_rng([seed, 800 + number, 10**6]), ENDLESS))
        held: dict[str, list[bool]] = {n: [] for n in names}
        for i in range(count):
            ms = make(np.random.default_rng([seed, 800 + number, i]), int(fps * seconds))
            for key, interval in frame_figures(ms).intervals.items():
                held[key].append(interval.low <= true[key] <= interval.high)
        told = (f"{100 * np.mean(h):.0f} of {100 * len(h) / count:.0f}" if h else "cannot tell" for h in held.values())
        print(f"| {name} | " + " | ".join(told) + " |", flush=True)


@dataclass(frozen=True)
class Warm:
    """A device that warms: thermal resistances K/W and heat capacities J/K from the die outwards, its load in W and s,
    the noise of its sensor in K, the step it shows, whether the room is told, and how the power goes."""

    r: tuple[float, ...]
    c: tuple[float, ...]
    load_w: float = 30.0
    load_s: int = 1200
    noise_k: float = 0.3
    step_k: float = 1.0
    room: bool = True
    power: str = "steady"
    leak: float = 0.0


SENSORS = SensorClasses()


def warmed(kind: Warm, rng: Rng) -> tuple[RunLog, float, float | None]:
    """A log of it, the true resistance from die to air, and the room as it was noted: a second's step of the whole
    ladder at a time, by the exponential of its matrix, then what the sensors make of it."""
    spread = rng.uniform(0.8, 1.25, len(kind.r))
    r, c, room = np.array(kind.r) * spread, np.array(kind.c) * spread[::-1], rng.uniform(18.0, 30.0)
    n = 60 + kind.load_s
    watts = np.full(n, 4.0)
    watts[60:] = kind.load_w
    at = np.arange(n)
    if kind.power == "burst":
        watts[60:90] = 1.8 * kind.load_w
    if kind.power == "game":
        watts[60:] *= np.exp(wander(rng, n - 60, 8.0, 0.15))
    if kind.power == "stairs":
        watts[60 + kind.load_s // 3 :] *= 0.7
        watts[60 + 2 * kind.load_s // 3 :] *= 0.7
    if kind.power == "passes":
        watts[(at > 60) & (at % 120 < 15)] = 6.0
    above, seen = np.array([4.0 * r[i:].sum() for i in range(len(r))]), np.zeros(n)
    ladder = np.zeros((len(r), len(r)))
    for i in range(len(r)):
        ladder[i, i] -= 1.0 / r[i] / c[i]
        if i + 1 < len(r):
            ladder[i, i + 1] += 1.0 / r[i] / c[i]
            ladder[i + 1, i] += 1.0 / r[i] / c[i + 1]
            ladder[i + 1, i + 1] -= 1.0 / r[i] / c[i + 1]
    keep = expm(ladder)
    driven = np.linalg.solve(ladder, keep - np.eye(len(r)))[:, 0] / c[0]
    for second in range(n):
        above = keep @ above + driven * watts[second] * (1.0 + kind.leak * (above[0] - 40.0))
        seen[second] = above[0]
    seen = room + seen + rng.normal(0.0, SENSORS.temp_k) + wander(rng, n, 5.0, kind.noise_k)
    told = watts * (1.0 + kind.leak * (seen - room - 40.0)) * (1.0 + SENSORS.power * rng.standard_normal())
    told = told + rng.normal(0.0, 0.15, n)
    t = at + 1.0
    columns = {"cpu.power": np.round(told, 1), "cpu.temp": np.round(seen / kind.step_k) * kind.step_k}
    log = RunLog({name: Series(name, t, values) for name, values in columns.items()})
    return log, float(r.sum()), room + rng.normal(0.0, SENSORS.room_k) if kind.room else None


TWO, THREE = ((0.4, 1.0), (12.0, 150.0)), ((0.25, 0.5, 0.8), (6.0, 60.0, 300.0))
WARM = {
    "two nodes, 20 min": Warm(*TWO),
    "three nodes, 20 min": Warm(*THREE),
    "three nodes, 60 min": Warm(*THREE, load_s=3600),
    "two nodes, 6 min": Warm(*TWO, load_s=360),
    "two nodes after a burst": Warm(*TWO, power="burst"),
    "two nodes, power as of a game": Warm(*TWO, power="game"),
    "three nodes, stairs of power": Warm(*THREE, load_s=2400, power="stairs"),
    "two nodes, passes with pauses": Warm(*TWO, power="passes"),
    "fine sensor": Warm(*TWO, noise_k=0.1, step_k=0.1),
    "coarse sensor of 2 K": Warm(*TWO, step_k=2.0),
    "8 W handheld": Warm((0.8, 2.5), (8.0, 90.0), load_w=8.0),
    "90 W": Warm((0.2, 0.3), (20.0, 400.0), load_w=90.0),
    "nobody noted the room": Warm(*TWO, room=False),
    "leakage, 0.3 % a K": Warm(*TWO, leak=0.003),
}


def heat(count: int, seed: int) -> None:
    print("| what warms | R held % | of runs % | off by % (median) | said ± % (median) |")
    print("|---|---|---|---|---|")
    for number, (name, kind) in enumerate(WARM.items()):
        held, off, said, told = [], [], [], 0
        for i in range(count):
            log, true, room = warmed(kind, np.random.default_rng([seed, 900 + number, i]))
            try:
                found = find_heat(log.even(1.0), "cpu.power", "cpu.temp", room, 95.0, 70.0, 30.0, False, SENSORS)
            except DataError:
                continue
            if found.r_th.u > MOST_VAGUE * found.r_th.value:
                continue
            told += 1
            held.append(abs(found.r_th.value - true) <= 1.96 * found.r_th.u)
            off.append(abs(found.r_th.value / true - 1.0))
            said.append(found.r_th.u / found.r_th.value)
        words = f"{100 * np.mean(held):.0f} | {100 * told / count:.0f} | {100 * np.median(off):.1f}"
        print(f"| {name} | {words} | {100 * np.median(said):.1f} |", flush=True)


LEVELS: dict[str, Callable[[Rng, int, float], np.ndarray]] = {
    "white noise, 300 s": lambda r, n, w: w + 0.4 * r.standard_normal(n),
    "alike over 5 s": lambda r, n, w: w + wander(r, n, 5.0, 0.8),
    "alike over 25 s": lambda r, n, w: w + wander(r, n, 25.0, 0.8),
    "saw-tooth of 20 s": lambda r, n, w: w + 3.0 * ((np.arange(n) + r.uniform(0, 20)) % 20.0 / 20.0 - 0.5),
    "pauses now and then": lambda r, n, w: np.where(r.random(n) < 0.05, w - 2.0, w) + 0.1 * r.standard_normal(n),
    "two levels in turn": lambda r, n, w: w + 2.0 * np.sign(wander(r, n, 8.0, 1.0)),
    "steps of 1 W, quiet": lambda r, n, w: np.round(w + 0.02 * r.standard_normal(n)),
    "steps of 1 W, noisy": lambda r, n, w: np.round(w + 0.8 * r.standard_normal(n)),
    "heavy tails": lambda r, n, w: w + 0.4 * r.standard_t(3, n),
    "alternates": lambda r, n, w: w + 0.5 * (-1.0) ** np.arange(n) + 0.1 * r.standard_normal(n),
}
"""Watts of a settled window by seconds, around a level."""


def means(count: int, seed: int) -> None:
    print("| watts once settled | mean of the samples held % | with the sensor held % |\n|---|---|---|")
    for number, (name, make) in enumerate(LEVELS.items()):
        of_samples, of_all = [], []
        for i in range(count):
            rng = np.random.default_rng([seed, 1000 + number, i])
            level = rng.uniform(34.0, 36.0) if "quiet" in name else 35.0
            seen, true = make(rng, 300, level), level - (0.1 if "pauses" in name else 0.0)
            found = channel_figures("cpu.power", seen, seen[:5], SENSORS)
            own = float(np.hypot(found.sampling_u, max((p.u for p in found.parts if "step" in p.name), default=0.0)))
            if "quiet" not in name:
                of_samples.append(abs(found.sustained.value - true) <= 1.96 * own)
            gain = 1.0 + SENSORS.power * rng.standard_normal()
            of_all.append(abs(found.sustained.value - true * gain) <= 1.96 * found.sustained.u)
        held = f"{100 * np.mean(of_samples):.0f}" if of_samples else ""
        print(f"| {name} | {held} | {100 * np.mean(of_all):.0f} |")


SUBJECTS: dict[str, Callable[[int, int], None]] = {"ratios": ratios, "frames": frames, "heat": heat, "means": means}


def main() -> None:
    numbers = [int(a) for a in sys.argv[1:] if a.isdigit()]
    count, seed = [*numbers, *(200, 1)[len(numbers) :]][:2]
    for name in [a for a in sys.argv[1:] if a in SUBJECTS] or SUBJECTS:
        print(f"\n{name}\n")
        SUBJECTS[name](count, seed)


if __name__ == "__main__":
    main()
