"""Mistakes of the program itself, told so that they can be passed on: what was being done and where it broke, without
what the operator's data say. Everything unexpected that ends a piece of work becomes a `Fault`."""

import re
import traceback

from msgspec import Struct

from pinch.language import tr

_QUOTED = re.compile(r"'[^']*'|\"[^\"]*\"|“[^”]*”")
_PATH = re.compile(r"(?<![\w.])(?:[A-Za-z]:)?(?:/[^\s:,;'\"()]+)+")
PACKAGE = "pinch"


class Fault(Struct, frozen=True):
    """What went wrong: `doing` is what was being done, as a phrase; `kind` the exception, `message` what it said
    without names, paths and values in quotes; `trace` where it happened, outermost first."""

    doing: str
    kind: str
    message: str
    trace: tuple[str, ...]

    @property
    def sentence(self) -> str:
        """For the person at the screen."""
        return tr(
            "{doing} went wrong by a mistake in Pinch itself ({kind}). You can go on.", doing=self.doing, kind=self.kind
        )

    def details(self, version: str) -> str:
        """For whoever mends it."""
        lines = [
            tr("Pinch {version}", version=version),
            tr("while: {doing}", doing=self.doing),
            f"{self.kind}: {self.message}".rstrip(": "),
            *self.trace,
        ]
        return "\n".join(lines)


def fault_of(error: BaseException, doing: str) -> Fault:
    """The fault of an unexpected exception."""
    frames = traceback.extract_tb(error.__traceback__)
    trace = tuple(
        tr("{module}:{lineno} in {name}", module=_module(f.filename), lineno=f.lineno, name=f.name) for f in frames
    )
    return Fault(doing, type(error).__name__, _without_data(str(error)), trace)


def _module(path: str) -> str:
    """A source file from its package on: the folders before it may name somebody."""
    parts = path.replace("\\", "/").split("/")
    if PACKAGE in parts:
        return "/".join(parts[len(parts) - 1 - parts[::-1].index(PACKAGE) :])
    return parts[-1]


def _without_data(message: str) -> str:
    return _PATH.sub("…", _QUOTED.sub("…", message))
