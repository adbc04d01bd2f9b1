"""ZIP archives of logs, unpacked where nothing of them can leave the folder or fill the disk."""

import contextlib
import shutil
import stat
import struct
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from pathlib import Path, PurePosixPath

from pinch.core.errors import DataError
from pinch.language import tr
from pinch.sources.contained import contained

ENDING = ".zip"
MOST_BYTES, MOST_MEMBERS = 2_000_000_000, 10_000
MOST_RATIO, RATIO_FROM = 200, 10_000_000
"""A member that grows by more than this is no log; small ones may, since a log of one repeated row packs well."""


@contextlib.contextmanager
def opened(paths: Sequence[Path]) -> Iterator[list[Path]]:
    """The same paths, those of ZIP archives unpacked into a folder that is gone afterwards.

    Raises
    ------
    DataError : an archive is broken, has a member that would leave its folder or is too large.
    """
    with contextlib.ExitStack() as stack:
        yield [
            stack.enter_context(contained("pinch.sources.archive:unpack", str(path), str(path))) / _folder_name(path)
            if is_archive(path)
            else path
            for path in paths
        ]


def is_archive(path: Path) -> bool:
    """Whether a file is called a ZIP archive."""
    return path.name.casefold().endswith(ENDING) and path.is_file()  # of names with many dots Pythons differ


def check_archive(path: Path) -> list[zipfile.ZipInfo]:
    """The files of an archive that may be unpacked.

    Raises
    ------
    DataError : it is broken, locked, or a member would leave its folder, is a link, or is too large.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            members = [m for m in archive.infolist() if not m.filename or not m.is_dir()]
    except (OSError, zipfile.BadZipFile, NotImplementedError, ValueError, LookupError, struct.error) as error:
        raise DataError(str(path), tr("it is no ZIP archive that can be read ({error})", error=error)) from None
    if len(members) > MOST_MEMBERS:
        raise DataError(
            str(path),
            tr("it holds {members} files, more than {most_members}", members=len(members), most_members=MOST_MEMBERS),
        )
    for member in members:
        _check(path, member)
    if sum(m.file_size for m in members) > MOST_BYTES:
        raise DataError(
            str(path), tr("unpacked it is larger than {most_bytes} GB", most_bytes=MOST_BYTES // 1_000_000_000)
        )
    return members


def _check(path: Path, member: zipfile.ZipInfo) -> None:
    name = PurePosixPath(member.filename.replace("\\", "/"))
    if not name.parts:
        raise DataError(str(path), tr("it has a member without a name"))
    if name.is_absolute() or ".." in name.parts or ":" in member.filename or "\0" in member.filename:
        raise DataError(
            str(path),
            tr("its member {filename!r} would leave the folder it is unpacked into", filename=member.filename),
        )
    if stat.S_ISLNK(member.external_attr >> 16):
        raise DataError(str(path), tr("its member {filename!r} is a link", filename=member.filename))
    if member.flag_bits & 1:
        raise DataError(str(path), tr("its member {filename!r} is locked with a password", filename=member.filename))
    if member.file_size > RATIO_FROM and member.file_size > MOST_RATIO * max(1, member.compress_size):
        raise DataError(
            str(path),
            tr(
                "its member {filename!r} would grow to {file_size:.0f} MB",
                filename=member.filename,
                file_size=member.file_size / 1e6,
            ),
        )


def unpack(folder: Path, words: str) -> None:
    """Unpack the archive at the path `words` into a folder of its name within `folder`.

    Raises
    ------
    DataError : as `check_archive`, or a member is broken.
    """
    path = Path(words)
    members = check_archive(path)
    inside = folder / _folder_name(path)
    inside.mkdir()
    try:
        with zipfile.ZipFile(path) as archive:
            for member in members:
                target = inside / member.filename.replace("\\", "/")
                target.parent.mkdir(parents=True, exist_ok=True)
                with archive.open(member) as source, target.open("xb") as file:
                    shutil.copyfileobj(source, file)  # which gives no more than its header says
    except (OSError, zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError, ValueError) as error:
        raise DataError(str(path), tr("it is no ZIP archive that can be read ({error})", error=error)) from None


def _folder_name(path: Path) -> str:
    """The archive's name without its ending, in which logs look for what they belong to; dots alone name no folder."""
    name = path.name[: -len(ENDING)]
    return name if name.strip(".") else "archive"
