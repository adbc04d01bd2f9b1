"""What a page that becomes a PDF may fetch: the shipped fonts, and what the page holds itself."""

from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

from weasyprint.urls import URLFetcher, URLFetcherResponse

from pinch.charts.theme import FONTS
from pinch.language import tr


class ShippedFetcher(URLFetcher):  # type: ignore[misc]
    """Refuses every other address; what stands there is then missing from the page."""

    def fetch(self, url: str, headers: dict[str, str] | None = None) -> URLFetcherResponse:
        if not url.startswith("data:") and not _is_font(url):
            raise ValueError(tr("{url} is not part of Pinch", url=url))
        return super().fetch(url, headers)


def _is_font(url: str) -> bool:
    """Whether an address, with all dots in it followed, is a file in the folder of the shipped fonts."""
    parts = urlsplit(url)
    return parts.scheme == "file" and Path(url2pathname(parts.path)).resolve().is_relative_to(FONTS.resolve())
