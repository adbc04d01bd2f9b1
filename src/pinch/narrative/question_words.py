"""Questions in words: what is asked, where it stands, and the sentence of an answer."""

import math
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.asking import HOLDS_SHARE, Asked
from pinch.analysis.work_metrics import metric_of
from pinch.bench.bench_questions import Asks, ReviewQuestion
from pinch.bench.book import Book
from pinch.bench.records import Device, Setting, Workload
from pinch.core.metrics import AVERAGE
from pinch.core.printing import counted, in_percent, listed, plain, with_decimals
from pinch.core.standing import NEITHER, NO, YES, Stand, Standing
from pinch.core.sweetspots import PROMISES
from pinch.language import marked, tr


class Names(Struct, frozen=True):
    """What the records that questions speak of are called, by number."""

    devices: Mapping[int, Device]
    settings: Mapping[int, Setting]
    workloads: Mapping[int, Workload]

    def setting(self, number: int) -> str:
        """A setting with its device."""
        setting = self.settings.get(number)
        if setting is None:
            return tr("a setting that is gone")
        device = self.devices.get(setting.device_id)
        return f"{device.name}, {setting.name}" if device is not None else setting.name

    def device(self, number: int) -> str:
        """A device."""
        return self.devices[number].name if number in self.devices else tr("a device that is gone")

    def unit(self, workload_id: int) -> str:
        """The unit of a workload's rate."""
        work = self.workloads.get(workload_id)
        return "" if work is None else metric_of(work, AVERAGE).unit

    def work(self, number: int) -> str:
        """A workload."""
        return self.workloads[number].name if number in self.workloads else tr("work that is gone")


def names_in(book: Book) -> Names:
    """What the records of a book are called."""
    devices = {d.id: d for d in book.devices()}
    settings = {s.id: s for d in devices for s in book.settings(d)}
    return Names(devices, settings, {w.id: w for w in book.workloads()})


QUESTIONS = {
    Asks.FASTER: marked("Which is faster at {work}, {cells}, by at least {matters}?"),
    Asks.LOCK: marked("Which is best at {work}: {cells}?"),
    Asks.HOLDS: marked("Does {cell} hold {watts} at {work}{room}?"),
    Asks.BATTERY: marked("How long does {cell} last at {work}, to ± {within} min?"),
    Asks.BUILD: marked("What does the newest build change for {cell} at {work}, by at least {matters}?"),
    Asks.LEAST_WATTS: marked("Least watts of {device} for {fps} at {work}{low}, to ± {within} W?"),
    Asks.SWEET_SPOT: marked("Sweet spot of {device} at {work} ({rule}), to ± {within} W?"),
    Asks.CROSSES: marked("Where do {device} trade places at {work}, to ± {within} W?"),
}


def question_words(q: ReviewQuestion, names: Names) -> str:
    """What is asked, in a sentence."""
    said = tr(QUESTIONS[q.asks], **_values(q, names))
    return tr("{said} ({sure} sure)", said=said, sure=in_percent(q.certainty))


def _values(q: ReviewQuestion, names: Names) -> dict[str, str]:
    """What questions and answers name."""
    cells = [names.setting(s) for s in q.setting_ids]
    low = tr(", its low {share} of it", share=in_percent(q.low_share)) if q.low_share else ""
    return {
        "work": names.work(q.workload_id),
        "cells": _or(cells),
        "cell": cells[0] if cells else "",
        "other": cells[-1] if cells else "",
        "device": listed([names.device(d) for d in q.device_ids]),
        "matters": in_percent(q.delta),
        "within": plain(q.within),
        "fps": f"{plain(q.fps or 0.0)} {names.unit(q.workload_id)}".strip(),
        "low": low,
        "rule": PROMISES[q.rule],
        "room": "" if q.room_c is None else tr(" in a room of {room:g} °C", room=q.room_c),
        "watts": tr("its watts") if q.watts is None else tr("{watts:g} W", watts=q.watts),
    }


def _or(names: Sequence[str]) -> str:
    return tr(" or ").join(names)


