"""Colours and marks by role, light and dark. A test keeps contrast and colour-vision distance."""

from functools import lru_cache
from pathlib import Path

from msgspec import Struct

from pinch.core.causes import Cause, Tint

FONTS = Path(__file__).parent / "typefaces"
TEXT_FACE = "Karla"
FIGURE_FACE = "B612"
LIGHT_FILL = 0.45
"""How solid a bar is that is not of the subject."""


class Theme(Struct, frozen=True):
    """Colours as #RRGGBB by role; `causes` are the tints of what holds a machine back."""

    name: str
    paper: str
    spine: str
    margin: str
    window: str
    ink: str
    quiet: str
    hairline: str
    accent: str
    devices: tuple[str, ...]
    causes: dict[Cause, Tint]

    def letters(self, slot: int) -> str:
        """The colour of a device's words: its own, moved towards the ink as far as text needs it."""
        return _as_text(self.devices[slot % len(self.devices)], self.ink, self.paper)


LIGHT = Theme(
    "light",
    "#F7F4EC",
    "#F1EDE2",
    "#FBF9F4",
    "#EDE5D2",
    "#22303C",
    "#5A6670",
    "#D9D3C4",
    "#A6331F",
    ("#2559B0", "#AF8020", "#37999F", "#6F1A11", "#3D3368", "#78623D"),
    {cause: cause.light for cause in Cause},
)
DARK = Theme(
    "dark",
    "#1B2127",
    "#171C21",
    "#20272E",
    "#2C343C",
    "#E9E4D8",
    "#A2ABB3",
    "#3A434C",
    "#EE8A74",
    ("#8785E3", "#BA993F", "#5FC0C5", "#CB5A81", "#B0E6F2", "#D3C97A"),
    {cause: cause.dark for cause in Cause},
)
MARKERS = ("square", "circle", "diamond", "triangle", "plus", "cross")
FILE_MARKERS = {"square": "s", "circle": "o", "diamond": "D", "triangle": "^", "plus": "P", "cross": "X"}
"""Markers as matplotlib writes them."""

TEXT_CONTRAST = 4.5
"""Of text with what it stands on: WCAG 2.2, success criterion 1.4.3."""


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours #RRGGBB, 1 to 21. Source: WCAG 2.2, relative luminance and contrast ratio."""
    dark, light = sorted((_luminance(one), _luminance(other)))
    return (light + 0.05) / (dark + 0.05)


def _luminance(colour: str) -> float:
    parts = (int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5))
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@lru_cache(maxsize=64)
def _as_text(colour: str, ink: str, paper: str) -> str:
    """A colour moved towards another in twentieths, until it has the contrast of text."""
    for step in range(21):
        mixed = _mixed(colour, ink, step / 20)
        if contrast(mixed, paper) >= TEXT_CONTRAST:
            return mixed
    return ink


def _mixed(first: str, second: str, share: float) -> str:
    pairs = ((int(first[n : n + 2], 16), int(second[n : n + 2], 16)) for n in (1, 3, 5))
    return "#" + "".join(f"{round(a + share * (b - a)):02X}" for a, b in pairs)


def block_look(kind: str, slot: int, theme: Theme) -> tuple[str, str, str]:
    """Fill, line and hatch of a block of a run sheet: runs are filled with their device's colour, done ones outlined in
    it; waits are hatched."""
    device = theme.devices[slot % len(theme.devices)]
    return {
        "run": (device, device, ""),
        "done": (theme.window, device, ""),
        "void": (theme.paper, theme.quiet, "xx"),
        "change": (theme.ink, theme.ink, ""),
        "cool": (*theme.causes[Cause.WAITING], "\\\\\\"),
        "recharge": (*theme.causes[Cause.BURST_POWER], "||"),
        "read": (theme.margin, theme.ink, ".."),
    }[kind]
