"""Entering values into a record: what was typed becomes the record's next state, or stays as it was typed. No Qt."""

from collections.abc import Mapping
from typing import Any, TypeVar

from msgspec import Struct, field
from pydantic import ValidationError

from pinch.bench import plausibility
from pinch.bench.entry import read_day, read_pixels, read_quantity
from pinch.bench.records import Device, Protocol, Record, Setting, Workload
from pinch.bench.refused import problem_of
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.ui.bench.field_widgets import FLAGS, Field, Kind, field_at, text_at, with_value

R = TypeVar("R", bound=Record)


class Entered(Struct, frozen=True):
    """What became of an entry: the record with it, or why it cannot be (then the typed text is a draft). `question` is
    asked back where it was read, but could be meant otherwise."""

    record: Record | None
    problem: str = ""
    question: str = ""


class Draft(Struct, frozen=True):
    """A record with what was typed and could not be kept: text and reason by field."""

    record: Record
    texts: Mapping[str, str]
    problems: Mapping[str, str] = field(default_factory=dict)


def enter(record: Record, path: str, text: str) -> Entered:
    """Read what was typed into a field."""
    wanted = field_at(type(record), path)
    try:
        value, question = _read(wanted, text)
    except PinchError as error:
        return Entered(None, str(error))
    return _kept(record, path, value, question)


def add_row(record: R, path: str) -> R:
    """The record with one more row in a list."""
    part = field_at(type(record), path).part
    assert part is not None
    return record.model_copy(update={path: (*getattr(record, path), part())})


def remove_row(record: R, path: str, number: int) -> R:
    """The record without a row of a list."""
    rows = getattr(record, path)
    return record.model_copy(update={path: rows[:number] + rows[number + 1 :]})


def settle(record: Record, texts: Mapping[str, str]) -> Draft:
    """Try drafts again after a change: what makes sense by now is taken in, the rest stays with its reason."""
    left, problems = dict(texts), dict[str, str]()
    taken = True
    while taken:
        taken = False
        for path, text in list(left.items()):
            entered = enter(record, path, text) if _there(record, path) else Entered(record)
            if entered.record is not None:
                record = entered.record
                left.pop(path)
                problems.pop(path, None)
                taken = True
            else:
                problems[path] = entered.problem
    return Draft(record, left, problems)


def questions(record: Record, device: Device | None) -> dict[str, str]:
    """What is asked back about a record, by field."""
    asked: list[plausibility.Question] = []
    if isinstance(record, Device):
        asked = plausibility.device_questions(record)
    elif isinstance(record, Setting) and device is not None:
        asked = plausibility.setting_questions(record, device)
    elif isinstance(record, Workload):
        asked = plausibility.workload_questions(record)
    elif isinstance(record, Protocol):
        asked = plausibility.protocol_questions(record)
    return {q.field: q.text for q in asked}


def _read(wanted: Field, text: str) -> tuple[Any, str]:
    """The value of a text, and what to ask back."""
    typed = text.strip()
    if not typed:
        return ("" if wanted.kind in (Kind.TEXT, Kind.PIXELS, Kind.DAY) else None), ""
    if wanted.kind is Kind.NUMBER:
        entry = read_quantity(typed, wanted.unit)
        if wanted.whole and entry.value != int(entry.value):
            raise PinchError(tr("{typed!r} is not a whole number.", typed=typed))
        return (int(entry.value) if wanted.whole else entry.value), entry.question
    if wanted.kind is Kind.PIXELS:
        return read_pixels(typed), ""
    if wanted.kind is Kind.DAY:
        return read_day(typed), ""
    if wanted.kind is Kind.FLAG:
        flag = next((word for word in FLAGS if word.casefold() == typed.casefold()), None)
        if flag is None:
            raise PinchError(tr("{typed!r} is neither {flags}.", typed=typed, flags=tr(" nor ").join(FLAGS)))
        return FLAGS[flag], ""
    if wanted.kind is Kind.CHOICE:
        return next((c for c in wanted.choices if typed.casefold() == tr(c).casefold()), typed), ""
    return typed, ""


def _kept(record: Record, path: str, value: Any, question: str) -> Entered:
    if value is None and not field_at(type(record), path).optional:
        return Entered(None, tr("It cannot be empty."))
    try:
        return Entered(type(record).model_validate(with_value(record, path, value)), "", question)
    except ValidationError as error:
        _, reason = problem_of(error)
        return Entered(None, f"{reason[0].upper()}{reason[1:]}.")


def _there(record: Record, path: str) -> bool:
    """Whether the record still has that field: a row may be gone."""
    try:
        text_at(record, path)
    except IndexError:
        return False
    return True
