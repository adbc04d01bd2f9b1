"""Pictures as files: PNG, SVG and PDF with the shipped fonts, text kept as text."""

import base64
import io
import re
import threading
import warnings
from collections.abc import Mapping
from html import escape, unescape
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pinch.bench.files import replace_file
from pinch.charts.draw.frame import HEIGHT, WIDTH, draw_bare, draw_face
from pinch.charts.draw.lettering import DPI
from pinch.charts.draw.spoken import with_spoken
from pinch.charts.face import Drawn, Face, face_of
from pinch.charts.theme import LIGHT, Theme
from pinch.core.errors import PinchError
from pinch.language import tr

if TYPE_CHECKING:
    from matplotlib.figure import Figure

ENDINGS = {"png": ".png", "svg": ".svg", "pdf": ".pdf", "outlines": ".outlines.svg"}
"""Of files by their kind. The letters of an SVG are text with its fonts inside, which web pages show as they are; as
outlines they stay so in drawing programs, too, which know no fonts inside a file."""
PNG_EFFORT = 3
"""Of zlib: a third of the time of its usual 6, files a tenth larger."""
SIZES = {"1280 × 720": (1280, 720), "1920 × 1080": (1920, 1080), "3840 × 2160": (3840, 2160)}


def write_chart(chart: Drawn, path: Path, theme: Theme = LIGHT) -> None:
    """Write a chart by itself to `path`; as `write_face`."""
    write_face(face_of(chart), path, theme)


def write_face(face: Face, path: Path, theme: Theme = LIGHT, size: tuple[int, int] = (WIDTH, HEIGHT)) -> None:
    """Write a picture to `path`, .png, .svg (.outlines.svg for letters as outlines) or .pdf; an existing
    file is replaced only by a complete one. `size` is that of a PNG, px; the others have no pixels.

    Raises
    ------
    PinchError : another ending, or the file cannot be written.
    """
    kind = next((kind for kind, ending in reversed(ENDINGS.items()) if path.name.lower().endswith(ending)), "")
    if not kind:
        raise PinchError(
            tr(
                "{path}: a chart is written as .png, .svg or .pdf, not as {suffix}.",
                path=path,
                suffix=path.suffix or tr("a file without ending"),
            )
        )
    content = face_bytes(face, kind, theme, size)
    try:
        replace_file(path, content)
    except OSError as error:
        raise PinchError(
            tr("{path}: the chart cannot be written ({strerror}).", path=path, strerror=error.strerror)
        ) from None


_DRAWING = threading.Lock()
"""One picture after the other: matplotlib's fonts and settings are shared by all threads."""


def face_bytes(face: Face, kind: str, theme: Theme = LIGHT, size: tuple[int, int] = (WIDTH, HEIGHT)) -> bytes:
    """A picture as the bytes of a PNG, SVG or PDF, of a kind of `ENDINGS`. The same face gives the same bytes."""
    with _DRAWING:
        return _face_bytes(face, kind, theme, size)


def _face_bytes(face: Face, kind: str, theme: Theme, size: tuple[int, int]) -> bytes:
    figure = draw_face(face, theme, (WIDTH, round(WIDTH * size[1] / size[0])))
    words = {"Title": face.finding, "Description": face.alternative}
    if kind == "png":
        return _png(figure, theme, DPI * size[0] / WIDTH, words)
    if kind == "svg":
        drawn = _saved(figure, "svg", theme, DPI, metadata={"Date": None})
        return _alone(drawn, face, font_faces(face_letters(drawn.decode())))
    if kind == "outlines":
        from matplotlib import rc_context

        with rc_context({"svg.fonttype": "path"}):
            return _alone(_saved(figure, "svg", theme, DPI, metadata={"Date": None}), face, "")
    info = {"Title": face.finding, "Subject": face.alternative, "CreationDate": None}
    return _saved(figure, "pdf", theme, DPI, metadata=info)


def bare_svg(chart: Drawn, theme: Theme, wide: int, key: str) -> str:
    """A chart as an SVG element to stand inside a page, without title and notes. `key` makes its identifiers its own
    among those of the page."""
    with _DRAWING:
        figure = draw_bare(chart, theme, wide)
        for axis in figure.axes:
            axis.set_facecolor("none")
        text = _saved(figure, "svg", theme, DPI, metadata={"Date": None}, facecolor="none").decode()
    text = text[text.index("<svg") :]
    text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
    text = with_spoken(text, figure)
    text = re.sub(r'(id="|url\(#|href="#)', rf"\g<1>{key}-", text)
    return f'<svg role="img" aria-label="{escape(chart.alternative)}"{text[4:]}'


def bare_png(chart: Drawn, theme: Theme, wide: int) -> bytes:
    """A chart alone as PNG, twice as fine as the column it stands in."""
    with _DRAWING:
        figure = draw_bare(chart, theme, wide)
        return _png(figure, theme, 2 * DPI, {"Description": chart.alternative})


def _png(figure: "Figure", theme: Theme, dpi: float, words: Mapping[str, str]) -> bytes:
    return _saved(figure, "png", theme, dpi, metadata=words, pil_kwargs={"compress_level": PNG_EFFORT})


def _saved(figure: "Figure", kind: str, theme: Theme, dpi: float, **more: Any) -> bytes:
    content = io.BytesIO()
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing from font")  # said where the picture is shown
        figure.savefig(content, format=kind, dpi=dpi, **{"facecolor": theme.paper, **more})
    return content.getvalue()


def _alone(svg: bytes, face: Face, fonts: str) -> bytes:
    """An SVG that stands alone: with its words for who cannot see it, and the fonts of its letters."""
    text = svg.decode()
    words = f"<title>{escape(face.finding)}</title>\n<desc>{escape(face.alternative)}</desc>\n"
    style = f"<style>{fonts}</style>\n" if fonts else ""
    start = text.index(">", text.index("<svg")) + 1
    return f"{text[:start]}\n{words}{style}{text[start:]}".encode()


def face_letters(markup: str) -> str:
    """The letters that stand in the text of some markup."""
    return "".join(sorted(set(unescape(re.sub(r"<[^>]*>", "", markup)))))


def font_faces(letters: str) -> str:
    """Style rules that carry the shipped fonts, cut down to some letters, within themselves."""
    from pinch.charts.fonts import SHIPPED, subset

    rules = []
    for font in SHIPPED:
        data = base64.b64encode(subset(font.path, letters)).decode()
        rules.append(
            f'@font-face {{ font-family: "{font.family}"; font-weight: {font.weight}; '
            f'src: url("data:font/otf;base64,{data}"); }}'
        )
    return "\n".join(rules)
