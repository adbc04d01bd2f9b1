"""Where widgets find the preferences: in the window that they stand in."""

from typing import Protocol, runtime_checkable

from PyQt6.QtWidgets import QWidget

from pinch.ui.preferences import Preferences


@runtime_checkable
class Remembering(Protocol):
    """Something with preferences."""

    preferences: Preferences


def preferences_of(widget: QWidget) -> Preferences | None:
    """Those of the window that a widget stands in, or that its dialog was opened from; None where nobody has any."""
    at: QWidget | None = widget
    while at is not None:
        if isinstance(at, Remembering):
            return at.preferences
        at = at.parentWidget()
    return None
