"""Pages of which one is shown."""

from PyQt6.QtWidgets import QStackedWidget


class PageStack(QStackedWidget):
    """Its height does not follow its width. Qt else asks all its pages, also those that nobody sees, how high their
    words would be, at each change of anything in the window: with five pages that had been seen it measured seven
    hundred labels to show one tab."""

    def hasHeightForWidth(self) -> bool:
        return False
