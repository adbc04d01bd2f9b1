"""Small words on widgets: captions, headings, hairlines."""

from PyQt6.QtWidgets import QFrame, QLabel, QWidget


def label(text: str = "", role: str = "", wrap: bool = False) -> QLabel:
    """A label in one of the style sheet's roles: quiet, heading, headline."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def hairline(upright: bool = False) -> QWidget:
    """A thin rule."""
    rule = QFrame()
    rule.setProperty("role", "rule")
    if upright:
        rule.setFixedWidth(1)
    else:
        rule.setFixedHeight(1)
    return rule
