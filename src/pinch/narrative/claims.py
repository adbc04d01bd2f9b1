"""A sentence that leaves the bench, with what it rests on: whoever doubts it can count again."""

from collections.abc import Iterable

from msgspec import Struct

from pinch.analysis.points import RunPoint
from pinch.language import tr


class Claim(Struct, frozen=True):
    """A sentence with a stable code of what it says. It is true of `n` things out of `of` that could be looked at: the
    `runs` and typed `results` with these numbers."""

    code: str
    words: str
    n: int
    of: int
    runs: tuple[int, ...] = ()
    results: tuple[int, ...] = ()


def of_runs(code: str, words: str, true_of: Iterable[RunPoint], looked_at: Iterable[RunPoint]) -> Claim:
    """What is true of some runs out of those that could be looked at."""
    runs = tuple(p.run.id for p in true_of)
    return Claim(code, words, len(runs), len(list(looked_at)), runs)


def share_words(n: int, of: int) -> str:
    """So many of how many, in front of what they are: `all 12`, `3 of the 12`, `none of the 12`."""
    if n == of:
        return tr("all {of}", of=of) if of > 1 else tr("the one")
    return tr("{n} of the {of}", n=n or tr("none"), of=of) if of > 1 else tr("not the one")
