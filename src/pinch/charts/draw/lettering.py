"""Sizes of letters in a picture, how wide words are in them, and where lines break.

Sizes are points on a picture of 1280 × 720 px at 100 dpi; larger pictures scale with them. The smallest is 1/47 of the
height, so that it can be read on a phone held sideways (common practice, no source).
"""

import math
import textwrap
from functools import lru_cache
from typing import TYPE_CHECKING

from pinch.charts.spec import unbroken
from pinch.charts.theme import FIGURE_FACE, FONTS, TEXT_FACE

if TYPE_CHECKING:
    from matplotlib.backends.backend_agg import RendererAgg

DPI = 100
FINDING, TITLE, LABEL, AXIS, NOTE = 20.0, 13.0, 12.0, 11.5, 11.0
SMALLEST = NOTE
_MEASURED_AT = 48.0
LINE = 1.32
"""Height of a line, of its letters' size."""


def set_up() -> None:
    """Fonts from the package only, text kept as text, no markup in names, repeatable identifiers."""
    import matplotlib as mpl
    from matplotlib import font_manager

    known = {entry.fname for entry in font_manager.fontManager.ttflist}
    for font in sorted(FONTS.glob("*.otf")):
        if str(font) not in known:
            font_manager.fontManager.addfont(font)
    mpl.rcParams.update(
        {
            "font.family": [TEXT_FACE, FIGURE_FACE, "DejaVu Sans"],
            "svg.fonttype": "none",
            "svg.hashsalt": "pinch",
            "pdf.fonttype": 42,
            "text.parse_math": False,
            "text.hinting": "none",  # letters take the same share of a picture at every size
            "hatch.linewidth": 0.8,
        }
    )


@lru_cache(maxsize=1)
def _renderer() -> "RendererAgg":
    from matplotlib.backends.backend_agg import RendererAgg

    return RendererAgg(1, 1, DPI)  # type: ignore[no-untyped-call]


def width(words: str, size: float, bold: bool = False) -> float:
    """How wide words are, px: the sum of their letters' steps, which is a little more than what pairs of letters that
    are drawn together take."""
    return size * math.fsum(_step(sign, bold) for sign in words)  # the same to the last digit in every Python


@lru_cache(maxsize=4096)
def _step(sign: str, bold: bool) -> float:
    """How far a letter moves the next one, px for each point of its size."""
    return (_shaped(f"n{sign * 10}n", bold) - _shaped("nn", bold)) / 10.0 / _MEASURED_AT


def _shaped(words: str, bold: bool) -> float:
    from matplotlib.font_manager import FontProperties

    face = FontProperties(size=_MEASURED_AT, weight="bold" if bold else "normal")
    size_of = _renderer().get_text_width_height_descent
    return float(size_of(words, face, False)[0])  # type: ignore[no-untyped-call]


def line_height(size: float) -> float:
    """Height of a line of that size, px."""
    return size * DPI / 72.0 * LINE


def wrapped(text: str, size: float, within: float, bold: bool = False) -> list[str]:
    """The text in lines no wider than `within` px; a word that is wider than that is broken."""
    lines: list[str] = []
    for word in unbroken(text).split(" "):
        for part in _pieces(word, size, within, bold):
            if lines and width(f"{lines[-1]} {part}", size, bold) <= within:
                lines[-1] += f" {part}"
            else:
                lines.append(part)
    return lines


def shortened(text: str, size: float, within: float, bold: bool = False) -> str:
    """The text without its middle where it is too wide: the end tells settings apart."""
    if width(text, size, bold) <= within:
        return text
    for keep in range(len(text) - 1, 1, -1):
        half = keep // 2
        short = f"{text[: keep - half].rstrip()}…{text[len(text) - half :].lstrip()}"
        if width(short, size, bold) <= within:
            return short
    return "…"


def missing_signs(text: str) -> str:
    """The signs of a text that none of the fonts has."""
    return "".join(dict.fromkeys(sign for sign in text if sign.isprintable() and ord(sign) not in _signs()))


@lru_cache(maxsize=1)
def _signs() -> frozenset[int]:
    from matplotlib import font_manager, ft2font

    set_up()
    faces = (font_manager.FontProperties(family=name) for name in (TEXT_FACE, FIGURE_FACE, "DejaVu Sans"))
    return frozenset().union(*(ft2font.FT2Font(font_manager.findfont(face)).get_charmap() for face in faces))


def _pieces(word: str, size: float, within: float, bold: bool) -> list[str]:
    if width(word, size, bold) <= within:
        return [word]
    fits = max(1, int(len(word) * within / width(word, size, bold)) - 1)
    return textwrap.wrap(word, fits) or [word]
