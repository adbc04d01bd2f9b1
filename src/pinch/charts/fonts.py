"""The shipped fonts, cut down to the letters that a file uses, by fontTools."""

import io
from functools import lru_cache
from pathlib import Path

from msgspec import Struct

from pinch.charts.theme import FIGURE_FACE, FONTS, TEXT_FACE


class Shipped(Struct, frozen=True):
    """A font of the package: its family and weight as style rules name them."""

    family: str
    weight: int
    path: Path


SHIPPED = (
    Shipped(TEXT_FACE, 400, FONTS / "Karla-Regular.otf"),
    Shipped(TEXT_FACE, 700, FONTS / "Karla-Bold.otf"),
    Shipped(FIGURE_FACE, 400, FONTS / "B612-Regular.otf"),
    Shipped(FIGURE_FACE, 700, FONTS / "B612-Bold.otf"),
)


@lru_cache(maxsize=64)
def subset(path: Path, letters: str) -> bytes:
    """A font with those of the letters that it has; the same letters give the same bytes."""
    from fontTools.subset import Options, Subsetter, load_font

    options = Options()
    options.notdef_outline = True
    options.hinting = False
    font = load_font(str(path), options)
    cutter = Subsetter(options)
    cutter.populate(text=letters)
    cutter.subset(font)
    content = io.BytesIO()
    font.save(content)
    font.close()
    return content.getvalue()
