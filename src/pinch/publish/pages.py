"""Pages of HTML from templates, and PDF of them. Nothing outside the package and the page itself is read."""

import base64
import pickle
import re
from collections.abc import Container
from functools import lru_cache, partial
from html import unescape
from pathlib import Path
from typing import TYPE_CHECKING, Any

from markupsafe import Markup

from pinch.bench.files import read_plain
from pinch.bench.scratch import scratch_folder
from pinch.charts.chart_files import face_letters, font_faces
from pinch.charts.theme import FONTS
from pinch.core.errors import DataError
from pinch.language import day_words, spoken, tr
from pinch.sources.contained import contained

if TYPE_CHECKING:
    from jinja2 import Environment

TEMPLATE_ENDINGS = (".html", ".j2")
PICTURES = {
    ".png": "image/png",
    ".jpg": "image/jpeg",
    ".jpeg": "image/jpeg",
    ".gif": "image/gif",
    ".webp": "image/webp",
    ".svg": "image/svg+xml",
}
MOST_BESIDE = 20_000_000
_PICTURE = re.compile(r"""(<img\b[^>]*?\bsrc=["'])(?!data:)([^"']+)""")
_STYLE = re.compile(r"""<link\b(?=[^>]*\brel=["']?stylesheet\b)[^>]*?\bhref=["'](?!data:)([^"']+)["'][^>]*>""")
_PAGE, _PDF = "page.html", "page.pdf"
FONTS_HERE = Markup("/* fonts */")
"""Stands for the fonts until it is known which letters a page has."""
TEMPLATES = Path(__file__).parent / "templates"


def render(template: str, own: Path | None = None, **values: Any) -> str:
    """A page of a shipped template, or of the operator's `own` file, which may extend the shipped ones.

    Templates see the values, the language and nothing else, and all text is escaped. An own one is worked out in a
    process with bounds, since it may go on for ever; pictures and styles that stand beside it become part of the
    page.

    Raises
    ------
    DataError : the operator's template cannot be read or has an error; the sentence names its line.
    """
    if own is None:
        return str(_environment(None).get_template(template).render(**values))
    if own.suffix.lower() not in TEMPLATE_ENDINGS:  # a book from outside may name any file
        raise DataError(
            str(own), tr("a template ends with {template_endings}", template_endings=" or ".join(TEMPLATE_ENDINGS))
        )
    with scratch_folder() as folder:
        told = folder / "values"
        told.write_bytes(pickle.dumps(values))
        with contained("pinch.publish.pages:write_own_page", str(own), str(own.absolute()), str(told)) as made:
            return (made / _PAGE).read_text(encoding="utf-8")


def with_fonts(page: str) -> str:
    """A page with the shipped fonts in place of `FONTS_HERE`, cut down to the letters that stand in it."""
    return page.replace(FONTS_HERE, font_faces(face_letters(page)))


def write_own_page(folder: Path, own_words: str, values_words: str) -> None:
    """Write the page of the operator's template at the path `own_words` into `folder`; the values are what `render` has
    put into a file.

    Raises
    ------
    DataError : the template cannot be read or has an error.
    """
    from jinja2 import TemplateError, TemplateSyntaxError

    own, values = Path(own_words), pickle.loads(Path(values_words).read_bytes())
    try:
        page = _environment(own.parent).get_template(f"own/{own.name}").render(**values)
    except TemplateSyntaxError as error:
        raise DataError(_place(own, error.name), str(error.message).rstrip("."), error.lineno) from None
    except (TemplateError, ArithmeticError, LookupError, TypeError, ValueError, AttributeError, OSError) as error:
        reason = str(error).rstrip(".") or type(error).__name__
        raise DataError(str(own), tr("the template fails: {reason}", reason=reason), _line_of(error, own)) from None
    (folder / _PAGE).write_text(with_what_is_beside(page, own.parent), encoding="utf-8")


