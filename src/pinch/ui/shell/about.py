"""What Pinch is, what it stands on, and under which licences."""

import platform
from importlib.metadata import PackageNotFoundError, version

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR

from pinch import __version__

ABOUT = "Pinch measures what laptops, mini PCs and handhelds hold, what throttles them, and what a watt buys."

LIBRARIES = ("numpy", "scipy", "pandas", "pyarrow", "pyqtgraph", "pydantic", "jinja2", "weasyprint")


def about_text() -> str:
    """Versions of it and of what it stands on."""
    lines = [
        f"Pinch {__version__}",
        f"Python {platform.python_version()}, Qt {QT_VERSION_STR}, PyQt {PYQT_VERSION_STR}",
        *(f"{name} {found}" for name in LIBRARIES if (found := _version(name))),
        "",
        "Fonts, with their licences beside them: src/pinch/charts/typefaces.",
        "Nothing is fetched from the network, and nothing is sent.",
    ]
    return "\n".join(lines)


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return ""
