"""Why a record was refused, in words for the person at the screen."""

from pydantic import ValidationError

from pinch.language import tr

_WORDS = {
    "less_than_equal": tr("it is at most {le:g}"),
    "less_than": tr("it is below {lt:g}"),
    "greater_than_equal": tr("it is at least {ge:g}"),
    "greater_than": tr("it is above {gt:g}"),
    "string_too_short": tr("it cannot be empty"),
    "string_too_long": tr("it has at most {max_length} characters"),
    "int_from_float": tr("it is a whole number"),
    "missing": tr("it is missing"),
    "extra_forbidden": tr("there is no such field"),
    "enum": tr("it is one of {expected}"),
    "float_type": tr("it is a number"),
    "int_type": tr("it is a whole number"),
    "string_type": tr("it is a text"),
    "string_pattern_mismatch": tr("it does not have the form that is wanted"),
}


def problem_of(error: ValidationError) -> tuple[str, str]:
    """The first problem of a record that was refused: its field as a dotted path (empty: the whole), and the reason."""
    first = error.errors()[0]
    words = _WORDS.get(first["type"])
    reason = words.format(**first.get("ctx", {})) if words else first["msg"].removeprefix("Value error, ")
    return ".".join(str(part) for part in first["loc"]), reason
