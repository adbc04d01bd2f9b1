"""The fields of a record as a form shows them, found from the record's own model. No Qt.

A field is named by its dotted path, `memory.speed_mts` or `cores.0.count`. Its unit, choices and caption come from the
model, so that form and schema cannot part.
"""

import types
from enum import StrEnum
from typing import Any, Union, get_args, get_origin

from msgspec import Struct
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from pinch.bench.fields import Part
from pinch.bench.records import Record
from pinch.language import numeral, tr

UNKNOWN = tr("not known")
FLAGS = {UNKNOWN: None, tr("yes"): True, tr("no"): False}


class Kind(StrEnum):
    """How a field is entered."""

    TEXT = "text"
    NUMBER = "number"
    CHOICE = "choice"
    FLAG = "flag"
    PIXELS = "pixels"
    DAY = "day"
    ROWS = "rows"


class Field(Struct, frozen=True):
    """One field. `part` is the model of a row where the field is a list; `optional` may stay empty."""

    path: str
    caption: str
    kind: Kind
    unit: str = ""
    optional: bool = True
    whole: bool = False
    choices: tuple[str, ...] = ()
    part: type[Part] | None = None


def field_at(model: type[BaseModel], path: str) -> Field:
    """The field of a record type at a path."""
    first, _, rest = path.partition(".")
    info = model.model_fields[first]
    kind = _plain_type(info.annotation)
    if get_origin(kind) is tuple:
        kind = get_args(kind)[0]
        rest = rest.partition(".")[2]
        if not rest:
            return Field(path, caption_of_field(info, first), Kind.ROWS, part=kind)
    if isinstance(kind, type) and issubclass(kind, Part):
        inner = field_at(kind, rest)
        return Field(path, inner.caption, inner.kind, inner.unit, inner.optional, inner.whole, inner.choices)
    return _leaf(path, info, first, kind)


def part_fields(part: type[Part]) -> list[Field]:
    """The fields of a row."""
    return [field_at(part, name) for name in part.model_fields]


def text_at(record: Record, path: str) -> str:
    """A value as it stands in its field."""
    value: Any = record
    for name in path.split("."):
        value = value[int(name)] if name.isdigit() else getattr(value, name)
    if isinstance(value, bool) or (value is None and field_at(type(record), path).kind is Kind.FLAG):
        return next(word for word, meant in FLAGS.items() if meant is value)
    if value is None:
        return ""
    if isinstance(value, StrEnum):
        return tr(value)
    return numeral(value, ".10g") if isinstance(value, float) else str(value)


def with_value(record: Record, path: str, value: object) -> dict[str, Any]:
    """All values of a record with one of them changed, for checking."""
    values = record.model_dump()
    *way, last = path.split(".")
    place: Any = values
    for name in way:
        if name.isdigit():
            place = place[int(name)]
        else:
            place[name] = list(place[name]) if isinstance(place[name], tuple) else place[name]
            place = place[name]
    place[last] = value
    return values


def _leaf(path: str, info: FieldInfo, name: str, kind: Any) -> Field:
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
    unit = str(extra.get("unit", "") or _unit_inside(info))
    caption = caption_of_field(info, name)
    optional = not info.is_required() and (info.default is None or info.default == "")
    if kind is bool:
        return Field(path, caption, Kind.FLAG, optional=info.default is None)
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return Field(path, caption, Kind.CHOICE, optional=False, choices=tuple(str(x) for x in kind))
    if kind in (int, float):
        return Field(path, caption, Kind.NUMBER, unit, optional, kind is int)
    special = {"px": Kind.PIXELS, "YYYY-MM-DD": Kind.DAY}.get(unit, Kind.TEXT)
    return Field(path, caption, special, "" if special is Kind.DAY else unit, optional)


def _plain_type(annotation: Any) -> Any:
    """The type without `| None` and without what is annotated to it."""
    if get_origin(annotation) in (Union, types.UnionType):
        annotation = next(a for a in get_args(annotation) if a is not type(None))
    return get_args(annotation)[0] if hasattr(annotation, "__metadata__") else annotation


def _unit_inside(info: FieldInfo) -> str:
    """The unit where the type is an annotated quantity or none at all."""
    for arm in get_args(info.annotation):
        for note in getattr(arm, "__metadata__", ()):
            extra = getattr(note, "json_schema_extra", None)
            if isinstance(extra, dict) and "unit" in extra:
                return str(extra["unit"])
    return ""


def caption_of_field(info: FieldInfo, name: str) -> str:
    return tr(info.title or name.replace("_", " ").capitalize())