def standing_words(asked: Asked, names: Names, cost_s: float | None = None) -> str:
    """Where a question stands, in a sentence."""
    s = asked.standing
    if s.stand is Stand.ANSWERED:
        return tr("{answer} {rests}", answer=answer_words(asked, names), rests=rests_words(asked))
    if s.stand is Stand.CANNOT:
        so_far = "" if not math.isfinite(s.value) else tr(" So far: {value}.", value=_value_words(asked))
        why = s.reason or tr(
            "{runs} have not told it, and more of the same would not.", runs=counted(len(asked.run_ids), "run")
        )
        return tr("Cannot be answered: {why}{so_far}", why=why, so_far=so_far)
    minutes = "" if cost_s is None else tr(", about {minutes:.0f} min", minutes=cost_s / 60.0)
    runs = counted(sum(n.runs for n in asked.needs), "more run")
    if not asked.run_ids:
        return tr("Begins with a pilot: {runs}{minutes}.", runs=runs, minutes=minutes)
    said = s.reason.rstrip(".") or _value_words(asked)
    return tr("Open: {value}; {runs} expected{minutes}.", value=said, runs=runs, minutes=minutes)


ALIKE = {
    Asks.FASTER: marked("{cell} and {other} differ by less than {matters} at {work}."),
    Asks.BUILD: marked("The newest build changes {cell} at {work} by less than {matters}."),
}
ANSWERS = {
    (Asks.FASTER, 0): marked("{cell} is faster than {other} at {work}: {value}."),
    (Asks.FASTER, 1): marked("{other} is faster than {cell} at {work}: {value}."),
    (Asks.BUILD, 0): marked("The newest build makes {cell} faster at {work}: {value}."),
    (Asks.BUILD, 1): marked("The newest build makes {cell} slower at {work}: {value}."),
    (Asks.HOLDS, YES): marked("{cell} holds {watts} at {work}{room}: {value}."),
    (Asks.HOLDS, NO): marked("{cell} does not hold {watts} at {work}{room}: {value}, less than {share} of it."),
    (Asks.BATTERY, YES): marked("{cell} lasts {value} at {work}."),
    (Asks.LEAST_WATTS, YES): marked("{device} needs {value} for {fps} at {work}{low}."),
    (Asks.SWEET_SPOT, YES): marked("{device} has its sweet spot at {value} at {work} ({rule})."),
    (Asks.CROSSES, YES): marked("{device} trade places at {value} at {work}."),
}


def answer_words(asked: Asked, names: Names) -> str:
    """The sentence of an answer."""
    q, s = asked.question, asked.standing
    values = _values(q, names) | {"share": in_percent(HOLDS_SHARE)}
    if s.reason:
        return tr("{device} at {work}: {reason}", reason=s.reason, device=values["device"], work=values["work"])
    if q.asks is Asks.LOCK:
        best = names.setting(q.setting_ids[s.choice or 0])
        return tr("{best} is best at {work}.", best=best, work=values["work"])
    if q.asks in ALIKE and s.choice == NEITHER:
        return tr(ALIKE[q.asks], **values)
    return tr(ANSWERS[q.asks, s.choice or 0], **values, value=_value_words(asked))


def rests_words(asked: Asked) -> str:
    """What an answer rests on, and what the bounds allow for."""
    q = asked.question
    if asked.standing.reason:
        return tr("It rests on {runs}.", runs=counted(len(asked.run_ids), "run"))
    return tr(
        "It rests on {runs} and is {sure} sure in spite of looking after each.",
        runs=counted(len(asked.run_ids), "run"),
        sure=in_percent(q.certainty),
    )


def _value_words(asked: Asked) -> str:
    """The value so far in the unit of its question, with its interval."""
    asks, s = asked.question.asks, asked.standing
    if asks is Asks.FASTER and s.choice == 1:
        s = replace(s, value=-s.value, low=-s.high, high=-s.low)
    if asks in (Asks.FASTER, Asks.BUILD, Asks.LOCK):
        return _with_interval(s, lambda v: 100.0 * math.expm1(v), "%", signed=True)
    if asks in (Asks.HOLDS, Asks.BATTERY):
        return _with_interval(s, math.exp, "W" if asks is Asks.HOLDS else "min")
    return _with_interval(s, lambda v: v, "W")


def _with_interval(s: Standing, in_unit: Callable[[float], float], unit: str, signed: bool = False) -> str:
    def said(v: float) -> str:
        value = in_unit(v)
        if not signed:
            return plain(value, 3)
        return f"+{with_decimals(value, 1)}" if value >= 0 else with_decimals(value, 1)

    if not math.isfinite(s.value):
        return tr("nothing yet")
    if not (math.isfinite(s.low) and math.isfinite(s.high)):
        return tr("{value} {unit}, no interval yet", value=said(s.value), unit=unit)
    return tr("{value} {unit} ({low} to {high})", value=said(s.value), unit=unit, low=said(s.low), high=said(s.high))
