"""Where a log belongs, as far as its name says: by a pattern the operator gives, else by the names in the book.

A pattern is the form of the file name without its ending, with fields in braces, as in
`{device}_{setting}_{workload}_{repeat}`. Where it has slashes it speaks of the folders above too; `*` is anything.
"""

import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TypeVar

from msgspec import Struct
from msgspec.structs import replace

from pinch.bench.book import Book
from pinch.bench.records import Listed, live
from pinch.core.errors import PinchError
from pinch.language import tr

L = TypeVar("L", bound=Listed)
FIELDS = ("device", "setting", "workload", "repeat")
LEAST_LETTERS = 2
"""A name in the book that is shorter than this is not looked for in file names."""
_TOKEN = re.compile(r"\{(\w+)\}|\*|[^{*]+|\{")
_PIECES = re.compile(r"[^\W\d_]+|\d+(?:[.,]\d+)?")


class Filed(Struct, frozen=True):
    """Names of the device, setting and workload that a log belongs to, and which repeat it is; empty where its name
    does not say."""

    device: str = ""
    setting: str = ""
    workload: str = ""
    repeat: int | None = None

    @property
    def whole(self) -> bool:
        """Whether nothing is left to ask."""
        return bool(self.device and self.setting and self.workload)

    def saying(self, field: str, name: str) -> "Filed":
        """With another device, setting or workload."""
        names = {"device": self.device, "setting": self.setting, "workload": self.workload, field: name}
        return Filed(**names, repeat=self.repeat)

    def over(self, other: "Filed") -> "Filed":
        """What stands here, and what does not as in the other."""
        return Filed(
            self.device or other.device,
            self.setting or other.setting,
            self.workload or other.workload,
            self.repeat or other.repeat,
        )


class NamePattern:
    """The form of file names.

    Raises
    ------
    PinchError : a field is not known, stands twice, or follows another without a sign between.
    """

    EXAMPLE = tr("such as {pattern}", pattern="{device}_{setting}_{workload}_{repeat}")

    def __init__(self, text: str) -> None:
        self.text, found, before = text.strip(), list[str](), ""
        seen: set[str] = set()
        for match in _TOKEN.finditer(self.text):
            token, field = match.group(0), match.group(1)
            if token == "{" or (field is not None and field not in FIELDS):
                raise PinchError(
                    tr(
                        "{token} in the pattern is none of {words}.",
                        token=token,
                        words=", ".join(f"{{{name}}}" for name in FIELDS),
                    )
                )
            if field in seen:
                raise PinchError(tr("{token} stands twice in the pattern.", token=token))
            if field is not None and before == "field":
                raise PinchError(
                    tr("Before {token} in the pattern there must be a sign that ends the field before it.", token=token)
                )
            seen |= {field} if field else set()
            found.append(_expression(token, field))
            before = "field" if field else "text"
        self._expression = re.compile("".join(found), re.IGNORECASE) if found else None
        self._parts = self.text.count("/") + 1

    def read(self, path: Path) -> Filed:
        """What the name of a file says; nothing where it does not have the form."""
        whole = "/".join([*path.parts[-self._parts : -1], path.stem])
        match = self._expression.fullmatch(whole) if self._expression else None
        if match is None:
            return Filed()
        said = {name: (value or "").strip() for name, value in match.groupdict().items()}
        number = said.pop("repeat", "")
        return Filed(**said, repeat=int(number) if number else None)


def file_log(path: Path, pattern: NamePattern, book: Book) -> Filed:
    """Where a log belongs: what its pattern says, in the words of the book where it has such a record, and what the
    pattern does not say by the names of the book that stand in the path."""
    return in_words_of(book, pattern.read(path).over(recognise(path, book)))


def in_words_of(book: Book, filed: Filed) -> Filed:
    """The same names as the book has them, those it does not have as they are."""
    device = like(filed.device, live(book.devices()))
    settings = live(book.settings(device.id)) if device else []
    setting, workload = like(filed.setting, settings), like(filed.workload, live(book.workloads()))
    return replace(
        filed,
        device=device.name if device else filed.device,
        setting=setting.name if setting else filed.setting,
        workload=workload.name if workload else filed.workload,
    )


def recognise(path: Path, book: Book) -> Filed:
    """The names of the book that stand in a file's name or in the folders above it; of several the longest, and
    where two are as long none."""
    words = [_pieces(part) for part in (*path.parts[-4:-1], path.stem)]
    device = _inside(words, live(book.devices()))
    setting = _inside(words, live(book.settings(device.id))) if device else None
    workload = _inside(words, live(book.workloads()))
    return Filed(
        device.name if device else "", setting.name if setting else "", workload.name if workload else "", None
    )


def _expression(token: str, field: str | None) -> str:
    if field == "repeat":
        return r"(?:run|r|#)?\s*(?P<repeat>\d{1,4})"
    if field:
        return rf"(?P<{field}>[^/]+?)"
    return "[^/]*?" if token == "*" else re.escape(token).replace("\\*", "[^/]*?")


def like(name: str, records: Iterable[L]) -> L | None:
    """The record of this name, however it is spelled."""
    wanted = _pieces(name)
    return next((r for r in records if r.name == name), None) or next(
        (r for r in records if wanted and _pieces(r.name) == wanted), None
    )


def _inside(words: Sequence[list[str]], records: Iterable[Listed]) -> Listed | None:
    found = [(len("".join(name)), r) for r in records if (name := _pieces(r.name)) and _holds(words, name)]
    best = max((length for length, _ in found), default=0)
    longest = [r for length, r in found if length == best]
    return longest[0] if len(longest) == 1 and best >= LEAST_LETTERS else None


def _holds(words: Sequence[list[str]], name: list[str]) -> bool:
    size = len(name)
    return any(part[i : i + size] == name for part in words for i in range(len(part) - size + 1))


def _pieces(text: str) -> list[str]:
    """Words and numbers, however they are joined: `15W`, `15 W` and `15-w` are the same."""
    return [p.replace(",", ".") for p in _PIECES.findall(text.casefold())]
