"""What Pinch is, what it stands on, and under which licences."""

import platform
from importlib.metadata import PackageNotFoundError, version

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR

from pinch import __version__
from pinch.language import tr

ABOUT = tr("Pinch measures what laptops, mini PCs and handhelds hold, what throttles them, and what a watt buys.")

LIBRARIES = ("numpy", "scipy", "pandas", "pyarrow", "pyqtgraph", "pydantic", "msgspec", "jinja2", "weasyprint")


def about_text() -> str:
    """Versions of it and of what it stands on."""
    lines = [
        tr("Pinch {version}", version=__version__),
        tr(
            "Python {python_version}, Qt {qt_version_str}, PyQt {pyqt_version_str}",
            python_version=platform.python_version(),
            qt_version_str=QT_VERSION_STR,
            pyqt_version_str=PYQT_VERSION_STR,
        ),
        *(f"{name} {found}" for name in LIBRARIES if (found := _version(name))),
        "",
        tr("Fonts, with their licences beside them: src/pinch/charts/typefaces."),
        tr("Nothing is fetched from the network, and nothing is sent."),
    ]
    return "\n".join(lines)


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return ""
