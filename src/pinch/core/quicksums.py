"""Sums that a reviewer otherwise does on a phone, each with its working."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from pinch.core.errors import DataError
from pinch.core.framekinds import wilson
from pinch.core.printing import in_percent, plain, signed
from pinch.core.sound import level_mean, level_sum, without_room

MOST_NUMBERS = 50


@dataclass(frozen=True)
class Worked:
    """The result in words, and the working, a line a step."""

    result: str
    working: tuple[str, ...]


@dataclass(frozen=True)
class QuickSum:
    """A sum: what it is called, what is asked for (one field a number; a last one with `…` takes several), and how it
    is done."""

    name: str
    asks: tuple[str, ...]
    work: Callable[[Sequence[float]], Worked]

    def of(self, numbers: Sequence[float]) -> Worked:
        """Do it.

        Raises
        ------
        DataError : too few or too many numbers, or one that has no sense here.
        """
        open_ended = self.asks[-1].endswith("…")
        most = MOST_NUMBERS if open_ended else len(self.asks)
        if not len(self.asks) <= len(numbers) <= most:
            raise DataError(self.name, f"it takes {'at least ' if open_ended else ''}{len(self.asks)} numbers")
        if not all(math.isfinite(x) for x in numbers):
            raise DataError(self.name, "a number is not finite")
        return self.work(numbers)


def _above_zero(name: str, *numbers: float) -> None:
    if any(x <= 0 for x in numbers):
        raise DataError(name, "every number has to be above zero")


def _change(n: Sequence[float]) -> Worked:
    a, b = n
    _above_zero("percent change", a, b)
    there, back = 100 * (b / a - 1), 100 * (a / b - 1)
    return Worked(
        f"{signed(there)} % up, {signed(back)} % back",
        (
            f"{b:g} / {a:g} − 1 = {signed(there)} %",
            f"{a:g} / {b:g} − 1 = {signed(back)} %",
            f"{plain(b / a)} × as much",
        ),
    )


def _less_time(n: Sequence[float]) -> Worked:
    before, after = n
    _above_zero("times", before, after)
    less, fast = 100 * (1 - after / before), before / after
    return Worked(
        f"takes {plain(less)} % less time, {plain(fast)} × as fast",
        (f"1 − {after:g} / {before:g} = {plain(less)} %", f"{before:g} / {after:g} = {plain(fast)}"),
    )


def _fps_to_ms(n: Sequence[float]) -> Worked:
    _above_zero("frame rate", n[0])
    return Worked(f"{plain(1000 / n[0])}", (f"1000 / {n[0]:g} = {plain(1000 / n[0])}", "the same both ways: fps ↔ ms"))


def _ratios(n: Sequence[float]) -> Worked:
    _above_zero("ratios", *n)
    mean = math.exp(sum(map(math.log, n)) / len(n))
    product = " × ".join(f"{x:g}" for x in n)
    return Worked(
        f"{plain(mean)}", (f"({product})^(1/{len(n)}) = {plain(mean)}", "geometric: the base does not matter")
    )


def _minutes(n: Sequence[float]) -> Worked:
    wh, watts = n
    _above_zero("battery", wh, watts)
    m = 60 * wh / watts
    return Worked(
        f"{plain(m)} min ({int(m) // 60} h {m % 60:.0f} min)",
        (f"60 × {wh:g} Wh / {watts:g} W = {plain(m)} min", f"{plain(m / wh, 3)} min a Wh"),
    )


def _draw(n: Sequence[float]) -> Worked:
    wh, minutes = n
    _above_zero("battery", wh, minutes)
    w = 60 * wh / minutes
    return Worked(f"{plain(w)} W", (f"60 × {wh:g} Wh / {minutes:g} min = {plain(w)} W",))


def _to_fahrenheit(n: Sequence[float]) -> Worked:
    f = 1.8 * n[0] + 32
    return Worked(
        f"{plain(f)} °F", (f"1.8 × {n[0]:g} + 32 = {plain(f)} °F", f"a difference of {n[0]:g} K is {1.8 * n[0]:g} °F")
    )


def _to_celsius(n: Sequence[float]) -> Worked:
    c = (n[0] - 32) / 1.8
    return Worked(f"{plain(c)} °C", (f"({n[0]:g} − 32) / 1.8 = {plain(c)} °C",))


def _levels(n: Sequence[float]) -> Worked:
    if max(map(abs, n)) > 1000:
        raise DataError("levels", "there is no sound of more than 1000 dB")
    total, mean = level_sum(n), level_mean(n)
    return Worked(f"{total:.2f} dB together, {mean:.2f} dB on average", ("10 lg Σ 10^(L/10)", f"= {total:.2f} dB"))


def _background(n: Sequence[float]) -> Worked:
    level, room = n
    if level <= room:
        raise DataError("background", "the level is not above that of the room")
    alone = without_room(level, room)
    if alone.upper_bound:
        return Worked(f"at most {alone.level:.1f} dB: at or near the room", (alone.words,))
    taken = f"{level:g} − {alone.correction:.2f} = {alone.level:.2f} dB"
    rule = ("K = −10 lg(1 − 10^(−ΔL/10))",) if alone.correction else ()
    return Worked(f"{alone.level:.2f} dB", (alone.words, *rule, taken))


def _per(n: Sequence[float]) -> Worked:
    score, amount = n
    _above_zero("score and amount", score, amount)
    return Worked(f"{plain(score / amount)}", (f"{score:g} / {amount:g} = {plain(score / amount)}",))


def _dropped(n: Sequence[float]) -> Worked:
    dropped, frames = n
    if frames < 1 or not 0 <= dropped <= frames:
        raise DataError("dropped frames", "they are at most as many as there are frames")
    share = dropped / frames
    low, high = wilson(dropped, frames)
    return Worked(
        f"{in_percent(share, 3)}",
        (
            f"{dropped:g} / {frames:g} = {in_percent(share, 3)}",
            f"95 % (Wilson): {plain(100 * low, 3)} to {in_percent(high, 3)}",
        ),
    )


SUMS: tuple[QuickSum, ...] = (
    QuickSum("Percent change", ("from", "to"), _change),
    QuickSum("Less time, times as fast", ("before, s", "after, s"), _less_time),
    QuickSum("fps ↔ ms", ("fps or ms",), _fps_to_ms),
    QuickSum("Mean of ratios", ("ratio", "ratio …"), _ratios),
    QuickSum("Wh at watts → minutes", ("Wh", "W"), _minutes),
    QuickSum("Wh in minutes → watts", ("Wh", "min"), _draw),
    QuickSum("°C → °F", ("°C",), _to_fahrenheit),
    QuickSum("°F → °C", ("°F",), _to_celsius),
    QuickSum("Levels together", ("dB", "dB …"), _levels),
    QuickSum("Level without the room", ("dB", "room, dB"), _background),
    QuickSum("Score per watt", ("score", "W"), _per),
    QuickSum("Score per money", ("score", "price"), _per),
    QuickSum("Dropped share", ("dropped", "frames"), _dropped),
)
