"""Points of a picture that have words, and what belongs to which series: for who goes over a picture on a page with a
pointer or by keyboard, and takes series away."""

import re
from html import escape
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from msgspec import Struct, field

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

REACH = 9.0
"""How near to a point a pointer has to be, px."""
PT_AT_72 = 72.0


class SpokenPoint(Struct, frozen=True):
    """A place in its axes with words; `slot` is that of its series."""

    axis: "Axes"
    x: float
    y: float
    words: str
    slot: int


class Spoken(Struct):
    """What a picture says of itself: its points, and how many of its parts are marked as of a series."""

    points: list[SpokenPoint] = field(default_factory=list)
    marked: int = 0


_OF: "WeakKeyDictionary[Figure, Spoken]" = WeakKeyDictionary()


def spoken_of(figure: "Figure") -> Spoken:
    """What was said of a picture so far."""
    return _OF.setdefault(figure, Spoken())


def speak(axis: "Axes", x: float, y: float, words: str, slot: int) -> None:
    """Give a place in axes its words."""
    said = spoken_of(axis.get_figure(root=True))  # type: ignore[arg-type]
    said.points.append(SpokenPoint(axis, x, y, words, slot))


def belongs(artist: "Artist", slot: int) -> None:
    """Mark a part of a picture as of the series in a slot."""
    said = spoken_of(artist.get_figure(root=True))  # type: ignore[arg-type]
    artist.set_gid(f"of-{slot}-{said.marked}")
    said.marked += 1


def without_spoken(page: str) -> str:
    """A page for paper, where nobody points at the discs of its drawings."""
    return re.sub(r'<g class="points".*?</g>\n', "", page, flags=re.DOTALL)


def with_spoken(svg: str, figure: "Figure") -> str:
    """The SVG of a picture with its words: each point an unseen disc with a title, in the order of x; what belongs to a
    series is of the class `of-SLOT`."""
    svg = re.sub(r'<g id="of-(\d+)-\d+"', r'<g class="of-\1"', svg)
    scale, high = PT_AT_72 / figure.dpi, float(figure.bbox.height)
    discs = []
    for point in sorted(spoken_of(figure).points, key=lambda p: (p.x, p.y)):
        x, y = point.axis.transData.transform((point.x, point.y))
        disc = f'<circle class="of-{point.slot}" cx="{x * scale:.1f}" cy="{(high - y) * scale:.1f}"'
        discs.append(f'{disc} r="{REACH * scale:.1f}"><title>{escape(point.words)}</title></circle>')
    if not discs:
        return svg
    end = svg.rindex("</svg>")
    return (
        f'{svg[:end]}<g class="points" fill="none" pointer-events="all">\n' + "\n".join(discs) + f"\n</g>\n{svg[end:]}"
    )
