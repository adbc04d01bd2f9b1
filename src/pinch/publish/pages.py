"""Pages of HTML from templates, and PDF of them. Nothing outside the package and the page itself is read."""

from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pinch.charts.theme import FONTS
from pinch.core.errors import DataError

if TYPE_CHECKING:
    from jinja2 import Environment
    from weasyprint.urls import URLFetcherResponse

TEMPLATE_ENDINGS = (".html", ".j2")
TEMPLATES = Path(__file__).parent / "templates"


def render(template: str, own: Path | None = None, **values: Any) -> str:
    """A page of a shipped template, or of the operator's `own` file, which may extend the shipped ones.

    Templates run in a sandbox: they see the values and nothing else, and all text is escaped.

    Raises
    ------
    DataError : the operator's template cannot be read or has an error; the sentence names its line.
    """
    from jinja2 import TemplateError, TemplateSyntaxError

    if own is not None and own.suffix.lower() not in TEMPLATE_ENDINGS:  # a book from outside may name any file
        raise DataError(str(own), f"a template ends with {' or '.join(TEMPLATE_ENDINGS)}")
    try:
        environment = _environment(None if own is None else own.parent)
        name = template if own is None else f"own/{own.name}"
        return environment.get_template(name).render(**values)
    except TemplateSyntaxError as error:
        raise DataError(_place(own, error.name), str(error.message).rstrip("."), error.lineno) from None
    except (TemplateError, ArithmeticError, LookupError, TypeError, ValueError, AttributeError, OSError) as error:
        if own is None:
            raise
        reason = str(error).rstrip(".") or type(error).__name__
        raise DataError(str(own), f"the template fails: {reason}", _line_of(error, own)) from None


def pdf_bytes(page: str) -> bytes:
    """A page as PDF, with real text."""
    from weasyprint import HTML

    content = HTML(string=page, base_url=FONTS.as_uri() + "/", url_fetcher=_shipped_only).write_pdf()
    assert content is not None
    return bytes(content)


@lru_cache(maxsize=4)
def _environment(folder: Path | None) -> "Environment":
    from jinja2 import ChoiceLoader, FileSystemLoader, PrefixLoader, StrictUndefined
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    loaders: list[Any] = [FileSystemLoader(TEMPLATES)]
    if folder is not None:
        loaders.insert(0, PrefixLoader({"own": FileSystemLoader(folder)}))
    return ImmutableSandboxedEnvironment(
        loader=ChoiceLoader(loaders), autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=StrictUndefined
    )


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


def _shipped_only(url: str, *_: object, **__: object) -> "URLFetcherResponse":
    from weasyprint.urls import URLFetcher

    if url.startswith((FONTS.as_uri() + "/", "data:")):
        return URLFetcher().fetch(url)
    raise ValueError(f"{url} is not part of Pinch")
