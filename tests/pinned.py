"""The arithmetic of the core on made numbers, pinned: what every part of it gave when the methods' version was last
raised. It cannot say that a figure is right (the other tests do, against outside values), only that none has moved.

Inputs are drawn with a seed and lie on coarse grids, so that they meet the edges of rules and not only their middle.
"""

import math
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date, datetime, timedelta
from enum import Enum
from itertools import pairwise
from pathlib import Path

import msgspec
import numpy as np

from pinch.core import (
    accuracy,
    alignment,
    balance,
    cause_evidence,
    causes,
    cell_scores,
    changepoint,
    channels,
    collapse,
    concave,
    cooling,
    crossing,
    cuts,
    decoding,
    early_late,
    energy,
    extent,
    fairness,
    framecap,
    framekinds,
    frames,
    framestats,
    generations,
    index,
    judge,
    judged_channels,
    limiter,
    limits,
    line,
    metrics,
    money,
    parabola,
    phases,
    power_parts,
    powerlaw,
    printing,
    quicksums,
    regulated,
    rises,
    robust,
    rundown,
    runsheet,
    sawtooth,
    scaling,
    selecting,
    sensors,
    sequence,
    settle,
    sound,
    stutters,
    sustained,
    sweetspots,
    targets,
    tinybase,
    touch,
    unit_yield,
    verdict,
    walls,
    yearly,
)
from pinch.core.errors import DataError
from pinch.core.figures import Estimate
from pinch.core.ladder import Ladder, Point, fit_ladder
from pinch.core.runlog import FloatArray, RunLog, Series, runlog_from_columns
from pinch.sources.logs.read import read_log_file
from tests.golden import Figure

ARITHMETIC = Path(__file__).parent / "data" / "golden" / "arithmetic.json.gz"
SEEDS = 12
Rng = np.random.Generator


def figures_of_case(name: str) -> dict[str, Figure]:
    """All figures of a case by seed and path, or the sentence in which it refused its input."""
    found: dict[str, Figure] = {}
    for seed in range(SEEDS):
        try:
            value = CASES[name](np.random.default_rng([seed, *name.encode()]))
        except DataError as error:
            value = error.reason
        found |= dict(flat(value, str(seed)))
    return found


def flat(value: object, path: str) -> Iterator[tuple[str, Figure]]:
    """Figures of anything: fields of results, items of lists, and of arrays what a change of any element moves."""
    if isinstance(value, np.ndarray):
        yield from _of_array(value.astype(float), path)
    elif isinstance(value, msgspec.Struct):
        for field in msgspec.structs.fields(value):
            yield from flat(getattr(value, field.name), f"{path}.{field.name}")
    elif isinstance(value, Mapping):
        for key, inner in value.items():
            yield from flat(inner, f"{path}.{key}")
    elif isinstance(value, Sequence) and not isinstance(value, str):
        for number, inner in enumerate(value):
            yield from flat(inner, f"{path}[{number}]")
    elif isinstance(value, bool) or value is None:
        yield path, value
    elif isinstance(value, int | float | np.number):
        yield path, _rounded(float(value))
    elif isinstance(value, str | Enum | date):
        yield path, str(value)


def _of_array(values: FloatArray, path: str) -> Iterator[tuple[str, Figure]]:
    have = values[np.isfinite(values)]
    weights = np.cos(np.arange(len(have)))
    yield f"{path}.finite", _rounded(float(len(have)))
    for name, figure in (("sum", np.abs(have).sum()), ("order", (np.abs(have) * (1.5 + weights)).sum())):
        yield f"{path}.{name}", _rounded(float(figure))


def _rounded(value: float) -> Figure:
    return float(f"{value:.7g}") if math.isfinite(value) else str(value)


# What is drawn


def _grid(rng: Rng, low: float, high: float, step: float, n: int) -> FloatArray:
    return low + step * rng.integers(0, round((high - low) / step) + 1, n)


def _steps(rng: Rng, n: int, low: float, high: float, step: float, noise: float = 0.0) -> FloatArray:
    """Levels of a grid with a little noise, as sensors tell it."""
    cuts = np.sort(rng.integers(5, n - 5, 3))
    levels = np.repeat(_grid(rng, low, high, step, 4), np.diff([0, *cuts, n]))
    return np.asarray(np.round(levels + noise * rng.standard_normal(n), 2))


