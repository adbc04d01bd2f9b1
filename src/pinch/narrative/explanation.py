"""What the margin says of a figure or a mark, as plain data."""

from msgspec import Struct


class Explanation(Struct, frozen=True):
    """Text of the margin. `formula` holds lines: the rule, this run's numbers in it, the result. `method` names the
    section of docs/methods.md."""

    title: str
    meaning: str
    formula: tuple[str, ...]
    window: str
    uncertainty: str
    method: str
    cautions: tuple[str, ...] = ()
