"""The errors Pinch raises on purpose: each message is one sentence for the person at the screen."""

from pinch.language import tr


def visible(text: str) -> str:
    """A text on one line in which nothing hides: signs that nothing shows stand as their codes."""
    return "".join(sign if sign.isprintable() else f"\\u{ord(sign):04x}" for sign in text)


class PinchError(Exception):
    """Something the operator can understand and act on; `str()` is the sentence to show, whatever a file named."""

    def __str__(self) -> str:
        return visible(super().__str__())


class NotKeptError(LookupError):
    """A record that no book has kept was asked for its number: a mistake in the program, not of the operator."""

    def __init__(self, kind: str) -> None:
        self.kind = kind
        super().__init__(tr("{kind}: no book has kept it yet", kind=kind))


class DataError(PinchError):
    """A log or a table that cannot be used as it stands.

    Parameters
    ----------
    place : the file, or what else holds the data, as the operator knows it.
    reason : what is wrong there, without a full stop.
    line : line number, counted from 1, where that is known.
    """

    def __init__(self, place: str, reason: str, line: int | None = None) -> None:
        self.place, self.reason, self.line = place, reason, line
        where = place if line is None else tr("{place}, line {line}", place=place, line=line)
        super().__init__(f"{where}: {reason}.")