def with_what_is_beside(page: str, folder: Path) -> str:
    """A page with the pictures and styles that it names in the folder set into it.

    Raises
    ------
    DataError : one of them is not there, is not within the folder, or is too large.
    """
    page = _PICTURE.sub(lambda found: found[1] + _as_data(folder, unescape(found[2])), page)
    return _STYLE.sub(lambda found: f"<style>\n{_style(folder, unescape(found[1]))}\n</style>", page)


def _as_data(folder: Path, name: str) -> str:
    path = _beside(folder, name, PICTURES)
    content = base64.b64encode(read_plain(path, MOST_BESIDE)).decode("ascii")
    return f"data:{PICTURES[path.suffix.lower()]};base64,{content}"


def _style(folder: Path, name: str) -> str:
    text = read_plain(_beside(folder, name, (".css",)), MOST_BESIDE).decode("utf-8", "replace")
    return text.replace("</", "<\\/")  # it cannot end its own element


def _beside(folder: Path, name: str, endings: Container[str]) -> Path:
    """The file of that name within a folder; no link and no dots lead out of it."""
    path = (folder / name).resolve()
    if not _is_within(path, folder) or path.suffix.lower() not in endings:
        raise DataError(name, tr("only pictures and styles that stand beside the template can be part of its page"))
    return path


def _is_within(path: Path, folder: Path) -> bool:
    inside = path.is_relative_to(folder.resolve())
    return inside and not any(part.startswith(".") for part in path.relative_to(folder.resolve()).parts)


def pdf_bytes(page: str) -> bytes:
    """A page as PDF with real text, tagged for screen readers (PDF/UA-1, ISO 14289-1)."""
    from weasyprint import HTML

    from pinch.publish.shipped_fetcher import ShippedFetcher

    content = HTML(string=page, base_url=FONTS.as_uri() + "/", url_fetcher=ShippedFetcher()).write_pdf(
        pdf_variant="pdf/ua-1"
    )
    assert content is not None
    return bytes(content)


def contained_pdf(page: str, place: str) -> bytes:
    """A page as PDF, worked out in a process with bounds: a template of somebody else may have made it.

    Raises
    ------
    DataError : it takes too much time or memory; `place` is what it names.
    """
    with scratch_folder() as folder:
        (folder / _PAGE).write_text(page, encoding="utf-8")
        with contained("pinch.publish.pages:write_pdf", place, str(folder / _PAGE)) as made:
            return (made / _PDF).read_bytes()


def write_pdf(folder: Path, words: str) -> None:
    """Write the page in the file at the path `words` as PDF into `folder`."""
    (folder / _PDF).write_bytes(pdf_bytes(Path(words).read_text(encoding="utf-8")))


@lru_cache(maxsize=2)
def _environment(folder: Path | None) -> "Environment":
    from jinja2 import ChoiceLoader, FileSystemLoader, FunctionLoader, PrefixLoader, StrictUndefined
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    loaders: list[Any] = [FileSystemLoader(TEMPLATES)]
    if folder is not None:
        loaders.insert(0, PrefixLoader({"own": FunctionLoader(partial(_own_template, folder))}))
    environment = ImmutableSandboxedEnvironment(
        loader=ChoiceLoader(loaders), autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=StrictUndefined
    )
    environment.globals.update(tr=tr, day_words=day_words, language=spoken())
    return environment


def _own_template(folder: Path, name: str) -> tuple[str, str, None] | None:
    path = (folder / name).resolve()
    if not _is_within(path, folder) or path.suffix.lower() not in TEMPLATE_ENDINGS:
        raise DataError(name, tr("a template reads only templates that stand beside it"))
    if not path.exists():
        return None
    return read_plain(path, MOST_BESIDE).decode("utf-8", "replace"), str(path), None


def _place(own: Path | None, name: str | None) -> str:
    return str(own) if own is not None and name in (None, f"own/{own.name}") else str(name)


def _line_of(error: Exception, own: Path) -> int | None:
    """The line of the operator's template that an error came from."""
    trace, line = error.__traceback__, None
    while trace is not None:
        if trace.tb_frame.f_code.co_filename.endswith(own.name):
            line = trace.tb_lineno
        trace = trace.tb_next
    return line
