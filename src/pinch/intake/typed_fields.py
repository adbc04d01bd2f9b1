"""What is typed into the fields of a grid, whatever they hold: what of it is new, changed or taken away."""

from collections.abc import Callable, Mapping, Sequence
from typing import Generic, TypeVar

from msgspec import Struct

from pinch.bench.entry import ValueEntry
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr

T = TypeVar("T")
Field = tuple[int, int]
"""Row and column of a field."""


class TypedFields(Struct, Generic[T], frozen=True):
    """Things that are new, changed or taken away; sentences by field, of what makes no sense and is not kept
    (`problems`) and of what can be read in two ways (`questions`)."""

    new: Mapping[Field, T]
    changed: tuple[T, ...]
    removed: tuple[T, ...]
    problems: Mapping[Field, str]
    questions: Mapping[Field, str]


class FieldsOf(Struct, Generic[T], frozen=True):
    """What a grid is of: a word for one such thing, what stands in its fields, how that is typed, how a text is read
    at a field, and what it makes there of a thing, or of none."""

    what: str
    there: Mapping[Field, Sequence[T]]
    words: Callable[[Sequence[T]], str]
    read: Callable[[Field, str], ValueEntry]
    make: Callable[[Field, T | None, ValueEntry], T]


def typed_fields(texts: Mapping[Field, str], of: FieldsOf[T]) -> TypedFields[T]:
    """What the texts of fields would do; a field that is absent, or reads as before, was left as it is."""
    new, changed, removed = dict[Field, T](), list[T](), list[T]()
    problems, questions = dict[Field, str](), dict[Field, str]()
    for at, text in texts.items():
        own = of.there.get(at, ())
        if text.strip() == of.words(own):
            continue
        try:
            if len(own) > 1:
                raise PinchError(tr("Several {what}s stand here; change them one by one.", what=of.what))
            if not text.strip():
                removed += own
                continue
            value = of.read(at, text)
            if value.question:
                questions[at] = value.question
            if own:
                changed.append(of.make(at, own[0], value))
            else:
                new[at] = of.make(at, None, value)
        except PinchError as error:
            problems[at] = str(error)
    return TypedFields(new, tuple(changed), tuple(removed), problems, questions)


def fields_words(things: Sequence[T], what: str, only: Callable[[T], str]) -> str:
    """What a field shows of what is there, as it would be typed; of several nothing can be typed."""
    if len(things) == 1:
        return only(things[0])
    return counted(len(things), what) if things else ""
