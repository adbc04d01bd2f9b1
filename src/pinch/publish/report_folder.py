"""A folder with a report: what Pinch wrote into it is known by a list beside it, and what somebody else wrote, or
changed since, is not replaced unasked."""

import contextlib
import hashlib
import os
import shutil
from collections.abc import Collection
from pathlib import Path

from msgspec import Struct
from pydantic import BaseModel

from pinch.bench.files import not_written, read_model, write_model
from pinch.bench.staging import staged
from pinch.core.errors import PinchError
from pinch.core.printing import counted, listed
from pinch.language import tr

LIST = "written.json"
MOST_BYTES = 10_000_000
MOST_NAMED = 3


class WrittenFiles(BaseModel):
    """What was written: SHA-256 of each file by its path within the folder."""

    files: dict[str, str] = {}


class InTheWay(Struct, frozen=True):
    """Files of a folder that a report must not replace unasked: `changed` since Pinch wrote them, and `others` in a
    folder that no report is in."""

    changed: tuple[str, ...] = ()
    others: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """A sentence of what is there; empty where nothing is in the way."""
        if self.others:
            return tr(
                "It holds {others} that no report of Pinch wrote: {few}.",
                others=counted(len(self.others), "file"),
                few=_few(self.others),
            )
        if self.changed:
            one = len(self.changed) == 1
            return tr(
                "{few} {what} changed since the report was written.",
                few=_few(self.changed),
                what=tr("was") if one else tr("were"),
            )
        return ""


def _few(names: Collection[str]) -> str:
    shown = sorted(names)[:MOST_NAMED]
    more = len(names) - len(shown)
    return listed([*shown, *([tr("{more} more", more=more)] if more else [])])


def in_the_way(folder: Path) -> InTheWay:
    """What must not be replaced in a folder unasked.

    Raises
    ------
    PinchError : it is no place for a report, or its list cannot be read.
    """
    if folder.resolve() in (Path("/"), Path.home().resolve()):
        raise PinchError(
            tr(
                "{folder}: a report has a folder of its own; name one, such as {example}.",
                folder=folder,
                example=folder / tr("report"),
            )
        )
    if folder.exists() and not folder.is_dir():
        raise PinchError(tr("{folder}: it is a file, and a report needs a folder.", folder=folder))
    known = _known(folder)
    if known:
        listed_ns = (folder / LIST).stat().st_ctime_ns  # it was written last
        return InTheWay(changed=tuple(n for n, was in known.items() if _is_changed(folder / n, was, listed_ns)))
    try:
        there = sorted(p.name for p in folder.iterdir() if not p.name.startswith(".")) if folder.exists() else []
    except OSError as error:
        raise PinchError(
            tr("{folder}: it cannot be read ({strerror}).", folder=folder, strerror=error.strerror)
        ) from None
    return InTheWay(others=tuple(there))


def check_free(folder: Path, replaces: bool, names: Collection[str] = ()) -> None:
    """Whether a report may be written into a folder, files of these names in it; with `replaces` nothing in it is in
    the way.

    Raises
    ------
    PinchError : something is in the way, or it is no place for a report.
    """
    words = in_the_way(folder).words
    known = _known(folder)
    strangers = [n for n in names if n not in known and (folder / n).exists()]
    if not words and strangers:
        words = tr(
            "{few} {what} no file of a report.",
            few=_few(strangers),
            what=tr("is") if len(strangers) == 1 else tr("are"),
        )
    if words and not replaces:
        raise PinchError(
            tr(
                "{folder}: {words} Choose an empty folder, or say that they may be replaced.",
                folder=folder,
                words=words,
            )
        )


def take_in(made: Path, folder: Path, replaces: bool) -> list[Path]:
    """Bring all files of the folder `made` into `folder`, each whole or not at all, and take away what an earlier
    report left in the same places that this one does not have; returns where they are now. With `replaces` nothing is
    in the way.

    Raises
    ------
    PinchError : something is in the way, or a file cannot be written.
    """
    names = sorted(str(path.relative_to(made)) for path in made.rglob("*") if path.is_file())
    check_free(folder, replaces, names)
    known = _known(folder)
    try:
        for name in names:
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            with staged(folder / name) as part:
                shutil.copyfile(made / name, part)
        _take_away(folder, {n: d for n, d in known.items() if n not in names and _place(n) in set(map(_place, names))})
        kept = {n: d for n, d in known.items() if (folder / n).exists()}
        write_model(WrittenFiles(files={**kept, **{n: _digest(folder / n) for n in names}}), folder / LIST)
    except OSError as error:
        raise not_written(error, folder) from None
    return [folder / name for name in names]


def _place(name: str) -> str:
    """What a file is a part of: a folder of the report, or the report itself."""
    return os.path.dirname(name)


def _take_away(folder: Path, gone: dict[str, str]) -> None:
    """Remove files of an earlier report that nobody changed."""
    for name, was in gone.items():
        if _digest(folder / name) == was:
            with contextlib.suppress(OSError):
                (folder / name).unlink()


def _known(folder: Path) -> dict[str, str]:
    """The files of an earlier report by their paths within the folder; a list from outside names no others."""
    if not (folder / LIST).exists():
        return {}
    files = read_model(folder / LIST, WrittenFiles, MOST_BYTES).files
    return {n: d for n, d in files.items() if not Path(n).is_absolute() and ".." not in Path(n).parts}


def _is_changed(path: Path, was: str, listed_ns: int) -> bool:
    """Whether a file is another than the one that was listed; one that nobody touched since is not read for that."""
    try:
        if path.stat().st_ctime_ns < listed_ns:
            return False
    except OSError:
        return False
    return _digest(path) not in ("", was)


def _digest(path: Path) -> str:
    """SHA-256 of a file; empty where there is none."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""
