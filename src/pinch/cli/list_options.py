"""Options that take a list of known words, and the one that says what of the private may leave."""

import argparse
from collections.abc import Sequence

from pinch.bench.cards import Private
from pinch.core.errors import PinchError

PRIVATE = {what.name.lower(): what for what in Private}


def chosen_of(option: str, words: str, known: Sequence[str]) -> tuple[str, ...]:
    """The words of an option that takes a list, in their known order.

    Raises
    ------
    PinchError : one is not known.
    """
    wanted = [word.strip() for word in words.split(",") if word.strip() not in ("", "none")]
    unknown = [word for word in wanted if word not in known]
    if unknown:
        raise PinchError(f"{option} {', '.join(unknown)}: there is {', '.join(known)}.")
    return tuple(word for word in known if word in wanted)


def add_private(parser: argparse.ArgumentParser) -> None:
    """Declare `--with`."""
    parser.add_argument("--with", dest="private", default="", metavar="KINDS", help=f"private: {', '.join(PRIVATE)}")


def private_of(args: argparse.Namespace) -> tuple[Private, ...]:
    """What of the private may leave.

    Raises
    ------
    PinchError : a word is not known.
    """
    return tuple(PRIVATE[word] for word in chosen_of("--with", args.private, tuple(PRIVATE)))
