"""Photos and screenshots from files of others, cut down to what a book keeps of them."""

import base64
import io
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct

from pinch.bench.files import read_plain
from pinch.bench.photos import LONGEST_SIDE, MOST_BYTES
from pinch.core.errors import DataError
from pinch.language import tr

if TYPE_CHECKING:
    from PIL.Image import Image as Picture

ENDINGS = (".jpg", ".jpeg", ".png", ".webp")
FORMATS = ("JPEG", "PNG", "WEBP")
MOST_FILE, MOST_PIXELS = 60_000_000, 120_000_000
QUALITIES = (85, 70, 50)


class ReadPhoto(Struct, frozen=True):
    """A picture as a book keeps it: JPEG as base64, and its size, px."""

    jpeg: str
    width: int
    height: int


def read_photo(path: Path) -> ReadPhoto:
    """A picture from a JPEG, PNG or WebP file, turned as its camera was held, no longer than 1600 px. All else that the
    file says, such as where it was taken, stays behind.

    Raises
    ------
    DataError : it is no picture of these kinds, is damaged, or is too large.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with _whole_ones_only(), Image.open(io.BytesIO(read_plain(path, MOST_FILE)), formats=FORMATS) as found:
            if found.width * found.height > MOST_PIXELS:
                raise DataError(
                    str(path), tr("it has more than {most_pixels} million pixels", most_pixels=MOST_PIXELS // 1_000_000)
                )
            found.draft("RGB", (2 * LONGEST_SIDE, 2 * LONGEST_SIDE))  # a JPEG is read at half of its size or less
            turned = ImageOps.exif_transpose(found)
            turned.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
            plain = _on_white(turned)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        reason = tr("it is no JPEG, PNG or WebP picture") if isinstance(error, UnidentifiedImageError) else ""
        raise DataError(str(path), reason or tr("the picture cannot be read ({error})", error=error)) from None
    for quality in QUALITIES:
        kept = io.BytesIO()
        plain.save(kept, "JPEG", quality=quality, optimize=True)
        if len(kept.getvalue()) <= MOST_BYTES:
            break
    return ReadPhoto(base64.b64encode(kept.getvalue()).decode("ascii"), plain.width, plain.height)


@contextmanager
def _whole_ones_only() -> Iterator[None]:
    """A cut file is refused, also where a maker of PDF in the same process lets such pass."""
    from PIL import ImageFile

    before, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
    try:
        yield
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before


def _on_white(picture: "Picture") -> "Picture":
    """The picture in three colours, what shines through it on white."""
    from PIL import Image

    if "A" not in picture.getbands() and "transparency" not in picture.info:
        return picture.convert("RGB")
    seen = picture.convert("RGBA")
    paper = Image.new("RGBA", seen.size, "white")
    paper.alpha_composite(seen)
    return paper.convert("RGB")
