"""Colours of a page by role, so that it can be light or dark: rules of style, and drawings that name their roles."""

import re

from pinch.charts.theme import LIGHT, Theme
from pinch.core.causes import Cause

ROLES = ("paper", "spine", "margin", "window", "ink", "quiet", "hairline", "accent")


def _colours(theme: Theme) -> dict[str, str]:
    """Colours #rrggbb by the names of their roles; letters before the fields of the same colour, since they need more
    contrast where both become one."""
    found = {role: getattr(theme, role) for role in ROLES}
    found |= {f"letters{n}": theme.letters(n) for n in range(len(theme.devices))}
    found |= {f"device{n}": colour for n, colour in enumerate(theme.devices)}
    for number, cause in enumerate(Cause):
        found[f"cause{number}"], found[f"cause{number}-line"] = theme.causes[cause]
    return {name: colour.lower() for name, colour in found.items()}


def rules(theme: Theme) -> str:
    """The colours of a theme as custom properties of CSS."""
    return " ".join(f"--{name}: {colour};" for name, colour in _colours(theme).items())


def by_role(drawing: str) -> str:
    """An SVG in the light colours with each of them named by its role."""
    names = {colour: name for name, colour in reversed(_colours(LIGHT).items())}
    return re.sub(
        r"#[0-9a-fA-F]{6}\b",
        lambda found: f"var(--{names[found[0].lower()]})" if found[0].lower() in names else found[0],
        drawing,
    )


def settled(page: str) -> str:
    """A page with every role as its light colour: for paper, and for programs that know no roles."""
    colours = _colours(LIGHT)
    return re.sub(r"var\(--([\w-]+)\)", lambda found: colours.get(found[1], found[0]), page)
