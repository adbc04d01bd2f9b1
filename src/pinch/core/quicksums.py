"""Sums that a reviewer otherwise does on a phone, each with its working."""

import math
from collections.abc import Callable, Sequence

from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.framekinds import wilson
from pinch.core.printing import in_percent, plain, signed
from pinch.core.sound import level_mean, level_sum, without_room
from pinch.language import numeral, tr

MOST_NUMBERS = 50


class Worked(Struct, frozen=True):
    """The result in words, and the working, a line a step."""

    result: str
    working: tuple[str, ...]


class QuickSum(Struct, frozen=True):
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
            raise DataError(
                self.name,
                tr("it takes {what}{asks} numbers", what=tr("at least ") if open_ended else "", asks=len(self.asks)),
            )
        if not all(math.isfinite(x) for x in numbers):
            raise DataError(self.name, tr("a number is not finite"))
        return self.work(numbers)


def _above_zero(name: str, *numbers: float) -> None:
    if any(x <= 0 for x in numbers):
        raise DataError(name, tr("every number has to be above zero"))


def _change(n: Sequence[float]) -> Worked:
    a, b = n
    _above_zero(tr("percent change"), a, b)
    there, back = 100 * (b / a - 1), 100 * (a / b - 1)
    return Worked(
        tr("{there} % up, {back} % back", there=signed(there), back=signed(back)),
        (
            f"{numeral(b, 'g')} / {numeral(a, 'g')} − 1 = {signed(there)} %",
            f"{numeral(a, 'g')} / {numeral(b, 'g')} − 1 = {signed(back)} %",
            tr("{b} × as much", b=plain(b / a)),
        ),
    )


def _less_time(n: Sequence[float]) -> Worked:
    before, after = n
    _above_zero("times", before, after)
    less, fast = 100 * (1 - after / before), before / after
    return Worked(
        tr("takes {less} % less time, {fast} × as fast", less=plain(less), fast=plain(fast)),
        (
            f"1 − {numeral(after, 'g')} / {numeral(before, 'g')} = {plain(less)} %",
            f"{numeral(before, 'g')} / {numeral(after, 'g')} = {plain(fast)}",
        ),
    )


def _fps_to_ms(n: Sequence[float]) -> Worked:
    _above_zero(tr("frame rate"), n[0])
    return Worked(
        f"{plain(1000 / n[0])}",
        (f"1000 / {numeral(n[0], 'g')} = {plain(1000 / n[0])}", tr("the same both ways: fps ↔ ms")),
    )


def _ratios(n: Sequence[float]) -> Worked:
    _above_zero("ratios", *n)
    mean = math.exp(sum(map(math.log, n)) / len(n))
    product = " × ".join(numeral(x, "g") for x in n)
    return Worked(
        f"{plain(mean)}", (f"({product})^(1/{len(n)}) = {plain(mean)}", "geometric: the base does not matter")
    )


def _minutes(n: Sequence[float]) -> Worked:
    wh, watts = n
    _above_zero("battery", wh, watts)
    m = 60 * wh / watts
    return Worked(
        tr("{all_minutes} min ({hours} h {minutes:.0f} min)", all_minutes=plain(m), hours=int(m) // 60, minutes=m % 60),
        (
            tr("60 × {wh:g} Wh / {watts:g} W = {m} min", wh=wh, watts=watts, m=plain(m)),
            tr("{m} min a Wh", m=plain(m / wh, 3)),
        ),
    )


def _draw(n: Sequence[float]) -> Worked:
    wh, minutes = n
    _above_zero("battery", wh, minutes)
    w = 60 * wh / minutes
    return Worked(
        tr("{w} W", w=plain(w)), (tr("60 × {wh:g} Wh / {minutes:g} min = {w} W", wh=wh, minutes=minutes, w=plain(w)),)
    )


def _to_fahrenheit(n: Sequence[float]) -> Worked:
    f = 1.8 * n[0] + 32
    return Worked(
        tr("{f} °F", f=plain(f)),
        (
            tr("1.8 × {n:g} + 32 = {f} °F", n=n[0], f=plain(f)),
            tr("a difference of {kelvin:g} K is {fahrenheit:g} °F", kelvin=n[0], fahrenheit=1.8 * n[0]),
        ),
    )


def _to_celsius(n: Sequence[float]) -> Worked:
    c = (n[0] - 32) / 1.8
    return Worked(tr("{c} °C", c=plain(c)), (tr("({n:g} − 32) / 1.8 = {c} °C", n=n[0], c=plain(c)),))


def _levels(n: Sequence[float]) -> Worked:
    if max(map(abs, n)) > 1000:
        raise DataError("levels", tr("there is no sound of more than 1000 dB"))
    total, mean = level_sum(n), level_mean(n)
    return Worked(
        tr("{total:.2f} dB together, {mean:.2f} dB on average", total=total, mean=mean),
        ("10 lg Σ 10^(L/10)", tr("= {total:.2f} dB", total=total)),
    )


def _background(n: Sequence[float]) -> Worked:
    level, room = n
    if level <= room:
        raise DataError("background", tr("the level is not above that of the room"))
    alone = without_room(level, room)
    if alone.upper_bound:
        return Worked(tr("at most {level:.1f} dB: at or near the room", level=alone.level), (alone.words,))
    taken = tr(
        "{level:g} − {correction:.2f} = {alone:.2f} dB", level=level, correction=alone.correction, alone=alone.level
    )
    rule = ("K = −10 lg(1 − 10^(−ΔL/10))",) if alone.correction else ()
    return Worked(tr("{level:.2f} dB", level=alone.level), (alone.words, *rule, taken))


def _per(n: Sequence[float]) -> Worked:
    score, amount = n
    _above_zero(tr("score and amount"), score, amount)
    return Worked(
        f"{plain(score / amount)}", (f"{numeral(score, 'g')} / {numeral(amount, 'g')} = {plain(score / amount)}",)
    )


def _dropped(n: Sequence[float]) -> Worked:
    dropped, frames = n
    if frames < 1 or not 0 <= dropped <= frames:
        raise DataError(tr("dropped frames"), tr("they are at most as many as there are frames"))
    share = dropped / frames
    low, high = wilson(dropped, frames)
    return Worked(
        f"{in_percent(share, 3)}",
        (
            f"{numeral(dropped, 'g')} / {numeral(frames, 'g')} = {in_percent(share, 3)}",
            tr("95 % (Wilson): {low} to {high}", low=plain(100 * low, 3), high=in_percent(high, 3)),
        ),
    )


SUMS: tuple[QuickSum, ...] = (
    QuickSum(tr("Percent change"), ("from", "to"), _change),
    QuickSum(tr("Less time, times as fast"), ("before, s", "after, s"), _less_time),
    QuickSum(tr("fps ↔ ms"), (tr("fps or ms"),), _fps_to_ms),
    QuickSum(tr("Mean of ratios"), ("ratio", "ratio …"), _ratios),
    QuickSum(tr("Wh at watts → minutes"), ("Wh", "W"), _minutes),
    QuickSum(tr("Wh in minutes → watts"), ("Wh", "min"), _draw),
    QuickSum("°C → °F", ("°C",), _to_fahrenheit),
    QuickSum("°F → °C", ("°F",), _to_celsius),
    QuickSum(tr("Levels together"), ("dB", "dB …"), _levels),
    QuickSum(tr("Level without the room"), ("dB", tr("room, dB")), _background),
    QuickSum(tr("Score per watt"), ("score", "W"), _per),
    QuickSum(tr("Score per money"), ("score", "price"), _per),
    QuickSum(tr("Dropped share"), ("dropped", "frames"), _dropped),
)
