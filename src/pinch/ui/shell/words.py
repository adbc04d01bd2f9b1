"""Small words on widgets: captions, headings, hairlines."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget


def label(text: str = "", role: str = "", wrap: bool = False) -> QLabel:
    """A label in one of the style sheet's roles: quiet, heading, headline."""
    made = QLabel()
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setText(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def captioned(caption: str, widget: QWidget) -> QWidget:
    """A widget with its caption above it."""
    field = QWidget()
    column = QVBoxLayout(field)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(2)
    title = label(caption, "quiet")
    title.setBuddy(widget)
    column.addWidget(title)
    column.addWidget(widget)
    return field


def small_button(words: str, tip: str, call: Callable[[], object]) -> QPushButton:
    """A small button that calls when it is clicked."""
    button = QPushButton(words)
    button.setToolTip(tip)
    button.setProperty("role", "small")
    button.clicked.connect(lambda: call())
    return button


def hairline(upright: bool = False) -> QWidget:
    """A thin rule."""
    rule = QFrame()
    rule.setProperty("role", "rule")
    if upright:
        rule.setFixedWidth(1)
    else:
        rule.setFixedHeight(1)
    return rule


def mark(widget: QWidget, name: str, value: str) -> None:
    """Give a widget a property that its style goes by."""
    if (widget.property(name) or "") != value:
        widget.setProperty(name, value)
        if (style := widget.style()) is not None:
            style.polish(widget)
