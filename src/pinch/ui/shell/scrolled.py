"""What is higher than its place, seen part by part."""

from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget


def scrolled(inside: QWidget) -> QScrollArea:
    """A frameless area that fits its content into the room there is, and scrolls what needs more."""
    area = QScrollArea()
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidgetResizable(True)
    area.setWidget(inside)
    return area