def _log(rng: Rng) -> RunLog:
    """A run: rest, a burst, a level, and now and then heat, a swing, a pause, a gap or frames."""
    rest, burst, n = int(rng.integers(6, 25)), int(rng.integers(0, 40)), int(rng.choice([30, 60, 90, 150, 300, 480]))
    p1, p2 = float(_grid(rng, 12, 40, 0.5, 1)[0]), float(_grid(rng, 44, 64, 0.5, 1)[0])
    power = np.concatenate([np.full(rest, 4.0), np.full(burst, p2), np.full(n, p1)])
    total, kind = len(power), int(rng.integers(0, 10))
    t = np.arange(1.0, total + 1.0)
    if kind == 1:
        power[rest + burst :] += 3.0 * np.sin(np.arange(n) / float(rng.integers(3, 9)))
    if kind == 2:
        power[rest + burst + n // 2 :] *= 0.8
    if kind == 3:
        begin = rest + burst + int(rng.integers(5, n - 5))
        power[begin : begin + 20] = 4.0
    if kind == 6:  # the power is let go and cut again, as firmware does at its heat limit
        tooth, late = int(rng.integers(12, 50)), np.arange(n) % int(rng.integers(20, 60))
        power[rest + burst :] *= np.where(late < tooth // 2, 1.0, float(rng.choice([0.6, 0.75, 0.9])))
    if kind == 7:  # it stands nearly still, once or several times
        for begin in rng.integers(rest + burst + 5, rest + burst + n - 5, int(rng.integers(1, 4))):
            power[begin : begin + int(rng.integers(8, 40))] = float(rng.choice([5.0, 6.5]))
    if kind == 8:
        power[rest + burst : rest + burst + n // 3] *= 1.15
    power = np.round(power + 0.1 * rng.standard_normal(total), 1)
    clock = np.round(1800.0 * (power / 10.0) ** 0.4 / 25.0) * 25.0
    temp = np.round(30.0 + np.convolve(power, np.exp(-np.arange(200) / 60.0) / 60.0)[:total] * 1.3)
    if kind in (4, 6):
        temp = np.minimum(temp, np.max(temp) - 4.0)
    load = np.where(power > 8.0, 100.0, 2.0)
    columns = {"cpu.power": power, "cpu.clock": clock, "cpu.temp": temp, "cpu.load": load}
    if kind == 9:
        for core in range(int(rng.integers(2, 5))):
            columns[f"cpu.core.{core}.clock"] = clock - 25.0 * core
            columns[f"cpu.core.{core}.temp"] = temp - 3.0 * core
    if rng.random() < 0.2:
        columns["cpu.throttle.heat"] = (temp > np.quantile(temp, 0.8)).astype(float)
    if rng.random() < 0.5:
        columns["gpu.load"] = np.where(load > 50.0, _grid(rng, 60, 99, 1, 1)[0] + rng.integers(0, 2, total), 1.0)
        columns["frame.rate"] = np.where(load > 50.0, np.round(2.0 * power + rng.standard_normal(total), 1), np.nan)
    else:
        columns["score.rate"] = np.where(load > 50.0, np.round(100.0 * power**0.5), np.nan)
    if kind == 5:
        keep = (t < rest + burst + 100) | (t > rest + burst + 112)
        t, columns = t[keep], {name: values[keep] for name, values in columns.items()}
    log = runlog_from_columns(t, columns)
    if "gpu.load" in columns and rng.random() < 0.6:
        ms = np.round(1000.0 / 50.0 * rng.gamma(60.0, 1 / 60.0, 20 * (n + burst)), 2)
        ends = rest + ms.cumsum() / 1000.0
        return RunLog({**log.series, "frame.time": Series("frame.time", ends, ms)})
    return log


def _known(rng: Rng) -> judge.Known:
    def maybe(value: float) -> float | None:
        return value if rng.random() < 0.5 else None

    cap, late = maybe(60.0), float(rng.integers(20, 60))
    window = (late, late + float(rng.integers(10, 90))) if rng.random() < 0.2 else None
    scene = extent.Extent.SCENE if rng.random() < 0.3 else extent.Extent.SOAK
    passes = ((20.0, 45.0), (60.0, 80.0)) if rng.random() < 0.2 else ()
    first, waits = bool(rng.random() < 0.5), bool(rng.random() < 0.2)
    return judge.Known(maybe(95.0), maybe(3500.0), maybe(22.0), cap, first, window, scene, passes, waits)


def _points(rng: Rng, scale: float = 100.0) -> list[Point]:
    watts = np.sort(rng.choice(np.arange(8.0, 60.0, 2.0), int(rng.integers(3, 8)), replace=False))
    shape = int(rng.integers(0, 3))
    found = []
    for w in watts:
        shapes = ((w - 3.0) ** 0.45, 1.0 - np.exp(-w / 15.0), w / (w + 20.0))
        mean = scale * shapes[shape]
        for _ in range(int(rng.integers(1, 4))):
            score = float(mean * math.exp(0.01 * rng.standard_normal()))
            heat = float(rng.choice([0.0, 0.04, 0.6]))
            found.append(Point(f"{w:g} W", float(w + 0.05 * rng.standard_normal()), score, 0.7 * score, heat))
    return found


def _ladders(rng: Rng) -> dict[str, Ladder]:
    return {name: fit_ladder(_points(rng, float(s))) for name, s in zip("abc", _grid(rng, 80, 120, 10, 3), strict=True)}


def _frame_ms(rng: Rng) -> FloatArray:
    ms = np.round(rng.gamma(40.0, 16.0 / 40.0, int(rng.integers(300, 4000))), 1)
    ms[rng.integers(0, len(ms), 6)] *= float(rng.integers(2, 12))
    return np.asarray(ms)


def _cells(rng: Rng) -> list[verdict.CellScore]:
    return [
        cell_scores.cell_score(_grid(rng, 96, 104, 1, int(rng.integers(1, 6)))),
        cell_scores.cell_score(_grid(rng, 94, 102, 1, int(rng.integers(1, 6)))),
        cell_scores.told_score(100.0, float(rng.integers(1, 4)), int(rng.integers(1, 5))),
    ]


def _verdicts(rng: Rng) -> dict[str, verdict.Verdict]:
    cells = _cells(rng)
    pooled = cell_scores.pooled_scatter(cells)
    pairs = {"ab": (0, 1), "ba": (1, 0), "ac": (0, 2), "bc": (1, 2)}
    return {
        name: verdict.judge_pair(cells[i], cells[j], float(rng.choice([0.01, 0.03])), name == "ba", pooled)
        for name, (i, j) in pairs.items()
    }


def _conditions(rng: Rng, name: str) -> fairness.Conditions:
    def pick(*of: object) -> object:
        return of[int(rng.integers(0, len(of)))]

    built = date(2026, 1, 1) + timedelta(days=int(rng.integers(0, 200)))
    return fairness.Conditions(  # type: ignore[arg-type]
        name=name,
        device=str(pick("one", "two")),
        power_w=pick(None, 20.0, 20.6, 22.0, 24.0),  # type: ignore[arg-type]
        ambient_c=pick(None, 20.0, 22.0, 25.0),  # type: ignore[arg-type]
        mains=pick(None, True, False),  # type: ignore[arg-type]
        graphics_path=str(pick("", "direct", "shared")),
        fan=str(pick("", "quiet", "full")),
        builds={"driver": (str(pick("1", "2")), built.isoformat())},
        resolution=str(pick("", "1920×1080", "2560×1600")),
        work={"preset": str(pick("", "low", "high"))},
        frame_cap=pick(None, 60.0, 120.0),  # type: ignore[arg-type]
        capped_share=pick(0.0, 0.2, 0.9),  # type: ignore[arg-type]
        heat_share=pick(0.0, 0.05, 0.5),  # type: ignore[arg-type]
        graphical=bool(pick(True, False)),
        memory={"kind": str(pick("", "a", "b"))},
        channels=str(pick("", "1", "2")),
        graphics_memory_gb=pick(None, 2.0, 4.0),  # type: ignore[arg-type]
        brightness_nits=pick(None, 100.0, 120.0, 200.0),  # type: ignore[arg-type]
        day=built + timedelta(days=int(rng.integers(0, 60))),
        status=str(pick("retail", "pre-production")),
        repeatable=str(pick("", "yes", "no")),
        runs=int(rng.integers(1, 5)),
        origin=str(pick("own test", "maker")),
        unsettled=str(pick("", "did not settle")),
        undervolt_mv=pick(None, 0.0, 50.0),  # type: ignore[arg-type]
        clock_lock_mhz=pick(None, 3100.0),  # type: ignore[arg-type]
        claimed_w=pick(None, 15.0, 28.0, 30.0),  # type: ignore[arg-type]
        graphics_chip=str(pick("", "a", "b")),
        extent=str(pick("", "scene", "soak")),
        off=pick(0.0, 0.03, -0.05),  # type: ignore[arg-type]
    )


def _jobs(rng: Rng) -> list[runsheet.SheetJob]:
    return [
        runsheet.SheetJob(
            cell=cell,
            repeat=repeat,
            device=cell % 2,
            setting=cell % 3,
            run_s=float(_grid(rng, 60, 600, 60, 1)[0]),
            cool_s=float(rng.choice([0.0, 120.0])),
            cold_s=300.0,
            needs_cold=bool(rng.random() < 0.2),
            readings_s=float(rng.choice([0.0, 30.0])),
            recharge_s=float(rng.choice([0.0, 0.0, 900.0])),
            priority=int(rng.integers(1, 4)),
        )
        for cell in range(int(rng.integers(3, 6)))
        for repeat in (1, 2)
    ]


def _change(before: int | None, after: int) -> tuple[runsheet.Task, ...]:
    if before is None:
        return (runsheet.Task("set", 60.0, f"set {after}"),)
    if before == after:
        return ()
    return (runsheet.Task("restart", 90.0 + 10.0 * (after - before), f"to {after}"),)


def _sheet(rng: Rng, order: str) -> object:
    jobs, seed = _jobs(rng), int(rng.integers(0, 99))
    windows = [runsheet.Window(0.0, 3000.0), runsheet.Window(4000.0, 4000.0 + float(rng.integers(200, 9000)))]

    def arrange(some: Sequence[runsheet.SheetJob]) -> runsheet.Arrangement:
        return runsheet.shortest(some, _change) if order == "shortest" else runsheet.balanced(some, _change, seed)

    sheet = runsheet.make_sheet(jobs, _change, windows, arrange)
    return sheet, sheet.gap, sheet.end_s


def _order(rng: Rng) -> object:
    k = int(rng.integers(2, 7))
    cost, work = _grid(rng, 0, 90, 10, k * k).reshape(k, k), _grid(rng, 0, 9, 1, k * k).reshape(k, k)
    found = sequence.shortest_order(rng.integers(1, 4, k), _grid(rng, 0, 50, 10, k), cost, work, 5.0)
    return found.cost, found.bound, found.gap


def _rundown(rng: Rng) -> object:
    n = int(rng.integers(400, 2000))
    t = 10.0 * np.arange(n)
    full = 60.0
    power = np.round(12.0 + _steps(rng, n, 0, 6, 1, 0.2), 2)
    left = full - np.cumsum(power) * 10.0 / 3600.0
    keep = left > 3.0
    if rng.random() < 0.5:
        keep[n // 4 : n // 4 + 90] = False
    charge = Series("battery.charge", t[keep], np.floor(100.0 * left[keep] / full))
    kept = Series("battery.energy", t[keep], np.round(left[keep], int(rng.integers(0, 3))))
    drawn = Series("battery.power", t[keep], power[keep] * float(rng.choice([1.0, 1.04, 1.06, 1.08])))
    rate = Series("score.rate", t[keep], np.round(100.0 - 0.01 * np.arange(int(keep.sum())), 1))
    some = (None, kept)[int(rng.integers(0, 2))], (None, drawn)[int(rng.integers(0, 2))]
    return rundown.judge_rundown(charge, *some, rate, full, 66.0, bool(rng.random() < 0.3))


def _heat(rng: Rng) -> object:
    n = int(rng.integers(200, 600))
    power = _steps(rng, n, 5, 45, 5) if rng.random() < 0.6 else 20.0 + 0.1 * rng.integers(-3, 4, n)
    rise = 1.1 * np.convolve(power, np.exp(-np.arange(n) / 90.0) / 90.0)[:n]
    temp = np.round(24.0 + rise + 0.1 * rng.standard_normal(n), 1)
    fit = cooling.fit_heat(np.arange(n) * 1.0, power, temp, None if rng.random() < 0.5 else 22.0)
    return fit, cooling.time_to_steady_s(fit, power, 1.0, 1.0)


def _walls(rng: Rng) -> object:
    package = _grid(rng, 4, 54, 2, 9)
    return walls.wall_line(
        [walls.WallPoint(float(p), float(8.0 + 1.15 * p + 0.2 * rng.standard_normal()), f"{p:g}") for p in package]
    )


def _settled(rng: Rng) -> object:
    values = _steps(rng, 300, 20, 40, 5, 0.4)
    return settle.mser(values), changepoint.best_split(values), changepoint.first_level(values, 2.0)


def _robust(rng: Rng) -> object:
    values = np.round(_steps(rng, 240, 10, 20, 2, 0.3), 1)
    names = ("mad_sd", "noise_sd", "quiet_noise_sd", "step_of", "centre")
    found = {name: getattr(robust, name)(values) for name in names}
    r = robust.autocorrelation(values, 4)
    return found, r, robust.effective_samples(240, float(r[1])), robust.theil_sen(np.arange(240.0), values)


def _limits(rng: Rng) -> object:
    n = int(rng.integers(2, 40))
    power = np.concatenate([np.full(n, 60.0), np.full(200, 35.0)]) + 0.1 * rng.standard_normal(n + 200)
    bins = n if rng.random() < 0.8 else None
    return limits.recover_limits(power, bins, float(rng.random()), 4.0, Estimate(35.0, 0.1, "W"), 1.0, bool(n % 2))


def _cap(rng: Rng) -> object:
    most = float(rng.choice([48.0, 59.0, 60.0, 61.0, 75.0, 144.0]))
    wide, noise = float(rng.choice([2.0, 8.0])), float(rng.choice([0.1, 0.3, 0.6, 1.0]))
    rate = np.round(np.minimum(rng.normal(most + 2.0, wide, 200), most) + rng.normal(0, noise, 200), 1)
    return framecap.find_cap(rate, np.full(200, float(rng.choice([60.0, 99.0]))), np.ones(200, bool))


def _tooth(rng: Rng) -> object:
    period = int(rng.integers(6, 20))
    values = 30.0 + 5.0 * ((np.arange(400) % period) < period // 2) + 0.3 * rng.standard_normal(400)
    return sawtooth.find_sawtooth(values, 1.0), sawtooth.over_periods(values, period)


def _concave(rng: Rng) -> object:
    n = int(rng.integers(2, 8))
    knots = np.sort(rng.choice(np.arange(5.0, 60.0), n, replace=False))
    scores = _grid(rng, 10, 60, 5, 5 * n).reshape(5, n)
    return (
        concave.fit_concave_rows(knots, scores, rng.integers(1, 4, n).astype(float)),
        concave.fit_concave(knots, scores[0]).score,
    )


def _sound(rng: Rng) -> object:
    levels = _grid(rng, 25, 50, 0.5, 5)
    pairs = [sound.without_room(float(a), float(b), g) for g in sound.Grade for a, b in pairwise(levels)]
    speed = np.sort(_grid(rng, 1500, 5000, 100, 6))
    return sound.level_sum(levels), sound.level_mean(levels), pairs, sound.fan_line(speed, 20.0 + speed / 200.0)


def _touch(rng: Rng) -> object:
    temps = _grid(rng, 20, 140, 1, 8)
    return [touch.judge_touch(float(t), m, 22.0, 90.0) for t in temps for m in touch.Material]


def _deal(rng: Rng) -> money.Deal:
    return money.Deal(float(_grid(rng, 500, 1500, 100, 1)[0]), "EUR", float(_grid(rng, 0.5, 2, 0.1, 1)[0]))


def _text_log(rng: Rng) -> object:
    """A log of another program, in one of the many ways in which they write."""

    def pick(*of: str) -> str:
        return of[int(rng.integers(0, len(of)))]

    delimiter, decimal = pick(",.", ";,", "\t.", ";.", "\t,")
    stamp = pick("%Y-%m-%d %H:%M:%S", "%d.%m.%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S", "%H:%M:%S", "s", "ms")
    heads = [pick("Time", "Zeit [s]", "timestamp"), pick("CPU Package Power [W]", "Leistung (W)", "cpu power mW")]
    heads += [pick("CPU Temp [°C]", "temperature (F)", "Tctl"), pick("CPU clock MHz", "Takt [GHz]", "Fan 1 [rpm]")]
    rows, t = [], datetime(2026, int(rng.integers(1, 13)), int(rng.integers(1, 28)), 23, 59, 20)
    for seconds in np.cumsum(rng.choice([1.0, 1.0, 1.0, 2.0], 60)).tolist():
        when = t + timedelta(seconds=seconds)
        first = f"{seconds:g}" if stamp == "s" else f"{1000 * seconds:.0f}" if stamp == "ms" else when.strftime(stamp)
        values = (f"{v:.2f}".replace(".", decimal) for v in _grid(rng, 10, 60, 0.25, 3))
        rows.append([first, *values])
    if rng.random() < 0.5:
        rows[int(rng.integers(1, 60))][1] = pick("", "N/A", "-")
    preamble = pick("", "Bench notes\n", "Bench;notes\nsecond\n")
    text = preamble + "\n".join(delimiter.join(row) for row in (heads, *rows)) + "\n"
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.csv"
        path.write_text(text, encoding=pick("utf-8", "utf-8-sig", "cp1252"))
        read = read_log_file(path)
    series = {name: (s.t - s.t[0], s.values) for name, s in read.log.series.items() if len(s.t)}
    return series, read.notes, read.questions, [use.channel for use in read.mapping.columns]


def _printed(rng: Rng) -> object:
    values = [0.0, 0.05, 0.999, 9.996, 12.0, 999.95, 14021.0, -3.25, *rng.normal(0.0, 1000.0, 6).round(3).tolist()]
    counts = [0, 1, 2, 3, 9, 10, 11, 12, 13, 21, 22, 23, 101, 111, 112, 113, 121, 1003]
    each = [(printing.plain(v), printing.plain(v, 2), printing.signed(v), printing.in_percent(v / 100)) for v in values]
    some = [values[n] for n in rng.integers(0, len(values), 4)]
    columns = [printing.alike(some), printing.alike(some, 3), printing.alike([]), printing.ticks(sorted(some))]
    columns.append(printing.in_column([*some, None], ".1f"))
    words = [(printing.number_word(c), printing.ordinal(c), printing.counted(c, "run")) for c in counts]
    minutes = [printing.more_minutes(s) for s in (5.0, 60.0, 95.0, 7200.0)]
    return each, columns, words, minutes, [printing.with_article(w) for w in ("own test", "maker", "")]


def _rises(rng: Rng) -> object:
    power = np.sort(rng.choice(np.arange(6.0, 60.0, 2.0), 6, replace=False))
    scores = 100.0 * (1.0 - np.exp(-power / 12.0)) * np.exp(0.02 * rng.standard_normal((3, 6)))
    found = [rises.fit_rises(power, scores, np.ones(6), basis) for basis in (rises.exponential, rises.hyperbolic)]
    return [(f.ceiling, f.depth, f.theta, f.misfit, f.at(power)) for f in found]


def _targets(rng: Rng) -> object:
    ladder, lows = fit_ladder(_points(rng)), fit_ladder(_points(rng, 70.0))
    wanted = _grid(rng, 200, 600, 50, 3).tolist()
    reached = [targets.reach_target(ladder, w, low, 0.6) for w in wanted for low in (None, lows)]
    return reached, targets.next_point(ladder), sweetspots.sweet_spots(ladder), sweetspots.marginal_gain(ladder)


def _sums(rng: Rng) -> object:
    found = []
    for s in quicksums.SUMS:
        numbers = _grid(rng, 1, 60, 1, len(s.asks) + int(s.asks[-1].endswith("…"))).tolist()
        try:
            found.append(s.of(sorted(numbers)))
        except DataError as error:
            found.append(error.reason)  # type: ignore[arg-type]
    return found


def _enums(_: Rng) -> object:
    """What closed sets say of their members."""
    members = [*channels.ChannelQuantity, *channels.Component, *causes.Cause]
    keys = [*metrics.LOW_NAMES, "lowest_1s", "minutes", "dropped", "cpu.temp.load_max", "wall.power.idle_mean"]
    told = [{k: repr(v) for k, v in vars(m).items() if k != "words" and k[0] != "_"} for m in members]
    return (
        told,
        [metrics.built_in(k) for k in keys],
        [metrics.key_of(k) for k in ("time", "low 1 %", "Own", "stutters")],
    )


def _even(rng: Rng) -> object:
    t = np.cumsum(rng.choice([0.5, 1.0, 1.0, 3.0], 80))
    log = runlog_from_columns(t, {"cpu.power": _grid(rng, 5, 60, 1, 80), "cpu.load": _grid(rng, 0, 100, 5, 80)})
    coarse, fine = log.even(2.0), log.even(0.5)
    kinds = framekinds.frame_kinds(log, float(t[3]), float(t[60]))
    return coarse.columns, fine.columns, coarse.edges, kinds, [framekinds.wilson(c, 40.0) for c in (0.0, 3.0, 40.0)]


def _small(rng: Rng) -> object:
    stated = accuracy.Accuracy(0.5, 0.1, float(rng.integers(0, 600)), float(rng.choice([0.0, 0.1])), 0.2)
    tiny = [
        tinybase.is_tiny_base(a, b, low)
        for a in (10.0, 15.0, 60.0)
        for b in (14.0, 62.0, 66.0)
        for low in (True, False)
    ]
    scored = cell_scores.cell_score(_grid(rng, 96, 104, 1, 3)), cell_scores.cell_score(_grid(rng, 130, 140, 1, 3))
    units = unit_yield.unit_yield("cores", 8.0, 6.0, verdict.judge_pair(scored[1], scored[0]))
    found = [stated.standard_u(v) for v in (0.0, 12.0, -230.0)]
    return found, stated.stated, tiny, units.share, units.interval


def _collapses(rng: Rng) -> object:
    power, busy, hot = _steps(rng, 90, 5, 60, 5), rng.random(90) < 0.9, rng.random(90) < 0.05
    clock = np.where(rng.random() < 0.7, 1800.0 * (power / 10.0) ** 0.4, 3000.0)
    return [collapse.find_collapse(power, clock, busy, hot, int(rng.integers(0, 9)), step) for step in (0.2, 1.0, 2.0)]


def _cuts(rng: Rng) -> object:
    series = np.stack([_steps(rng, 200, 10, 60, 2, 0.3), _steps(rng, 200, 10, 30, 1, 0.2)])
    return cuts.cuts_of(series, np.array([0.4, 0.3])), cuts.optimal_cuts(series, 30.0, list(range(3, 198)))


def _decoded(rng: Rng) -> object:
    says, seconds = rng.normal(0.0, 2.0, (30, 4)).round(1), _grid(rng, 3, 60, 1, 30)
    found = decoding.decode(says, seconds, _grid(rng, 1, 4, 0.5, 29), lambda s: -np.log1p(20.0 / s))
    return [str(found.path), found.chance]


def _sensors(rng: Rng) -> object:
    power, clock = _steps(rng, 120, 10, 60, 5, 0.2), _steps(rng, 120, 2000, 4000, 100, 5.0)
    power[rng.integers(0, 120, 3)] *= float(rng.choice([0.0, 2.0, 3.0]))
    late = np.roll(clock, int(rng.integers(0, 6))) / 100.0
    log = runlog_from_columns(np.arange(1.0, 121.0), {"cpu.power": power, "cpu.clock": clock, "cpu.temp": power + 20.0})
    return (
        sensors.cleaned(log)[1],
        sensors.lag_bins(late, clock),
        sensors.sensor_models(log, log.even(1.0), {}, "cpu.clock"),
    )


def _whole(rng: Rng) -> object:
    cpu, gpu = _steps(rng, 200, 5, 30, 1, 0.1), _steps(rng, 200, 5, 30, 1, 0.1)
    kind = int(rng.integers(0, 3))
    cpu = cpu + gpu if kind == 0 else 45.0 - gpu if kind == 1 else cpu
    log = runlog_from_columns(
        np.arange(1.0, 201.0), {"cpu.power": cpu, "gpu.power": gpu, "cpu.core.1.temp": cpu + 30.0}
    )
    found = power_parts.with_parts(log, (None, True, False)[int(rng.integers(0, 3))])
    return sorted(found.log.series), [n.code for n in found.notes], found.is_separate


def _regulated(rng: Rng) -> object:
    """All that speaks for each cause in a run, now and then on a battery that sinks, with a surface that is held, with
    graphics that govern, or without a temperature."""
    log, kind = _log(rng), int(rng.integers(0, 5))
    series, power = dict(log.series), log.series["cpu.power"]
    sinking = np.linspace(1.0, 0.55, len(power.t))
    if kind == 1:
        series["battery.charge"] = Series("battery.charge", power.t, np.round(90.0 * sinking))
        series["cpu.power"] = Series("cpu.power", power.t, np.round(power.values * sinking, int(rng.integers(0, 2))))
    if kind == 2:
        warm = np.convolve(power.values, np.exp(-np.arange(200) / 80.0) / 80.0)[: len(power.t)]
        held = np.minimum(25.0 + 0.5 * warm, float(rng.choice([36.0, 39.0, 42.0])))
        series["skin.case.temp"] = Series("skin.case.temp", power.t, np.round(held, 1))
    if kind == 3:
        for name in ("power", "clock", "temp"):
            at = series[f"cpu.{name}"]
            series[f"gpu.{name}"] = Series(f"gpu.{name}", at.t, at.values * 0.8 + 3.0)
    if kind == 4:
        series = {name: at for name, at in series.items() if not name.endswith(".temp")}
    even, told = RunLog(series).even(1.0), _known(rng)
    part = judged_channels.governing_part(even)
    power_name, clock, temp, rate = judged_channels.main_channels(even, part, kind == 3)
    load = phases.find_load(even, judged_channels.deciding_channel(even, power_name, clock, rate))
    signals = judged_channels.signals_of(even, load, part, (power_name, clock, temp), told)
    found = regulated.find_regulated(signals)
    told_by = cause_evidence.evidence_of(signals, found)
    return (
        found,
        list(told_by.T),
        limiter.explain(signals).p,
        early_late.early_late(even, load, load.active, rate, (rate,)),
    )


def _few(rng: Rng) -> object:
    """Figures of hardly any values."""
    few = [_grid(rng, 5, 60, 1, int(rng.integers(1, 5))) for _ in range(8)]
    return [sustained.channel_figures("cpu.power", a, b) for a in few for b in few]


def _jumping(rng: Rng) -> object:
    """A log whose clock jumps by years, which no bins can hold."""
    t = np.cumsum(np.where(np.arange(40) == int(rng.integers(1, 39)), 3.0e8, 1.0))
    other = Series("cpu.temp", t[:20] + 0.5, _grid(rng, 30, 90, 1, 20))
    return RunLog({"cpu.power": Series("cpu.power", t, _grid(rng, 5, 60, 1, 40)), "cpu.temp": other}).even(1.0).columns


def _many(case: Callable[[Rng], object], count: int) -> Callable[[Rng], object]:
    """A case several times over; one that refuses its input keeps the others."""

    def one(rng: Rng) -> object:
        try:
            return case(rng)
        except DataError as error:
            return error.reason

    return lambda rng: [one(rng) for _ in range(count)]


CASES: dict[str, Callable[[Rng], object]] = {
    "alignment": lambda rng: [alignment.load_start_s(log) for log in (_log(rng), _log(rng))],
    "balance": lambda rng: [
        (rounds, balance.imbalance(rounds))
        for rounds in [balance.balanced_rounds(rng.integers(1, 5, 4).tolist(), int(rng.integers(0, 99)))]
    ],
    "cap": _many(_cap, 60),
    "collapse": _collapses,
    "cuts": _many(_cuts, 3),
    "decoding": _decoded,
    "sensors": _many(_sensors, 3),
    "whole": _many(_whole, 4),
    "concave": _many(_concave, 3),
    "crossing": lambda rng: [crossing.all_pairs(x) + crossing.envelopes(x) for x in [_ladders(rng)]],
    "at watts": lambda rng: crossing.at_watts(_ladders(rng), float(_grid(rng, 12, 40, 2, 1)[0])),
    "enums": _enums,
    "even": _even,
    "energy": lambda rng: energy.energy_of(np.cumsum(_grid(rng, 1, 3, 1, 60)), _grid(rng, 5, 60, 1, 60)),
    "fairness": lambda rng: [fairness.differences(_conditions(rng, "a"), _conditions(rng, "b")) for _ in range(12)],
    "frame rate": lambda rng: [frames.frame_rate(ms.cumsum() / 1000.0 + 0.5, ms) for ms in [_frame_ms(rng)]],
    "frames": lambda rng: framestats.frame_figures(_frame_ms(rng)),
    "heat": _many(_heat, 3),
    "index": lambda rng: index.index_of(_verdicts(rng)),
    "jumping": _jumping,
    "judge": _many(lambda rng: judge.judge(_log(rng), _known(rng)), 12),
    "limits": _limits,
    "text log": _many(_text_log, 8),
    "line": lambda rng: line.fit_line(np.sort(_grid(rng, 0, 50, 1, 9)), _grid(rng, 0, 90, 1, 9)),
    "money": lambda rng: money.money_pair(*(_deal(rng) for _ in "ab")),
    "order": _order,
    "parabola": lambda rng: parabola.lowest_between(np.arange(9.0), _grid(rng, 0, 20, 1, 45).reshape(5, 9)),
    "power laws": lambda rng: powerlaw.fit_power_laws(
        np.array([10.0, 15.0, 20.0, 30.0, 45.0]), np.log(_grid(rng, 40, 90, 5, 15).reshape(3, 5)), np.ones(5)
    ),
    "printing": _printed,
    "quick sums": _sums,
    "rises": _rises,
    "regulated": _many(_regulated, 10),
    "few": _few,
    "robust": _robust,
    "rundown": _many(_rundown, 5),
    "scaling": _many(lambda rng: scaling.scale(_points(rng), float(_grid(rng, 200, 500, 20, 1)[0]), 0.6), 3),
    "selecting": lambda rng: [
        (selecting.median_of(values), np.sort(values[selecting.upper_tail(values, len(values) // 9)]))
        for values in [np.round(rng.gamma(20.0, 1.0, int(rng.integers(5, 60_000))), 1)]
    ],
    "settled": _settled,
    "sheet": lambda rng: _sheet(rng, "shortest"),
    "sheet, balanced": lambda rng: _sheet(rng, "balanced"),
    "small": _small,
    "sound": _sound,
    "stutters": lambda rng: [stutters.find_stutters(ms, ms.cumsum()) for ms in [_frame_ms(rng)]],
    "targets": _many(_targets, 2),
    "tooth": _tooth,
    "touch": _touch,
    "uplift": lambda rng: [generations.split_uplift(x["a"], 20.0, x["b"], 26.0) for x in [_ladders(rng)]],
    "verdicts": _verdicts,
    "walls": _walls,
    "year": lambda rng: yearly.typical_year(tuple(_grid(rng, 1, 60, 1, 3)), (0.5, 0.3, 0.2), 0.3),
}
