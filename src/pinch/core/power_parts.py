"""The parts of a machine and their budget: what stands for the package's power, and for each part's clock and
temperature, where the log does not say so itself.

Package power is `soc.power`; else volts times amperes; else, where processor and graphics share one budget, their sum.
Which of them it is shows in the data: a package is never below one of its parts, and a shared limit keeps the sum
stiller than either part.
"""

import re

import numpy as np
from msgspec import Struct

from pinch.core.figures import Note
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.language import tr

SLOW = 10
"""Samples in a block: how far powers wander is told from means of so many."""
STILLER = 0.5
"""A sum that wanders less than this share of its parts is what is regulated."""
ABOVE = 1.0
"""A power that contains another is above it in all but this share of %."""
MOVES_WITH, MOVES_MORE = 0.75, 1.4
"""A power that rises by so many watts for each watt of graphics contains them; one that rises by more works beside."""
UNCLEAR, SEPARATE = "package-unclear", "separate-graphics"

_CORE = re.compile(r"(cpu)\.core\.\d+\.(clock|temp)")


class Whole(Struct, frozen=True):
    """A log with what its parts add up to, and what has to be said of that."""

    log: RunLog
    notes: tuple[Note, ...] = ()

    @property
    def is_separate(self) -> bool:
        """Whether graphics have a power of their own that the package's does not contain."""
        return any(note.code in (UNCLEAR, SEPARATE) for note in self.notes)


def with_parts(log: RunLog, shares: bool | None = None) -> Whole:
    """The log with the package's power, clocks and temperatures that follow from its parts.

    `shares` says whether processor and graphics share one budget; None leaves it to the data.
    """
    series, notes = {n: s for n, s in log.series.items() if len(s.t)}, list[Note]()
    for part in ("cpu", "gpu", "soc"):
        volts, amperes = series.get(f"{part}.voltage"), series.get(f"{part}.current")
        if volts is not None and amperes is not None and f"{part}.power" not in series:
            name = f"{part}.power"
            series[name] = Series(name, amperes.t, amperes.values * np.interp(amperes.t, volts.t, volts.values))
            notes.append(
                Note("volts-amperes", tr("{name} is volts times amperes: no watts of it were logged.", name=name))
            )
    notes += _of_cores(series)
    notes += _package(series, shares)
    return Whole(RunLog(series, log.marks) if len(series) > len(log.series) else log, tuple(notes))


def _of_cores(series: dict[str, Series]) -> list[Note]:
    """The processor's clock as the mean and its temperature as the hottest of its cores, where neither is logged."""
    notes = []
    for quantity, combine, words in (("clock", np.mean, tr("the mean")), ("temp", np.max, tr("the hottest"))):
        name = f"cpu.{quantity}"
        cores = [s for n, s in series.items() if (m := _CORE.fullmatch(n)) and m.group(2) == quantity]
        if name in series or not cores:
            continue
        t = cores[0].t
        values = np.asarray(combine(np.stack([np.interp(t, s.t, s.values) for s in cores]), axis=0))
        series[name] = Series(name, t, values)
        notes.append(
            Note(
                "of-cores",
                tr(
                    "{name} is {words} of {cores} cores: no other was logged.", name=name, words=words, cores=len(cores)
                ),
            )
        )
    return notes


def _package(series: dict[str, Series], shares: bool | None) -> list[Note]:
    cpu, gpu = series.get("cpu.power"), series.get("gpu.power")
    if "soc.power" in series or cpu is None or gpu is None:
        return []
    beside = np.interp(cpu.t, gpu.t, gpu.values)
    if contains(cpu.values, beside):
        return []
    total = cpu.values + beside
    if shares is None:
        shares = True if is_shared(cpu.values, beside) else None
    if shares is False:
        return [Note(SEPARATE, tr("Graphics have a budget of power of their own, and are judged by it."))]
    if shares is None:
        words = tr(
            "Processor and graphics were logged, and no package: whether they share one budget is not known. Note it"
        )
        return [Note(UNCLEAR, tr("{words} at the device; each is judged alone until then.", words=words))]
    series["soc.power"] = Series("soc.power", cpu.t, total)
    return [Note("summed", tr("The package's power is the sum of processor and graphics: no other was logged."))]


def contains(power: FloatArray, part: FloatArray) -> bool:
    """Whether (n,) watts contain those of a part: never below them, and they move with them watt for watt."""
    if np.percentile(power - part, ABOVE) < -0.05 * np.median(part):
        return False
    steps, by_part = np.diff(_blocks(power)), np.diff(_blocks(part))
    spread = float((by_part**2).sum())
    if spread <= 0.0 or len(steps) < 3:
        return False
    slope = float((steps * by_part).sum()) / spread
    left = steps - slope * by_part
    return MOVES_WITH <= slope <= MOVES_MORE and float((left**2).sum()) < 0.5 * float((steps**2).sum())


def is_shared(cpu: FloatArray, gpu: FloatArray) -> bool:
    """Whether the sum of two powers is held stiller than the parts, so that what one takes the other leaves."""
    blocks = _blocks(cpu), _blocks(gpu)
    if len(blocks[0]) < 6:
        return False
    half = len(blocks[0]) // 4  # the burst and what was before are not to the point
    a, b = (x[half:] for x in blocks)
    return bool(np.std(a + b) < STILLER * np.std(b) and np.std(a + b) < STILLER * np.hypot(np.std(a), np.std(b)))


def _blocks(values: FloatArray) -> FloatArray:
    count = len(values) // SLOW
    return np.asarray(values[: count * SLOW].reshape(count, SLOW).mean(axis=1))
