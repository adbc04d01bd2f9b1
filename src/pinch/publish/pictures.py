"""The pictures of a deck: numbered files, each whole or absent, and their words for who cannot see them."""

from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from pinch.bench.files import replace_file
from pinch.charts.chart_files import ENDINGS, face_bytes
from pinch.charts.face import Face
from pinch.charts.theme import LIGHT, Theme
from pinch.core.errors import PinchError
from pinch.core.printing import plain_letters
from pinch.core.progress import Progress, tell, unheard
from pinch.language import tr
from pinch.publish.plain_markdown import escaped

CAPTIONS = "captions.md"


class Picture(Struct, frozen=True):
    """A picture to write: its number in the deck and its face; one without a face is named with its problem."""

    number: int
    title: str
    face: Face | None
    problem: str = ""


class PictureChoice(Struct, frozen=True):
    """Which files are written: their kinds, the size of PNGs in px, and the theme."""

    kinds: tuple[str, ...] = ("png",)
    size: tuple[int, int] = (1920, 1080)
    theme: Theme = LIGHT


class Written(Struct, frozen=True):
    """What was written, and what was not with its reason."""

    paths: tuple[Path, ...]
    left_out: tuple[str, ...] = ()


def write_pictures(
    pictures: Sequence[Picture], folder: Path, choice: PictureChoice, progress: Progress = unheard
) -> Written:
    """Write pictures and their captions into a folder, which is made where needed. Every file is complete or absent;
    files of the same names are replaced only then.

    Raises
    ------
    PinchError : an unknown kind, or a file cannot be written; the sentence says how many are there.
    CancelledError : `progress` answered False; what was written stays.
    """
    unknown = [kind for kind in choice.kinds if kind not in ENDINGS]
    if unknown or not choice.kinds:
        raise PinchError(
            tr(
                "Pictures are written as {endings}, not as {unknown}.",
                endings=", ".join(ENDINGS),
                unknown=", ".join(unknown) or tr("nothing"),
            )
        )
    paths: list[Path] = []
    shown = [p for p in pictures if p.face is not None]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for number, picture in enumerate(shown):
            for kind in choice.kinds:
                tell(progress, (number + choice.kinds.index(kind) / len(choice.kinds)) / len(shown))
                assert picture.face is not None
                path = folder / f"{file_name(picture)}{ENDINGS[kind]}"
                replace_file(path, face_bytes(picture.face, kind, choice.theme, choice.size))
                paths.append(path)
        replace_file(folder / CAPTIONS, captions(pictures).encode())
    except OSError as error:
        there = tr(
            "{paths} of {shown} pictures are there, each of them whole",
            paths=len(paths),
            shown=len(shown) * len(choice.kinds),
        )
        raise PinchError(
            tr(
                "{filename}: it cannot be written ({strerror}); {there}.",
                filename=error.filename or folder,
                strerror=error.strerror,
                there=there,
            )
        ) from None
    left_out = tuple(f"{p.title}: {p.problem}" for p in pictures if p.face is None)
    return Written((*paths, folder / CAPTIONS), left_out)


def file_name(picture: Picture) -> str:
    """The name of a picture without its ending: its number and title in plain letters."""
    return f"{picture.number:02d}-{plain_letters(picture.title) or 'card'}"


def captions(pictures: Sequence[Picture]) -> str:
    """Title, finding, notes and the words for who cannot see them, of every picture, as Markdown."""
    parts = [f"# {tr('Captions')}"]
    for p in pictures:
        parts += [f"## {p.number}. {escaped(p.title)}", *_caption(p)]
    return "\n\n".join(parts) + "\n"


def _caption(picture: Picture) -> list[str]:
    face = picture.face
    if face is None:
        return [tr("Not written: {problem}", problem=escaped(picture.problem))]
    notes = "\n".join(f"- {escaped(note)}" for note in face.notes)
    return [escaped(face.finding), notes, tr("Alternative text: {escaped}", escaped=escaped(face.alternative))]
