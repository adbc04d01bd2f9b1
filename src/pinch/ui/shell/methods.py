"""`docs/methods.md`, shown inside the application at the section a figure belongs to."""

from pathlib import Path

from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from pinch.language import tr
from pinch.ui import look

METHODS = Path(__file__).resolve().parents[4] / "docs" / "methods.md"
SHIPPED = Path(__file__).resolve().parents[2] / "docs" / "methods.md"


class MethodsDialog(QDialog):
    """The text of the methods; `go_to` brings a section into view."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Methods"))
        self.resize(760, 640)
        self.setModal(False)
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.setAccessibleName(tr("Methods: what each figure is"))
        self.text.setFont(look.text_font(10.5))
        self.text.setMarkdown(methods_text())
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        whole = QVBoxLayout(self)
        whole.addWidget(self.text, 1)
        whole.addWidget(buttons)

    def go_to(self, section: str) -> bool:
        """Bring a section into view, by its heading with `-` for spaces; False where there is none."""
        wanted = section.replace("-", " ").casefold()
        document = self.text.document()
        block = document.begin() if document is not None else None
        while block is not None and block.isValid():
            if block.blockFormat().headingLevel() and block.text().casefold() == wanted:
                self.text.moveCursor(QTextCursor.MoveOperation.End)
                self.text.setTextCursor(QTextCursor(block))
                self.text.ensureCursorVisible()
                return True
            block = block.next()
        return False


def methods_text() -> str:
    """The methods as they are written, in a checkout or beside an installed package."""
    path = METHODS if METHODS.is_file() else SHIPPED
    try:
        return path.read_text(encoding="utf-8")
    except OSError:
        return "# Methods\n\ndocs/methods.md is not there."


def link_of(method: str) -> str:
    """The link that the margin shows below an explanation."""
    words = tr("Method: {name}", name=method.replace("-", " "))
    return f'<a href="{method}">{words}</a>'
