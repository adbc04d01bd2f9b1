"""Bench time and errors of questions against a fixed matrix of three repeats, over simulated review days:
`python bench/review_days.py [DAYS [SEED]]` prints the table of docs/methods.md.

A day has six questions about eight settings of two devices: three duels, one of four settings, one of watts that are
held, one duel of two that are the same. Runs scatter, all drift together over the day, and every change of a setting
takes time. The fixed day runs every setting that is asked about three times, in rounds; the day of questions runs what
`core.standing` says is still needed, in rounds as well, until nothing is.
"""

import math
import sys
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from pinch.core import standing
from pinch.core.standing import NEITHER, KnownScatter, Stand, best_of, duel, level

RUN_MIN, SET_MIN, COOL_MIN, DELTA, SURE = 10.0, 2.0, 3.0, 0.03, 0.95
REPEATS, CELLS = 3, 8


@dataclass
class Day:
    """True ln scores of the settings, scatter from run to run, drift of ln score an hour, and what was run."""

    truth: np.ndarray
    sd: float
    drift: float
    rng: np.random.Generator
    minutes: float = 0.0
    last: int = -1
    runs: dict[int, list[float]] = field(default_factory=dict)

    def run(self, cell: int) -> None:
        self.minutes += RUN_MIN + COOL_MIN + (SET_MIN if cell != self.last else 0.0)
        self.last = cell
        value = self.truth[cell] + self.drift * self.minutes / 60.0 + self.sd * self.rng.standard_normal()
        self.runs.setdefault(cell, []).append(math.exp(value))

    def of(self, cell: int) -> np.ndarray:
        return np.array(self.runs.get(cell, []))


@dataclass(frozen=True)
class Asked:
    """A question of the simulation: its cells, where it stands by the runs so far, and whether a choice is right."""

    cells: tuple[int, ...]
    stand: Callable[[Day, KnownScatter], list[standing.Standing]]
    is_right: Callable[[np.ndarray, int | None], bool]


def duel_of(a: int, b: int) -> Asked:
    def right(truth: np.ndarray, choice: int | None) -> bool:
        gap = truth[a] - truth[b]
        if choice == NEITHER:
            return abs(gap) < math.log1p(DELTA)
        return gap > 0 if choice == 0 else gap < 0 if choice == 1 else True

    return Asked((a, b), lambda d, k: [duel(d.of(a), d.of(b), DELTA, SURE, k)] * 2, right)


def best_among(cells: tuple[int, ...]) -> Asked:
    def stand(day: Day, known: KnownScatter) -> list[standing.Standing]:
        return best_of([day.of(c) for c in cells], DELTA, SURE, known)

    return Asked(cells, stand, lambda truth, choice: True)


def holds(cell: int, threshold: float) -> Asked:
    return Asked(
        (cell,),
        lambda d, k: [level(d.of(cell), threshold, SURE, k)],
        lambda truth, choice: choice is None or (truth[cell] >= math.log(threshold)) == bool(choice),
    )


def questions(rng: np.random.Generator, truth: np.ndarray) -> list[Asked]:
    pairs = [tuple(int(x) for x in rng.choice(CELLS - 1, 2, replace=False)) for _ in range(3)]
    asked = [duel_of(a, b) for a, b in pairs]
    asked.append(best_among(tuple(int(x) for x in rng.choice(CELLS - 1, 4, replace=False))))
    cell = int(rng.integers(CELLS - 1))
    asked.append(holds(cell, math.exp(truth[cell] + float(rng.choice([-1, 1])) * rng.uniform(0.01, 0.05))))
    asked.append(duel_of(0, CELLS - 1))
    return asked


def sequential(day: Day, asked: list[Asked], known: KnownScatter) -> None:
    """Round after round of what is still needed, in an order that is drawn anew."""
    for _ in range(standing.LOOKS):
        wanted: set[int] = set()
        for q in asked:
            for cell, s in zip(q.cells, q.stand(day, known), strict=True):
                if s.is_open:
                    wanted.add(cell)
        if not wanted:
            return
        order = sorted(wanted)
        day.rng.shuffle(order)
        if day.last in order:  # a setting that is set already comes first
            order.insert(0, order.pop(order.index(day.last)))
        for cell in order:
            day.run(cell)


def fixed(day: Day, asked: list[Asked]) -> None:
    cells = sorted({c for q in asked for c in q.cells})
    for _ in range(REPEATS):
        for cell in cells:
            day.run(cell)


def wrong_and_open(day: Day, asked: list[Asked], known: KnownScatter, truth: np.ndarray) -> tuple[int, int]:
    wrong = unanswered = 0
    for q in asked:
        standings = q.stand(day, known)
        if len(q.cells) > 2:
            leads = int(np.argmax([float(np.log(day.of(c)).mean()) for c in q.cells]))
            done = all(s.stand is Stand.ANSWERED for s in standings)
            best = max(truth[c] for c in q.cells)
            wrong += done and best - truth[q.cells[leads]] >= math.log1p(DELTA)
            unanswered += not done
            continue
        s = standings[0]
        unanswered += s.stand is not Stand.ANSWERED
        wrong += s.stand is Stand.ANSWERED and not q.is_right(truth, s.choice)
    return wrong, unanswered


def main() -> None:
    days = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 9000
    found: dict[str, list[tuple[float, int, int]]] = {"fixed": [], "questions": []}
    count = 0
    for seed in range(days):
        rng = np.random.default_rng(first + seed)
        apart = rng.choice([0.0, 0.01, 0.03, 0.06, 0.12], CELLS) * rng.choice([-1, 1], CELLS)
        truth = np.log(rng.uniform(50.0, 70.0)) + apart
        truth[CELLS - 1] = truth[0]
        sd, drift = float(np.exp(rng.normal(math.log(0.008), 0.4))), float(rng.normal(0.0, 0.003))
        dof = float(rng.integers(6, 25))
        known = KnownScatter(sd * math.sqrt(rng.chisquare(dof) / dof), dof)
        asked = questions(rng, truth)
        count += len(asked)
        for name in found:
            day = Day(truth, sd, drift, np.random.default_rng(rng.integers(1 << 31)))
            if name == "fixed":
                fixed(day, asked)
                looks, standing.LOOKS = standing.LOOKS, 1  # it is looked at once
                result = wrong_and_open(day, asked, known, truth)
                standing.LOOKS = looks
            else:
                sequential(day, asked, known)
                result = wrong_and_open(day, asked, known, truth)
            found[name].append((day.minutes, *result))
    for name, rows in found.items():
        minutes, wrong, unanswered = np.array(rows, dtype=float).T
        print(
            f"{name:10} {minutes.mean() / 60.0:.2f} h a day ({np.percentile(minutes, 5) / 60:.1f} to "
            f"{np.percentile(minutes, 95) / 60:.1f}), wrong {100 * wrong.sum() / count:.2f} %, unanswered "
            f"{100 * unanswered.sum() / count:.1f} %"
        )
    hours = {name: sum(row[0] for row in rows) for name, rows in found.items()}
    print(
        f"bench time saved: {100 * (1 - hours['questions'] / hours['fixed']):.0f} % over {days} days, {count} questions"
    )


if __name__ == "__main__":
    main()
