"""In which order the Tab key goes: widgets that a page makes later would come after the margin by themselves."""

from collections.abc import Iterator

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget


def chain(window: QWidget) -> Iterator[QWidget]:
    """What the Tab key reaches in a window, in its order, hidden or not."""
    at = window.nextInFocusChain()
    while at is not None and at is not window:
        if at.focusPolicy() & Qt.FocusPolicy.TabFocus:
            yield at
        at = at.nextInFocusChain()


def margin_last(window: QWidget, margin: QWidget) -> None:
    """Let the margin come after all that the window holds."""
    order = list(chain(window))
    inside = [widget for widget in order if margin.isAncestorOf(widget)]
    last = next((widget for widget in reversed(order) if widget not in inside), None)
    if last is None or order[-len(inside) :] == inside:
        return
    for widget in inside:
        QWidget.setTabOrder(last, widget)
        last = widget
